"""What comes along inside files and goes out again, and jobs saved whole: checked by readers that are not ours."""

from __future__ import annotations

import json
import shutil
import struct
import zipfile
from collections.abc import Callable
from dataclasses import replace
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from tests.conftest import RATE, linked, phrases
from tests.pictures import png_of
from wavinfo import WavInfoReader

from wemble.actions import artwork, job_list, job_settings, saved_jobs, uploads
from wemble.actions.delivery import export
from wemble.actions.delivery.release import ReleaseRequest, start_release
from wemble.actions.delivery.request import Request
from wemble.actions.editing import edits
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.shell.show import run_settings
from wemble.actions.show.rehearsing import Rehearsal, start_rehearsal
from wemble.actions.work.executor import WorkerPool
from wemble.actions.work.tasks import wait_for
from wemble.core.deliver.tags import Tags
from wemble.core.edit.marks import place_of
from wemble.store import records
from wemble.store.rows import TaskRow

BringIn = Callable[..., tuple[str, TaskRow]]


def with_chunks(path: Path, *chunks: tuple[bytes, bytes]) -> Path:
    """Append chunks to a WAV file, written by hand here so that no code of ours makes what is read."""
    data = bytearray(path.read_bytes())
    for name, body in chunks:
        data += struct.pack("<4sI", name, len(body)) + body + b"\0" * (len(body) & 1)
    data[4:8] = struct.pack("<I", len(data) - 8)
    path.write_bytes(data)
    return path


def marked_take(path: Path) -> Path:
    """Two cue points, one of them named, and a loop of the sampler chunk (MPDSI 1.0 and its revision of 1994, memory)."""
    soundfile.write(path, phrases(6.0), RATE, subtype="PCM_24")
    cue = struct.pack("<I", 2) + b"".join(
        struct.pack("<II4sIII", n, f, b"data", 0, 0, f) for n, f in ((7, 48_000), (3, 96_123))
    )
    label = b"adtl" + struct.pack("<4sII", b"labl", 11, 3) + b"Chorus\0\0"
    loop = struct.pack("<9I", 0, 0, 20833, 60, 0, 0, 0, 1, 0) + struct.pack("<6I", 0, 0, 40_000, 59_999, 0, 0)
    return with_chunks(path, (b"junk", b"odd"), (b"cue ", cue), (b"LIST", label), (b"smpl", loop))


def send(library: Library, job_id: str, **request: object) -> Path:
    revision = open_job(library, job_id).revision
    task = wait_for(library, export.start_export(library, job_id, revision, Request(**request)), 60)  # type: ignore[arg-type]
    assert task.state == "done" and task.result is not None, task.error
    return Path(task.result["folder"])


def test_points_and_loops_come_along_and_go_out_on_the_same_sound(
    library: Library, bring_in: BringIn, tmp_path: Path
) -> None:
    job_id, _ = bring_in(marked_take(tmp_path / "marked.wav"))
    opened = open_job(library, job_id)
    assert {(m.name, m.frame, m.end_frame) for m in opened.job.marks.values()} == {
        ("Point 2", 48_000, None), ("Chorus", 96_123, None), ("Loop", 40_000, 60_000),
    }  # fmt: skip
    (clip,) = opened.job.clips.values()
    edits.perform(library, job_id, opened.revision, "move_edge", clip_id=clip.id, side="head", source_frame=30_000)
    folder = send(library, job_id, what="one", pattern="a", kind="wav_24")
    read = WavInfoReader(str(folder / "a.wav"))
    assert sorted(cue.sample_offset for cue in read.cues.cues) == [18_000, 66_123]
    assert sorted(label.text for label in read.cues.labels) == ["Chorus", "Point 2"]
    (loop,) = read.smpl.sample_loops
    assert (loop.start, loop.end) == (10_000, 29_999)  # the end is played: inclusive
    samples, _ = soundfile.read(folder / "a.wav", dtype="float32")
    original, _ = soundfile.read(tmp_path / "marked.wav", dtype="float32")
    assert abs(samples[0]) < 1e-6 and np.array_equal(samples[2_400:], original[32_400:])  # the fresh edge has its fade


@pytest.mark.parametrize(
    "chunk", [(b"cue ", b"\xff" * 30), (b"smpl", b"\0" * 10), (b"LIST", b"adtl" + b"\xff" * 9), (b"cue ", b"")]
)
def test_points_that_make_no_sense_are_left_out(
    library: Library, bring_in: BringIn, tmp_path: Path, chunk: tuple[bytes, bytes]
) -> None:
    path = tmp_path / "odd.wav"
    soundfile.write(path, phrases(2.0), RATE, subtype="PCM_16")
    job_id, task = bring_in(with_chunks(path, chunk))
    assert task.state == "done" and not open_job(library, job_id).job.marks


