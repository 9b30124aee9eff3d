"""Long work in a process of its own, so that no key waits for it. It knows the waist and the model alone."""
