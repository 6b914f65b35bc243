"""Every edit, declared once: its name, its function, what undo calls it. Route, schema and client follow from the table.

An edit's request has ``kind``, the name, and the function's own parameters behind the job, with their types and defaults.
To add one, add a row.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, Union, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, create_model, model_validator

from wemble.actions.editing import automatic_fades, kit_edits, offsets, programme_marks
from wemble.actions.editing.on_air_points import propose_on_air
from wemble.actions.lanes.pieces import place_piece
from wemble.actions.lanes.voices import even_voices
from wemble.actions.library import Library
from wemble.actions.revisions import PASSING, TOGETHER, Answer, check_newest, edit
from wemble.actions.searching import hit_search
from wemble.core.edit import (
    arrange,
    clips,
    cues,
    edges,
    episode,
    grid,
    joins,
    kit,
    marks,
    on_air,
    review,
    spans,
    talk,
    tracks,
)
from wemble.core.edit.arrange import LaneSettings
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import FARTHEST_FRAME, Decision, Fade, Job, Side
from wemble.core.edit.settle import settled
from wemble.core.render import RenderPlan
from wemble.core.shape.crossfade import Law
from wemble.core.shape.curves import Shape
from wemble.core.shape.points import Point
from wemble.errors import InvalidInput

_LONGEST_NAME = 64

Fields = Mapping[str, Any]
Label = str | Callable[[Fields], str]


@dataclass(frozen=True, slots=True)
class EditKind:
    """One kind of edit.

    ``function`` is given the job and the request's fields; one that ``measures`` is given the library first. Edits whose
    ``merges_by`` fields agree merge into one step of undo while they follow each other within a moment, if it ``merges``;
    if they are ``undone_together`` they stay revisions of their own, and are one step of undo however long it takes.
    What only ``passes``, as a mute does, is no step of undo at all. The edges that an edit makes get automatic fades, where
    the job's edges have them.
    """

    name: str
    function: Callable[..., Edited]
    label: Label
    merges_by: tuple[str, ...] = ()
    merges: Callable[[Fields], bool] = lambda fields: True
    measures: bool = False
    undone_together: bool = False
    passes: Callable[[Fields], bool] = lambda fields: False

    def label_of(self, fields: Fields) -> str:
        """Return what undo calls the edit."""
        return self.label if isinstance(self.label, str) else self.label(fields)

    def merge_key_of(self, fields: Fields) -> str | None:
        """Return the key under which a moment's edits of one thing merge."""
        if self.passes(fields):
            return PASSING
        if not self.merges_by or not self.merges(fields):
            return None
        key = " ".join([self.name, *(str(fields[name]) for name in self.merges_by)])
        return f"{TOGETHER}{key}" if self.undone_together else key


def _several(verb: str, what: str) -> Callable[[Fields], str]:
    """Return a label that counts: "move head", "move 12 heads"; ``what`` may be the name of a field in braces."""

    def label(fields: Fields) -> str:
        count, noun = len(fields["clip_ids"]), what.format(**fields)
        return f"{verb} {noun}" if count == 1 else f"{verb} {count} {noun}s"

    return label


def _set_fade(
    job: Job,
    clip_ids: tuple[str, ...],
    side: Side,
    length_frames: int,
    shape: Shape,
    bend: float = 0.0,
    points: tuple[Point, ...] = (),
) -> Edited:
    """Put a fade of one's own on an edge of clips; 0 frames removes it."""
    fade = Fade(length_frames, shape, bend, "own", points) if length_frames else None
    return edges.set_fade(job, clip_ids, side, fade)


def _fade_between(
    job: Job, clip_ids: tuple[str, ...], start_frame: int, end_frame: int, shape: Shape, bend: float = 0.0
) -> Edited:
    """Make a selection, in job frames, a fade of each clip whose edge it crosses."""
    return edges.fade_between(job, clip_ids, start_frame, end_frame, Fade(1, shape, bend, "own"))


def _set_joins(
    job: Job, pairs: tuple[tuple[str, str], ...], length_frames: int, law: Law, lead_frames: int, bend: float = 0.0
) -> Edited:
    """Put the same crossfade, in job frames, on cuts between clips that abut; 0 frames removes it."""
    for left, right in pairs:
        if length_frames:
            job = joins.set_join(job, left, right, length_frames, law, lead_frames, bend).job
        else:
            job = joins.remove_join(job, left, right).job
    return Edited(job)


