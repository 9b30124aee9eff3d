"""Doing it: strongbox, journal, engine, recovery. The only stage that writes below an install."""
