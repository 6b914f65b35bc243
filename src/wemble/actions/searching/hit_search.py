"""Hits: names read, mic sets laid out, onsets found on hundreds at once, drafts while numbers are dragged."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.revisions import Answer, edit
from wemble.actions.work.executor import Report
from wemble.core.edges.hit_doubts import CLEAR_END, CLEAR_START, SILENCE, Doubt, is_coded
from wemble.core.edges.hit_levels import HitLevels, hit_levels
from wemble.core.edges.hits import Take, TakenHits, find_hits, holds_many, measure_take, with_rooms
from wemble.core.edges.onset import rough_hit
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe, Treatment
from wemble.core.edit.clips import Edited
from wemble.core.edit.kit import clips_from_left, lay_out_sets
from wemble.core.edit.model import Clip, Finding, Job
from wemble.core.edit.treatment import (
    Sounds,
    Sure,
    apply_treatment,
    base_of,
    left_silent,
    targets,
    without_removed,
)
from wemble.core.kit.mic_set import Heard, find_in_set, first_to_hear, hearing, lag_s
from wemble.core.kit.strengths import Level, StrengthOrder, order_strengths
from wemble.core.kit.strikes import NameGrid, Strike, files_of_hits, grid, propose_pattern, read_name
from wemble.core.signal.levels import ms_to_frames
from wemble.core.signal.reader import Read
from wemble.errors import InvalidInput, NotFound
from wemble.store.files import FileReader, Home
from wemble.store.rows import SourceRow

LONGEST_HIT_S = 60.0
ASKED_FROM_S = 30.0
"""What is shorter is measured within a fifth of a second, and worth no way to a worker and back."""
_FEW_FILES = 4
_CUT = Treatment("cut")


@dataclass(frozen=True, slots=True)
class NamesRead:
    """What a pattern makes of the names of a job's sources: the first few read, and what is wrong with the grid."""

    pattern: str
    read: int
    examples: tuple[tuple[str, Strike], ...]
    grid: NameGrid


def read_names(library: Library, revision_id: int, pattern: str | None) -> NamesRead:
    """Read the names of a job's sources by a pattern; without one, by what most of them seem to follow."""
    job = library.job_at(revision_id)
    stems = _stems(job)
    pattern = propose_pattern(stems) if pattern is None else pattern
    strikes = [(stem, strike) for stem in stems if (strike := read_name(stem, pattern)) is not None]
    return NamesRead(pattern, len(strikes), tuple(strikes[:8]), grid(stems, pattern))


def apply_names(library: Library, job: Job, pattern: str) -> Edited:
    """Give every clip what its source's name says, and lay each hit's microphones under each other.

    Raises
    ------
    InvalidInput
        If the pattern is wrong, reads nothing, or two files of one hit lie apart and nothing explains it.
    """
    names = {clip.id: clip.file_name or job.source(clip.source_id).name for clip in clips_from_left(job)}
    strikes = {key: strike for key, name in names.items() if (strike := read_name(name, pattern)) is not None}
    if not strikes:
        raise InvalidInput("no name fits this pattern; compare it with the examples and correct it")
    edited = lay_out_sets(job, strikes, _lags(library, job, strikes))
    if not (twice := grid([*names.values()], pattern).twice):
        return edited
    listed = ", ".join(f"“{name}”" for name in twice[:3]) + (f" and {len(twice) - 3} more" if len(twice) > 3 else "")
    note = f"{listed}: more than one file has this name; each is a hit of its own. Microphones are told by the pattern"
    return replace(edited, notes=(*edited.notes, note))


@dataclass(frozen=True, slots=True)
class HitDraft:
    """What a recipe would do to the hits of a job, one entry a hit and file, in source frames: to the block for
    one-shots, to the sample for takes, whose hits follow each other under one target.

    ``confidences`` and ``reasons`` are those of the edge that is least sure.
    ``deciding`` says whether a target is the microphone by which its set is cut; ``strengths`` lists those of the job, the
    softest first, and ``strength_doubts`` what is to be said of that; ``doubtful`` counts the hits that somebody should
    look at. Of takes, ``together`` counts the hits that were taken with another as they lie too close, and ``too_soft``
    the rises that do not count.
    """

    target_ids: list[str]
    heads: list[int]
    tails: list[int]
    onsets: list[int]
    confidences: list[float]
    reasons: list[str]
    deciding: list[bool]
    strengths: list[str]
    strength_doubts: list[str]
    doubtful: int = 0
    together: int = 0
    too_soft: int = 0


