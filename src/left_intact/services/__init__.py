"""The four services that the workbench composes."""
