"""What is every file? Evidence, weights, class, certainty."""