def recipe_of(library: Library, revision_id: int, target_ids: Sequence[str] = ()) -> tuple[HitRecipe, bool]:
    """Return the recipe that some hits (all, without ids) were found by last, and whether all of them were found by it.

    Where none was found yet it is the one that was applied to others, or the usual one for files of their length.
    """
    job = library.job_at(revision_id)
    chosen = list(target_ids or targets(job))
    everything = [f.recipe for f in job.findings.values() if isinstance(f.recipe, HitRecipe)]
    chosen = [key for key in chosen if key not in job.clips or job.clip(key).reason != SILENCE]
    applied = [r for key in chosen if key in job.findings and isinstance(r := job.findings[key].recipe, HitRecipe)]
    if applied:
        return applied[-1], len(applied) == len(chosen) and all(recipe == applied[-1] for recipe in applied)
    return everything[-1] if everything else _usual(library, job, chosen), False


def _usual(library: Library, job: Job, chosen: Sequence[str]) -> HitRecipe:
    """Return the usual recipe for files of their length; of a few that may be either it is heard how many hits they hold."""
    bases = [base_of(job, target) for target in chosen]
    lengths = [(base.tail_frame - base.head_frame) / job.source(base.source_id).rate_hz for base in bases]
    recipe = HitRecipe.usual(lengths)
    if recipe.many or not 1 <= len(bases) <= _FEW_FILES:
        return recipe
    return replace(recipe, many=all(holds_many(_take_of(library, base)) for base in bases))


def draft_hits(library: Library, revision_id: int, recipe: HitRecipe, target_ids: Sequence[str] = ()) -> HitDraft:
    """Return what a recipe would find in some hits, or in all of them without ids.

    One-shots are drafted from levels alone, each set by the microphone that decides.
    """
    job = library.job_at(revision_id)
    chosen = list(target_ids or targets(job))
    strengths = strength_order(library, job)
    made = HitDraft([], [], [], [], [], [], [], [*strengths.order], [*strengths.doubts])
    draft = _draft_of_takes if recipe.many else _draft_of_sets
    return draft(library, revision_id, chosen, recipe, made)


def _draft_of_takes(
    library: Library, revision_id: int, chosen: Sequence[str], recipe: HitRecipe, made: HitDraft
) -> HitDraft:
    job = library.job_at(revision_id)
    together, too_soft = 0, 0
    for target in chosen:
        sounds, found = _taken(library, base_of(job, target), recipe)
        together, too_soft = together + found.together, too_soft + found.too_soft
        for span, (onset, _), sure in zip(sounds.spans, sounds.sounds, sounds.sure, strict=True):
            least = min((sure.confidence, sure.reason), (sure.end_confidence, sure.end_reason))
            _enter(made, target, span, onset, least, True)
    doubtful = sum(confidence < DOUBTFUL for confidence in made.confidences)
    return replace(made, doubtful=doubtful, together=together, too_soft=too_soft)


@dataclass(frozen=True, slots=True)
class _Mic:
    """What drafting again reads of one microphone of a hit, looked up once for as long as the job is."""

    target_id: str
    base: Finding | Clip
    levels: HitLevels
    rate_hz: int
    offset_s: float


def _draft_of_sets(
    library: Library, revision_id: int, chosen: Sequence[str], recipe: HitRecipe, made: HitDraft
) -> HitDraft:
    doubtful = 0
    for mics, named in _mics_of_sets(library, revision_id, tuple(chosen), recipe):
        rough = [_rough(mic, recipe) for mic in mics]
        starts = [onset / mic.rate_hz + mic.offset_s for mic, (onset, *_) in zip(mics, rough, strict=True)]
        ends = [over / mic.rate_hz + mic.offset_s for mic, (_, over, *_) in zip(mics, rough, strict=True)]
        confidences = [confidence for _, _, (confidence, _), _ in rough]
        hear = hearing(confidences)
        decides = first_to_hear(starts, confidences, named)
        start, end = starts[decides], max(ends[n] for n in hear)
        least = min(rough[decides][2], *(rough[n][3] for n in hear))
        doubtful += least[0] < DOUBTFUL
        for n, mic in enumerate(mics):
            onset = round((start - mic.offset_s) * mic.rate_hz)
            span = _with_room(mic.base, onset, round((end - mic.offset_s) * mic.rate_hz), recipe, mic.rate_hz)
            _enter(made, mic.target_id, span, max(onset, mic.base.head_frame), least, n == decides)
    return replace(made, doubtful=doubtful)


