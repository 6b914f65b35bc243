"""The job: sources, lanes, clips, joins, marks, findings, cues.

Positions inside a source are frames at the source's own rate; positions on a lane are frames at the job's rate.
Spans are half-open. Everything is frozen; an edit makes a new job that shares what did not change.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal
from unicodedata import category

from wemble.core.briefs import Brief
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe, Recipe, Treatment
from wemble.core.kit.strikes import Strike
from wemble.core.shape.crossfade import Law
from wemble.core.shape.curves import Shape
from wemble.core.shape.points import Point
from wemble.errors import InvalidInput, NotFound

Side = Literal["head", "tail"]
FadeOrigin = Literal["auto", "own"]
Decision = Literal["accepted", "sent_back"]
LaneRole = Literal["", "opening", "closing", "mix"]
MarkKind = Literal["start", "end", "section", "loop", "track", "track_end", "air", "event"]
AirPoint = Literal["", "begins", "singing", "hook", "overlap", "next", "ends"]
CueKind = Literal["sound", "fade", "stop", "note"]
CueStart = Literal["go", "with", "after_start", "after_end", "after_echo"]
"""``after_end`` is after the sound of the cue above itself, ``after_echo`` after its copies and echoes too."""
EVERYTHING = "all"
"""The target of a fade or a stop that acts on all that sounds."""
FARTHEST_FRAME = 1 << 45
"""No place lies further from the start: more than five years at 192 kHz."""


@dataclass(frozen=True, slots=True)
class Fade:
    """A fade on one edge: a length in source frames and a curve; automatic (auto) or set by hand (own).

    ``points``, (part of the fade counted from its outer end, gain), draw it in the place of the shape.
    """

    length_frames: int
    shape: Shape = "s"
    bend: float = 0.0
    origin: FadeOrigin = "auto"
    points: tuple[Point, ...] = ()


@dataclass(frozen=True, slots=True)
class Review:
    """What was decided about an edge on a walk, and the edge as it was then."""

    decision: Decision
    frame: int
    fade: Fade | None = None
    crossfade_frames: int = 0


@dataclass(frozen=True, slots=True)
class SourceUse:
    """A source as this job knows it. ``derived_from`` is set for what Wemble made, such as room tone."""

    id: str
    name: str
    rate_hz: int
    channels: int
    frames: int
    derived_from: str | None = None


@dataclass(frozen=True, slots=True)
class Lane:
    """A row of clips. ``pan`` −1…+1 turns the other side down, 0 leaves both at 0 dB; a mono job knows no pan.

    Where a lane plays ``solo``, only such lanes sound; else all that are not ``muted``. What lies on a lane with a ``role``
    is no part of the talk itself: it was put in front or behind, or is a mix of it.
    """

    id: str
    name: str
    position: int
    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    solo: bool = False
    role: LaneRole = ""


@dataclass(frozen=True, slots=True)
class Clip:
    """A span of a source placed on a lane.

    ``origin_frame`` is the job frame at which frame 0 of the source lies; it may be negative. ``sound_start_frame``
    and ``sound_end_frame`` say where a finding detected the sound, without rooms; none if nothing was looked for,
    or if the clip is a piece of quiet; ``starts_within`` and ``ends_within`` are the source frames between which they lie
    with nine in ten, where that is known. ``sync_frame`` is the source frame that is lined up with a bar.
    ``line`` is a level over the clip: (source frame, dB), a curve through the points, flat beyond them.

    A hit has what its file's name says of it (``strike``), the mic set that it belongs to, and how sure its onset and its
    end are (``confidence`` and ``end_confidence`` 0…1, with the reasons). ``file_name`` is that of the file as which it was
    imported: files with the same bytes are one source under several names.
    """

    id: str
    lane_id: str
    source_id: str
    name: str
    head_frame: int
    tail_frame: int
    origin_frame: int
    gain_db: float = 0.0
    fade_in: Fade | None = None
    fade_out: Fade | None = None
    finding_id: str | None = None
    sound_start_frame: int | None = None
    sound_end_frame: int | None = None
    sync_frame: int | None = None
    line: tuple[tuple[int, float], ...] = ()
    head_review: Review | None = None
    tail_review: Review | None = None
    strike: Strike | None = None
    set_id: str | None = None
    confidence: float | None = None
    reason: str = ""
    file_name: str = ""
    end_confidence: float | None = None
    end_reason: str = ""
    starts_within: tuple[int, int] | None = None
    ends_within: tuple[int, int] | None = None

    @property
    def frames(self) -> int:
        """Length in source frames."""
        return self.tail_frame - self.head_frame

    @property
    def doubtful(self) -> bool:
        """Whether somebody should look at a hit's start or end; a clip that was not found as a hit was never sure."""
        return min(self.confidence or 0.0, 1.0 if self.end_confidence is None else self.end_confidence) < DOUBTFUL

    def beyond_doubt(self, side: Side) -> Clip:
        """Return the clip with an edge that a hand put where it is: nothing is doubtful about it any more."""
        if self.confidence is None:
            return self
        if side == "head":
            return replace(self, confidence=1.0, reason="")
        return replace(self, end_confidence=1.0, end_reason="")

    @property
    def sound(self) -> tuple[int, int]:
        """The source frames that its sound takes up, as far as they are shown; all of it where nobody looked."""
        if self.sound_start_frame is None or self.sound_end_frame is None:
            return self.head_frame, self.tail_frame
        start = min(max(self.sound_start_frame, self.head_frame), self.tail_frame)
        return start, max(min(self.sound_end_frame, self.tail_frame), start)

    @property
    def sound_span(self) -> tuple[int, int] | None:
        """The source frames of the sound that was found for it; none if none was."""
        if self.sound_start_frame is None or self.sound_end_frame is None:
            return None
        return self.sound_start_frame, self.sound_end_frame

    @property
    def speaks(self) -> bool:
        """Whether there is a sound in it, as far as anybody looked: quiet pieces of a finding do not speak."""
        return self.finding_id is None or self.sound_start_frame is not None