def _measure_grid(job: Job, start_frame: int, end_frame: int, bars: int, beats_a_bar: int = 4) -> Edited:
    """Take the tempo from a span of bars."""
    measured = grid.grid_of_span(
        end_frame - start_frame, bars, beats_a_bar=beats_a_bar, first_frame=start_frame, rate_hz=job.rate_hz
    )
    return grid.set_grid(job, measured)


def _paste_span(
    library: Library,
    job: Job,
    from_revision: int,
    start_frame: int,
    end_frame: int,
    to_frame: int,
    lane_ids: tuple[str, ...] = (),
) -> Edited:
    """Lay a copy of a span, as a revision had it, at a job frame."""
    return spans.paste_span(job, library.job_at(from_revision), start_frame, end_frame, to_frame, lane_ids)


def _paste_clips(library: Library, job: Job, from_revision: int, clip_ids: tuple[str, ...], to_frame: int) -> Edited:
    """Lay copies of clips, as a revision had them, with the first at a job frame."""
    return spans.paste_clips(job, library.job_at(from_revision), clip_ids, to_frame)


def _review_edge(job: Job, clip_id: str, side: Side, decision: Decision | None, walk: str = "") -> Edited:
    """Accept an edge, send it back, or take the decision back; decisions of one walk, named by anything, are one undo."""
    if len(walk) > _LONGEST_NAME:
        raise InvalidInput("the name of a walk is too long")
    return review.review_edge(job, clip_id, side, decision)


def _crossfade_label(fields: Fields) -> str:
    return "crossfade" if fields["length_frames"] else "remove crossfade"


def _clear_label(fields: Fields) -> str:
    return "clear the selection" if fields["close"] == "no" else "remove the selected time"


def _is_dragged(settings: LaneSettings) -> bool:
    return settings.gain_db is not None or settings.pan is not None


def _is_dragged_cue(fields: Fields) -> bool:
    settings: cues.CueSettings = fields["settings"]
    dragged = (settings.wait_frames, settings.level_db, settings.length_frames, settings.bend, settings.passes)
    return any(one is not None for one in dragged)


def _only_mutes(settings: LaneSettings) -> bool:
    return not _is_dragged(settings) and settings.name is None


_DECISIONS = {"accepted": "accept edge", "sent_back": "send edge back", None: "take the decision back"}

