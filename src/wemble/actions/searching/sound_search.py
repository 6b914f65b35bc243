"""Finding sound and silence: the proposal, the draft while numbers are dragged, and Apply."""

from __future__ import annotations

import hashlib
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from wemble.actions.importing.made_source import ROOM_TONE, Built, keep_made
from wemble.actions.library import Library, new_id
from wemble.actions.revisions import Answer, edit
from wemble.actions.searching.own_sound import UNHEARD, lanes_with_recordings, own_sound_of
from wemble.core.briefs import record
from wemble.core.check.edges import automatic_fades
from wemble.core.edges.envelope import merged
from wemble.core.edges.floor import Floor
from wemble.core.edges.noise import STAYS
from wemble.core.edges.programme import Programme, find_programme
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edges.room_tone import SHORTEST_PIECE_S, room_tone
from wemble.core.edges.search import as_found, find, find_roughly, propose
from wemble.core.edges.silence import Found, Spans, clean_quiet
from wemble.core.edges.speaker import Said, doubt, find_said, propose_for_speaker
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Finding, Job, Side, SourceUse
from wemble.core.edit.treatment import (
    FadeFor,
    Sounds,
    Sure,
    about_closed_up_frames,
    apply_treatment,
    base_of,
    closed_up_frames,
    needs_tone,
    targets,
)
from wemble.errors import InvalidInput, NotFound
from wemble.store.files import SourceWriter
from wemble.store.rows import SourceRow

TONE_SEED = 2
LONGEST_TONE_S = 30.0
_MOST_QUIET_S = 60.0
KnownEdge = tuple[Side, int, int]
"""A side, the frame of an edge on it, and the frame where the sound begins or ends."""


@dataclass(frozen=True, slots=True)
class Draft:
    """What a recipe would do to one target; spans are flat [start, end, start, end, …] source frames.

    ``exact`` says whether it is just what Apply does, to the frame, or near it, to a bin of the pyramid. ``kept_frames`` is
    what stays when quiet is cut away, without ``clicks`` and ``breaths``; ``kept_breaths`` could be breaths, for each
    ``kept_reasons`` says why it stays; the noise moves between ``floor_db`` and ``floor_to_db``;
    ``closed_up_frames``, in job frames, the length once it is closed up, if that was asked.
    """

    target_id: str
    source_id: str
    spans: list[int]
    sounds: list[int]
    kept_frames: int
    closed_up_frames: int
    frames: int
    rate_hz: int
    clicks: list[int]
    breaths: list[int]
    kept_breaths: list[int]
    kept_reasons: list[str]
    shortest_gap_left_frames: int
    bridged: list[int]
    floor_db: float
    floor_to_db: float
    speech_db: float
    peak_db: float
    threshold_db: float
    exact: bool


def proposal(library: Library, job: Job, target_ids: Sequence[str]) -> Recipe:
    """Propose settings for targets together: those of the first one."""
    if not target_ids:
        raise InvalidInput("there is nothing to search yet; import a recording first")
    floor = library.measured(base_of(job, target_ids[0]).source_id).floor
    if record(job.brief).own_only and len(lanes_with_recordings(job)) > 1:
        return propose_for_speaker(floor)
    return propose(floor, material=record(job.brief).material)


def draft(
    library: Library,
    revision_id: int,
    target_ids: Sequence[str],
    recipe: Recipe,
    close_up_s: float | None = None,
    exact: bool = False,
) -> list[Draft]:
    """Return what a recipe would find: a pass over envelopes alone, unless it must be ``exact``."""
    job = library.job_at(revision_id)
    return [_draft(library, job, target, recipe, close_up_s, exact) for target in target_ids or targets(job)]


def draft_if_heard(
    library: Library, revision_id: int, target_ids: Sequence[str], recipe: Recipe, close_up_s: float | None, exact: bool
) -> list[Draft] | None:
    """Return the same, or none where the lanes must be listened to first."""
    try:
        return draft(library, revision_id, target_ids, recipe, close_up_s, exact)
    except NotFound as error:
        if error.code != UNHEARD:
            raise
        return None