def _mics_of_sets(
    library: Library, revision_id: int, chosen: tuple[str, ...], recipe: HitRecipe
) -> list[tuple[list[_Mic], int | None]]:
    """Return the microphones of each hit, and which of them is named to decide."""

    def look_up() -> list[tuple[list[_Mic], int | None]]:
        job = library.job_at(revision_id)
        mics = _mics(job)
        _measure_ahead(library, [base_of(job, target) for target in chosen])

        def mic(target: str) -> _Mic:
            base = base_of(job, target)
            rate = job.source(base.source_id).rate_hz
            return _Mic(target, base, levels_of(library, base), rate, _offset_s(job, base))

        return [([mic(t) for t in members], _named(members, mics, recipe)) for members in _sets(job, chosen, recipe)]

    return library.hit_sets.get((revision_id, chosen, recipe.together, recipe.decided_by), look_up)


def _enter(made: HitDraft, target: str, span: tuple[int, int], onset: int, least: Doubt, decides: bool) -> None:
    made.target_ids.append(target)
    made.heads.append(span[0])
    made.tails.append(span[1])
    made.onsets.append(onset)
    made.confidences.append(round(least[0], 2))
    made.reasons.append(least[1])
    made.deciding.append(decides)


def apply_hits(
    library: Library, job_id: str, base_revision: int, target_ids: Sequence[str], recipe: HitRecipe
) -> Answer:
    """Find hits with a recipe and cut them, sets together, as one revision. Corrected edges stay as they were corrected.

    Raises
    ------
    InvalidInput
        If a set cannot be explained, or nothing is found at all.
    """
    job = library.job_at(base_revision)
    sets = _sets(job, list(target_ids or targets(job)), recipe)
    parts = [_found(library, job, members, recipe) for members in sets]
    found = {target: sounds for part in parts for target, sounds in part.items()}
    if not found:
        raise InvalidInput("no hit was found in any of these; raise the number of dB under the peak")

    silent = [target for members in sets for target in members if target not in found]
    removed = sum(sounds.left_out for sounds in found.values())
    notes = (
        *([f"{removed} removed by hand {'stays' if removed == 1 else 'stay'} out"] if removed else []),
        *([f"{len(silent)} without any sound stay as they are"] if silent else []),
    )

    def carry_out(newest: Job) -> Edited:
        for target, sounds in found.items():
            newest = apply_treatment(newest, target, sounds, recipe, _CUT, fade_for=lambda side, edge, inner: 0).job
        for target in silent:
            newest = left_silent(newest, target, SILENCE)
        return Edited(newest, notes)

    return edit(library, job_id, base_revision, "find hits", carry_out)


_Span = tuple[str, int, int]
"""A source, and from where to where in it."""


def levels_of(library: Library, base: Finding | Clip) -> HitLevels:
    """Return the levels of a one-shot, kept after the first time."""
    source_id, start, end = span = _measured_span(library, base)

    def measure() -> HitLevels:
        return hit_levels(library.reads(source_id)(start, end - start), library.source(source_id).rate_hz)

    return library.hit_levels.get(span, measure)


def _measured_span(library: Library, base: Finding | Clip) -> _Span:
    longest = round(LONGEST_HIT_S * library.source(base.source_id).rate_hz)
    return base.source_id, base.head_frame, min(base.tail_frame, base.head_frame + longest)


def _measure_ahead(library: Library, bases: Sequence[Finding | Clip]) -> None:
    """Measure one-shots together in a worker, where that takes longer than an answer should."""
    spans = {_measured_span(library, base): library.source(base.source_id) for base in bases}
    unknown = {span: source for span, source in spans.items() if span not in library.hit_levels}
    if sum((end - start) / source.rate_hz for (_, start, end), source in unknown.items()) < ASKED_FROM_S:
        return
    found = library.ask(levels_in_files, library.home.root, unknown)
    for span, levels in zip(unknown, found, strict=True):
        library.hit_levels.put(span, levels)


