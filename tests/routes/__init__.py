"""The routes beside the one in place: each with its traps, its laws and its way back."""