def apply(
    library: Library, job_id: str, base_revision: int, target_ids: Sequence[str], recipe: Recipe, treatment: Treatment
) -> Answer:
    """Find with a recipe and carry it out on every target, as one revision.

    Raises
    ------
    InvalidInput
        If nothing is found on any of them, or room tone cannot be made. Of several, those without a sound stay as they are,
        and are told.
    """
    job = library.job_at(base_revision)
    chosen = list(target_ids or targets(job))
    if recipe.own_only and treatment.kind == "close_up":
        raise InvalidInput(
            "pauses of a conversation are closed on all lanes at once: cut the quiet here, then close the gaps"
        )
    found = {target: _found(library, job, target, recipe) for target in chosen}
    silent = [target for target in chosen if not found[target].sounds]
    if len(silent) == len(chosen) > 0:
        raise InvalidInput(f"{_named(job, silent)}: no sound is louder than the threshold; lower it")
    chosen = [target for target in chosen if found[target].sounds]
    tones = {target: _tone(library, job, target, found[target], recipe, treatment) for target in chosen}

    def carry_out(newest: Job) -> Edited:
        notes: list[str] = []
        if silent:
            notes.append(
                f"{_named(job, silent)}: no sound found, left as {'it was' if len(silent) == 1 else 'they were'}"
            )
        for target in chosen:
            edited = apply_treatment(
                newest,
                target,
                found[target],
                recipe,
                treatment,
                fade_for=_fades(
                    library, base_of(newest, target), recipe if job.auto_fades else replace(recipe, fade_ms=0.0)
                ),
                tone=tones[target],
            )
            newest = edited.job
            notes += edited.notes
        return Edited(newest, tuple(notes))

    return edit(library, job_id, base_revision, "find sound and silence", carry_out)


def _named(job: Job, target_ids: Sequence[str]) -> str:
    names = [f"“{base_of(job, target).name}”" for target in target_ids]
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _draft(library: Library, job: Job, target_id: str, recipe: Recipe, close_up_s: float | None, exact: bool) -> Draft:
    base = base_of(job, target_id)
    measured = library.measured(base.source_id)
    if recipe.own_only:
        found = _said(library, job, target_id, recipe).found
    else:
        exact = exact or recipe.reach == "programme"
        found = (
            _searched(library, base, recipe)
            if exact
            else find_roughly(measured, recipe, head_frame=base.head_frame, tail_frame=base.tail_frame)
        )
    gaps = found.spans[1:, 0] - found.spans[:-1, 1]
    sounds = as_sounds(found, measured.floor, recipe)
    return Draft(
        target_id=target_id,
        source_id=base.source_id,
        spans=_flat(found.spans),
        sounds=_flat(found.sounds),
        kept_frames=int((found.spans[:, 1] - found.spans[:, 0]).sum()),
        closed_up_frames=_closed_up(library, job, target_id, sounds, recipe, close_up_s, exact),
        frames=base.tail_frame - base.head_frame,
        rate_hz=measured.envelope.rate_hz,
        clicks=_flat(found.clicks),
        breaths=_flat(found.breaths),
        kept_breaths=_flat(found.kept_breaths),
        kept_reasons=list(found.kept_reasons),
        shortest_gap_left_frames=int(gaps.min()) if len(gaps) else 0,
        bridged=_flat(found.bridged_gaps),
        floor_db=round(measured.floor.level_db, 1),
        floor_to_db=round(measured.floor.level_db + float(measured.envelope.lift_db.max()), 1),
        speech_db=round(measured.floor.sound_db, 1),
        peak_db=round(measured.floor.peak_db, 1),
        threshold_db=round(sounds.threshold_db, 1),
        exact=exact or recipe.own_only,
    )


