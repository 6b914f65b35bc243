"""A search of long recordings ahead of Apply: in a worker, with progress, stopped at will. What it finds is then looked up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.searching.sound_search import search_key
from wemble.actions.sources.decode import measured_source
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import start_task
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.search import find
from wemble.core.edges.silence import Found
from wemble.core.edit.treatment import base_of, targets
from wemble.store.files import FileReader, Home
from wemble.store.rows import SourceRow

LONG_S = 600.0
"""A search of less is through within a second, and worth no process of its own."""


@dataclass(frozen=True, slots=True)
class _Part:
    source: SourceRow
    head_frame: int
    tail_frame: int


def start_search(
    library: Library, job_id: str, revision_id: int, target_ids: Sequence[str], recipe: Recipe
) -> str | None:
    """Start searching what is not known yet, and return the task; none where Apply may as well do that itself."""
    if recipe.own_only or recipe.reach == "programme":
        return None
    job, parts = library.job_at(revision_id), {}
    for target in target_ids or targets(job):
        base = base_of(job, target)
        key = search_key(base, recipe)
        if key not in library.found_sounds:
            parts[key] = _Part(library.source(base.source_id), base.head_frame, base.tail_frame)
    seconds = sum((part.tail_frame - part.head_frame) / part.source.rate_hz for part in parts.values())
    if seconds < LONG_S:
        return None

    def keep(found: list[Found]) -> dict[str, object]:
        for key, one in zip(parts, found, strict=True):
            library.found_sounds.put(key, one)
        return {}

    request = {"revision": revision_id}
    args = (library.home.root, list(parts.values()), recipe)
    return start_task(library, job_id, "check", "finding sound and silence", request, _search, args, keep)


def _search(report: Report, work: Path, root: Path, parts: Sequence[_Part], recipe: Recipe) -> list[Found]:
    """Search each part, to the frame. Runs in a worker."""
    count = len(parts)
    return [
        _of_part(part_of(report, n / count, (n + 1) / count), Home(root), part, recipe) for n, part in enumerate(parts)
    ]


def _of_part(report: Report, home: Home, part: _Part, recipe: Recipe) -> Found:
    source = part.source
    reader, measured = FileReader(home, {source.id: source.channels}), measured_source(home, source)
    try:
        return find(
            partial(reader.read, source.id, source.rate_hz), measured, recipe,
            head_frame=part.head_frame, tail_frame=part.tail_frame, report=lambda done: report(done, "finding"),
        )  # fmt: skip
    finally:
        reader.close()