def test_another_recording_is_put_under_a_clip_and_its_points_stay(
    library: Library, bring_in: BringIn, tmp_path: Path
) -> None:
    job_id, _ = bring_in(marked_take(tmp_path / "marked.wav"))
    soundfile.write(tmp_path / "other.wav", phrases(2.5, 24_000), 24_000, subtype="PCM_24")  # half the rate, shorter
    bring_in(tmp_path / "other.wav", job_id)
    opened = open_job(library, job_id)
    clip = next(c for c in opened.job.clips.values() if c.name == "marked")
    other = next(s for s in opened.job.sources.values() if s.rate_hz == 24_000)
    places = {m.name: place_of(opened.job, m) for m in opened.job.marks.values()}
    answer = edits.perform(library, job_id, opened.revision, "put_under", clip_ids=(clip.id,), source_id=other.id)
    after = open_job(library, job_id).job
    assert after.clip(clip.id).tail_frame == 60_000 and "earlier" in answer.notes[0]
    for mark in after.marks.values():
        assert abs(place_of(after, mark) - places[mark.name]) <= 1


def test_automatic_fades_go_and_come_and_ones_own_stay(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)
    opened = open_job(library, job_id)
    (clip,) = opened.job.clips.values()
    answer = edits.perform(
        library, job_id, opened.revision, "move_edge", clip_id=clip.id, side="head", source_frame=30_000
    )
    answer = edits.perform(
        library, job_id, answer.revision, "move_edge", clip_id=clip.id, side="tail", source_frame=90_000
    )
    answer = edits.perform(
        library,
        job_id,
        answer.revision,
        "set_fade",
        clip_ids=(clip.id,),
        side="tail",
        length_frames=777,
        shape="linear",
    )
    answer = edits.perform(library, job_id, answer.revision, "set_automatic_fades", on=True)
    with_fades = open_job(library, job_id).job.clip(clip.id)
    assert with_fades.fade_in is not None and with_fades.fade_in.origin == "auto"
    edits.perform(library, job_id, answer.revision, "set_automatic_fades", on=False)
    without = open_job(library, job_id).job.clip(clip.id)
    assert without.fade_in is None and without.fade_out == with_fades.fade_out


def saved(library: Library, job_id: str) -> Path:
    task = wait_for(library, saved_jobs.start_save(library, job_id, open_job(library, job_id).revision), 60)
    assert task.state == "done" and task.result is not None, task.error
    return Path(task.result["folder"]) / task.result["files"][0]


def opened_from(library: Library, archive: Path) -> tuple[str, TaskRow]:
    job_id = create_job(library, "opened")
    upload = uploads.begin_upload(library, job_id, archive.name, archive.stat().st_size)
    uploads.add_part(library, upload.id, 0, archive.read_bytes())
    return job_id, wait_for(library, uploads.finish_upload(library, upload.id), 60)


def test_a_saved_job_is_opened_elsewhere_bit_for_bit(library: Library, bring_in: BringIn, tmp_path: Path) -> None:
    job_id, _ = bring_in(marked_take(tmp_path / "marked.wav"))
    archive = saved(library, job_id)
    here = open_job(library, job_id)
    with zipfile.ZipFile(archive) as held:
        assert json.loads(held.read("job.json"))["job"]["name"] == "test"
        assert any(name.endswith("original.wav") for name in held.namelist())
    elsewhere = Library(tmp_path / "elsewhere", workers=1)
    elsewhere.start()
    try:
        other_id, task = opened_from(elsewhere, archive)
        assert task.state == "done", task.error
        there = open_job(elsewhere, other_id)
        assert there.job == here.job
        frames = 6 * RATE
        one = library.plan_at(here.revision).render(0, frames, library.reader)
        assert np.array_equal(one, elsewhere.plan_at(there.revision).render(0, frames, elsewhere.reader))
        assert (
            elsewhere.measured(next(iter(there.job.sources))).floor
            == library.measured(next(iter(here.job.sources))).floor
        )
    finally:
        elsewhere.close()


