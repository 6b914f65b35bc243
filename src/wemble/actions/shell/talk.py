"""What the shell does with a conversation: a file for each speaker."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from wemble.actions.delivery.export import start_export
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.lanes.aligning import start_aligning
from wemble.actions.lanes.pieces import keep_piece
from wemble.actions.lanes.talk import ends_of, talk_plan
from wemble.actions.lanes.voices import start_measuring
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import sound_search
from wemble.actions.searching.own_sound import start_listening
from wemble.actions.shell.opening import Opened, opened_file
from wemble.actions.shell.placing import check_output_folder, move_into, shown_name
from wemble.actions.shell.scratch import scratch_library
from wemble.actions.verdicts import verdicts
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import delivered, wait_for
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.words import clock
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edges.speaker import find_said, own_sound, propose_for_speaker
from wemble.core.edit.talk import Ends
from wemble.core.edit.treatment import targets
from wemble.core.signal.bleed import Heard, heard_of_each_other
from wemble.errors import InvalidInput


def find_speakers(paths: Sequence[Path], recipe: Recipe | None, report: Report) -> list[dict[str, Any]]:
    """Return of each lane what is kept because it is the one that speaks, rooms included, in frames of its file.

    The lanes start together. Raises `InvalidInput` for fewer than two.
    """
    if len(paths) < 2:
        raise InvalidInput("who speaks shows only between lanes: name the file of every speaker")
    if missing := [path for path in paths if not path.is_file()]:
        raise InvalidInput(f"{missing[0]}: there is no such file")
    with ExitStack() as stack:
        lanes: list[Opened] = []
        for number, path in enumerate(paths):
            reading = part_of(report, 0.6 * number / len(paths), 0.6 * (number + 1) / len(paths))
            rate_hz = lanes[0].source.rate_hz if lanes else 0
            lanes.append(stack.enter_context(opened_file(path, reading, rate_hz=rate_hz)))
        rows = []
        for path, lane, heard in zip(paths, lanes, _heard(lanes, part_of(report, 0.6, 1.0)), strict=True):
            floor = lane.source.floors.floor
            said = find_said(own_sound(lane.measured.envelope, heard), floor, recipe or propose_for_speaker(floor))
            rows.append(
                {
                    "file": str(path),
                    "sample_rate_hz": lane.source.rate_hz,
                    "frames": lane.source.frames,
                    "spans": said.found.spans.tolist(),
                }
            )
        return rows


def _heard(lanes: Sequence[Opened], report: Report) -> list[Heard]:
    rate_hz = lanes[0].source.rate_hz
    return heard_of_each_other(
        [partial(lane.reader.read, lane.source.id, rate_hz) for lane in lanes],
        max(-(-lane.source.frames * rate_hz // lane.source.rate_hz) for lane in lanes),
        rate_hz,
        [lane.source.floors.floor.sound_db for lane in lanes],
        lambda part: report(part, "listening to what the lanes hear of each other"),
    )


@dataclass(frozen=True, slots=True)
class EpisodeWanted:
    """What is asked of an episode; ``None`` leaves a step out."""

    align: bool = False
    opening: Path | None = None
    closing: Path | None = None
    lead_s: float = 1.0
    starts_s: float | None = None
    ends_s: float | None = None
    longest_gap_s: float | None = None
    loudness_lufs: float | None = None
    send: Request = field(default_factory=lambda: Request(kind="mp3", what="one"))


@dataclass(frozen=True, slots=True)
class EpisodeMade:
    """What came of it: the file, what it gives when it is decoded again, what there is to look at, and what was told."""

    file: str
    seconds: float
    integrated_lufs: float | None
    true_peak_db: float
    to_look_at: int
    notes: tuple[str, ...]


def kind_for(path: Path) -> FileKind:
    """Return the kind of file that an ending stands for; where it could be several, the one of 24 bits. Raises `InvalidInput`."""
    kinds: dict[str, FileKind] = {".wav": "wav_24", ".aif": "aiff_24", ".aiff": "aiff_24", ".flac": "flac_24"}
    kinds |= {".mp3": "mp3", ".ogg": "ogg", ".opus": "opus", ".m4a": "m4a"}
    if path.suffix.lower() not in kinds:
        raise InvalidInput(f"--to is a file that ends in {', '.join(kinds)}; got {path.name!r}")
    return kinds[path.suffix.lower()]


def make_episode(report: Report, lanes: Sequence[Path], to: Path, wanted: EpisodeWanted) -> EpisodeMade:
    """Make one finished file of a recording of each speaker, with a library that is gone afterwards.

    Raises
    ------
    InvalidInput
        If the file is there already: nothing is written over; or a step cannot be taken, with the reason.
    """
    check_output_folder(to.parent)
    if to.exists():
        raise InvalidInput(f"{to} is already there; choose another --to")
    with scratch_library() as library:
        return _episode(report, library, lanes, to, wanted)


def _episode(report: Report, library: Library, lanes: Sequence[Path], to: Path, wanted: EpisodeWanted) -> EpisodeMade:
    job_id, notes = create_job(library, to.stem, "podcast"), []
    _bring_in(library, job_id, lanes)
    report(0.2, "listening")
    if wanted.align:
        notes += _done(library, start_aligning(library, job_id, _newest(library, job_id)))["notes"]
    if len(lanes) > 1:
        _done(library, start_listening(library, job_id, _newest(library, job_id)))
    _done(library, start_measuring(library, job_id, _newest(library, job_id)))
    report(0.5, "cutting")
    opened = open_job(library, job_id)
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    answers = [sound_search.apply(library, job_id, opened.revision, [], recipe, Treatment())]
    rate = opened.job.rate_hz

    def do(kind: str, **fields: Any) -> None:
        answers.append(perform(library, job_id, answers[-1].revision, kind, **fields))

    if len(lanes) > 1 or wanted.loudness_lufs is not None:
        do("even_voices", target_lufs=wanted.loudness_lufs)
    ends = ends_of(library, library.job_at(answers[-1].revision))
    start, end = (None if at is None else round(at * rate) for at in (wanted.starts_s, wanted.ends_s))
    notes += _ends_in_words(ends, rate, start, end)
    do(
        "keep_talk",
        start_frame=ends.start_frame if start is None else start,
        end_frame=ends.end_frame if end is None else end,
        lead_frames=round(wanted.lead_s * rate),
    )
    doubts = [doubt for at, doubt in ((start, ends.start_doubt), (end, ends.end_doubt)) if at is None and doubt]
    if wanted.longest_gap_s is not None:
        longest = round(wanted.longest_gap_s * rate)
        if talk_plan(library, answers[-1].revision, longest, 0.0).gaps:
            do("close_gaps", longest_frames=longest)
    for where, path in (("front", wanted.opening), ("behind", wanted.closing)):
        if path is not None:
            do("place_piece", piece=_as_piece(library, path), end=where)
    notes += [note for answer in answers for note in answer.notes]
    report(0.6, "writing")
    revision = answers[-1].revision
    sent = _done(library, start_export(library, job_id, revision, wanted.send))
    move_into(to.parent, [to.name], _renamed(delivered(library, str(sent["folder_name"])), sent["files"][0], to.name))
    heard, remains = sent["heard"], [str(one) for one in sent["remains"]]
    notes += remains
    look = len(doubts) + len(remains) + sum(row.doubtful for row in verdicts(library, revision))
    return EpisodeMade(str(to), heard["seconds"], heard["integrated_lufs"], heard["true_peak_db"], look, tuple(notes))


def _ends_in_words(ends: Ends, rate_hz: int, start: int | None, end: int | None) -> list[str]:
    """Say what was taken for a count-in and for chatter, and what may be."""
    told = []
    if start is None and ends.before:
        told.append(f"cut as a count-in: {ends.before} in front of {clock(ends.start_frame / rate_hz)}")
    if start is None and ends.start_doubt:
        at = ends.maybe_start_frame / rate_hz
        told.append(
            f"kept in front of {clock(at)}, though it may be a count-in ({ends.start_doubt}); --starts {at:.1f} cuts it"
        )
    if end is None and ends.behind:
        told.append(f"cut as chatter: {ends.behind} behind {clock(ends.end_frame / rate_hz)}")
    if end is None and ends.end_doubt:
        at = ends.maybe_end_frame / rate_hz
        told.append(f"kept behind {clock(at)}, though it may be chatter ({ends.end_doubt}); --ends {at:.1f} cuts it")
    return told


def _renamed(folder: Path, name: str, wanted: str) -> Path:
    (folder / name).rename(folder / wanted)
    return folder


def _bring_in(library: Library, job_id: str, paths: Sequence[Path]) -> None:
    for path in paths:
        if not path.is_file():
            raise InvalidInput(f"{path}: there is no such file")
        _done(library, start_import(library, job_id, path, shown_name(path)))


def _as_piece(library: Library, path: Path) -> str:
    """Keep a whole file as a piece, and return its name."""
    job_id = create_job(library, path.stem or "piece", "podcast")
    _bring_in(library, job_id, [path])
    job = open_job(library, job_id).job
    clip = next(iter(job.clips.values()))
    keep_piece(library, job, clip.id, clip.name)
    return clip.name


def _newest(library: Library, job_id: str) -> int:
    return open_job(library, job_id).revision


def _done(library: Library, task_id: str) -> dict[str, Any]:
    """Wait for a task and return its result. Raises `InvalidInput` with why it failed."""
    task = wait_for(library, task_id, timeout_s=24 * 3600.0)
    if task.state != "done":
        raise InvalidInput(str((task.error or {}).get("message", "it was stopped")))
    return task.result or {}