TABLE: tuple[EditKind, ...] = (
    EditKind("move_edge", edges.move_edge, "move {side}".format_map, ("side", "clip_id")),
    EditKind("move_edges", edges.move_edges, _several("move", "{side}"), ("side", "clip_ids")),
    EditKind("set_fade", _set_fade, _several("fade at", "{side}"), ("side", "clip_ids")),
    EditKind("fade_between", _fade_between, "fade of a selection"),
    EditKind("set_gain", clips.set_gain, "gain", ("clip_ids",)),
    EditKind("set_line", clips.set_line, "level line", ("clip_id",)),
    EditKind("put_under", clips.put_under, "replace the recording"),
    EditKind("rename_clip", clips.rename_clip, "rename to {name:.40}".format_map),
    EditKind("rename_job", clips.rename_job, "rename job to {name:.40}".format_map),
    EditKind("split", arrange.split, "split"),
    EditKind("cut_at_marks", arrange.cut_at_marks, "cut at the marks"),
    EditKind("split_span", spans.split_span, "split off the selection"),
    EditKind("clear_span", spans.clear_span, _clear_label),
    EditKind("paste_span", _paste_span, "paste", measures=True),
    EditKind("paste_clips", _paste_clips, "paste", measures=True),
    EditKind(
        "set_gain_of_span", spans.set_gain_of_span, "gain of the selection", ("start_frame", "end_frame", "lane_ids")
    ),
    EditKind("move_clips", arrange.move_clips, _several("move", "clip"), ("clip_ids",)),
    EditKind("move_audio", arrange.move_audio, "move audio inside clip", ("clip_id",)),
    EditKind("remove_clips", arrange.remove_clips, _several("remove", "clip")),
    EditKind("add_lane", arrange.add_lane, "add lane"),
    EditKind("lane_each", arrange.lane_each, "a lane each"),
    EditKind(
        "set_lane",
        arrange.set_lane,
        "lane",
        ("lane_id",),
        lambda f: _is_dragged(f["settings"]),
        passes=lambda f: _only_mutes(f["settings"]),
    ),
    EditKind("remove_lane", arrange.remove_lane, "remove lane"),
    EditKind("set_joins", _set_joins, _crossfade_label, ("pairs",), lambda f: bool(f["length_frames"])),
    EditKind("keep_talk", talk.keep_talk, "cut to the talk"),
    EditKind("close_gaps", talk.close_gaps, "close gaps in the talk"),
    EditKind(
        "place_piece", place_piece, lambda f: "put in front" if f["end"] == "front" else "put behind", measures=True
    ),
    EditKind("duck", episode.duck, "turn down under the voices", ("clip_id",)),
    EditKind("even_voices", even_voices, "even voices", measures=True),
    EditKind("set_programme", marks.set_programme, "programme"),
    EditKind("add_mark", marks.add_mark, "add mark"),
    EditKind("move_mark", marks.move_mark, "move mark", ("mark_id",)),
    EditKind("rename_mark", marks.rename_mark, "rename to {name:.40}".format_map),
    EditKind("set_link", marks.set_link, "link of a chapter", ("mark_id",)),
    EditKind("set_picture", marks.set_picture, "picture of a chapter", ("mark_id",)),
    EditKind("remove_marks", marks.remove_marks, "remove mark"),
    EditKind("make_tracks", tracks.make_tracks, "make tracks"),
    EditKind("add_track", tracks.add_track, "begin a track"),
    EditKind("end_track", tracks.end_track, "end a track"),
    EditKind("describe_track", tracks.describe_track, "track list", ("mark_id",)),
    EditKind("set_gaps", tracks.set_gaps, "gap before a track", ("mark_ids",)),
    EditKind("move_track", tracks.move_track, "move what follows", ("mark_id",)),
    EditKind("run_on", tracks.run_on, "run on"),
    EditKind("order_tracks", tracks.order_tracks, "order of the tracks"),
    EditKind("put_on_disc_frames", tracks.put_on_disc_frames, "put on disc frames"),
    EditKind("snap_to_clips", tracks.snap_to_clips, "snap marks to clips"),
    EditKind("set_air_point", on_air.set_point, "on-air point", ("clip_id", "point")),
    EditKind("remove_air_point", on_air.remove_point, "remove on-air point"),
    EditKind("propose_on_air", propose_on_air, "propose on-air points", measures=True),
    EditKind("add_cue", cues.add_cue, "add {what}".format_map),
    EditKind("cues_of_clips", cues.cues_of_clips, "make cues"),
    EditKind("set_cue", cues.set_cue, "cue", ("cue_ids",), _is_dragged_cue),
    EditKind("set_voices", cues.set_voices, "copies of a sound", ("cue_id",)),
    EditKind("loop_of_cue", cues.loop_of_cue, "loop of a cue", ("cue_id",)),
    EditKind("fade_up", cues.fade_up, "fade up from silence"),
    EditKind("move_cues", cues.move_cues, "running order"),
    EditKind("number_anew", cues.number_anew, "number the cues anew"),
    EditKind("remove_cues", cues.remove_cues, "remove from the running order"),
    EditKind("split_cue", cues.split_cue, "split at a pause"),
    EditKind("add_event", cues.add_event, "add event"),
    EditKind("event_at", cues.event_at, "add event"),
    EditKind("set_event", cues.set_event, "event", ("mark_id",)),
    EditKind("move_event", cues.move_event, "move event to another cue"),
    EditKind("set_grid", grid.set_grid, "tempo"),
    EditKind("measure_grid", _measure_grid, "tempo"),
    EditKind("set_sync", grid.set_sync, "sync point"),
    EditKind("line_up", grid.line_up_with_bar, "line up"),
    EditKind("set_loop", kit.set_loop, "loop", ("clip_id",)),
    EditKind("rotate_loop", kit.rotate_loop, "rotate loop"),
    EditKind(
        "review_edge",
        _review_edge,
        lambda f: "walk" if f["walk"] else _DECISIONS[f["decision"]],
        ("walk",),
        lambda f: bool(f["walk"]),
        undone_together=True,
    ),
    EditKind("read_names", hit_search.apply_names, "read names", measures=True),
    EditKind("set_automatic_fades", automatic_fades.set_automatic_fades, "automatic fades", measures=True),
    EditKind("programme_from_sound", programme_marks.programme_from_sound, "programme from the sound", measures=True),
    EditKind("turn_down", kit_edits.turn_down, "turn down to {ceiling_db:g} dB".format_map, measures=True),
    EditKind("take_out_offset", offsets.take_out_offset, "take out the offset", measures=True),
    EditKind("soften", kit_edits.soften, "soften ends by {milliseconds:g} ms".format_map, measures=True),
    EditKind("loop_all", kit_edits.loop_all, "loops", measures=True),
)
EDITS: Mapping[str, EditKind] = {kind.name: kind for kind in TABLE}


