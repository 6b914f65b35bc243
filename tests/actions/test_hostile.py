"""What comes from outside: damaged files, lying files, saved jobs that nobody should believe."""

from __future__ import annotations

import csv
import json
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.actions.test_exchange import opened_from, saved
from tests.conftest import phrases
from tests.hostile import RATE, coded, cue_chunk, mutated, repacked, steps, wav_with, with_hole

from wemble.actions import uploads, verdicts
from wemble.actions.delivery import export
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import hit_search, sound_search
from wemble.actions.work.executor import Report, WorkerPool
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import HitRecipe, Treatment
from wemble.core.edit.treatment import targets
from wemble.errors import WembleError
from wemble.formats.decode import decoded, probe
from wemble.formats.sfz import read_sfz
from wemble.store.rows import TaskRow

ImportFile = Callable[..., tuple[str, TaskRow]]


def read(path: Path) -> tuple[np.ndarray, list[str]]:
    damage: list[str] = []
    found = probe(path)
    return np.concatenate(list(decoded(path, found, 65_536, damage))), [*found.notes, *damage]


@pytest.mark.parametrize(("kind", "exact"), [("flac", True), ("mp3", False)])
def test_behind_a_hole_the_rest_is_in_its_place_and_the_hole_is_told(tmp_path: Path, kind: str, exact: bool) -> None:
    whole, holed = tmp_path / f"whole.{kind}", tmp_path / f"holed.{kind}"
    whole.write_bytes(coded(kind))
    holed.write_bytes(with_hole(coded(kind)))
    clean, _ = read(whole)
    samples, notes = read(holed)
    assert len(samples) == len(clean) and any("damaged and were filled with silence" in note for note in notes)
    last = slice(-RATE, -RATE // 4)  # a second that lies behind the damage
    if exact:
        assert np.array_equal(samples[last], clean[last])
    else:
        tones = [np.abs(np.fft.rfft(one[last, 0])).argmax() for one in (samples, clean)]
        assert abs(int(tones[0]) - int(tones[1])) <= 1


@pytest.mark.parametrize("kind", ["wav", "aiff", "flac", "mp3", "ogg", "opus"])
def test_half_a_file_says_that_it_is_half(library: Library, bring_in: ImportFile, tmp_path: Path, kind: str) -> None:
    data = coded(kind)
    (tmp_path / f"half.{kind}").write_bytes(data[: len(data) // 2])
    _, task = bring_in(tmp_path / f"half.{kind}")
    assert task.state == "done" and task.result is not None
    assert any("but holds" in note or "breaks off" in note for note in task.result["notes"])


@pytest.mark.parametrize("kind", ["ogg", "opus"])
def test_every_stream_of_a_chain_is_imported(tmp_path: Path, kind: str) -> None:
    (tmp_path / f"chain.{kind}").write_bytes(coded(kind) + coded(kind, steps()[::-1]))
    samples, notes = read(tmp_path / f"chain.{kind}")
    (tmp_path / f"one.{kind}").write_bytes(coded(kind))
    one, none = read(tmp_path / f"one.{kind}")
    assert len(samples) == 2 * len(one) and np.array_equal(samples[: len(one)], one) and not none
    assert any("chain of 2 streams" in note for note in notes)


def test_what_lies_about_itself_is_taken_for_what_it_is(
    library: Library, bring_in: ImportFile, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = {
        "zip tail.wav": wav_with((b"junk", b"PK\x05\x06" + bytes(18))),  # its end looks like that of a zip
        "many points.wav": wav_with(
            (b"cue ", cue_chunk(9_000)), (b"cue ", cue_chunk(9_000)), (b"cue ", cue_chunk(200_000))
        ),
        "http:x.wav": wav_with(),
        "concat:a|b.wav": wav_with(),
    }
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
        job_id, task = bring_in(tmp_path / name)
        assert task.state == "done" and task.result is not None, (name, task.error)
        notes = " ".join(task.result["notes"])
        assert ("left out" in notes) == (name == "many points.wav")
        assert len(open_job(library, job_id).job.marks) <= 10_000
    monkeypatch.chdir(tmp_path)
    with pytest.raises(WembleError, match="audio"):
        probe(Path("http:x.m4a")) if (tmp_path / "http:x.m4a").write_bytes(b"\0\0\0\x20ftypM4A " + bytes(99)) else None


def test_samples_far_over_full_scale_are_drawn_told_and_sent(
    library: Library, bring_in: ImportFile, tmp_path: Path
) -> None:
    loud = phrases(3.0)
    loud[RATE : RATE + 100] = 3e38
    soundfile.write(tmp_path / "loud.wav", loud, RATE, subtype="FLOAT")
    job_id, task = bring_in(tmp_path / "loud.wav")
    assert task.state == "done" and task.result is not None
    assert any("dB over full scale" in note for note in task.result["notes"])
    revision = open_job(library, job_id).revision
    levels = [np.fromfile(path, np.float16) for path in library.home.source(task.result["source_id"]).glob("*.f16")]
    assert all(np.isfinite(level).all() for level in levels)
    sent = wait_for(library, export.start_export(library, job_id, revision, Request("wav_16", "one", "a")))
    assert sent.state == "done"


def test_finish_is_asked_thrice_and_imports_once_also_after_a_restart(library: Library, take: Path) -> None:
    job_id = create_job(library, "x")
    data = take.read_bytes()
    upload = uploads.begin_upload(library, job_id, "take.wav", len(data))
    uploads.add_part(library, upload.id, 0, data)
    root = library.home.root
    library.close()
    again = Library(root, pool=library.pool)  # nothing was read yet when the first finish comes
    again.start()
    ids: list[str] = []
    threads = [threading.Thread(target=lambda: ids.append(uploads.finish_upload(again, upload.id))) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wait_for(again, ids[0]).state == "done" and len(set(ids)) == 1
    assert uploads.finish_upload(again, upload.id) == ids[0] and len(open_job(again, job_id).job.clips) == 1
    again.close()


def add(report: Report, a: int, b: int) -> int:
    report(0.3, "adding")
    return a + b


def dawdle(report: Report) -> str:
    report(0.4, "at it")
    time.sleep(1.2)
    return "late"


def test_a_progress_write_that_fails_fails_no_work_and_no_answer_is_taken_for_anothers() -> None:
    def locked(part: float, doing: str) -> None:
        raise RuntimeError("the database is locked")

    heard: list[str] = []
    pool = WorkerPool(1, stalled_after_s=0.4)
    try:
        assert pool.submit_reporting(add, (1, 2), locked).result(20) == 3
        stopped = pool.submit(dawdle)
        while not stopped.running():
            time.sleep(0.01)
        stopped.cancel()
        slow = pool.submit_reporting(dawdle, (), lambda part, doing: heard.append(doing))
        assert slow.result(20) == "late" and pool.submit(add, 5, 6).result(20) == 11
        assert any("no progress" in doing for doing in heard)  # what stalls is told, and goes on
    finally:
        pool.shutdown()


def found_job(library: Library, bring_in: ImportFile, take: Path) -> str:
    """Return a job with everything in it that a saved job can hold."""
    job_id, _ = bring_in(take)
    opened = open_job(library, job_id)
    ids = targets(opened.job)
    recipe = sound_search.proposal(library, opened.job, ids)
    answer = sound_search.apply(library, job_id, opened.revision, ids, recipe, Treatment("turn_down", 12))
    clips = [clip for clip in library.job_at(answer.revision).clips.values() if clip.speaks]
    some = {"clip_id": clips[0].id}
    edits: tuple[tuple[str, dict[str, object]], ...] = (
        ("set_line", {**some, "line": ((clips[0].head_frame, -3.0), (clips[0].tail_frame - 1, 2.0))}),
        ("add_mark", {"frame": 60_000, "name": "here", **some}),
        ("set_programme", {"start_frame": 1_000, "end_frame": 200_000}),
        ("set_grid", {"grid": {"bpm_numerator": 96}}),
        ("review_edge", {**some, "side": "head", "decision": "accepted"}),
        ("set_loop", {**some, "start_frame": clips[0].tail_frame - 9_000, "end_frame": clips[0].tail_frame - 900}),
        ("rename_clip", {**some, "name": "First"}),
    )  # fmt: skip
    for kind, fields in edits:
        answer = perform(library, job_id, answer.revision, kind, **fields)
    return job_id


def test_a_saved_job_is_believed_in_nothing(library: Library, bring_in: ImportFile, take: Path, tmp_path: Path) -> None:
    job_id = found_job(library, bring_in, take)
    archive = saved(library, job_id)
    source_id = next(iter(open_job(library, job_id).job.sources))

    def silent_copy(files: dict[str, bytes]) -> None:
        name = f"sources/{source_id}/copy-{RATE}.f32"
        files[name] = bytes(len(files[name]))
        content = json.loads(files["job.json"])
        content["sources"][0]["peak"] = 0.0
        files["job.json"] = json.dumps(content).encode()

    spoilt = repacked(archive, tmp_path / "silent.wemble.zip", silent_copy)
    elsewhere = Library(tmp_path / "elsewhere", pool=library.pool)
    elsewhere.start()
    other_id, task = opened_from(elsewhere, spoilt)
    assert task.state == "done", task.error
    assert open_job(elsewhere, other_id).job == open_job(library, job_id).job
    assert np.abs(elsewhere.reads(source_id)(0, 6 * RATE)).max() > 0.1  # it was decoded again
    assert elsewhere.source(source_id).peak == library.source(source_id).peak
    elsewhere.close()
    before = library.source(source_id)
    opened_from(library, spoilt)  # where the recording is known, it stays what it is
    library.forget_source(source_id)
    assert library.source(source_id) == before


@pytest.mark.parametrize("part", range(4))
def test_a_wild_saved_job_is_refused_whole_or_works_whole(
    library: Library, bring_in: ImportFile, take: Path, tmp_path: Path, part: int
) -> None:
    job_id = found_job(library, bring_in, take)
    archive = saved(library, job_id)
    known = {path.name for path in library.home.sources.iterdir()}
    refused = 0
    for seed in range(40 * part, 40 * part + 40):

        def change(files: dict[str, bytes], seed: int = seed) -> None:
            files["job.json"] = json.dumps(mutated(json.loads(files["job.json"]), seed)).encode()

        wild = repacked(archive, tmp_path / f"{seed}.wemble.zip", change)
        other_id, task = opened_from(library, wild)
        opened = open_job(library, other_id)
        if task.state == "failed":
            refused += 1
            assert task.error is not None and "bug" not in task.error["code"], (seed, task.error)
            assert not opened.job.sources and {path.name for path in library.home.sources.iterdir()} == known, seed
            continue
        works(library, other_id, seed)
    assert 20 <= refused < 40


def works(library: Library, job_id: str, seed: int) -> None:
    """Do with a job what its page does; any of our errors is fine, any other is not."""
    opened = open_job(library, job_id)
    verdicts.verdicts(library, opened.revision)
    assert np.isfinite(library.plan_at(opened.revision).render(-100, 4_000, library.reader)).all(), seed
    for hearing in ("without_fades", "original"):
        library.plan_at(opened.revision, hearing).render(50_000, 4_000, library.reader)  # type: ignore[arg-type]
    for request in (Request(), Request(what="one"), Request("as_source", "one_shots")):
        preview(library, opened.revision, request)
    wait_for(library, export.start_export(library, job_id, opened.revision, Request("wav_16", "one", "a")))


def test_what_goes_out_is_taken_for_no_formula_and_no_opcode_and_every_file_keeps_its_name(
    library: Library, bring_in: ImportFile, tmp_path: Path
) -> None:
    rng = np.random.default_rng(1)
    hit = np.concatenate([np.zeros(900), rng.standard_normal(9_000) * np.exp(-np.arange(9_000) / 900)])[:, None] * 0.3
    names = ["=SUM(A1)_hard", "Bell volume=5_hard", "Bell twin_hard"]
    job_id: str | None = None
    for name in names:
        soundfile.write(tmp_path / f"{name}.wav", hit, RATE, subtype="PCM_24")  # the same bytes under three names
        job_id, _ = bring_in(tmp_path / f"{name}.wav", job_id)
    assert job_id is not None
    revision = perform(
        library, job_id, open_job(library, job_id).revision, "read_names", pattern="{name}_{strength}"
    ).revision
    revision = hit_search.apply_hits(library, job_id, revision, [], HitRecipe()).revision
    assert len(library.job_at(revision).sources) == 1
    request = Request("as_source", "one_shots", "{name}_{strength}", with_map="cut")
    task = wait_for(library, export.start_export(library, job_id, revision, request))
    assert task.state == "done" and task.result is not None, task.error
    folder = Path(str(task.result["folder"]))
    rows = list(csv.DictReader((folder / "report.csv").read_text(encoding="utf-8").splitlines()))
    assert {row["source"] for row in rows} == {"'=SUM(A1)_hard", "Bell volume=5_hard", "Bell twin_hard"}
    regions = read_sfz((folder / "kit.sfz").read_text())
    assert {region.sample for region in regions} == {row["file"] for row in rows} and not any(
        "=" in r.sample for r in regions
    )
    assert all((folder / region.sample).is_file() for region in regions)
