"""The edits of single things, as requests: each is one kind, one label, one function of the core."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from wemble.actions.editing import Answer, edit
from wemble.actions.library import Library
from wemble.core.edit import clips
from wemble.core.edit.model import Fade, Job, Side
from wemble.core.shape.curves import Shape


@dataclass(frozen=True, slots=True)
class MoveEdge:
    """Move a head or a tail to a source frame."""

    kind: Literal["move_edge"]
    clip_id: str
    side: Side
    source_frame: int


@dataclass(frozen=True, slots=True)
class SetFade:
    """Put a fade of one's own on an edge; 0 frames removes it."""

    kind: Literal["set_fade"]
    clip_id: str
    side: Side
    length_frames: int
    shape: Shape
    bend: float = 0.0


@dataclass(frozen=True, slots=True)
class SetGain:
    """Set the gain of a clip."""

    kind: Literal["set_gain"]
    clip_id: str
    gain_db: float


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
class RemoveClips:
    """Take clips off their lanes."""

    kind: Literal["remove_clips"]
    clip_ids: tuple[str, ...]


EditRequest = MoveEdge | SetFade | SetGain | RenameClip | RenameJob | RemoveClips


def perform(library: Library, job_id: str, base_revision: int, request: EditRequest) -> Answer:
    """Carry out one edit. Raises what the core raises, and `Conflict`."""

    def change(job: Job) -> clips.Edited:
        match request:
            case MoveEdge():
                return clips.move_edge(job, request.clip_id, request.side, request.source_frame)
            case SetFade():
                fade = (
                    Fade(request.length_frames, request.shape, request.bend, "own") if request.length_frames else None
                )
                return clips.set_fade(job, request.clip_id, request.side, fade)
            case SetGain():
                return clips.set_gain(job, request.clip_id, request.gain_db)
            case RenameClip():
                return clips.rename_clip(job, request.clip_id, request.name)
            case RenameJob():
                return clips.rename_job(job, request.name)
            case RemoveClips():
                return clips.remove_clips(job, request.clip_ids)

    label, merge_key = _described(request)
    return edit(library, job_id, base_revision, label, change, merge_key=merge_key)


def _described(request: EditRequest) -> tuple[str, str | None]:
    """Return what undo calls an edit, and under which key a moment's edits of one thing melt into one."""
    match request:
        case MoveEdge():
            return f"move {request.side}", f"move {request.side} {request.clip_id}"
        case SetFade():
            return f"fade at {request.side}", f"fade {request.side} {request.clip_id}"
        case SetGain():
            return "gain", f"gain {request.clip_id}"
        case RenameClip():
            return f"rename to {request.name[:40]}", None
        case RenameJob():
            return f"rename job to {request.name[:40]}", None
        case RemoveClips():
            return "remove clip" if len(request.clip_ids) == 1 else f"remove {len(request.clip_ids)} clips", None
