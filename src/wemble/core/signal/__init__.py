"""Samples, their levels, and the pyramid that stands for them."""
