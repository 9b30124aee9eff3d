"""Noticing and getting: what outlets offer, whether it is worth it, and only the bytes that matter."""
