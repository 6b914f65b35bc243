"""Hits: names read, mic sets laid out, onsets found on hundreds at once, drafts while numbers are dragged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from wemble.actions.editing import Answer, edit
from wemble.actions.finding import reads
from wemble.actions.library import Library
from wemble.core.edges.hits import find_hits, with_rooms
from wemble.core.edges.onset import DOUBTFUL, HitLevels, hit_levels, rough_hit
from wemble.core.edges.recipe import HitRecipe, Treatment
from wemble.core.edit.clips import Edited
from wemble.core.edit.kit import lay_out_sets
from wemble.core.edit.model import Clip, Finding, Job
from wemble.core.edit.treat import Sounds, base_of, targets, treat
from wemble.core.kit.mic_set import Heard, find_in_set, first_to_hear, lag_s
from wemble.core.kit.strikes import NameGrid, Strike, grid, in_order_of_strength, propose_pattern, read_name
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput

LONGEST_HIT_S = 60.0
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


def apply_names(library: Library, job_id: str, base_revision: int, pattern: str) -> Answer:
    """Give every clip what its source's name says, and lay each hit's microphones under each other.

    Raises
    ------
    InvalidInput
        If the pattern is wrong, reads nothing, or two files of one hit lie apart and nothing explains it.
    """

    def change(job: Job) -> Edited:
        names = {clip.id: job.source(clip.source_id).name for clip in job.clips.values()}
        strikes = {key: strike for key, name in names.items() if (strike := read_name(name, pattern)) is not None}
        if not strikes:
            raise InvalidInput("no name fits this pattern; look at the examples, and correct it there")
        return lay_out_sets(job, strikes, _lags(library, job, strikes))

    return edit(library, job_id, base_revision, "read names", change)


@dataclass(frozen=True, slots=True)
class HitDraft:
    """What a recipe would do to the hits of a job, at block precision, one entry a target: source frames.

    ``deciding`` says whether a target is the microphone by which its set is cut, ``strengths`` lists those of the job,
    the softest first; ``doubtful`` counts those that somebody should look at.
    """

    target_ids: list[str]
    heads: list[int]
    tails: list[int]
    onsets: list[int]
    confidences: list[float]
    deciding: list[bool]
    strengths: list[str]
    doubtful: int


def recipe_of(library: Library, revision_id: int) -> tuple[HitRecipe, bool]:
    """Return the recipe that was applied to a job's hits last, or the usual one, and whether all of them have it."""
    job = library.job_at(revision_id)
    applied = [finding.recipe for finding in job.findings.values() if isinstance(finding.recipe, HitRecipe)]
    everywhere = len(applied) == len(targets(job)) and all(recipe == applied[-1] for recipe in applied)
    return (applied[-1], everywhere) if applied else (HitRecipe(), False)


def draft_hits(library: Library, revision_id: int, recipe: HitRecipe) -> HitDraft:
    """Return what a recipe would find in one-shots; from levels alone, each set by the microphone that hears it first.

    A take with many hits has no draft: it is looked through on Apply.
    """
    job = library.job_at(revision_id)
    strengths = [clip.strike.strength for clip in job.clips.values() if clip.strike and clip.strike.strength]
    made = HitDraft([], [], [], [], [], [], in_order_of_strength(strengths), 0)
    doubtful = 0
    mics = _mics(job)
    for members in [] if recipe.many else _sets(job, targets(job), recipe):
        bases = [base_of(job, target) for target in members]
        rough = [_rough(library, base, recipe) for base in bases]
        offsets = [_offset_s(job, base) for base in bases]
        rates = [job.source(base.source_id).rate_hz for base in bases]
        named = _named(members, mics, recipe)
        starts = [one[0] / rate + offset for one, rate, offset in zip(rough, rates, offsets, strict=True)]
        decides = first_to_hear(starts, [confidence for _, _, confidence in rough]) if named is None else named
        start = starts[decides]
        end = max(one[1] / rate + offset for one, rate, offset in zip(rough, rates, offsets, strict=True))
        confidence = rough[decides][2]
        doubtful += confidence < DOUBTFUL
        for n, (target, base, rate, offset) in enumerate(zip(members, bases, rates, offsets, strict=True)):
            onset, over = round((start - offset) * rate), round((end - offset) * rate)
            head, tail = _with_room(base, onset, over, recipe, rate)
            made.target_ids.append(target)
            made.onsets.append(max(onset, base.head_frame))
            made.heads.append(head)
            made.tails.append(tail)
            made.confidences.append(round(confidence, 2))
            made.deciding.append(n == decides)
    return replace(made, doubtful=doubtful)


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
    chosen = list(target_ids or targets(job))
    parts = [_found(library, job, members, recipe) for members in _sets(job, chosen, recipe)]
    found = {target: sounds for part in parts for target, sounds in part.items()}
    if not found:
        raise InvalidInput("nothing speaks in any of these; lower the level at which a sample speaks")

    def carry_out(newest: Job) -> Edited:
        for target, sounds in found.items():
            newest = treat(newest, target, sounds, recipe, _CUT, fade_for=lambda side, edge, inner: 0).job
        silent = len(chosen) - len(found)
        return Edited(newest, (f"{silent} without any sound stay as they are",) if silent else ())

    return edit(library, job_id, base_revision, "find hits", carry_out)


