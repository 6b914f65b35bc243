"""Kits: what file names say of hits, and hits that several microphones heard."""
