"""The command line: the same work through the same workbench, for scripts and checks."""
