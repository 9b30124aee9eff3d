"""Reading the disk: walking, first bytes, digests, archives. Nothing here writes."""
