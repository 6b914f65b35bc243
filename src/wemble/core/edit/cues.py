"""Edits of a running order: cues made, described, moved, split, removed; the events inside them.

A sound cue has a clip of its own, so that everything that is done to clips (edges, fades, a level line, another recording
under it, loops and marks on its sound) is done to cues as well.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from typing import Literal, get_args

from wemble.core.edit.clips import Edited
from wemble.core.edit.model import (
    EVERYTHING,
    FARTHEST_FRAME,
    Clip,
    Cue,
    CueKind,
    CueStart,
    CueVoice,
    Job,
    Mark,
    check_name,
    set_clips,
)
from wemble.core.edit.placement import source_frame_from, start_of
from wemble.core.shape.curves import SHAPES, Shape
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput

Boundary = Literal["ask", "first", "second"]
"""To which part of a split cue an event on the boundary goes."""

USUAL_FADE_S = 4.0
USUAL_CROSSFADE_MS = 10.0
SHORTEST_LOOP_MS = 10.0
"""A shorter section is a buzz, and a slip of the hand (our choice)."""
MOST_VOICES = 16
MOST_PASSES = 10_000
_LONGEST_WORDS = 400
_NAMES = {"sound": "Sound", "fade": "Fade", "stop": "Stop", "note": "Note"}


def in_running_order(job: Job) -> list[Cue]:
    """Return the cues from the first to the last."""
    return sorted(job.cues.values(), key=lambda cue: cue.position)


def events_of(job: Job, cue: Cue) -> list[Mark]:
    """Return the events of a cue, in the order of their moments."""
    found = [mark for mark in job.marks.values() if mark.kind == "event" and mark.clip_id == cue.clip_id is not None]
    return sorted(found, key=lambda mark: (mark.frame, mark.id))


def loop_of(job: Job, clip_id: str | None) -> Mark | None:
    """Return the section of a clip that is looped: the first of its loops."""
    loops = [mark for mark in job.marks.values() if mark.kind == "loop" and mark.clip_id == clip_id is not None]
    return min(loops, key=lambda mark: (mark.frame, mark.id), default=None)


def number_between(lower: str | None, upper: str | None) -> str:
    """Return a short number between two; after the last the next whole one, before the first half of it.

    Examples
    --------
    >>> number_between("4", "5"), number_between("4", "4.5"), number_between("4.5", None), number_between(None, "1")
    ('4.5', '4.2', '5', '0.5')
    """
    low = Decimal(lower) if lower is not None else Decimal(0)
    if upper is None:
        return str(int(low) + 1)
    high = Decimal(upper)
    middle, places = (low + high) / 2, 0
    while True:
        rounded = round(middle, places)
        if low < rounded < high:
            return f"{rounded:f}"
        places += 1


def add_cue(
    job: Job,
    what: CueKind,
    after_id: str | None = None,
    name: str = "",
    clip_id: str | None = None,
    target_id: str = "",
) -> Edited:
    """Add a cue behind another, or at the end; its number lies between those of its neighbours.

    Raises `InvalidInput` for a clip that already is a cue, or for a target that is not there.
    """
    if what == "sound":
        clip = job.clip(clip_id or "")
        if any(cue.clip_id == clip.id for cue in job.cues.values()):
            raise InvalidInput(f"“{clip.name}” already is a cue; make a copy of the clip to play it in another cue")
    elif clip_id is not None:
        raise InvalidInput("only a sound plays a clip")
    order = in_running_order(job)
    at = next((n for n, cue in enumerate(order) if cue.id == after_id), len(order) - 1) + 1
    words = name or (job.clip(clip_id or "").name if what == "sound" else _NAMES[what])
    length = round(USUAL_FADE_S * job.rate_hz) if what == "fade" else 0
    cue = Cue(
        f"q{job.next_number}", _number_at(order, at), 0, what, check_name(words), clip_id=clip_id,
        length_frames=length, stops=what == "fade", target_id=target_id or (EVERYTHING if what == "stop" else ""),
    )  # fmt: skip
    check_cue(job, cue)
    return Edited(_in_order(replace(job, next_number=job.next_number + 1), [*order[:at], cue, *order[at:]]))


def cues_of_clips(job: Job, clip_ids: tuple[str, ...]) -> Edited:
    """Make a cue of each clip that is none yet, in the order in which they are named."""
    taken = {cue.clip_id for cue in job.cues.values()}
    for clip_id in clip_ids:
        if clip_id not in taken:
            job = add_cue(job, "sound", clip_id=clip_id).job
    return Edited(job)


@dataclass(frozen=True, slots=True)
class CueSettings:
    """What can be set on a cue; none leaves it as it is."""

    number: str | None = None
    name: str | None = None
    start: CueStart | None = None
    wait_frames: int | None = None
    passes: int | None = None
    silent: bool | None = None
    target_id: str | None = None
    level_db: float | None = None
    to_nothing: bool | None = None
    """Of a fade: to nothing rather than to a level."""
    length_frames: int | None = None
    shape: Shape | None = None
    bend: float | None = None
    stops: bool | None = None
    group: str | None = None
    page: str | None = None
    note: str | None = None


def set_cue(job: Job, cue_ids: tuple[str, ...], settings: CueSettings) -> Edited:
    """Set what is given on cues. Raises `InvalidInput` for what a cue cannot have, and for a number that is taken."""
    given = {key: value for key in settings.__slots__ if (value := getattr(settings, key)) is not None}
    if given.pop("to_nothing", False):
        given["level_db"] = None
    for key in ("group", "page", "note"):
        if key in given:
            given[key] = " ".join(given[key].split())
    if "name" in given:
        given["name"] = check_name(given["name"])
    if "number" in given:
        if len(cue_ids) > 1:
            raise InvalidInput("give one cue a number at a time")
        given["number"] = _checked_number(given["number"])
    changed = [replace(job.cue(cue_id), **given) for cue_id in cue_ids]
    job = replace(job, cues={**job.cues, **{cue.id: cue for cue in changed}})
    for cue in changed:
        check_cue(job, cue)
    return Edited(job)


def set_voices(job: Job, cue_id: str, voices: tuple[CueVoice, ...]) -> Edited:
    """Set the voices of a cue, the first being the sound itself. Raises `InvalidInput` for voices that cannot be."""
    cue = replace(job.cue(cue_id), voices=voices)
    check_cue(job, cue)
    return Edited(replace(job, cues={**job.cues, cue_id: cue}))


def loop_of_cue(
    job: Job, cue_id: str, start_frame: int, end_frame: int, passes: int, crossfade_frames: int | None = None
) -> Edited:
    """Loop a section of a cue so many times, or until let go (0 passes), in job frames since the cue's start.

    Its end is crossed with what lies before its start, by as much as before, else over `USUAL_CROSSFADE_MS`, as far as the
    recording allows. Raises `InvalidInput` for a section outside the cue, or shorter than `SHORTEST_LOOP_MS`.
    """
    clip = _clip_of(job, job.cue(cue_id))
    begins = start_of(job, clip)
    start, end = (source_frame_from(job, clip, begins + frame) for frame in (start_frame, end_frame))
    end = min(end, clip.tail_frame)
    rate_hz = job.source(clip.source_id).rate_hz
    if not clip.head_frame <= start <= end - ms_to_frames(SHORTEST_LOOP_MS, rate_hz):
        raise InvalidInput(f"a loop lies inside “{clip.name}”, and takes {SHORTEST_LOOP_MS:.0f} ms or more")
    was = loop_of(job, clip.id)
    usual = was.crossfade_frames if was else ms_to_frames(USUAL_CROSSFADE_MS, rate_hz)
    crossed = min(usual if crossfade_frames is None else max(crossfade_frames, 0), start, (end - start) // 2)
    made = was or Mark(f"m{job.next_number}", "loop", "Loop", 0, clip.id)
    mark = replace(made, frame=start, end_frame=end, crossfade_frames=crossed)
    job = replace(job, next_number=job.next_number + (was is None), marks={**job.marks, mark.id: mark})
    return set_cue(job, (cue_id,), CueSettings(passes=passes))


def fade_up(job: Job, cue_id: str, length_frames: int) -> Edited:
    """Let a sound start silent, and fade it up in the same GO: a fade is put right behind it."""
    cue = job.cue(cue_id)
    if cue.kind != "sound":
        raise InvalidInput("only a sound can be faded up from silence")
    known = set(job.cues)
    job = add_cue(set_cue(job, (cue_id,), CueSettings(silent=True)).job, "fade", cue_id, f"{cue.name} up").job
    (made,) = set(job.cues) - known
    up = CueSettings(start="with", target_id=cue_id, level_db=0.0, length_frames=length_frames, stops=False)
    return set_cue(job, (made,), up)


def move_cues(job: Job, cue_ids: tuple[str, ...], before_id: str | None) -> Edited:
    """Move cues, in their order, in front of another or to the end; numbers stay with their cues."""
    moved = [job.cue(cue_id) for cue_id in cue_ids]
    names = {cue.id for cue in moved}
    if before_id in names:
        return Edited(job)
    moved.sort(key=lambda cue: cue.position)
    rest = [cue for cue in in_running_order(job) if cue.id not in names]
    at = len(rest) if before_id is None else rest.index(job.cue(before_id))
    return Edited(_in_order(job, [*rest[:at], *moved, *rest[at:]]))


def number_anew(job: Job) -> Edited:
    """Number all cues 1, 2, 3 …, in their order."""
    cues = {cue.id: replace(cue, number=str(n + 1)) for n, cue in enumerate(in_running_order(job))}
    return Edited(replace(job, cues=cues))


def remove_cues(job: Job, cue_ids: tuple[str, ...]) -> Edited:
    """Take cues out of the running order, with their clips; fades and stops of them stay, and say that they act on nothing."""
    gone = {job.cue(cue_id).id for cue_id in cue_ids}
    clips = {cue.clip_id for cue in job.cues.values() if cue.id in gone}
    left = [
        replace(cue, target_id="") if cue.target_id in gone else cue
        for cue in in_running_order(job)
        if cue.id not in gone
    ]
    kept = {key: clip for key, clip in job.clips.items() if key not in clips}
    joins = {
        key: join
        for key, join in job.joins.items()
        if join.left_clip_id not in clips and join.right_clip_id not in clips
    }
    marks = {key: mark for key, mark in job.marks.items() if mark.clip_id not in clips or mark.clip_id is None}
    return Edited(_in_order(replace(job, clips=kept, joins=joins, marks=marks, cues={}), left))


def split_cue(job: Job, cue_id: str, first_end: int, second_start: int, boundary: Boundary = "ask") -> Edited:
    """Split a sound cue at a pause: it ends at source frame ``first_end``, and a cue behind it starts at ``second_start``.

    Both are fired by hand and belong to one group. Each event goes to the part that has its moment; those from
    ``first_end`` to ``second_start`` lie on the boundary, and go to the edge of the part that ``boundary`` says: there they happen.

    Raises
    ------
    InvalidInput
        If a part would have nothing; with the code ``which_side`` while nobody said where events on the boundary go.
    """
    cue = job.cue(cue_id)
    clip = _clip_of(job, cue)
    if not clip.head_frame < first_end <= second_start < clip.tail_frame:
        raise InvalidInput("split a cue inside its sound: the first part ends before the second starts")
    on_it = [mark for mark in events_of(job, cue) if first_end <= mark.frame <= second_start]
    if on_it and boundary == "ask":
        names = ", ".join(f"“{mark.name}”" for mark in on_it)
        raise InvalidInput(
            f"{names} lies on the boundary: say whether it goes to the first or the second part", code="which_side"
        )
    group, number = cue.group or clip.name, job.next_number
    fade_in, fade_out = clip.fade_in, clip.fade_out
    first = replace(
        clip, tail_frame=first_end, fade_out=None, tail_review=None, end_confidence=None, end_reason="",
        fade_in=fade_in if fade_in and fade_in.length_frames <= first_end - clip.head_frame else None,
    )  # fmt: skip
    second = replace(
        clip, id=f"c{number}", name=f"{clip.name} 2", head_frame=second_start, fade_in=None, head_review=None,
        fade_out=fade_out if fade_out and fade_out.length_frames <= clip.tail_frame - second_start else None,
    )  # fmt: skip
    # Both edges lie on the sound, so that no automatic fade reaches into it.
    begins = clip.head_frame if clip.sound_start_frame is None else clip.sound_start_frame
    ends = clip.tail_frame if clip.sound_end_frame is None else clip.sound_end_frame
    first, second = _with_sound(first, begins, first_end), _with_sound(second, second_start, ends)
    to_second = boundary == "second"
    edge = second_start if to_second else first_end
    put = {mark.id: replace(mark, frame=edge, clip_id=second.id if to_second else clip.id) for mark in on_it}
    goes_on = [
        mark
        for mark in job.marks.values()
        if mark.clip_id == clip.id
        and (mark.frame > second_start or (mark.kind != "event" and mark.frame == second_start))
    ]
    marks = {**job.marks, **{mark.id: replace(mark, clip_id=second.id) for mark in goes_on}, **put}
    job = replace(set_clips(job, first, second), marks=marks, next_number=number + 1)
    job = add_cue(job, "sound", cue_id, second.name, second.id).job
    made = next(one for one in job.cues.values() if one.clip_id == second.id)
    looped = loop_of(job, second.id) is not None
    parts = (replace(job.cue(cue_id), group=group, passes=1 if looped else cue.passes),
             replace(made, group=group, page=cue.page, voices=cue.voices, passes=cue.passes if looped else 1))  # fmt: skip
    return Edited(replace(job, cues={**job.cues, **{one.id: one for one in parts}}))


def add_event(job: Job, cue_id: str, frame: int, name: str = "", does: str = "") -> Edited:
    """Add an event to a cue, at a frame of its source, inside its clip or at its end."""
    clip = _clip_of(job, job.cue(cue_id))
    if not clip.head_frame <= frame <= clip.tail_frame:
        raise InvalidInput(f"an event must lie inside “{clip.name}”")
    count = len(events_of(job, job.cue(cue_id)))
    mark = Mark(
        f"m{job.next_number}", "event", check_name(name or f"Event {count + 1}"), frame, clip.id, does=_words(does)
    )
    return Edited(replace(job, next_number=job.next_number + 1, marks={**job.marks, mark.id: mark}))


def set_event(
    job: Job, mark_id: str, name: str | None = None, does: str | None = None, frame: int | None = None
) -> Edited:
    """Describe an event, say what it does, or move it to another frame of its source."""
    mark = _event(job, mark_id)
    changed = replace(
        mark,
        name=mark.name if name is None else check_name(name),
        does=mark.does if does is None else _words(does),
        frame=mark.frame if frame is None else frame,
    )
    frames = job.source(job.clip(mark.clip_id or "").source_id).frames
    if not 0 <= changed.frame <= frames:
        raise InvalidInput("an event lies in the recording of its cue")
    return Edited(replace(job, marks={**job.marks, mark_id: changed}))


def move_event(job: Job, mark_id: str, cue_id: str) -> Edited:
    """Move an event to another cue: it keeps its moment in the same recording, else its time since the cue's start."""
    mark, clip = _event(job, mark_id), _clip_of(job, job.cue(cue_id))
    was = job.clip(mark.clip_id or "")
    frame = mark.frame
    if was.source_id != clip.source_id:
        factor = Fraction(job.source(clip.source_id).rate_hz, job.source(was.source_id).rate_hz)
        frame = clip.head_frame + round((mark.frame - was.head_frame) * factor)
    notes = () if clip.head_frame <= frame <= clip.tail_frame else (f"“{mark.name}” lies outside “{clip.name}”",)
    moved = replace(mark, clip_id=clip.id, frame=max(frame, 0))
    return Edited(replace(job, marks={**job.marks, mark_id: moved}), notes)


