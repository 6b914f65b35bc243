"""From a job to the plan of its show: for each cue what sounds, how it loops, what a fade does, what happens at which moment.

A *body* is the clip of a cue by itself, at the show's rate, with its gain, fades and level line, as the renderer gives it. Voices
read it, delayed and at their own levels; what depends on the moment of GO (fades of what runs, passes of loops) is left to
the run, and is simple enough to be played without a server.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from wemble.core.edit.cues import SHORTEST_LOOP_MS, events_of, in_running_order, loop_of
from wemble.core.edit.model import EVERYTHING, Clip, Cue, CueKind, CueStart, CueVoice, Job, Mark
from wemble.core.edit.placement import end_of, placed, start_of, to_source_frames
from wemble.core.render import RenderPlan
from wemble.core.render.plan import fold
from wemble.core.shape.crossfade import correlation, crossfade_gains
from wemble.core.shape.curves import Shape, curve
from wemble.core.shape.points import through
from wemble.core.signal.levels import from_db, ms_to_frames
from wemble.core.signal.reader import SampleReader
from wemble.errors import InvalidInput

CURVE_STEPS = 1024
PLAIN = "s 0"
"""The curve of what is faded by hand: stop everything, fade this one, pause."""
UNHEARD_DB = -60.0
"""What lies under it counts as not heard (common practice)."""
PASSED_DB = (-40.0, -20.0)
"""A fade says when it passes these: up from nothing it should be heard at once (common practice)."""
_MOST_REPEATS = 64
_LINE_STEP_MS, _MOST_LINE_STEPS = 10.0, 1 << 13


@dataclass(frozen=True, slots=True)
class RunSettings:
    """How a show is run, in seconds: how long "stop everything" and "fade this one" take, within what GO counts once."""

    stop_s: float = 1.0
    fade_s: float = 3.0
    once_s: float = 0.5

    def __post_init__(self) -> None:
        if not (0.0 <= self.stop_s <= 60.0 and 0.0 <= self.fade_s <= 600.0 and 0.0 <= self.once_s <= 10.0):
            raise InvalidInput(
                "stopping takes up to 60 s, fading this one up to 600 s, and GO counts once within up to 10 s"
            )


@dataclass(frozen=True, slots=True)
class PlannedBody:
    """What voices read: ``frames`` frames of a clip, after ``lead`` that lie before its head; named by all it depends on.

    It is ``lined`` if it has the clip's level line in it; that of a looped cue goes on from pass to pass instead.
    """

    key: str
    cue: int
    source_id: str
    lead: int
    frames: int
    lined: bool = True


@dataclass(frozen=True, slots=True)
class PlannedVoice:
    """A body, read ``delay`` frames late at a gain for each channel."""

    body: int
    delay: int
    gains: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class PlannedLoop:
    """A section ``[start, end)`` of a body that is passed ``passes`` times, 0 until let go.

    ``goes`` and ``comes`` are the gains of the crossfade over its last frames, with what lies before its start.
    """

    start: int
    end: int
    passes: int
    goes: tuple[float, ...] = ()
    comes: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class PlannedEvent:
    """What happens at a frame of a body."""

    id: str
    frame: int
    name: str
    does: str


@dataclass(frozen=True, slots=True)
class Passed:
    """A level, and the frame of a fade at which its gain passes it."""

    level_db: float
    frame: int


@dataclass(frozen=True, slots=True)
class PlannedCue:
    """A cue as the run needs it; frames at the show's rate. A cue with a ``problem`` does nothing.

    ``line`` are the gains of a looped cue's level line, ``line_step`` frames apart from its start on: in between it is read
    in straight lines, and behind the last it stays. ``before`` is the gain that a fade starts from as far as the running
    order tells, and ``passed`` what it passes then: the run itself fades from where its target is.
    """

    id: str
    number: str
    name: str
    kind: CueKind
    start: CueStart
    wait: int
    group: str
    page: str
    note: str
    problem: str = ""
    frames: int = 0
    line: tuple[float, ...] = ()
    line_step: int = 1
    silent: bool = False
    voices: tuple[PlannedVoice, ...] = ()
    loop: PlannedLoop | None = None
    events: tuple[PlannedEvent, ...] = ()
    target: int | None = None
    everything: bool = False
    gain: float = 0.0
    length: int = 0
    curve: str = ""
    stops: bool = False
    before: float = 1.0
    passed: tuple[Passed, ...] = ()

    @property
    def own_delay(self) -> int:
        """How much late the sound of the cue itself is, in frames."""
        return self.voices[0].delay if self.voices else 0

    @property
    def longest_delay(self) -> int:
        """How much later than the first its last voice is, in frames."""
        return max((voice.delay for voice in self.voices), default=0)


@dataclass(frozen=True, slots=True)
class ShowPlan:
    """A show: its cues in order, the bodies that they read, the curves that fades follow, and how it is run, in frames."""

    rate_hz: int
    channels: int
    cues: tuple[PlannedCue, ...]
    bodies: tuple[PlannedBody, ...]
    curves: Mapping[str, tuple[float, ...]]
    stop_frames: int
    fade_frames: int
    once_frames: int
    pause_frames: int
    block_frames: int
    shortest_loop: int


def compile_show(
    job: Job, reader: SampleReader, settings: RunSettings | None = None, missing: frozenset[str] = frozenset()
) -> ShowPlan:
    """Compile the running order of a job. Reads a few frames at the seams of loops.

    Cues of recordings that are ``missing`` cannot run, and say so.
    """
    settings = settings or RunSettings()
    order = in_running_order(job)
    places = {cue.id: n for n, cue in enumerate(order)}
    bodies: list[PlannedBody] = []
    curves: dict[str, tuple[float, ...]] = {PLAIN: curve_table("s", 0.0)}
    cues = []
    reached: dict[str, float] = {}  # the gain of each target, as the order is gone down
    for n, cue in enumerate(order):
        planned = PlannedCue(
            cue.id, cue.number, cue.name, cue.kind, cue.start, cue.wait_frames, cue.group, cue.page, cue.note,
            problem_of(job, cue, missing),
        )  # fmt: skip
        if cue.kind == "sound" and not planned.problem:
            planned = _sound(job, cue, n, planned, bodies, reader)
            reached[cue.id] = 0.0 if cue.silent else 1.0
        elif cue.kind in ("fade", "stop") and not planned.problem:
            key = f"{cue.shape} {cue.bend:g}"
            table = curves.setdefault(key, curve_table(cue.shape, cue.bend))
            before = reached.get(cue.target_id, 1.0)
            after = 0.0 if cue.kind == "stop" or cue.level_db is None else float(from_db(cue.level_db))
            reached[cue.target_id] = after
            planned = replace(
                planned,
                target=places.get(cue.target_id),
                everything=cue.target_id == EVERYTHING,
                gain=after,
                length=cue.length_frames,
                curve=key,
                stops=cue.kind == "stop" or cue.stops,
                before=before,
                passed=passed_by(before, after, table, cue.length_frames),
            )
        cues.append(planned)
    rate = job.rate_hz or 48_000
    return ShowPlan(
        rate, job.channels or 2, tuple(cues), tuple(bodies), curves, round(settings.stop_s * rate),
        round(settings.fade_s * rate), round(settings.once_s * rate), round(0.02 * rate), rate,
        ms_to_frames(SHORTEST_LOOP_MS, rate),
    )  # fmt: skip


def problem_of(job: Job, cue: Cue, missing: frozenset[str] = frozenset()) -> str:
    """Say why a cue cannot run, and what would help; nothing if it can."""
    if cue.kind == "sound":
        if cue.clip_id is None:
            return "it has no sound: put a recording under it"
        clip = job.clip(cue.clip_id)
        if clip.source_id in missing:
            name = job.source(clip.source_id).name
            return f"its recording “{name}” is missing from the data folder, or was changed: put another under it"
        if any(voice.shifted_source_id in missing for voice in cue.voices):
            return "its shifted pitch is missing from the data folder: shift it again"
        stale = [
            v for v in cue.voices
            if v.shifted_source_id is not None and job.source(v.shifted_source_id).derived_from != clip.source_id
        ]  # fmt: skip
        return "its shifted pitch is that of another recording: shift it again" if stale else ""
    if cue.kind == "fade" and cue.target_id == "":
        return "it acts on nothing: choose what it fades"
    if cue.kind == "stop" and cue.target_id == "":
        return "it acts on nothing: choose what it stops"
    return ""


def curve_table(shape: Shape, bend: float) -> tuple[float, ...]:
    """Return a fade's curve at `CURVE_STEPS` + 1 even places from 0 to 1: from exactly 0 to exactly 1, so nothing steps.

    Between them it is read in a straight line (`wemble.core.show.run.along`).
    """
    values = curve(np.linspace(0.0, 1.0, CURVE_STEPS + 1), shape, bend)
    values = (values - values[0]) / (values[-1] - values[0])
    return tuple(float(one) for one in values)


def passed_by(before: float, after: float, table: Sequence[float], length: int) -> tuple[Passed, ...]:
    """Return which of `PASSED_DB` a fade of so many frames passes between two gains, in the order in which it does."""
    low, high, parts = min(before, after), max(before, after), np.linspace(0.0, 1.0, len(table))
    found = []
    for level_db in PASSED_DB:
        level = from_db(level_db)
        if low < level < high:
            part = float(np.interp((level - low) / (high - low), table, parts))
            found.append(Passed(level_db, round(length * (part if after > before else 1.0 - part))))
    return tuple(sorted(found, key=lambda one: one.frame))


def body_renderer(job: Job, cue: Cue, body: PlannedBody) -> RenderPlan:
    """Return what renders a body: its frame 0 is ``lead`` frames before the clip's head, which are at the clip's own gain."""
    clip = job.clip(cue.clip_id or "")
    clip = clip if body.lined else replace(clip, line=())
    own = replace(clip, source_id=body.source_id, origin_frame=clip.origin_frame - start_of(job, clip) + body.lead)
    clips = {own.id: own}
    if body.lead:
        source = job.source(body.source_id)
        back = to_source_frames(body.lead, source_rate_hz=source.rate_hz, job_rate_hz=job.rate_hz) + 1
        before = replace(
            own,
            id="before",
            head_frame=max(own.head_frame - back, 0),
            tail_frame=own.head_frame,
            fade_in=None,
            fade_out=None,
        )
        clips |= {"before": before} if before.frames > 0 else {}
    lane = replace(job.lane(clip.lane_id), muted=False, solo=False)
    return RenderPlan(replace(job, clips=clips, joins={}, marks={}, cues={}, lanes={lane.id: lane}))


def _sound(
    job: Job, cue: Cue, n: int, planned: PlannedCue, bodies: list[PlannedBody], reader: SampleReader
) -> PlannedCue:
    clip = job.clip(cue.clip_id or "")
    begins, frames = start_of(job, clip), end_of(job, clip) - start_of(job, clip)
    loop, lead = _loop(job, clip, cue, loop_of(job, clip.id), frames, reader)
    voices = []
    for voice in cue.voices:
        source_id = voice.shifted_source_id or clip.source_id
        found = [k for k, body in enumerate(bodies) if body.cue == n and body.source_id == source_id]
        if not found:
            lined = loop is None
            key = _key(job, clip if lined else replace(clip, line=()), source_id, lead)
            bodies.append(PlannedBody(key, n, source_id, lead, frames, lined))
            found = [len(bodies) - 1]
        voices += _voices(voice, found[0], job.channels)
    events = tuple(
        PlannedEvent(mark.id, placed(job, clip, mark.frame) - begins, mark.name, mark.does)
        for mark in events_of(job, cue)
        if clip.head_frame <= mark.frame <= clip.tail_frame
    )
    line, step = _line(job, clip) if loop is not None else ((), 1)
    return replace(
        planned,
        frames=frames,
        silent=cue.silent,
        voices=tuple(voices),
        loop=loop,
        events=events,
        line=line,
        line_step=step,
    )


def _line(job: Job, clip: Clip) -> tuple[tuple[float, ...], int]:
    """Return the gains of a clip's level line from its head on, and how many frames they are apart; none without a line."""
    if not clip.line:
        return (), 1
    begins = start_of(job, clip)
    points = [(float(placed(job, clip, frame) - begins), level_db) for frame, level_db in clip.line]
    step = max(ms_to_frames(_LINE_STEP_MS, job.rate_hz), int(points[-1][0]) // _MOST_LINE_STEPS, 1)
    at = np.arange(0.0, max(points[-1][0], 0.0) + 2 * step, step)
    return tuple(float(one) for one in np.power(10.0, through(points, at) / 20.0)), step


def _voices(voice: CueVoice, body: int, channels: int) -> list[PlannedVoice]:
    """Return a voice and the repeats of its echo, down to where they are not heard any more."""
    sides = (voice.left_db, voice.right_db)
    gains = tuple(float(from_db(sides[channel] if channel < 2 else voice.left_db)) for channel in range(channels))
    out = [PlannedVoice(body, voice.delay_frames, gains)]
    if voice.echo is not None:
        level = float(from_db(voice.echo.level_db))
        for k in range(1, _MOST_REPEATS + 1):
            if level <= from_db(UNHEARD_DB):
                break
            delay = voice.delay_frames + k * voice.echo.every_frames
            out.append(PlannedVoice(body, delay, tuple(gain * level for gain in gains)))
            level *= voice.echo.feedback
    return out


def _loop(
    job: Job, clip: Clip, cue: Cue, mark: Mark | None, frames: int, reader: SampleReader
) -> tuple[PlannedLoop | None, int]:
    """Return the loop of a clip inside its body, and how many frames before the body its crossfade reads."""
    if mark is None or mark.end_frame is None:
        return None, 0
    begins = start_of(job, clip)
    start, end = (placed(job, clip, frame) - begins for frame in (mark.frame, mark.end_frame))
    start, end = max(start, 0), min(end, frames)
    if end - start < ms_to_frames(SHORTEST_LOOP_MS, job.rate_hz):
        return None, 0
    crossed = placed(job, clip, mark.end_frame) - placed(job, clip, mark.end_frame - mark.crossfade_frames)
    crossed = min(crossed, (end - start) // 2, begins + start - placed(job, clip, 0))
    if crossed <= 0:
        return PlannedLoop(start, end, cue.passes), 0

    def read(at: int) -> np.ndarray[tuple[int, ...], np.dtype[np.float32]]:
        first = begins + at - crossed - clip.origin_frame
        return fold(reader.read(clip.source_id, job.rate_hz, first, crossed), job.channels)

    goes, comes = crossfade_gains(crossed, "matched", correlation=correlation(read(end), read(start)))
    tables = tuple(map(float, goes)), tuple(map(float, comes))
    return PlannedLoop(start, end, cue.passes, *tables), max(crossed - start, 0)


def _key(job: Job, clip: Clip, source_id: str, lead: int) -> str:
    lane = job.lane(clip.lane_id)
    own = (
        source_id, job.rate_hz, job.channels, lead, clip.head_frame, clip.tail_frame, clip.origin_frame - start_of(job, clip),
        clip.gain_db, clip.line, lane.gain_db, lane.pan,
        [replace(fade, origin="own") if fade else None for fade in (clip.fade_in, clip.fade_out)],
    )  # fmt: skip
    return hashlib.sha256(repr(own).encode()).hexdigest()[:24]
