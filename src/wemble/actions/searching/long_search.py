"""A search of long recordings ahead of Apply: in the workers, with progress, stopped at will. What it finds is then looked up.

Each recording is broken in two where nothing could be found across the break, so that two workers have a half each.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.searching.sound_search import KnownEdge, fades_key, search_key
from wemble.actions.sources.decode import measured_source
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import start_task
from wemble.core.check.edges import automatic_fades
from wemble.core.edges.certainty import Located
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edges.refine import apart
from wemble.core.edges.search import find_roughly, refined, with_sounds
from wemble.core.edges.silence import Found, Spans
from wemble.core.edit.model import Clip, Finding
from wemble.core.edit.treatment import base_of, targets
from wemble.store.files import FileReader, Home
from wemble.store.rows import SourceRow

LONG_S = 600.0
"""A search of less is through within a second, and worth no process of its own."""
_FINDING = 0.6
"""The part of the time that finding takes where fades are made as well (measured)."""


@dataclass(frozen=True, slots=True)
class _Search:
    """What is to be searched, with what was found in it at the precision of a bin; or a half of that."""

    base: Finding | Clip
    source: SourceRow
    rough: Found

    def half(self, sounds: Spans) -> _Search:
        return replace(self, rough=replace(self.rough, sounds=sounds))

    def found(self, sounds: Located, recipe: Recipe) -> Found:
        return with_sounds(
            self.rough, sounds, recipe,
            rate_hz=self.source.rate_hz, head_frame=self.base.head_frame, tail_frame=self.base.tail_frame,
        )  # fmt: skip


_Refined = tuple[Located, dict[KnownEdge, int]]
"""Sounds to the sample, and the lengths of the automatic fades on their edges."""


def start_search(
    library: Library, job_id: str, revision_id: int, target_ids: Sequence[str], recipe: Recipe, treatment: Treatment
) -> str | None:
    """Start searching what is not known yet, and return the task; none where Apply may as well do that itself."""
    if recipe.own_only or recipe.reach == "programme":
        return None
    job = library.job_at(revision_id)
    bases = {search_key(base, recipe): base for base in (base_of(job, t) for t in target_ids or targets(job))}
    searches = [_search(library, base, recipe) for key, base in bases.items() if key not in library.found_sounds]
    if sum((s.base.tail_frame - s.base.head_frame) / s.source.rate_hz for s in searches) < LONG_S:
        return None

    def keep(halves: list[list[_Refined]]) -> dict[str, object]:
        for search, first, second in zip(searches, *halves, strict=True):
            (sounds, fades), (later_sounds, later_fades) = first, second
            library.found_fades.put(fades_key(search.base, recipe), fades | later_fades)
            found = search.found(Located.joined([sounds, later_sounds]), recipe)
            library.found_sounds.put(search_key(search.base, recipe), found)
        return {}

    broken = [(search, apart(search.rough.sounds, rate_hz=search.source.rate_hz)) for search in searches]
    shares = [
        [search.half(search.rough.sounds[:at]) for search, at in broken],
        [search.half(search.rough.sounds[at:]) for search, at in broken],
    ]
    faded = job.auto_fades and treatment.leaves_edges
    request, args = {"revision": revision_id}, (library.home.root, recipe, faded)
    return start_task(
        library, job_id, "check", "finding sound and silence", request, _refine, args, keep, shares=shares
    )


def _search(library: Library, base: Finding | Clip, recipe: Recipe) -> _Search:
    measured = library.measured(base.source_id)
    rough = find_roughly(measured, recipe, head_frame=base.head_frame, tail_frame=base.tail_frame)
    return _Search(base, library.source(base.source_id), rough)


def _refine(
    report: Report, work: Path, root: Path, recipe: Recipe, faded: bool, searches: list[_Search]
) -> list[_Refined]:
    """Search each to the frame. Runs in a worker."""
    home, count = Home(root), len(searches)
    return [
        _refine_one(part_of(report, n / count, (n + 1) / count), home, search, recipe, faded)
        for n, search in enumerate(searches)
    ]


def _refine_one(report: Report, home: Home, search: _Search, recipe: Recipe, faded: bool) -> _Refined:
    source, base, finding = search.source, search.base, _FINDING if faded else 1.0
    reader, measured = FileReader(home, {source.id: source.channels}), measured_source(home, source)
    read = partial(reader.read, source.id, source.rate_hz)
    try:
        sounds = refined(
            read, measured, recipe, search.rough.sounds,
            in_the_way=search.rough.in_the_way, head_frame=base.head_frame, tail_frame=base.tail_frame,
            report=lambda done: report(finding * done, "finding"),
        )  # fmt: skip
        fades: dict[KnownEdge, int] = {}
        if faded:
            found, length = search.found(sounds, recipe), automatic_fades(read, recipe, rate_hz=source.rate_hz)
            for at, (span, sound) in enumerate(zip(found.spans.tolist(), found.sounds.tolist(), strict=True)):
                heads, tails = zip(span, sound, strict=True)
                fades["head", *heads], fades["tail", *tails] = length("head", *heads), length("tail", *tails)
                report(finding + (1.0 - finding) * at / len(found.spans), "making fades")
        return sounds, fades
    finally:
        reader.close()