def event_at(job: Job, cue_id: str, job_frame: int, name: str = "", does: str = "") -> Edited:
    """Add an event to a cue at a job frame: where the cursor stands."""
    clip = _clip_of(job, job.cue(cue_id))
    return add_event(job, cue_id, source_frame_from(job, clip, job_frame), name, does)


def check_cue(job: Job, cue: Cue) -> None:
    """Raise `InvalidInput` naming the first thing about a cue that cannot be."""
    _checked_number(cue.number)
    check_name(cue.name)
    _need(cue.kind in get_args(CueKind) and cue.start in get_args(CueStart), "a cue is of no known kind")
    _need(0 <= cue.wait_frames < FARTHEST_FRAME, "a cue starts at or after the one above, never before")
    _need(0 <= cue.length_frames < FARTHEST_FRAME, "a fade has a length")
    _need(0 <= cue.passes <= MOST_PASSES, f"a loop plays 1 to {MOST_PASSES:,} times, or until let go")
    _need(cue.level_db is None or -120.0 <= cue.level_db <= 12.0, "a fade goes to −120 to +12 dB")
    _need(cue.shape in SHAPES and -1.0 <= cue.bend <= 1.0, "a fade has a known shape and a bend between −1 and +1")
    _need(cue.clip_id is None or cue.clip_id in job.clips, f"“{cue.name}” plays a clip that is missing")
    _need(cue.kind == "sound" or cue.clip_id is None, "only a sound plays a clip")
    known = cue.target_id in ("", EVERYTHING) or cue.target_id in job.cues
    _need(known and cue.target_id != cue.id, f"“{cue.name}” acts on a cue that is not there")
    _need(all(len(text) <= _LONGEST_WORDS for text in (cue.group, cue.page, cue.note)), "a note is too long")
    number = Decimal(cue.number)
    same = [one for one in job.cues.values() if one.id != cue.id and Decimal(_checked_number(one.number)) == number]
    if same:
        raise InvalidInput(f"the number {cue.number} is taken by “{same[0].name}”")
    _need(1 <= len(cue.voices) <= MOST_VOICES, f"a cue has 1 to {MOST_VOICES} voices")
    for voice in cue.voices:
        _check_voice(job, voice)


