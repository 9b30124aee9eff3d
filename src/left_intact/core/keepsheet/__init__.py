"""What is known about one program, as TOML that a person can read and edit."""
