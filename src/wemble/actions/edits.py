"""The edits of a job, as requests: each is one kind, one label, one function of the core."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from wemble.actions.editing import Answer, edit
from wemble.actions.library import Library
from wemble.core.edit import arrange, clips, edges, grid, joins, kit, marks, walked
from wemble.core.edit.arrange import Close, LaneSettings
from wemble.core.edit.clips import Edited
from wemble.core.edit.edges import Hold
from wemble.core.edit.model import Fade, Grid, Job, Said, Side
from wemble.core.shape.crossfade import Law
from wemble.core.shape.curves import Shape
from wemble.core.shape.points import Point


@dataclass(frozen=True, slots=True)
class MoveEdge:
    """Move a head or a tail to a source frame."""

    kind: Literal["move_edge"]
    clip_id: str
    side: Side
    source_frame: int
    hold: Hold = "length"


@dataclass(frozen=True, slots=True)
class MoveEdges:
    """Move the same edge of several clips by job frames."""

    kind: Literal["move_edges"]
    clip_ids: tuple[str, ...]
    side: Side
    by_frames: int
    hold: Hold = "length"


@dataclass(frozen=True, slots=True)
class SetFade:
    """Put a fade of one's own on an edge of clips; 0 frames removes it."""

    kind: Literal["set_fade"]
    clip_ids: tuple[str, ...]
    side: Side
    length_frames: int
    shape: Shape
    bend: float = 0.0
    points: tuple[Point, ...] = ()


@dataclass(frozen=True, slots=True)
class FadeBetween:
    """Make a selection, in job frames, a fade of each clip whose edge it crosses."""

    kind: Literal["fade_between"]
    clip_ids: tuple[str, ...]
    start_frame: int
    end_frame: int
    shape: Shape
    bend: float = 0.0


@dataclass(frozen=True, slots=True)
class SetGain:
    """Set the gain of clips."""

    kind: Literal["set_gain"]
    clip_ids: tuple[str, ...]
    gain_db: float


@dataclass(frozen=True, slots=True)
class SetLine:
    """Draw a level line over a clip: (source frame, dB)."""

    kind: Literal["set_line"]
    clip_id: str
    line: tuple[tuple[int, float], ...]


@dataclass(frozen=True, slots=True)
class RenameClip:
    """Give a clip another name."""

    kind: Literal["rename_clip"]
    clip_id: str
    name: str


@dataclass(frozen=True, slots=True)
class RenameJob:
    """Give the job another name."""

    kind: Literal["rename_job"]
    name: str


@dataclass(frozen=True, slots=True)
class Split:
    """Cut clips in two at a job frame."""

    kind: Literal["split"]
    clip_ids: tuple[str, ...]
    at_frame: int


@dataclass(frozen=True, slots=True)
class CutAtMarks:
    """Cut clips into slices at the marks on them."""

    kind: Literal["cut_at_marks"]
    clip_ids: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MoveClips:
    """Move clips by job frames, and to another lane."""

    kind: Literal["move_clips"]
    clip_ids: tuple[str, ...]
    by_frames: int
    to_lane_id: str | None = None


@dataclass(frozen=True, slots=True)
class MoveAudio:
    """Move the audio inside a clip by job frames."""

    kind: Literal["move_audio"]
    clip_id: str
    by_frames: int


@dataclass(frozen=True, slots=True)
class CopyClips:
    """Lay copies of clips, the first at a job frame."""

    kind: Literal["copy_clips"]
    clip_ids: tuple[str, ...]
    to_frame: int
    to_lane_id: str | None = None


@dataclass(frozen=True, slots=True)
class RemoveClips:
    """Take clips off their lanes, and close the gaps if asked."""

    kind: Literal["remove_clips"]
    clip_ids: tuple[str, ...]
    close: Close = "no"


@dataclass(frozen=True, slots=True)
class PutUnder:
    """Put another recording of the job under clips."""

    kind: Literal["put_under"]
    clip_ids: tuple[str, ...]
    source_id: str


