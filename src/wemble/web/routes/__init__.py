"""The endpoints that speak JSON, a module for each resource. Importing this package registers them all."""

from wemble.web.routes import (
    delivery,
    hits,
    jobs,
    lanes,
    loops,
    recipes,
    release,
    show,
    sounds,
    sources,
    tasks,
    uploads,
)
from wemble.web.routes.blueprint import api, library

__all__ = [
    "api",
    "delivery",
    "hits",
    "jobs",
    "lanes",
    "library",
    "loops",
    "recipes",
    "release",
    "show",
    "sounds",
    "sources",
    "tasks",
    "uploads",
]
