"""The library that the application serves."""

from __future__ import annotations

from flask import current_app

from wemble.actions.library import Library


def library() -> Library:
    """Return the library that this application serves."""
    opened: Library = current_app.extensions["wemble"]
    return opened