def levels_in_files(report: Report, root: Path, spans: dict[_Span, SourceRow]) -> list[HitLevels]:
    """Return the levels of one-shots in a data folder. Runs in a worker."""
    channels = {source.id: source.channels for source in spans.values()}
    with closing(FileReader(Home(root), channels)) as reader:
        return [
            hit_levels(reader.read(source_id, source.rate_hz, start, end - start), source.rate_hz)
            for (source_id, start, end), source in spans.items()
        ]


def _rough(mic: _Mic, recipe: HitRecipe) -> tuple[int, int, Doubt, Doubt]:
    """Return onset and end of a one-shot to the block, in source frames, and how sure either is and why."""
    levels, rough = mic.levels, rough_hit(mic.levels, recipe)
    sure, end_sure = min(rough.doubts, default=(1.0, CLEAR_START)), min(rough.end_doubts, default=(1.0, CLEAR_END))
    onset = min(rough.first * levels.block_frames, ms_to_frames(recipe.within_ms, levels.rate_hz))
    end = min(rough.end * levels.block_frames, levels.frames)
    return mic.base.head_frame + onset, mic.base.head_frame + end, sure, end_sure


def _found(library: Library, job: Job, members: Sequence[str], recipe: HitRecipe) -> dict[str, Sounds]:
    bases = [base_of(job, target) for target in members]
    rates = [job.source(base.source_id).rate_hz for base in bases]
    if recipe.many:
        takes = {target: _taken(library, base, recipe)[0] for target, base in zip(members, bases, strict=True)}
        return {target: sounds for target, sounds in takes.items() if sounds.sounds}
    heard = [
        Heard(
            library.reads(base.source_id)(base.head_frame, base.tail_frame - base.head_frame),
            rate,
            levels_of(library, base) if base.tail_frame - base.head_frame <= LONGEST_HIT_S * rate else None,
            is_coded(library.source(base.source_id).kind),
        )
        for base, rate in zip(bases, rates, strict=True)
    ]
    first = _offset_s(job, bases[0])
    lags = [first - _offset_s(job, base) for base in bases]
    set_found = find_in_set(heard, recipe, lags=lags, decided_by=_named(members, _mics(job), recipe))
    sounds = {}
    for target, base, rate, hit in zip(members, bases, rates, set_found.hits, strict=True):
        if hit.reason == SILENCE:
            continue
        onset, end = base.head_frame + hit.onset_frame, base.head_frame + hit.end_frame
        span = _with_room(base, onset, end, recipe, rate)
        first, last, end_first, end_last = (at + base.head_frame for at in (*hit.onset_within, *hit.end_within))
        sounds[target] = Sounds(
            (span,),
            ((onset, end),),
            sure=(Sure(hit.confidence, hit.reason, hit.end_confidence, hit.end_reason),),
            within=((first, last, end_first, end_last),),
        )
    return sounds


def _taken(library: Library, base: Finding | Clip, recipe: HitRecipe) -> tuple[Sounds, TakenHits]:
    """Return the hits of a take, none of which reaches into the next, in source frames; and what was found."""
    rate, shift = library.source(base.source_id).rate_hz, base.head_frame
    take = _take_of(library, base)
    found = find_hits(take, recipe)
    spans = tuple((a + shift, b + shift) for a, b in with_rooms(found.hits, take.frames, rate, recipe))
    sounds = tuple((hit.onset_frame + shift, hit.end_frame + shift) for hit in found.hits)
    within = tuple(
        (hit.onset_lo_frame + shift, hit.onset_hi_frame + shift, hit.end_lo_frame + shift, hit.end_hi_frame + shift)
        for hit in found.hits
    )
    hits = Sounds(spans, sounds, sure=tuple(Sure(hit.confidence, hit.reason) for hit in found.hits), within=within)
    return without_removed(base, hits, rate), found


