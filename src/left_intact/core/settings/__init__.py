"""Settings files: one adapter per format, and merging key by key."""
