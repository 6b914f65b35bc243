"""Edits of a whole conversation: what is said on all lanes counts, and time is taken out of all of them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

from wemble.core.edit.clips import Edited
from wemble.core.edit.following import with_time_in
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import audible_lanes, job_span, placed
from wemble.core.edit.spans import close_spans
from wemble.core.signal.levels import SILENCE_DB
from wemble.errors import InvalidInput

Span = tuple[int, int]

_ASIDE_S = 2.0
"""What lies behind a pause of this length, near an end, may be a count-in or chatter (our choice)."""
_LONGEST_COUNT_IN_S, _LONGEST_CHATTER_S = 20.0, 30.0
_MOST_PART = 0.15
_LEFT_BEHIND_S = 0.5
_LONGER = 1.25
"""A pause that sets apart is longer than those of the talk by so much (our choice)."""
_AS_LONG, _AS_LOUD_DB = 0.75, 6.0
"""A phrase of three quarters of the usual length, and at most 6 dB softer, may belong to the talk (our choice)."""


def said(job: Job) -> list[Span]:
    """Return where anybody speaks, in job frames, in order and apart; rooms do not count.

    Lanes that do not sound have no say, unless all that sounds is their mix.
    """
    heard = audible_lanes(job)
    speech = [clip for clip in job.clips.values() if clip.speaks and job.is_recorded(clip)]
    sounding = [clip for clip in speech if clip.lane_id in heard]
    spans = sorted(_sound_of(job, clip) for clip in sounding or speech)
    together: list[Span] = []
    for start, end in spans:
        if together and start <= together[-1][1]:
            together[-1] = (together[-1][0], max(together[-1][1], end))
        else:
            together.append((start, end))
    return together


def gaps_to_close(job: Job, longest_frames: int, part: float = 0.0) -> list[Span]:
    """Return what to take out of the gaps in the talk: (job frame, frames), in order.

    Gaps that are longer than ``longest_frames`` come down to that, and to ``part`` of what they had beyond; as much stays
    at either side.
    """
    out: list[Span] = []
    for (_, start), (end, _) in pairwise(said(job)):
        over = end - start - longest_frames
        taken = over - round(over * part)
        if taken > 0:
            out.append((start + (end - start - taken + 1) // 2, taken))
    return out


def close_gaps(job: Job, longest_frames: int, part: float = 0.0) -> Edited:
    """Close gaps in which nobody speaks, on all lanes: marks and what follows move along, and nothing that is said is cut.

    ``part`` 0…1 keeps so much of what a gap has beyond the longest: pauses are shortened in proportion.

    Raises
    ------
    InvalidInput
        If no gap is longer, or the part is none.
    """
    if not 0.0 <= part < 1.0 or longest_frames < 0:
        raise InvalidInput("what is kept of a gap must be 0 to 99 %, and its longest at least 0 s")
    gaps = gaps_to_close(job, longest_frames, part)
    if not gaps:
        raise InvalidInput(f"no gap in the talk is longer than {longest_frames / max(job.rate_hz, 1):.2f} s")
    return Edited(close_spans(job, [(at, at + frames) for at, frames in gaps]))


@dataclass(frozen=True, slots=True)
class Ends:
    """Where the talk itself begins and ends, in job frames; how many spans before and behind are no part of it.

    Where it is doubtful that they are none, they are counted in, and the doubt says so: ``maybe_start_frame`` and
    ``maybe_end_frame`` are where it would begin and end without them.
    """

    start_frame: int
    end_frame: int
    before: int
    behind: int
    maybe_start_frame: int
    maybe_end_frame: int
    start_doubt: str = ""
    end_doubt: str = ""


def proposed_ends(job: Job, loudness_db: Mapping[str, float] | None = None) -> Ends:
    """Propose where the talk begins and ends: behind a count-in, and before chatter, each set apart by its longest pause.

    A count-in and chatter are set apart by a longer pause than the talk has itself, and no phrase of them is as long and
    as loud as those of the talk; else it is doubtful, and nothing is left out. ``loudness_db`` is how loud each clip is,
    by its id. Raises `InvalidInput` if nothing is said.
    """
    spans = said(job)
    if not spans:
        raise InvalidInput("nothing has been found on these lanes yet; find what is said first")
    rate, whole = job.rate_hz, spans[-1][1] - spans[0][0]
    pauses = {at: right[0] - left[1] for at, (left, right) in enumerate(pairwise(spans), 1)}
    aside = [at for at, frames in pauses.items() if frames >= _ASIDE_S * rate]
    longest_before = min(_LONGEST_COUNT_IN_S * rate, _MOST_PART * whole)
    longest_behind = min(_LONGEST_CHATTER_S * rate, _MOST_PART * whole)
    first = max((at for at in aside if spans[at][0] - spans[0][0] <= longest_before), key=pauses.__getitem__, default=0)
    last = max(
        (at for at in aside if at > first and spans[-1][1] - spans[at][0] <= longest_behind),
        key=pauses.__getitem__,
        default=len(spans),
    )
    levels = _levels(job, spans, loudness_db or {})
    talk = range(first, last)

    def doubt(at: int, outside: range) -> str:
        if at in (0, len(spans)):
            return ""
        inside = max((pauses[n] for n in talk[1:]), default=0)
        if pauses[at] < _LONGER * inside:
            return f"the pause of {pauses[at] / rate:.1f} s is no longer than pauses of the talk, {inside / rate:.1f} s"
        usual = median(spans[n][1] - spans[n][0] for n in talk)
        usual_db = median(levels[n] for n in talk)
        if any(spans[n][1] - spans[n][0] >= _AS_LONG * usual and levels[n] >= usual_db - _AS_LOUD_DB for n in outside):
            return "what lies beyond the pause is as long and as loud as the talk"
        return ""

    start_doubt, end_doubt = doubt(first, range(first)), doubt(last, range(last, len(spans)))
    starts, ends = 0 if start_doubt else first, len(spans) if end_doubt else last
    return Ends(
        spans[starts][0], spans[ends - 1][1], starts, len(spans) - ends, spans[first][0], spans[last - 1][1],
        start_doubt, end_doubt,
    )  # fmt: skip


def _levels(job: Job, spans: Sequence[Span], loudness_db: Mapping[str, float]) -> list[float]:
    """Return how loud each span is: its loudest clip."""
    levels = [SILENCE_DB] * len(spans)
    starts = [start for start, _ in spans]
    for clip_id, level_db in loudness_db.items():
        at = bisect_right(starts, _sound_of(job, job.clip(clip_id))[0]) - 1
        if at >= 0:
            levels[at] = max(levels[at], level_db)
    return levels


def keep_talk(job: Job, start_frame: int, end_frame: int, lead_frames: int) -> Edited:
    """Cut all lanes to a talk, with a lead in front: its first word then begins after just so many frames.

    Half a second stays behind the last word, as far as nobody else speaks there. Raises `InvalidInput` if nothing is left.
    """
    if not start_frame < end_frame or lead_frames < 0:
        raise InvalidInput("the talk must start before it ends, and the lead cannot be less than nothing")
    nexts = [start for start, _ in said(job) if start >= end_frame]
    cut = min([end_frame + round(_LEFT_BEHIND_S * job.rate_hz), *nexts[:1]])
    if cut < job_span(job)[1]:
        job = close_spans(job, [(cut, job_span(job)[1])])
    if start_frame > lead_frames:
        job = close_spans(job, [(0, start_frame - lead_frames)])
    elif start_frame < lead_frames:
        job = with_time_in(job, [(0, lead_frames - start_frame)])
    if not job.clips:
        raise InvalidInput("nothing would be left; set the ends of the talk again")
    return Edited(job)


def _sound_of(job: Job, clip: Clip) -> Span:
    start, end = clip.sound
    return placed(job, clip, start), placed(job, clip, end)