def _check_voice(job: Job, voice: CueVoice) -> None:
    _need(0 <= voice.delay_frames < 600 * max(job.rate_hz, 1) + 1, "a voice is delayed by up to 10 minutes")
    _need(all(-120.0 <= one <= 12.0 for one in (voice.left_db, voice.right_db)), "a voice has −120 to +12 dB")
    _need(not voice.linked or voice.left_db == voice.right_db, "linked levels are equal")
    _need(-24.0 <= voice.semitones <= 24.0, "a pitch is shifted by up to 24 semitones")
    _need((voice.semitones == 0.0) == (voice.shifted_source_id is None), "a shifted pitch is rendered first")
    _need(voice.shifted_source_id is None or voice.shifted_source_id in job.sources, "a shifted recording is not there")
    if voice.echo is not None:
        echo = voice.echo
        _need(0 < echo.every_frames < 60 * max(job.rate_hz, 1) + 1, "an echo comes every so often, up to 60 s")
        _need(0.0 <= echo.feedback <= 0.8 and -60.0 <= echo.level_db <= 0.0, "an echo dies away: feedback 0 to 80 %")


def _number_at(order: Sequence[Cue], at: int) -> str:
    """Return a free number for a cue at a place: between its neighbours where those rise, else the next whole one."""
    lower = order[at - 1].number if at else None
    above = [cue.number for cue in order if lower is None or Decimal(cue.number) > Decimal(lower)]
    upper = min(above, key=Decimal, default=None)
    return number_between(lower, upper)