def _take_of(library: Library, base: Finding | Clip) -> Take:
    """Return what was measured of a take, kept after the first time."""
    source, span = library.source(base.source_id), (base.source_id, base.head_frame, base.tail_frame)

    def measure() -> Take:
        if (base.tail_frame - base.head_frame) / source.rate_hz < ASKED_FROM_S:
            return _measured_take(library.reads(source.id), source, base.head_frame, base.tail_frame)
        return library.ask(take_in_file, library.home.root, source, base.head_frame, base.tail_frame)

    return library.takes.get(span, measure)


def take_in_file(report: Report, root: Path, source: SourceRow, start: int, end: int) -> Take:
    """Measure a take in a data folder. Runs in a worker."""
    with closing(FileReader(Home(root), {source.id: source.channels})) as reader:
        return _measured_take(partial(reader.read, source.id, source.rate_hz), source, start, end)


def _measured_take(read: Read, source: SourceRow, start: int, end: int) -> Take:
    return measure_take(
        lambda at, count: read(start + at, count), end - start, source.rate_hz, coded=is_coded(source.kind)
    )


def _with_room(base: Finding | Clip, onset: int, end: int, recipe: HitRecipe, rate: int) -> tuple[int, int]:
    head = max(onset - ms_to_frames(recipe.before_ms, rate), base.head_frame)
    return head, max(min(end + ms_to_frames(recipe.keep_ms, rate), base.tail_frame), head + 1)


def _mics(job: Job) -> dict[str, str]:
    """Return the microphone of every target that has one."""
    clips = [clip for clip in job.clips.values() if clip.strike and clip.strike.mic]
    return {clip.finding_id or clip.id: (clip.strike.mic if clip.strike else None) or "" for clip in clips}


def _named(members: Sequence[str], mics: dict[str, str], recipe: HitRecipe) -> int | None:
    """Return which of a set's targets is the microphone that is named to decide; none if it is not among them."""
    there = [n for n, target in enumerate(members) if recipe.decided_by and mics.get(target) == recipe.decided_by]
    return there[0] if there else None


def _sets(job: Job, target_ids: Sequence[str], recipe: HitRecipe) -> list[list[str]]:
    """Return targets by mic set, whole; one that belongs to none, or any where each is cut on its own, stands alone.

    Raises `NotFound` for a target that is not there.
    """
    if gone := set(target_ids) - set(targets(job)):
        raise NotFound(f"{len(gone)} of these are no longer in the job; look for hits again")
    if not recipe.together or recipe.many:
        return [[target] for target in target_ids]
    set_of = {clip.finding_id or clip.id: clip.set_id or f"alone {clip.id}" for clip in job.clips.values()}
    sets: dict[str, list[str]] = {set_of.get(target, target): [] for target in target_ids}
    for target in targets(job):
        if (name := set_of.get(target, target)) in sets:
            sets[name].append(target)
    return list(sets.values())


def _offset_s(job: Job, base: Finding | Clip) -> float:
    """Return the job time at which frame 0 of a base's source lies."""
    return base.origin_frame / job.rate_hz


def strength_order(library: Library, job: Job) -> StrengthOrder:
    """Return the strengths of a job from the softest to the hardest, by their names and by how loud their hits are."""
    levels = []
    for clip in job.clips.values():
        if clip.strike is not None and clip.strike.strength:
            thing = (clip.strike.name, clip.strike.note, clip.strike.mic)
            level_db = library.loudest_db(clip.source_id, clip.head_frame, clip.tail_frame)
            levels.append(Level(thing, clip.strike.strength, level_db))
    return order_strengths((level.strength for level in levels), levels)


def _lags(library: Library, job: Job, strikes: dict[str, Strike]) -> dict[str, int]:
    """Return, in job frames, how much later each file of a hit begins to hear it than the first of its set."""
    lags: dict[str, int] = {}
    for members in ([job.clip(key) for key in keys] for keys in files_of_hits(strikes)):
        if len({(m.source_id, job.source(m.source_id).frames, job.source(m.source_id).rate_hz) for m in members}) < 2:
            continue
        heard = [
            Heard(library.reads(m.source_id)(0, job.source(m.source_id).frames), job.source(m.source_id).rate_hz)
            for m in members
        ]
        for member, other in zip(members[1:], heard[1:], strict=True):
            lags[member.id] = round(lag_s(heard[0], other) * job.rate_hz)
    return lags


def _stems(job: Job) -> list[str]:
    return [clip.file_name or job.source(clip.source_id).name for clip in job.clips.values()]
