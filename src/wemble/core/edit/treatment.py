"""A finding carried out on the job, with clips, fades, gains and joins alone.

Finding again starts from the finding's original span: its clips are taken away, time that was closed up is opened
again, and the pieces are laid again. A clip whose sound is found again keeps its id, name and gain; an edge that a
hand corrected keeps its place and its fade.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate, compress, count

import numpy as np

from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edit.clips import Edited
from wemble.core.edit.corrections import Owners, owners
from wemble.core.edit.following import before_closing, with_time_in, with_time_out
from wemble.core.edit.model import Clip, Correction, Fade, Finding, Job, Join, Side, SourceUse, set_clips
from wemble.core.edit.pauses import Span
from wemble.core.edit.quiet_layout import Kept, Layout, laid_out_frames, lay_out, pauses_of
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput

_SIDES: tuple[Side, Side] = ("head", "tail")
_SAME_HIT_MS = 20.0
"""An onset moves a little when its take is searched with other numbers."""

FadeFor = Callable[[Side, int, int], int]
"""(side, edge frame, frame where the sound begins or ends) -> length of an automatic fade, in source frames."""


@dataclass(frozen=True, slots=True)
class Sure:
    """How sure a sound's onset and its end are, 0…1, and why."""

    confidence: float
    reason: str
    end_confidence: float = 1.0
    end_reason: str = ""


@dataclass(frozen=True, slots=True)
class Sounds:
    """What a search found in a source: spans with rooms and sounds without, one for one, in order.

    ``sure`` says of each sound how confident its onset and its end are, and why; it is empty where nobody asked;
    so is ``within``, the earliest and latest start, and the earliest and latest end. ``dropped`` stands out
    of the floor and is no sound, such as breaths. ``left_out`` is how many more there are that a hand removed before.
    """

    spans: tuple[Span, ...]
    sounds: tuple[Span, ...]
    floor_db: float = 0.0
    threshold_db: float = 0.0
    sure: tuple[Sure, ...] = ()
    dropped: tuple[Span, ...] = ()
    left_out: int = 0
    within: tuple[tuple[int, int, int, int], ...] = ()


def base_of(job: Job, target_id: str) -> Finding | Clip:
    """Return the finding or the clip that a search is about. Raises `NotFound`."""
    return job.findings[target_id] if target_id in job.findings else job.clip(target_id)


def targets(job: Job) -> list[str]:
    """Return all that can be searched: findings, and clips that came from none, in time order.

    What Wemble made, and what was put in front of a talk or behind it, is not searched.
    """
    loose = [clip for clip in job.clips.values() if clip.finding_id is None and job.is_recorded(clip)]
    everything: list[Finding | Clip] = [*job.findings.values(), *loose]
    return [target.id for target in sorted(everything, key=lambda t: (t.origin_frame + t.head_frame, t.id))]


def apply_treatment(
    job: Job,
    target_id: str,
    found: Sounds,
    recipe: Recipe | HitRecipe,
    treatment: Treatment,
    *,
    fade_for: FadeFor,
    tone: SourceUse | None = None,
) -> Edited:
    """Carry out a finding on a clip, or again on an earlier finding.

    Raises
    ------
    InvalidInput
        If nothing was found, or room tone is asked for and there is none to be had.
    """
    if not found.sounds:
        raise InvalidInput("no sound is louder than the threshold; lower it")
    if treatment.kind == "room_tone" and tone is None:
        raise InvalidInput("there is no clean quiet to make room tone from; half a second without sound is needed")
    job, finding, earlier = _cleared(job, target_id)
    finding = _renewed(finding, found, recipe, treatment)
    layout = lay_out(job, finding, _kept(job, finding, found), tone)
    finding = replace(finding, closed=tuple(layout.closed), removed_onsets=_still_removed(job, finding, found))
    if isinstance(recipe, HitRecipe) and not recipe.many and len(layout.pieces) == 1:
        earlier = [replace(clip, sound_start_frame=0, sound_end_frame=1 << 62) for clip in earlier]  # one hit, one file
    placed = _placed(job, finding, layout, earlier, fade_for, tone if _uses(layout, tone) else None)
    return Edited(_with_certainty(placed.job, finding.id, found), placed.notes)


def closed_up_frames(
    job: Job, target_id: str, found: Sounds, recipe: Recipe, longest_s: float, tone: SourceUse | None
) -> int:
    """Return how many job frames a target comes to when it is closed up: exactly what applying that then makes."""
    if not found.sounds:
        return 0
    finding = _renewed(_finding_of(job, target_id), found, recipe, Treatment("close_up", longest_s))
    return laid_out_frames(job, finding, lay_out(job, finding, _kept(job, finding, found), tone))


