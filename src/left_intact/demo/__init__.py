"""The Pier Room: a made-up play room with small real programs, built from a seed."""