@dataclass(frozen=True, slots=True)
class Join:
    """A crossfade between two clips that abut, in job frames. ``lead_frames`` of it lie before the cut; none: half.

    The halves of a turned loop may be joined without one: in 0 frames.
    """

    id: str
    left_clip_id: str
    right_clip_id: str
    length_frames: int
    law: Law
    lead_frames: int | None = None
    bend: float = 0.0

    @property
    def lead(self) -> int:
        """How many of its frames lie before the cut."""
        return self.length_frames // 2 if self.lead_frames is None else self.lead_frames


@dataclass(frozen=True, slots=True)
class Mark:
    """A named point. Tied to a clip, ``frame`` counts in the clip's source and so stays on its sound; else in the job.

    A ``loop`` and a hook have an end as well, which counts as their start does. A job has at most one ``start`` and one ``end``:
    they bound the programme. A ``track`` begins at its mark, which has its title, and ends at the ``track_end`` before the
    next; without one it runs on into the next, and both share the boundary. An ``air`` mark is an on-air point of its clip, an
    ``event`` something that happens at that moment of a cue.
    """

    id: str
    kind: MarkKind
    name: str
    frame: int
    clip_id: str | None = None
    end_frame: int | None = None
    crossfade_frames: int = 0
    """Of a loop tied to a clip: how much before its end is crossed with what lies before its start, in source frames."""
    link: str = ""
    """Of a section that becomes a chapter: where more of it is to be found."""
    picture: str = ""
    """Of a section that becomes a chapter: the name of a picture that was given (`Home.pictures`)."""
    performer: str = ""
    isrc: str = ""
    """Of a track, 12 characters without hyphens."""
    point: AirPoint = ""
    """Of an on-air point: which it is."""
    by_hand: bool = True
    """Of an on-air point: whether a hand set it; a proposal gives way to another."""
    does: str = ""
    """Of an event: what is sent to the light desk."""


@dataclass(frozen=True, slots=True)
class Echo:
    """Repeats of a voice, ``every_frames`` job frames apart: the first at ``level_db``, each ``feedback`` times the last."""

    every_frames: int
    feedback: float
    level_db: float


@dataclass(frozen=True, slots=True)
class CueVoice:
    """The sound of a cue, or the same sound again: delayed by job frames, at another level, another pitch, with an echo.

    A mono show has the left level alone. ``shifted_source_id`` is the recording whose pitch was shifted by ``semitones``.
    """

    delay_frames: int = 0
    left_db: float = 0.0
    right_db: float = 0.0
    linked: bool = True
    semitones: float = 0.0
    shifted_source_id: str | None = None
    echo: Echo | None = None


@dataclass(frozen=True, slots=True)
class Cue:
    """A step of a show, at a place in the running order; its ``number`` is a decimal that survives moves.

    It starts on GO, or with, or ``wait_frames`` job frames after the start or the end of the one above it. A sound plays its
    clip, a loop that is tied to the clip ``passes`` times (0: until let go), in one or more voices; one that starts
    ``silent`` waits to be faded up. A fade brings ``target_id`` (a cue, or `EVERYTHING`) to ``level_db``, none for nothing,
    over ``length_frames`` along a curve, and ``stops`` it then if asked; a stop fades to nothing and stops.
    """

    id: str
    number: str
    position: int
    kind: CueKind
    name: str
    start: CueStart = "go"
    wait_frames: int = 0
    clip_id: str | None = None
    passes: int = 1
    silent: bool = False
    voices: tuple[CueVoice, ...] = (CueVoice(),)
    target_id: str = ""
    level_db: float | None = None
    length_frames: int = 0
    shape: Shape = "s"
    bend: float = 0.0
    stops: bool = False
    group: str = ""
    page: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class Grid:
    """Musical time: one tempo, as a fraction of beats a minute, one meter, and the job frame of bar 1 beat 1."""

    bpm_numerator: int
    bpm_denominator: int = 1
    beats_a_bar: int = 4
    first_frame: int = 0