def _in_order(job: Job, order: Iterable[Cue]) -> Job:
    placed = (replace(cue, position=n) if cue.position != n else cue for n, cue in enumerate(order))
    return replace(job, cues={cue.id: cue for cue in placed})


def _checked_number(text: str) -> str:
    try:
        number = Decimal(text.strip())
    except InvalidOperation:
        number = Decimal(-1)
    if not (number.is_finite() and 0 <= number < 100_000 and re.fullmatch(r"[0-9.]{1,12}", text.strip())):
        raise InvalidInput(f"a cue's number is like 4 or 4.5, not {text[:12]!r}")
    return text.strip()


def _clip_of(job: Job, cue: Cue) -> Clip:
    if cue.clip_id is None:
        raise InvalidInput(f"“{cue.name}” has no sound; put a recording under it first")
    return job.clip(cue.clip_id)


def _with_sound(clip: Clip, start: int, end: int) -> Clip:
    """Return a part of a clip that knows its sound, where that lies in it."""
    start, end = max(start, clip.head_frame), min(end, clip.tail_frame)
    sound = (start, end) if start < end else (None, None)
    return replace(
        clip, sound_start_frame=sound[0], sound_end_frame=sound[1],
        starts_within=clip.starts_within if sound[0] == clip.sound_start_frame else None,
        ends_within=clip.ends_within if sound[1] == clip.sound_end_frame else None,
    )  # fmt: skip


