"""Was anything lost? Read from the disk and the witness, never from the plan's own claims."""