def about_closed_up_frames(job: Job, target_id: str, found: Sounds, longest_s: float) -> int:
    """Return about how many job frames a target comes to when it is closed up, for ten thousand sounds in a moment."""
    rate_hz = job.source(base_of(job, target_id).source_id).rate_hz
    sounds = np.array(found.sounds, np.int64).reshape(-1, 2)
    gaps = np.minimum(sounds[1:, 0] - sounds[:-1, 1], round(longest_s * rate_hz))
    return int((sounds[:, 1] - sounds[:, 0]).sum() + gaps.sum()) * job.rate_hz // rate_hz


def needs_tone(job: Job, target_id: str, found: Sounds, recipe: Recipe, treatment: Treatment) -> bool:
    """Say whether a treatment fills anything with room tone."""
    if treatment.kind != "close_up" or not found.sounds:
        return treatment.kind == "room_tone"
    finding = _renewed(_finding_of(job, target_id), found, recipe, treatment)
    return any(pause.tone for pause in pauses_of(job, finding, _kept(job, finding, found)))


def _uses(layout: Layout, tone: SourceUse | None) -> bool:
    return tone is not None and any(piece.source_id == tone.id for piece in layout.pieces)


def _renewed(finding: Finding, found: Sounds, recipe: Recipe | HitRecipe, treatment: Treatment) -> Finding:
    return replace(
        finding, recipe=recipe, treatment=treatment, floor_db=found.floor_db, threshold_db=found.threshold_db, closed=()
    )


def _with_certainty(job: Job, finding_id: str, found: Sounds) -> Job:
    """Return the job with it told of every clip of a finding how certain its onset and its end are. A corrected edge is beyond
    doubt."""
    if not found.sure and not found.within:
        return job
    known = {start: n for n, (start, _) in enumerate(found.sounds)}
    clips = [c for c in job.clips.values() if c.finding_id == finding_id and c.sound_start_frame in known]
    sure = []
    for clip in clips:
        number = known[clip.sound_start_frame or 0]
        was, changed = found.spans[number], clip
        if found.within:
            first, last, end_first, end_last = found.within[number]
            changed = replace(changed, starts_within=(first, last), ends_within=(end_first, end_last))
        if found.sure:
            one = found.sure[number]
            changed = replace(
                changed,
                confidence=one.confidence,
                reason=one.reason,
                end_confidence=one.end_confidence,
                end_reason=one.end_reason,
            )
        if clip.head_frame != was[0]:
            changed = changed.beyond_doubt("head")
        if clip.tail_frame != was[1]:
            changed = changed.beyond_doubt("tail")
        sure.append(changed)
    return set_clips(job, *sure)


def left_silent(job: Job, target_id: str, reason: str) -> Job:
    """Return the job with it said of a target's clips that nothing was found in them; they stay as they are."""
    clips = [clip for clip in job.clips.values() if target_id in (clip.finding_id, clip.id)]
    told = [replace(c, confidence=0.0, reason=reason, end_confidence=0.0, end_reason=reason) for c in clips]
    return set_clips(job, *told)


def with_removed(job: Job, gone: Sequence[Clip]) -> Job:
    """Return the job with it kept where the hits of takes began whose clips are gone, unless another clip has them."""
    left = {(clip.finding_id, clip.sound_start_frame) for clip in job.clips.values()}
    findings = dict(job.findings)
    for clip in gone:
        finding, onset = findings.get(clip.finding_id or ""), clip.sound_start_frame
        if finding is None or onset is None or (finding.id, onset) in left or onset in finding.removed_onsets:
            continue
        if isinstance(finding.recipe, HitRecipe) and finding.recipe.many:
            findings[finding.id] = replace(finding, removed_onsets=(*finding.removed_onsets, onset))
    return replace(job, findings=findings)


def without_removed(base: Finding | Clip, found: Sounds, rate_hz: int) -> Sounds:
    """Return what was found in a take without the hits that a hand removed from it, unless that is all of them."""
    removed = base.removed_onsets if isinstance(base, Finding) else ()
    stays = [not any(_same_hit(onset, other, rate_hz) for other in removed) for onset, _ in found.sounds]
    if all(stays) or not any(stays):
        return found
    return replace(
        found,
        spans=tuple(compress(found.spans, stays)),
        sounds=tuple(compress(found.sounds, stays)),
        sure=tuple(compress(found.sure, stays)),
        within=tuple(compress(found.within, stays)),
        left_out=stays.count(False),
    )


