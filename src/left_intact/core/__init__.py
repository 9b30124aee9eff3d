"""The computation, free of any interface: stages that pass frozen values along."""