def _closed_up(
    library: Library, job: Job, target_id: str, sounds: Sounds, recipe: Recipe, longest_s: float | None, exact: bool
) -> int:
    """Return how many job frames it comes to when it is closed up: what Apply makes, or about that while numbers are dragged."""
    if longest_s is None:
        return 0
    if not exact:
        return about_closed_up_frames(job, target_id, sounds, longest_s)
    filled = needs_tone(job, target_id, sounds, recipe, Treatment("close_up", longest_s))
    tone = _tone_to_be(library, base_of(job, target_id), sounds) if filled else None
    return closed_up_frames(job, target_id, sounds, recipe, longest_s, tone)


def _searched(library: Library, base: Finding | Clip, recipe: Recipe) -> Found:
    """Return what is found, to the frame; looked up if it was searched before, as a draft is before it is applied."""
    if recipe.reach == "programme":
        rate_hz = library.source(base.source_id).rate_hz
        programme = _programme(library, base)
        return as_found(programme, recipe, rate_hz=rate_hz, head_frame=base.head_frame, tail_frame=base.tail_frame)

    def search() -> Found:
        read, measured = library.reads(base.source_id), library.measured(base.source_id)
        return find(read, measured, recipe, head_frame=base.head_frame, tail_frame=base.tail_frame)

    return library.found_sounds.get(search_key(base, recipe), search)


def search_key(base: Finding | Clip, recipe: Recipe) -> Hashable:
    """Return what a search depends on, under which `Library.found_sounds` keeps it: fades change nothing of it."""
    return (base.source_id, base.head_frame, base.tail_frame, replace(recipe, fade_ms=0.0, fade_shape="s"))


def _fades(library: Library, base: Finding | Clip, recipe: Recipe) -> FadeFor:
    """Return what gives the edges of a search their automatic fades; looked up if they were worked out before."""
    known = library.found_fades.get(fades_key(base, recipe), dict[KnownEdge, int])
    measure = automatic_fades(library.reads(base.source_id), recipe, rate_hz=library.source(base.source_id).rate_hz)

    def length(side: Side, edge_frame: int, sound_frame: int) -> int:
        edge = (side, edge_frame, sound_frame)
        return known[edge] if edge in known else measure(*edge)

    return length


def fades_key(base: Finding | Clip, recipe: Recipe) -> Hashable:
    """Return what the automatic fades of a search depend on, under which `Library.found_fades` keeps their lengths."""
    return (base.source_id, base.head_frame, base.tail_frame, recipe)


def _programme(library: Library, base: Finding | Clip) -> Programme | None:
    """Return the programme of a recording; no setting changes it, so it is looked for once."""
    key = (base.source_id, base.head_frame, base.tail_frame)

    def search() -> Programme | None:
        read, envelope = library.reads(base.source_id), library.measured(base.source_id).envelope
        return find_programme(read, envelope, head_frame=base.head_frame, tail_frame=base.tail_frame)

    return library.programmes.get(key, search)


def _said(library: Library, job: Job, target_id: str, recipe: Recipe) -> Said:
    """Return what is said on a target's own lane, in frames of its source."""
    base = base_of(job, target_id)
    own = own_sound_of(library, job, target_id)
    said = find_said(own, library.measured(base.source_id).floor, recipe)
    first = base.head_frame // own.shown.bin_frames * own.shown.bin_frames
    return replace(said, found=said.found.shifted(first).clipped(base.head_frame, base.tail_frame))


def _found(library: Library, job: Job, target_id: str, recipe: Recipe) -> Sounds:
    base = base_of(job, target_id)
    floor = library.measured(base.source_id).floor
    if not recipe.own_only:
        sounds = as_sounds(_searched(library, base, recipe), floor, recipe)
        programme = _programme(library, base) if recipe.reach == "programme" else None
        if programme is None:
            return sounds
        one = Sure(programme.start_confidence, programme.start_reason, programme.end_confidence, programme.end_reason)
        return replace(sounds, sure=(one,), floor_db=programme.floor_db, threshold_db=programme.floor_db)
    said = _said(library, job, target_id, recipe)
    sure = tuple(Sure(*doubt(margin_db)) for margin_db in said.margins_db.tolist())
    return replace(as_sounds(said.found, floor, recipe), sure=sure)