@dataclass(frozen=True, slots=True)
class AddLane:
    """Add an empty lane."""

    kind: Literal["add_lane"]
    name: str


@dataclass(frozen=True, slots=True)
class SetLane:
    """Set what is given of a lane."""

    kind: Literal["set_lane"]
    lane_id: str
    settings: LaneSettings = field(default_factory=LaneSettings)


@dataclass(frozen=True, slots=True)
class RemoveLane:
    """Take an empty lane away."""

    kind: Literal["remove_lane"]
    lane_id: str


@dataclass(frozen=True, slots=True)
class SetJoins:
    """Put the same crossfade, in job frames, on cuts between clips that abut; 0 frames takes it away."""

    kind: Literal["set_joins"]
    pairs: tuple[tuple[str, str], ...]
    length_frames: int
    law: Law
    lead_frames: int
    bend: float = 0.0


@dataclass(frozen=True, slots=True)
class SetProgramme:
    """Set the programme's start, its end, or both."""

    kind: Literal["set_programme"]
    start_frame: int | None = None
    end_frame: int | None = None


@dataclass(frozen=True, slots=True)
class AddMark:
    """Drop a section mark, tied to a clip if one is named."""

    kind: Literal["add_mark"]
    frame: int
    name: str = ""
    clip_id: str | None = None


@dataclass(frozen=True, slots=True)
class MoveMark:
    """Move a mark to a job frame."""

    kind: Literal["move_mark"]
    mark_id: str
    frame: int


@dataclass(frozen=True, slots=True)
class RenameMark:
    """Give a mark another name."""

    kind: Literal["rename_mark"]
    mark_id: str
    name: str


@dataclass(frozen=True, slots=True)
class RemoveMarks:
    """Take marks away."""

    kind: Literal["remove_marks"]
    mark_ids: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SetGrid:
    """Give the job a tempo and a meter; none takes them away."""

    kind: Literal["set_grid"]
    grid: Grid | None


@dataclass(frozen=True, slots=True)
class MeasureGrid:
    """Take the tempo from a span of bars."""

    kind: Literal["measure_grid"]
    start_frame: int
    end_frame: int
    bars: int
    beats_a_bar: int = 4


@dataclass(frozen=True, slots=True)
class SetSync:
    """Put a clip's sync point at a job frame; none takes it away."""

    kind: Literal["set_sync"]
    clip_id: str
    frame: int | None


@dataclass(frozen=True, slots=True)
class LineUp:
    """Bring a clip's sync point to a bar and beat, by moving the clip or the audio inside it."""

    kind: Literal["line_up"]
    clip_id: str
    bar: int
    beat: int
    move: Literal["clip", "audio"]


@dataclass(frozen=True, slots=True)
class SetLoop:
    """Give a clip its sustain loop, in source frames."""

    kind: Literal["set_loop"]
    clip_id: str
    start_frame: int
    end_frame: int
    crossfade_frames: int = 0


@dataclass(frozen=True, slots=True)
class TurnLoop:
    """Turn a whole-file loop so that a source frame comes first; the old ends, moved if given, meet in a crossfade."""

    kind: Literal["turn_loop"]
    clip_id: str
    at_frame: int
    crossfade_frames: int = 0
    ends: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class SayOfEdge:
    """Accept an edge on a walk, send it back, or take back what was said."""

    kind: Literal["say_of_edge"]
    clip_id: str
    side: Side
    said: Said | None


EditRequest = (
    MoveEdge | MoveEdges | PutUnder | SetFade | SetLine | FadeBetween | SetGain | RenameClip | RenameJob
    | Split | CutAtMarks | MoveClips | MoveAudio | CopyClips | RemoveClips | AddLane | SetLane | RemoveLane | SetJoins
    | SetProgramme | AddMark | MoveMark | RenameMark | RemoveMarks | SetGrid | MeasureGrid | SetSync | LineUp | SayOfEdge
    | SetLoop | TurnLoop
)  # fmt: skip


