"""What would happen: one table of decisions, one plan, drawn up without touching a disk."""
