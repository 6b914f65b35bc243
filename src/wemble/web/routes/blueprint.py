"""The blueprint that every JSON endpoint belongs to."""

from __future__ import annotations

from flask import Blueprint, current_app

from wemble.actions.library import Library

api = Blueprint("api", __name__, url_prefix="/api")


def library() -> Library:
    """Return the library that this application serves."""
    opened: Library = current_app.extensions["wemble"]
    return opened
