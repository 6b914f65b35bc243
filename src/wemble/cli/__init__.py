"""The same actions from a shell."""
