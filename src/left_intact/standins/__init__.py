"""The outside world in small, for the demo and the tests. All on loopback, all made up."""
