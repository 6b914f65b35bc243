"""Before sending: what will be sent in words, every name, and the checks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wemble.actions.delivery.heard import HeardInFile
from wemble.actions.delivery.one_shots import Shot, lacks, on_one_key, shots_to_send
from wemble.actions.delivery.request import Request
from wemble.actions.library import Library
from wemble.actions.searching.hit_search import strength_order
from wemble.actions.verdicts import programme_doubts, verdicts
from wemble.core.briefs import record
from wemble.core.deliver.chapters import chapter_faults, chapters_in
from wemble.core.deliver.names import Name, names, rate_field, told_apart
from wemble.core.deliver.shots import joined
from wemble.core.deliver.words import (
    Piece,
    clock,
    files_to_send,
    range_in_words,
    sentence,
    stretches_of_nothing,
)
from wemble.core.edit.model import Job, Side
from wemble.core.edit.placement import end_of, start_of
from wemble.core.render.plan import audible_lanes
from wemble.formats.encode import KINDS, check_kbps
from wemble.store import jobs, records

LONG_SILENCE_S = 3.0
"""Listeners look whether it still plays (our choice)."""
MOST_DOUBTS = 50


@dataclass(frozen=True, slots=True)
class Doubt:
    """Something to know before sending; one that ``stops`` must be mended first."""

    text: str
    stops: bool = False
    clip_id: str | None = None
    side: Side | None = None
    job_frame: int | None = None


@dataclass(frozen=True, slots=True)
class Preview:
    """What will be sent: the sentence, the pattern and every name that it makes, and the checks.

    ``tried`` is what the encoder gives back of one file, where that was found out beforehand.
    """

    words: str
    pattern: str
    names: list[Name]
    seconds: list[float]
    doubts: list[Doubt]
    tried: HeardInFile | None = None


def preview(library: Library, revision_id: int, request: Request) -> Preview:
    """Say what would be sent, without sending. Raises `InvalidInput` for a wrong pattern or bit rate."""
    job = library.job_at(revision_id)
    if request.what == "one_shots":
        return _preview_of_shots(library, revision_id, job, request)
    pieces = files_to_send(job, request.what, request.clip_ids)
    pattern, named = file_names(job, pieces, request)
    channels, rate = request.channels_of(job.channels), request.rate_of(job.rate_hz)
    doubts = _doubts(library, revision_id, job, pieces, named, request)
    words = sentence(pieces, job_rate_hz=job.rate_hz, file_rate_hz=rate, channels=channels, kind=_kind_words(request))
    if request.what != "each_clip" and pieces:
        words = f"{words}: {range_in_words(job)}"
    tried = _tried(library, revision_id, request) if request.what == "one" else None
    seconds = [round((p.end - p.start) / max(job.rate_hz, 1), 3) for p in pieces]
    return Preview(words, pattern, named, seconds, [*doubts, *_doubts_of_trial(tried)], tried)


def _preview_of_shots(library: Library, revision_id: int, job: Job, request: Request) -> Preview:
    chosen, pattern, named = shots_to_send(library, job, request)
    kinds = sorted({KINDS[shot.kind].ending[1:].upper() for shot in chosen})
    rates = sorted({shot.rate_hz for shot in chosen})
    depth = "at their own depth" if request.kind == "as_source" else _kind_words(request)
    with_map = {"none": "", "cut": ", with a map", "offset": ", whole, with a map that starts them at their onsets"}
    rate_words = " and ".join(f"{rate / 1000:g} kHz" for rate in rates)
    counted = "1 one-shot" if len(chosen) == 1 else f"{len(chosen)} one-shots"
    words = f"{counted}, {depth} ({'/'.join(kinds)}, {rate_words}){with_map[request.with_map]}, and a report"
    frames = [sum(part.frames for part in joined(job, shot.clip)) for shot in chosen]
    seconds = [round(n / job.source(s.clip.source_id).rate_hz, 3) for n, s in zip(frames, chosen, strict=True)]
    return Preview(
        words if chosen else "nothing",
        pattern,
        named,
        seconds,
        _doubts(library, revision_id, job, [*chosen], named, request),
    )


def file_names(job: Job, pieces: list[Piece], request: Request) -> tuple[str, list[Name]]:
    """Return the pattern, and the name of every file to be."""
    rate = rate_field(request.rate_of(job.rate_hz))
    rows: list[dict[str, str | int]] = [
        {"clip": p.name, "job": job.name, "source": p.source, "lane": p.lane, "number": n, "rate": rate}
        for n, p in enumerate(pieces, 1)
    ]
    pattern = request.pattern or told_apart(record(job.brief).send.patterns[request.what], rows)
    ending = KINDS[request.file_kind].ending
    return pattern, names(pattern, rows, ending, replace_this=request.replace_this, replace_by=request.replace_by)


def _kind_words(request: Request) -> str:
    kind = KINDS[request.file_kind]
    check_kbps(request.file_kind, request.kbps)
    match request.file_kind:
        case "mp3":
            return f"MP3 at a constant {request.kbps} kb/s"
        case "m4a":
            return f"M4A at about {request.kbps} kb/s"
        case "opus":
            return f"Ogg Opus at about {request.kbps} kb/s"
        case "ogg":
            return "Ogg Vorbis"
    return f"{kind.format} {'32-bit float' if kind.bits is None else f'{kind.bits}-bit'}"


def _doubts(
    library: Library, revision_id: int, job: Job, pieces: Sequence[Piece | Shot], named: list[Name], request: Request
) -> list[Doubt]:
    doubts: list[Doubt] = []
    if not pieces:
        doubts.append(Doubt("there is nothing to send: import a recording first", True))
    if colliding := [name.name for name in named if name.collides]:
        example = colliding[0]
        doubts.append(
            Doubt(f"{len(colliding)} names are the same, such as “{example}”; add {{number}} to the pattern", True)
        )
    if request.channels_of(job.channels) > KINDS[request.file_kind].most_channels:
        doubts.append(
            Doubt(
                f"{KINDS[request.file_kind].format} cannot hold {request.channels_of(job.channels)} channels; choose mono",
                True,
            )
        )
    doubts += [Doubt(text) for text in _rates_converted(job, pieces, request)]
    doubts += [Doubt(text, True) for text in _missing_pictures(library, job, request)]
    whole = [piece for piece in pieces if isinstance(piece, Piece)]
    if request.what == "one" and whole:
        doubts += _doubts_of_whole(job, whole[0], request)
    if request.channels > job.channels == 1 and request.loudness_lufs is None:
        doubts.append(Doubt("in stereo the file is 3.0 LU louder than in mono: both channels count (BS.1770)"))
    if request.channels and request.channels < job.channels:
        doubts.append(
            Doubt("the channels will be mixed to mono: their mean, so that what is the same in all keeps its level")
        )
    loud = [source for source in job.sources.values() if library.source(source.id).peak > 1.0]
    doubts += [
        Doubt(f"“{source.name}” has samples over full scale; they will clip in 16- and 24-bit files") for source in loud
    ]
    if request.what == "one_shots" and not request.clip_ids and (lacking := lacks(job)):
        more = f" and {len(lacking) - 6} more" if len(lacking) > 6 else ""
        doubts.append(Doubt(f"missing from the grid: {', '.join(lacking[:6])}{more}"))
    if request.what == "one_shots" and request.with_map != "none":
        doubts += [Doubt(text) for text in (*strength_order(library, job).doubts, *on_one_key(job))]
    if request.what != "one_shots" and (
        muted := [lane.name for lane in job.lanes.values() if lane.id not in audible_lanes(job)]
    ):
        doubts.append(Doubt(f"muted lanes are not sent: {', '.join(muted)}"))
    if request.what in ("one", "each_section"):
        doubts += [
            Doubt(d.text, job_frame=d.job_frame, clip_id=d.clip_id) for d in programme_doubts(library, revision_id)
        ]
    doubtful = [
        row
        for row in verdicts(library, revision_id)
        if row.doubtful and (not request.clip_ids or row.clip_id in request.clip_ids)
    ]
    for row in doubtful[:MOST_DOUBTS]:
        verdict = next(v for v in row.verdicts if v.state != "fine")
        clip = job.clips[row.clip_id]
        at = start_of(job, clip) if verdict.side == "head" else end_of(job, clip)
        words = f"“{clip.name}”, {verdict.side}: {verdict.text}"
        doubts.append(Doubt(words, clip_id=clip.id, side=verdict.side, job_frame=at))
    if len(doubtful) > MOST_DOUBTS:
        rest = len(doubtful) - MOST_DOUBTS
        doubts.append(Doubt(f"{rest:,} more clips are doubtful; the clip list shows all of them under “to look at”"))
    return doubts


def _missing_pictures(library: Library, job: Job, request: Request) -> list[str]:
    """Say which pictures are not kept here, as in a job that was saved elsewhere."""
    wanted = {"the cover": request.tags.cover} if request.tags and request.tags.cover else {}
    if request.chapters:
        wanted |= {f"the picture of the chapter “{m.name}”": m.picture for m in job.marks.values() if m.picture}
    return [
        f"{what} is not on this machine; choose it again"
        for what, name in wanted.items()
        if not library.home.has_picture(name)
    ]


def _doubts_of_whole(job: Job, piece: Piece, request: Request) -> list[Doubt]:
    """Return what to know of one file: faults of its chapters, and stretches in which nothing lies."""
    doubts = []
    if request.chapters:
        chapters = chapters_in(job, piece)
        if not chapters:
            doubts.append(Doubt("there are no chapters: a section mark makes one"))
        for fault in chapter_faults(chapters, request.shortest_chapter_s):
            doubts.append(Doubt(fault.text, job_frame=piece.start + round(fault.start_ms * job.rate_hz / 1000)))
    silent = stretches_of_nothing(job, piece, round(LONG_SILENCE_S * job.rate_hz))
    for start, end in silent[:MOST_DOUBTS]:
        seconds = (end - start) / job.rate_hz
        doubts.append(
            Doubt(f"{seconds:.1f} s of silence at {clock((start - piece.start) / job.rate_hz)}", job_frame=start)
        )
    if rest := silent[MOST_DOUBTS:]:
        seconds = sum(end - start for start, end in rest) / job.rate_hz
        doubts.append(Doubt(f"{len(rest):,} more stretches of silence, {clock(seconds)} in all", job_frame=rest[0][0]))
    return doubts


def _rates_converted(job: Job, pieces: Sequence[Piece | Shot], request: Request) -> list[str]:
    """Say which rates will be converted to which, and why."""
    changes = sorted(
        {
            (job.source(piece.clip.source_id).rate_hz, piece.rate_hz)
            if isinstance(piece, Shot)
            else (job.rate_hz, request.rate_of(job.rate_hz))
            for piece in pieces
        }
    )
    return [
        f"the sample rate will be converted from {own:,} to {to:,} Hz"
        + ("" if to == request.rate_hz else ", which this format needs")
        for own, to in changes
        if own != to
    ]


def _tried(library: Library, revision_id: int, request: Request) -> HeardInFile | None:
    """Return what was found out of a request's one file, if that was asked for and nothing changed since."""
    with library.database.read() as db:
        rows = records.list_tasks(db, jobs.get_revision(db, revision_id).job_id)
    wanted = {"revision": revision_id, "send": request.sound}
    found = next((row for row in rows if row.kind == "check" and row.state == "done" and row.request == wanted), None)
    return None if found is None or found.result is None else HeardInFile(**found.result["heard"])


def _doubts_of_trial(tried: HeardInFile | None) -> list[Doubt]:
    """Return what to know of what the encoder gives back: samples that clip, or peaks between them that will."""
    if tried is None or tried.true_peak_db <= 0.0:
        return []
    if tried.clipped:
        return [Doubt(f"decoded again, {tried.clipped} samples clip; limit lower")]
    return [Doubt(f"decoded again, the true peak is {tried.true_peak_db:+.1f} dB: some players will clip; limit lower")]
