"""The outputs of a run: how each kind is made, what its cells are made of, and that they agree with their tables."""