def _still_removed(job: Job, finding: Finding, found: Sounds) -> tuple[int, ...]:
    """Return the removed onsets but for those of hits that are found again after all."""
    rate_hz = job.source(finding.source_id).rate_hz
    return tuple(
        one for one in finding.removed_onsets if not any(_same_hit(one, onset, rate_hz) for onset, _ in found.sounds)
    )


def _same_hit(onset: int, other: int, rate_hz: int) -> bool:
    return abs(onset - other) < _SAME_HIT_MS * rate_hz / 1000.0


def reverted(job: Job, finding_id: str) -> Job:
    """Return the job with one clip in the place of all that a finding made of its span."""
    cleared, finding, _ = _cleared(job, finding_id)
    whole = Clip(
        f"before {finding.id}", finding.lane_id, finding.source_id, finding.name, finding.head_frame,
        finding.tail_frame, finding.origin_frame,
    )  # fmt: skip
    return replace(cleared, clips={**cleared.clips, whole.id: whole})


def _finding_of(job: Job, target_id: str) -> Finding:
    """Return the finding that a target is, or that a clip will be."""
    base = base_of(job, target_id)
    if isinstance(base, Finding):
        return base
    return Finding(
        f"f{job.next_number}", base.lane_id, base.source_id, base.name, base.head_frame, base.tail_frame,
        base.origin_frame, Recipe(), Treatment(), 0.0, 0.0,
    )  # fmt: skip


def _cleared(job: Job, target_id: str) -> tuple[Job, Finding, list[Clip]]:
    """Return the job without the target's clips and closed time, its finding, and the clips that were there."""
    finding = _finding_of(job, target_id)
    if finding.id not in job.findings:
        job = replace(job, next_number=job.next_number + 1)
        earlier = [job.clip(target_id)]
    else:
        earlier = [clip for clip in job.clips.values() if clip.finding_id == finding.id]
    gone = {clip.id for clip in earlier}
    kept = {key: clip for key, clip in job.clips.items() if key not in gone}
    joins = {k: j for k, j in job.joins.items() if not {j.left_clip_id, j.right_clip_id} & gone}
    cleared = replace(job, clips=kept, joins=joins)
    if finding.closed:
        cleared = with_time_in(cleared, finding.closed, but=frozenset((finding.id,)))
    return cleared, finding, earlier


def _kept(job: Job, finding: Finding, found: Sounds) -> Kept:
    """Return what is kept: spans with corrected edges in place, still in order and apart, and the sounds in them.

    A sound that a corrected edge of its neighbour covers to the end is part of that neighbour, and so is what is left of
    one that it covers to less than the shortest sound asked. Where a corrected edge and a found one are in each other's
    way the corrected one stays.
    """
    own = owners(finding.corrections, found.sounds, job.source(finding.source_id).rate_hz)
    least = _shortest_frames(job, finding)
    kept: list[_KeptSpan] = []
    for span, sound in zip(found.spans, found.sounds, strict=True):
        head, tail = (_edge_of(own.get((side, sound))) for side in _SIDES)
        one = _KeptSpan(
            max(span[0] if head is None else head, finding.head_frame),
            min(span[1] if tail is None else tail, finding.tail_frame),
            sound,
            (head is not None, tail is not None),
        )
        while kept and kept[-1].tail > one.head:
            before = kept.pop()
            if not one.held[0] or before.held[1]:
                kept.append(before)
                one = replace(one, head=before.tail)
            elif one.head - max(before.head, before.sound[0]) >= least:
                kept.append(replace(before, tail=one.head))
        if one.tail - one.head >= min(1 if all(one.held) else least, span[1] - span[0]):
            kept.append(one)
    if not kept:
        raise InvalidInput("the edges that were set by hand leave nothing of what is found; undo them, or keep more")
    return Kept(
        tuple((one.head, one.tail) for one in kept), tuple(one.sound for one in kept), found.dropped,
        tuple(one.held for one in kept),
    )  # fmt: skip


def _edge_of(correction: Correction | None) -> int | None:
    return None if correction is None else correction.edge_frame


@dataclass(frozen=True, slots=True)
class _KeptSpan:
    head: int
    tail: int
    sound: Span
    held: tuple[bool, bool]


def _shortest_frames(job: Job, finding: Finding) -> int:
    """Return the shortest clip that a recipe makes, in source frames."""
    shortest_ms = finding.recipe.shortest_sound_ms if isinstance(finding.recipe, Recipe) else 0.0
    return max(ms_to_frames(shortest_ms, job.source(finding.source_id).rate_hz), 1)


