"""Settings files that are awkward to merge, and what must hold for each."""