def as_sounds(found: Found, floor: Floor, recipe: Recipe) -> Sounds:
    """Return what a search found as what a treatment is carried out on."""
    threshold = recipe.threshold_dbfs(floor)
    dropped = _pairs(merged(found.in_the_way[np.argsort(found.in_the_way[:, 0], kind="stable")], 1))
    within = tuple((a, b, c, d) for a, b, c, d in found.within.tolist())
    return Sounds(_pairs(found.spans), _pairs(found.sounds), floor.level_db, threshold, dropped=dropped, within=within)


def _tone_to_be(library: Library, base: Finding | Clip, found: Sounds) -> SourceUse | None:
    """Return the room tone that could be made here, without making it; none if there is no clean quiet."""
    source = library.source(base.source_id)
    if not _quiet(library, base, found, source):
        return None
    return SourceUse("", "room tone", source.rate_hz, source.channels, _tone_frames(base, found, source))


def _tone_frames(base: Finding | Clip, found: Sounds, source: SourceRow) -> int:
    longest = max((b - a for a, b in _gaps(base, found)), default=0) / source.rate_hz
    return round(min(longest + 1.0, LONGEST_TONE_S) * source.rate_hz)


def _tone(
    library: Library, job: Job, target_id: str, found: Sounds, recipe: Recipe, treatment: Treatment
) -> SourceUse | None:
    """Make the room tone that a treatment needs, as a derived source that is kept like any other.

    Raises `InvalidInput` if all is to be filled and there is no clean quiet; what is closed up does without.
    """
    if not needs_tone(job, target_id, found, recipe, treatment):
        return None
    base = base_of(job, target_id)
    source = library.source(base.source_id)
    quiet = _quiet(library, base, found, source)
    if treatment.kind == "close_up" and not quiet:
        return None
    read = library.reads(base.source_id)
    pieces = [read(start, end - start) for start, end in quiet]
    frames = _tone_frames(base, found, source)
    samples = room_tone(pieces, frames, rate_hz=source.rate_hz, seed=TONE_SEED)
    digest = hashlib.sha256(samples.tobytes()).hexdigest()
    row = SourceRow(
        id=digest[:32],
        file_sha256=digest,
        decoder="room tone 1",
        kind=ROOM_TONE,
        rate_hz=source.rate_hz,
        channels=source.channels,
        frames=frames,
        peak=float(np.abs(samples).max()),
        floors=replace(source.floors, noise=STAYS),
        notes=(),
    )
    folder = library.home.scratch / f"tone-{new_id()}"
    folder.mkdir()
    with SourceWriter(folder, rate_hz=row.rate_hz, channels=row.channels) as writer:
        writer.write(samples.T)
        writer.finish()
    keep_made(library, Built(row, folder), job.rate_hz)
    return SourceUse(row.id, f"{base.name}, room tone", row.rate_hz, row.channels, frames, derived_from=source.id)


def _gaps(base: Finding | Clip, found: Sounds) -> list[tuple[int, int]]:
    edges = [base.head_frame, *[frame for span in found.spans for frame in span], base.tail_frame]
    return list(zip(edges[::2], edges[1::2], strict=True))


def _quiet(library: Library, base: Finding | Clip, found: Sounds, source: SourceRow) -> list[tuple[int, int]]:
    """Return clean quiet: parts of the gaps where nothing stands out of the floor for long enough, up to a minute."""
    shortest = round(SHORTEST_PIECE_S * source.rate_hz)
    left = round(_MOST_QUIET_S * source.rate_hz)
    quiet: list[tuple[int, int]] = []
    measured = library.measured(base.source_id)
    for start, end in _pairs(clean_quiet(measured.envelope, measured.floor, np.array(_gaps(base, found)))):
        if end - start >= shortest and left > 0:
            quiet.append((start, min(end, start + left)))
            left -= end - start
    return quiet


def _flat(spans: Spans) -> list[int]:
    return spans.ravel().tolist()


def _pairs(spans: Spans) -> tuple[tuple[int, int], ...]:
    return tuple((start, end) for start, end in spans.tolist())