class _Request(BaseModel):
    """What every request has in common: nothing unknown, no number that is none, no place beyond any recording."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="after")
    def _is_bounded(self) -> Self:
        if any(abs(number) >= FARTHEST_FRAME for number in _integers(self.model_dump())):
            raise ValueError("a number is too large")
        return self


def _integers(value: Any) -> Iterator[int]:
    if isinstance(value, int):
        yield value
    elif isinstance(value, Mapping):
        for one in value.values():
            yield from _integers(one)
    elif isinstance(value, (list, tuple)):
        for one in value:
            yield from _integers(one)


def _model_of(kind: EditKind) -> type[BaseModel]:
    """Return the request of an edit: its kind, and what its function takes behind the job."""
    hints = get_type_hints(kind.function)
    parameters = list(inspect.signature(kind.function).parameters.values())[2 if kind.measures else 1 :]
    fields: dict[str, Any] = {"kind": (Literal[kind.name], ...)} | {
        p.name: (hints[p.name], ... if p.default is inspect.Parameter.empty else p.default) for p in parameters
    }
    return create_model(
        "".join(word.capitalize() for word in kind.name.split("_")),
        __base__=_Request,
        __doc__=(kind.function.__doc__ or "").splitlines()[0],
        **fields,
    )


MODELS: Mapping[str, type[BaseModel]] = {kind.name: _model_of(kind) for kind in TABLE}
if TYPE_CHECKING:
    EditRequest = BaseModel
else:
    EditRequest = Annotated[Union[tuple(MODELS.values())], Field(discriminator="kind")]  # noqa: UP007
"""Any edit's request, told apart by its kind."""


def perform(library: Library, job_id: str, base_revision: int, kind: str, /, **fields: Any) -> Answer:
    """Carry out one edit. Raises what the core raises, and `Conflict`."""
    return perform_request(library, job_id, base_revision, MODELS[kind](kind=kind, **fields))


def perform_request(library: Library, job_id: str, base_revision: int, request: BaseModel) -> Answer:
    """Carry out one edit as it was asked for. What it measures is measured before the database is held."""
    check_newest(library, job_id, base_revision)
    kind, fields = _read(request)
    base = library.job_at(base_revision)
    edited = _carried_out(library, base, kind, fields)
    merge_key = kind.merge_key_of(fields)

    def on(newest: Job) -> Edited:
        return edited if newest is base else _carried_out(library, newest, kind, fields)

    return edit(library, job_id, base_revision, kind.label_of(fields), on, merge_key=merge_key)


def plan_tried(library: Library, revision_id: int, request: BaseModel) -> RenderPlan:
    """Return how a job would sound after an edit that is not made: it is heard before it is done.

    Raises `InvalidInput` for an edit that measures or makes recordings: to listen changes nothing.
    """
    kind, fields = _read(request)
    if kind.measures:
        raise InvalidInput("this edit cannot be heard before it is made")

    def make() -> Job:
        job = library.job_at(revision_id)
        return settled(job, _carried_out(library, job, kind, fields)).job

    return library.plan_of((revision_id, request.model_dump_json()), make)


def _read(request: BaseModel) -> tuple[EditKind, dict[str, Any]]:
    fields = {name: getattr(request, name) for name in type(request).model_fields}
    return EDITS[fields.pop("kind")], fields


def _carried_out(library: Library, job: Job, kind: EditKind, fields: Mapping[str, Any]) -> Edited:
    edited = kind.function(library, job, **fields) if kind.measures else kind.function(job, **fields)
    return replace(edited, job=automatic_fades.with_fresh_fades(library, job, edited.job))
