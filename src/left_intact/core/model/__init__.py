"""The values that flow between the stages. Frozen, and without behaviour that touches a disk."""
