"""Wemble cleans the edges of audio."""

__version__ = "0.1.0"