def _placed(
    job: Job,
    finding: Finding,
    layout: Layout,
    earlier: list[Clip],
    fade_for: FadeFor,
    tone: SourceUse | None,
) -> Edited:
    """Turn pieces into clips with fades and joins, and put everything on the lane."""
    if finding.closed:
        job = with_time_out(job, before_closing(finding.closed))
    notes: tuple[str, ...] = ()
    if layout.untoned:
        pauses = "1 pause is" if layout.untoned == 1 else f"{layout.untoned} pauses are"
        notes = (f"{pauses} shorter than asked: there is no clean quiet to make room tone from",)
    number = job.next_number
    file_name = next((clip.file_name for clip in earlier if clip.file_name), "")
    recognised = _Recognised(earlier)
    again = [recognised.take(piece.sound) for piece in layout.pieces]
    named = [(piece.sound is not None, known) for piece, known in zip(layout.pieces, again, strict=True)]
    rate_hz = job.source(finding.source_id).rate_hz
    own = owners(finding.corrections, [piece.sound for piece in layout.pieces if piece.sound], rate_hz)
    alone = isinstance(finding.recipe, Recipe) and finding.recipe.reach == "programme"
    labels = _labels(finding.name, named, alone=alone)
    clips: list[Clip] = []
    for at, (piece, known, label) in enumerate(zip(layout.pieces, again, labels, strict=True)):
        clip = Clip(
            id=known.id if known else f"c{number}",
            lane_id=finding.lane_id,
            source_id=piece.source_id,
            name=label,
            head_frame=piece.head,
            tail_frame=piece.tail,
            origin_frame=piece.origin,
            gain_db=known.gain_db if known else piece.gain_db,
            finding_id=finding.id,
            sound_start_frame=piece.sound[0] if piece.sound else None,
            sound_end_frame=piece.sound[1] if piece.sound else None,
            strike=known.strike if known else None,
            set_id=known.set_id if known else None,
            file_name=known.file_name if known else file_name,
        )
        number += known is None
        crossed = (at in layout.crossed, at + 1 in layout.crossed)
        clips.append(_faded(clip, finding, own, crossed, fade_for))
    clips = _with_earlier_outer_fades(clips, earlier)
    sources = {**job.sources, tone.id: tone} if tone is not None else job.sources
    rates = {source.id: source.rate_hz for source in sources.values()}
    joins, number = _joins(job, finding, clips, layout.crossed, number, rates)
    placed = {**job.clips, **{clip.id: clip for clip in clips}}
    return Edited(
        replace(
            job,
            next_number=number,
            sources=sources,
            clips=placed,
            joins={**job.joins, **joins},
            findings={**job.findings, finding.id: finding},
        ),
        (*notes, *_fade_notes(clips, finding)),
    )


def _labels(name: str, pieces: Sequence[tuple[bool, Clip | None]], *, alone: bool) -> list[str]:
    """Return the names of pieces, each of which speaks or not, and may be known: that keeps its name, and none is twice.

    A sound that is new has its number in the row, unless it is ``alone``; where that is taken, the next that is free behind
    the last.
    """
    taken = {known.name for _, known in pieces if known}
    sounds = sum(speaks for speaks, _ in pieces)
    spare = (f"{name} {n}" for n in count(sounds + 1))
    labels, number = [], 0
    for speaks, known in pieces:
        number += speaks
        label = (
            known.name if known else name if speaks and alone else f"{name} {number}" if speaks else f"{name}, quiet"
        )
        if known is None and speaks and label in taken:
            label = next(one for one in spare if one not in taken)
        labels.append(label)
    return labels


def _with_earlier_outer_fades(clips: list[Clip], earlier: list[Clip]) -> list[Clip]:
    """Return the clips with a fade of one's own on an outer edge that stays where it was."""
    ins = {old.head_frame: old.fade_in for old in earlier if old.fade_in and old.fade_in.origin == "own"}
    outs = {old.tail_frame: old.fade_out for old in earlier if old.fade_out and old.fade_out.origin == "own"}

    def with_own(clip: Clip) -> Clip:
        if own := ins.get(clip.head_frame):
            clip = replace(clip, fade_in=_fitting(own, clip))
        if own := outs.get(clip.tail_frame):
            clip = replace(clip, fade_out=_fitting(own, clip))
        return clip

    return [with_own(clip) for clip in clips] if ins or outs else clips