def perform(library: Library, job_id: str, base_revision: int, request: EditRequest) -> Answer:
    """Carry out one edit. Raises what the core raises, and `Conflict`."""
    label, merge_key = _described(request)
    return edit(library, job_id, base_revision, label, lambda job: _changed(job, request), merge_key=merge_key)


def _changed(job: Job, request: EditRequest) -> Edited:
    match request:
        case MoveEdge(_, clip_id, side, source_frame, hold):
            return edges.move_edge(job, clip_id, side, source_frame, hold)
        case MoveEdges(_, clip_ids, side, by_frames, hold):
            return edges.move_edges(job, clip_ids, side, by_frames, hold)
        case SetFade(_, clip_ids, side, length_frames, shape, bend, points):
            fade = Fade(length_frames, shape, bend, "own", points) if length_frames else None
            return edges.set_fade(job, clip_ids, side, fade)
        case FadeBetween(_, clip_ids, start, end, shape, bend):
            return edges.fade_between(job, clip_ids, start, end, Fade(1, shape, bend, "own"))
        case SetGain(_, clip_ids, gain_db):
            return clips.set_gain(job, clip_ids, gain_db)
        case SetLine(_, clip_id, line):
            return clips.set_line(job, clip_id, line)
        case PutUnder(_, clip_ids, source_id):
            return clips.put_under(job, clip_ids, source_id)
        case RenameClip(_, clip_id, name):
            return clips.rename_clip(job, clip_id, name)
        case RenameJob(_, name):
            return clips.rename_job(job, name)
        case SetJoins():
            return _crossed(job, request)
        case SetLoop(_, clip_id, start, end, crossfade):
            return kit.set_loop(job, clip_id, start, end, crossfade)
        case TurnLoop(_, clip_id, at_frame, crossfade, ends):
            return kit.turn_loop(job, clip_id, at_frame, crossfade, ends)
        case CutAtMarks(_, clip_ids):
            return arrange.cut_at_marks(job, clip_ids)
        case SayOfEdge(_, clip_id, side, said):
            return walked.say_of_edge(job, clip_id, side, said)
        case Split() | MoveClips() | MoveAudio() | CopyClips() | RemoveClips() | AddLane() | SetLane() | RemoveLane():
            return _arranged(job, request)
        case _:
            return _marked(job, request)


def _arranged(
    job: Job,
    request: Split | MoveClips | MoveAudio | CopyClips | RemoveClips | AddLane | SetLane | RemoveLane,
) -> Edited:
    match request:
        case Split(_, clip_ids, at_frame):
            return arrange.split(job, clip_ids, at_frame)
        case MoveClips(_, clip_ids, by_frames, to_lane_id):
            return arrange.move_clips(job, clip_ids, by_frames, to_lane_id)
        case MoveAudio(_, clip_id, by_frames):
            return arrange.move_audio(job, clip_id, by_frames)
        case CopyClips(_, clip_ids, to_frame, to_lane_id):
            return arrange.copy_clips(job, clip_ids, to_frame, to_lane_id)
        case RemoveClips(_, clip_ids, close):
            return arrange.remove_clips(job, clip_ids, close)
        case AddLane(_, name):
            return arrange.add_lane(job, name)
        case SetLane(_, lane_id, settings):
            return arrange.set_lane(job, lane_id, settings)
        case RemoveLane(_, lane_id):
            return arrange.remove_lane(job, lane_id)