def _event(job: Job, mark_id: str) -> Mark:
    mark = job.mark(mark_id)
    if mark.kind != "event" or mark.clip_id is None:
        raise InvalidInput(f"“{mark.name}” is not an event of a cue")
    return mark


def _words(text: str) -> str:
    if len(text) > _LONGEST_WORDS:
        raise InvalidInput(f"what an event does has up to {_LONGEST_WORDS} characters")
    return " ".join(text.split())


def _need(holds: object, reason: str) -> None:
    if not holds:
        raise InvalidInput(reason)


def settle_cues(before: Job, after: Job) -> Job:
    """Return a job whose sound cues whose clip is gone play the earliest clip that has the same sound, or nothing."""
    orphans = [cue for cue in after.cues.values() if cue.clip_id is not None and cue.clip_id not in after.clips]
    if not orphans:
        return after
    taken = {cue.clip_id for cue in after.cues.values()}
    changed = {}
    for cue in orphans:
        was = before.clips.get(cue.clip_id or "")
        heirs = [
            clip
            for clip in after.clips.values()
            if was is not None
            and clip.source_id == was.source_id
            and clip.id not in taken
            and clip.head_frame < was.tail_frame
            and was.head_frame < clip.tail_frame
        ]
        heir = min(heirs, key=lambda clip: start_of(after, clip), default=None)
        taken.add(heir.id if heir else None)
        changed[cue.id] = replace(cue, clip_id=heir.id if heir else None)
    return replace(after, cues={**after.cues, **changed})
