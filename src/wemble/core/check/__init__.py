"""Verdicts: what a check says of an edge or of the whole, with its figure."""