def _marked(
    job: Job,
    request: SetProgramme | AddMark | MoveMark | RenameMark | RemoveMarks | SetGrid | MeasureGrid | SetSync | LineUp,
) -> Edited:
    match request:
        case SetProgramme(_, start, end):
            return marks.set_programme(job, start, end)
        case AddMark(_, frame, name, clip_id):
            return marks.add_mark(job, frame, name, clip_id)
        case MoveMark(_, mark_id, frame):
            return marks.move_mark(job, mark_id, frame)
        case RenameMark(_, mark_id, name):
            return marks.rename_mark(job, mark_id, name)
        case RemoveMarks(_, mark_ids):
            return marks.remove_marks(job, mark_ids)
        case SetGrid(_, wanted):
            return grid.set_grid(job, wanted)
        case MeasureGrid(_, start, end, bars, beats):
            measured = grid.grid_of_span(end - start, bars, beats_a_bar=beats, first_frame=start, rate_hz=job.rate_hz)
            return grid.set_grid(job, measured)
        case SetSync(_, clip_id, frame):
            return grid.set_sync(job, clip_id, frame)
        case LineUp(_, clip_id, bar, beat, move):
            return grid.line_up_with_bar(job, clip_id, bar, beat, move)


def _crossed(job: Job, request: SetJoins) -> Edited:
    for left, right in request.pairs:
        if request.length_frames:
            crossed = joins.set_join(
                job, left, right, request.length_frames, request.law, request.lead_frames, request.bend
            )
        else:
            crossed = joins.remove_join(job, left, right)
        job = crossed.job
    return Edited(job)


def _described(request: EditRequest) -> tuple[str, str | None]:
    """Return what undo calls an edit, and under which key a moment's edits of one thing melt into one."""
    match request:
        case MoveEdge(_, clip_id, side):
            return f"move {side}", f"move {side} {clip_id}"
        case MoveEdges(_, clip_ids, side):
            return f"move {_counted(clip_ids, side)}", f"move {side} {' '.join(clip_ids)}"
        case SetFade(_, clip_ids, side):
            return f"fade at {_counted(clip_ids, side)}", f"fade {side} {' '.join(clip_ids)}"
        case FadeBetween():
            return "fade of a selection", None
        case SetGain(_, clip_ids):
            return "gain", f"gain {' '.join(clip_ids)}"
        case RenameClip(_, _, name) | RenameMark(_, _, name):
            return f"rename to {name[:40]}", None
        case RenameJob(_, name):
            return f"rename job to {name[:40]}", None
        case MoveClips(_, clip_ids):
            return f"move {_counted(clip_ids, 'clip')}", f"move clips {' '.join(clip_ids)}"
        case MoveAudio(_, clip_id):
            return "move audio inside clip", f"move audio {clip_id}"
        case RemoveClips(_, clip_ids):
            return f"remove {_counted(clip_ids, 'clip')}", None
        case CopyClips(_, clip_ids):
            return f"copy {_counted(clip_ids, 'clip')}", None
        case SetLane(_, lane_id, settings):
            melts = settings.gain_db is not None or settings.pan is not None
            return "lane", f"lane {lane_id}" if melts else None
        case SetJoins(_, pairs, length_frames):
            melts_as = f"cross {pairs}" if length_frames else None
            return ("crossfade" if length_frames else "take crossfade away"), melts_as
        case SetLine(_, clip_id):
            return "level line", f"line {clip_id}"
        case MoveMark(_, mark_id):
            return "move mark", f"mark {mark_id}"
        case SetLoop(_, clip_id):
            return "loop", f"loop {clip_id}"
        case SayOfEdge(_, _, _, said):
            return {"accepted": "accept edge", "sent_back": "send edge back", None: "take back a word"}[said], None
        case _:
            return _LABELS[request.kind], None


_LABELS = {
    "split": "split",
    "cut_at_marks": "cut at the marks",
    "put_under": "put another recording under",
    "add_lane": "add lane",
    "remove_lane": "remove lane",
    "set_programme": "programme",
    "add_mark": "drop mark",
    "remove_marks": "remove mark",
    "set_grid": "tempo",
    "measure_grid": "tempo",
    "set_sync": "sync point",
    "line_up": "line up",
    "turn_loop": "turn loop",
}


def _counted(ids: tuple[str, ...], what: str) -> str:
    return what if len(ids) == 1 else f"{len(ids)} {what}s"