def _fitting(fade: Fade, clip: Clip) -> Fade:
    return replace(fade, length_frames=max(min(fade.length_frames, clip.frames // 2), 1))


class _Recognised:
    """The clips of an earlier finding, handed out to the sounds that are found again."""

    def __init__(self, earlier: list[Clip]):
        spoken = [(*sound, at, clip) for at, clip in enumerate(earlier) if (sound := clip.sound_span) is not None]
        self._known = sorted(spoken, key=lambda known: known[:3])
        self._starts = [start for start, *_ in self._known]
        self._ends_so_far = list(accumulate((end for _, end, *_ in self._known), max))
        self._given: set[str] = set()

    def take(self, sound: Span | None) -> Clip | None:
        """Return the earlier clip that shares most with a sound, once; of several the one that came first."""
        if sound is None:
            return None
        near = self._known[bisect_right(self._ends_so_far, sound[0]) : bisect_left(self._starts, sound[1])]
        left = [
            (min(end, sound[1]) - max(start, sound[0]), -at, clip)
            for start, end, at, clip in near
            if clip.id not in self._given
        ]
        shared, _, best = max(left, key=lambda known: known[:2], default=(0, 0, None))
        if best is None or shared <= 0:
            return None
        self._given.add(best.id)
        return best


def _faded(clip: Clip, finding: Finding, own: Owners, crossed: tuple[bool, bool], fade_for: FadeFor) -> Clip:
    """Return a clip with a fade on each edge that is no join: the hand's own, else an automatic one."""
    if finding.treatment.kind == "split":
        return clip
    sound = (clip.sound_start_frame, clip.sound_end_frame)
    fade_in = None if crossed[0] else _fade(clip, finding, own, "head", clip.head_frame, sound[0], fade_for)
    fade_out = None if crossed[1] else _fade(clip, finding, own, "tail", clip.tail_frame, sound[1], fade_for)
    if fade_in and fade_out and fade_in.length_frames + fade_out.length_frames > clip.frames:
        half = clip.frames // 2
        fade_in = replace(fade_in, length_frames=min(fade_in.length_frames, half)) if half else None
        fade_out = replace(fade_out, length_frames=min(fade_out.length_frames, half)) if half else None
    return replace(clip, fade_in=fade_in, fade_out=fade_out)


def _fade(
    clip: Clip, finding: Finding, own: Owners, side: Side, edge: int, sound_edge: int | None, fade_for: FadeFor
) -> Fade | None:
    if clip.sound_start_frame is not None and clip.sound_end_frame is not None:
        corrected = own.get((side, (clip.sound_start_frame, clip.sound_end_frame)))
        if corrected is not None and corrected.fade is not None:
            return replace(corrected.fade, length_frames=min(corrected.fade.length_frames, clip.frames))
        if corrected is not None and corrected.fade_removed:
            return None
    if sound_edge is None and edge in (finding.head_frame, finding.tail_frame):
        return None  # not a new edge: it was the recording's own
    inner = sound_edge if sound_edge is not None else (clip.tail_frame if side == "head" else clip.head_frame)
    length = min(fade_for(side, edge, inner), clip.frames)
    return Fade(length, finding.recipe.fade_shape) if length > 0 else None


def _joins(
    job: Job, finding: Finding, clips: list[Clip], crossed: set[int], number: int, rates: Mapping[str, int]
) -> tuple[dict[str, Join], int]:
    asked = round(finding.recipe.fade_ms * job.rate_hz / 1000.0)
    joins: dict[str, Join] = {}
    for at in sorted(crossed):
        left, right = clips[at - 1], clips[at]
        length = min(asked, *(clip.frames * job.rate_hz // rates[clip.source_id] for clip in (left, right)))
        if not length:
            continue
        continues = left.source_id == right.source_id and left.origin_frame == right.origin_frame
        join = Join(f"j{number}", left.id, right.id, length, "equal_gain" if continues else "equal_power")
        joins[join.id] = join
        number += 1
    return joins, number


def _fade_notes(clips: list[Clip], finding: Finding) -> tuple[str, ...]:
    """Say how many automatic fades are shorter than asked because the sound is near."""
    sides = [(clip.fade_in, clip.sound_start_frame, clip.head_frame, -1) for clip in clips] + [
        (clip.fade_out, clip.sound_end_frame, clip.tail_frame, +1) for clip in clips
    ]
    short = 0
    for fade, sound_edge, edge, direction in sides:
        if sound_edge is None or (fade is not None and fade.origin == "own"):
            continue
        room = (edge - sound_edge) * direction
        short += fade is not None and fade.length_frames == room
    return (f"{short} {'fade is' if short == 1 else 'fades are'} shorter, to stay clear of the sound",) if short else ()