@dataclass(frozen=True, slots=True)
class Correction:
    """What a hand changed on one edge of a found sound: the place of the edge, its fade, or both."""

    side: Side
    sound_start_frame: int
    sound_end_frame: int
    edge_frame: int | None = None
    fade: Fade | None = None
    fade_removed: bool = False


@dataclass(frozen=True, slots=True)
class Finding:
    """What a recipe did to one span of a source, so that it can be done again with another number.

    ``closed`` lists where time was closed up: (job frame, frames taken out), in the time that resulted. ``removed_onsets``
    are the source frames at which hits of a take began that a hand removed: they stay out when it is searched again.
    """

    id: str
    lane_id: str
    source_id: str
    name: str
    head_frame: int
    tail_frame: int
    origin_frame: int
    recipe: Recipe | HitRecipe
    treatment: Treatment
    floor_db: float
    threshold_db: float
    closed: tuple[tuple[int, int], ...] = ()
    corrections: tuple[Correction, ...] = ()
    removed_onsets: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Job:
    """One piece of work. ``rate_hz`` 0 means that nothing has been imported yet.

    ``auto_fades`` says whether edges that Wemble makes get small fades by themselves.
    """

    name: str
    brief: Brief = "voiceover"
    rate_hz: int = 0
    channels: int = 0
    next_number: int = 1
    auto_fades: bool = True
    grid: Grid | None = None
    sources: Mapping[str, SourceUse] = field(default_factory=dict)
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    clips: Mapping[str, Clip] = field(default_factory=dict)
    joins: Mapping[str, Join] = field(default_factory=dict)
    marks: Mapping[str, Mark] = field(default_factory=dict)
    findings: Mapping[str, Finding] = field(default_factory=dict)
    cues: Mapping[str, Cue] = field(default_factory=dict)

    def is_recorded(self, clip: Clip) -> bool:
        """Whether a clip shows a recording that came in: nothing that Wemble made, no opening, no closing, no mix."""
        return self.source(clip.source_id).derived_from is None and not self.lane(clip.lane_id).role

    def clip(self, clip_id: str) -> Clip:
        """Return a clip. Raises `NotFound`."""
        try:
            return self.clips[clip_id]
        except KeyError:
            raise NotFound(f"there is no clip {clip_id!r} in this job any more; show the newest state") from None

    def lane(self, lane_id: str) -> Lane:
        """Return a lane. Raises `NotFound`."""
        try:
            return self.lanes[lane_id]
        except KeyError:
            raise NotFound(f"there is no lane {lane_id!r} in this job any more") from None

    def mark(self, mark_id: str) -> Mark:
        """Return a mark. Raises `NotFound`."""
        try:
            return self.marks[mark_id]
        except KeyError:
            raise NotFound(f"there is no mark {mark_id!r} in this job any more") from None

    def cue(self, cue_id: str) -> Cue:
        """Return a cue. Raises `NotFound`."""
        try:
            return self.cues[cue_id]
        except KeyError:
            raise NotFound("this cue is no longer in the running order; show the newest state") from None

    def source(self, source_id: str) -> SourceUse:
        """Return a source. Raises `NotFound`."""
        try:
            return self.sources[source_id]
        except KeyError:
            raise NotFound(f"there is no source {source_id!r} in this job") from None

    def finding(self, finding_id: str) -> Finding:
        """Return a finding. Raises `NotFound`."""
        try:
            return self.findings[finding_id]
        except KeyError:
            raise NotFound(f"there is no finding {finding_id!r} in this job any more") from None


def check_name(name: str) -> str:
    """Return a name for a job, lane, clip, mark or recipe, trimmed, without control characters. Raises `InvalidInput`."""
    trimmed = " ".join("".join(" " if category(char) == "Cc" else char for char in name).split())
    if not 1 <= len(trimmed) <= 200:
        raise InvalidInput(f"a name must have 1 to 200 characters, this one has {len(trimmed)}")
    return trimmed


def set_clips(job: Job, *changed: Clip) -> Job:
    """Return the job with these clips put in the place of those of the same id."""
    return replace(job, clips={**job.clips, **{clip.id: clip for clip in changed}})
