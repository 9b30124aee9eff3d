"""Evenings as people spend them with their programs.

Each scene builds its tree from a seed, drives the program from the first look to the proof and back, and
reads the disk with code that shares nothing with the program's.
"""