def levels_of(library: Library, base: Finding | Clip) -> HitLevels:
    """Return the levels of a one-shot, kept after the first time."""
    span = (
        base.head_frame,
        min(base.tail_frame, base.head_frame + round(LONGEST_HIT_S * library.source(base.source_id).rate_hz)),
    )

    def measure() -> HitLevels:
        return hit_levels(
            reads(library, base.source_id)(span[0], span[1] - span[0]), library.source(base.source_id).rate_hz
        )

    return library.hit_levels.get((base.source_id, *span), measure)


def _rough(library: Library, base: Finding | Clip, recipe: HitRecipe) -> tuple[int, int, float]:
    """Return onset, end and confidence of a one-shot to the block, in source frames."""
    levels = levels_of(library, base)
    rough = rough_hit(levels, recipe)
    confidence = min((doubt for doubt, _ in rough.doubts), default=1.0)
    limit = ms_to_frames(recipe.within_ms, levels.rate_hz)
    return (
        base.head_frame + min(rough.first * levels.block_frames, limit),
        base.head_frame + min(rough.end * levels.block_frames, levels.frames),
        confidence,
    )


def _found(library: Library, job: Job, members: Sequence[str], recipe: HitRecipe) -> dict[str, Sounds]:
    bases = [base_of(job, target) for target in members]
    rates = [job.source(base.source_id).rate_hz for base in bases]
    if recipe.many:
        return {
            t: s for t, b, r in zip(members, bases, rates, strict=True) if (s := _taken(library, b, r, recipe)).sounds
        }
    heard = [
        Heard(
            reads(library, base.source_id)(base.head_frame, base.tail_frame - base.head_frame),
            rate,
            levels_of(library, base) if base.tail_frame - base.head_frame <= LONGEST_HIT_S * rate else None,
        )
        for base, rate in zip(bases, rates, strict=True)
    ]
    first = _offset_s(job, bases[0])
    lags = [first - _offset_s(job, base) for base in bases]
    set_found = find_in_set(heard, recipe, lags=lags, decided_by=_named(members, _mics(job), recipe))
    sounds = {}
    for target, base, rate, hit in zip(members, bases, rates, set_found.hits, strict=True):
        if hit.reason == "silence":
            continue
        onset, end = base.head_frame + hit.onset_frame, base.head_frame + hit.end_frame
        span = _with_room(base, onset, end, recipe, rate)
        sounds[target] = Sounds((span,), ((onset, end),), 0.0, 0.0, hit.confidence, hit.reason)
    return sounds


def _taken(library: Library, base: Finding | Clip, rate: int, recipe: HitRecipe) -> Sounds:
    """Return the hits of a take; none reaches into the next."""
    read = reads(library, base.source_id)
    hits = find_hits(
        lambda start, frames: read(base.head_frame + start, frames), base.tail_frame - base.head_frame, rate, recipe
    )
    shift = base.head_frame
    spans = [(a + shift, b + shift) for a, b in with_rooms(hits, base.tail_frame - shift, rate, recipe)]
    sounds = [(hit.onset_frame + shift, hit.end_frame + shift) for hit in hits]
    return Sounds(tuple(spans), tuple(sounds), 0.0, 0.0, 1.0, "clear start")


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
    """Return targets by mic set; one that belongs to none, or any where each is cut on its own, stands alone."""
    if not recipe.together:
        return [[target] for target in target_ids]
    set_of = {clip.finding_id or clip.id: clip.set_id for clip in job.clips.values()}
    sets: dict[str, list[str]] = {}
    for target in target_ids:
        sets.setdefault(set_of.get(target) or f"alone {target}", []).append(target)
    return list(sets.values())


def _offset_s(job: Job, base: Finding | Clip) -> float:
    """Return the job time at which frame 0 of a base's source lies."""
    return base.origin_frame / job.rate_hz


def _lags(library: Library, job: Job, strikes: dict[str, Strike]) -> dict[str, int]:
    """Return, in job frames, how much later each file of a hit begins to hear it than the first of its set."""
    sets: dict[Strike, list[Clip]] = {}
    for clip_id, strike in strikes.items():
        sets.setdefault(strike.hit, []).append(job.clip(clip_id))
    lags: dict[str, int] = {}
    for members in sets.values():
        if len({(m.source_id, job.source(m.source_id).frames, job.source(m.source_id).rate_hz) for m in members}) < 2:
            continue
        heard = [
            Heard(reads(library, m.source_id)(0, job.source(m.source_id).frames), job.source(m.source_id).rate_hz)
            for m in members
        ]
        for member, other in zip(members[1:], heard[1:], strict=True):
            lags[member.id] = round(lag_s(heard[0], other) * job.rate_hz)
    return lags


def _stems(job: Job) -> list[str]:
    return [job.source(clip.source_id).name for clip in job.clips.values()]