@pytest.mark.parametrize(
    ("spoil", "match"),
    [
        (
            lambda files: files.update({"job.json": files["job.json"].replace(b'"test"', b'"tast"')}),
            "not as it was saved",
        ),
        (lambda files: files.update({"sources/../../evil": b"x"}), "Wemble does not write"),
        (lambda files: files.update({"checksums.json": b"[]"}), "cannot be read"),
    ],
)
def test_a_spoilt_saved_job_is_refused_and_nothing_is_left(
    library: Library,
    bring_in: BringIn,
    take: Path,
    tmp_path: Path,
    spoil: Callable[[dict[str, bytes]], None],
    match: str,
) -> None:
    job_id, _ = bring_in(take)
    with zipfile.ZipFile(saved(library, job_id)) as held:
        files = {name: held.read(name) for name in held.namelist()}
    spoil(files)
    with zipfile.ZipFile(tmp_path / "spoilt.wemble.zip", "w") as out:
        for name, data in files.items():
            out.writestr(name, data)
    other_id, task = opened_from(library, tmp_path / "spoilt.wemble.zip")
    assert task.state == "failed" and task.error is not None and match in task.error["message"]
    assert not open_job(library, other_id).job.sources and not list(library.home.scratch.iterdir())


DELIVERED: dict[str, tuple[str, Any]] = {
    "voiceover": ("each_clip", Request("wav_24", "each_clip")),
    "podcast": ("one", Request("mp3", "one", chapters=True)),
    "drums": ("one_shots", Request("as_source", "one_shots", with_map="cut")),
    "release": ("release", ReleaseRequest(title="The disc", files="flac_16")),
    "show": ("rehearsal", None),
}


@pytest.mark.parametrize("brief", DELIVERED)
def test_a_job_of_each_brief_carries_all_that_it_shows(
    brief: str, demo_home: Path, tmp_path: Path, workers: WorkerPool
) -> None:
    """Saved, and opened in an empty home: the same records, and every delivery the same to the bit."""
    shutil.copytree(demo_home, tmp_path / "demo", copy_function=linked, ignore=shutil.ignore_patterns("lock"))
    there, here = Library(tmp_path / "demo", pool=workers), Library(tmp_path / "empty", pool=workers)
    there.start()
    here.start()
    cards = [card for card in job_list.job_cards(there) if open_job(there, card.id).job.brief == brief]
    card = max(cards, key=lambda card: len(open_job(there, card.id).job.marks))
    picture = artwork.keep_picture(there, png_of(12, 8)).name
    job_settings.keep(there, card.id, "tags", {"cover": picture})
    if marks := [one for one in open_job(there, card.id).job.marks.values() if one.kind == "section"]:
        edits.perform(
            there, card.id, open_job(there, card.id).revision, "set_picture", mark_id=marks[0].id, picture=picture
        )
    if brief == "release":
        for edit, fields in (("make_tracks", {"gap_frames": 96_000}), ("put_on_disc_frames", {})):
            edits.perform(there, card.id, open_job(there, card.id).revision, edit, **fields)
    saved = wait_for(there, saved_jobs.start_save(there, card.id, open_job(there, card.id).revision))
    assert saved.result is not None, saved.error
    job_id = create_job(here, "empty")
    archive = Path(saved.result["folder"]) / saved.result["files"][0]
    opened = wait_for(here, saved_jobs.start_open(here, job_id, archive, archive.name, upload_id=None))
    assert opened.state == "done", opened.error
    one, other = open_job(there, card.id), open_job(here, job_id)
    assert (one.job, one.settings) == (other.job, other.settings) and here.home.has_picture(picture)
    with there.database.read() as theirs, here.database.read() as ours:
        for key in one.job.sources:
            assert records.get_source(theirs, key) == records.get_source(ours, key)
    assert delivered(there, card.id, brief, picture) == delivered(here, job_id, brief, picture) != {}
    there.close()
    here.close()


def delivered(library: Library, job_id: str, brief: str, cover: str) -> dict[str, str]:
    """Send a job as its brief usually is, and return the hash of every file; the zip of all has the time in it."""
    revision = open_job(library, job_id).revision
    what, request = DELIVERED[brief]
    if what == "rehearsal":
        task_id = start_rehearsal(library, job_id, revision, Rehearsal(), run_settings(library, job_id))
    elif what == "release":
        task_id = start_release(library, job_id, revision, replace(request, cover=cover))
    else:
        tags = Tags("The title", cover=cover) if what != "one_shots" else None
        task_id = export.start_export(library, job_id, revision, replace(request, tags=tags))
    task = wait_for(library, task_id)
    assert task.state == "done" and task.result is not None, task.error
    files = {path for path in Path(task.result["folder"]).rglob("*") if path.is_file() and path.name != "all.zip"}
    return {path.name: sha256(path.read_bytes()).hexdigest() for path in files}
