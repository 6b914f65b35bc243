"""Gain over time: fades, crossfades, dither."""
