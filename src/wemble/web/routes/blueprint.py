"""The blueprint that every JSON endpoint belongs to."""

from __future__ import annotations

from flask import Blueprint

from wemble.web.serving import library

__all__ = ["api", "library"]

api = Blueprint("api", __name__, url_prefix="/api")
