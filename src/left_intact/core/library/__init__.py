"""What is remembered: installs, baselines, rulings, proofs, digests (SQLite, below the home folder)."""
