"""A release and songs for radio, from mixes to files; read back by readers that are not ours."""

from __future__ import annotations

import csv
import json
import re
from dataclasses import replace
from pathlib import Path

import mutagen
import numpy as np
import pytest
import soundfile
from click.testing import CliRunner

from wemble.actions.delivery.release import ReleaseRequest, release_preview, start_hearing, start_release
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import sound_search
from wemble.actions.work.tasks import wait_for
from wemble.cli.main import main
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.tracks import tracks_of
from wemble.errors import InvalidInput

RATE_HZ = 48_000
LENGTHS_S = (6.0, 9.0, 8.0, 7.0, 5.0)


def piece(seconds: float, n: int) -> np.ndarray:
    """Return a piece with 1.5 s of air before it and 2 s behind: a chord that stops dead, 70 dB over its noise."""
    rng = np.random.default_rng(n)
    t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    chord = sum(np.sin(2 * np.pi * 110 * 2 ** (k * (n + 3) / 12) * t + k) for k in range(4)) / 8
    sound = np.pad(np.stack([chord, 0.8 * chord], axis=1), ((round(1.5 * RATE_HZ), 2 * RATE_HZ), (0, 0)))
    return sound + 10 ** (-75 / 20) * rng.standard_normal(sound.shape)


def through(library: Library, task_id: str) -> dict[str, object]:
    task = wait_for(library, task_id)
    assert task.state == "done", task.error
    return task.result or {}


@pytest.fixture
def slack_tide(library: Library, tmp_path: Path) -> tuple[str, int]:
    """Return a job of five mixes whose programmes were found, and its revision."""
    job_id = create_job(library, "Slack Tide", "release")
    for n, seconds in enumerate(LENGTHS_S):
        path = tmp_path / f"Piece {n + 1}.wav"
        soundfile.write(path, piece(seconds, n), RATE_HZ, subtype="PCM_24")
        through(library, start_import(library, job_id, path, path.name))
    opened = open_job(library, job_id)
    recipe = replace(
        sound_search.proposal(library, opened.job, list(opened.job.clips)), room_before_ms=10.0, room_after_ms=30.0
    )
    return job_id, sound_search.apply(library, job_id, opened.revision, [], recipe, Treatment()).revision


def test_joined_files_of_tracks_equal_the_image_bit_for_bit(
    library: Library, slack_tide: tuple[str, int], tmp_path: Path
) -> None:
    """At another rate, with an overlap, a gap of one's own, and a boundary that two share."""
    job_id, revision = slack_tide

    def do(kind: str, **fields: object) -> None:
        nonlocal revision
        revision = perform(library, job_id, revision, kind, **fields).revision

    names = sorted(clip.name for clip in library.job_at(revision).clips.values())
    assert names == [f"Piece {n}" for n in range(1, 6)]
    do("make_tracks", gap_frames=2 * RATE_HZ)
    ids = [track.mark.id for track in tracks_of(library.job_at(revision))]
    do("set_gaps", mark_ids=(ids[1],), gap_frames=round(3.4 * RATE_HZ))
    do("run_on", mark_id=ids[3], overlap_frames=round(2.5 * RATE_HZ))
    do("describe_track", mark_id=ids[0], performer="Ferry House", isrc="QZ-A1B-26-00001")
    do("move_mark", mark_id=ids[4], frame=tracks_of(library.job_at(revision))[4].start - 7)
    request = ReleaseRequest(files="flac_16", title="Slack Tide", performer="Ferry House", catalog="4006381333931")
    before = release_preview(library, revision, request)
    assert "converted from 48,000 to 44,100 Hz" in before.words and len(before.tracks) == 5
    with pytest.raises(InvalidInput, match="disc frame"):
        start_release(library, job_id, revision, request)
    do("put_on_disc_frames")
    heard = through(library, start_hearing(library, job_id, revision))
    before = release_preview(library, revision, request)
    assert not [fault.text for fault in before.faults if fault.stops]
    assert before.tracks[0].heard is not None and heard["integrated_lufs"] == before.integrated_lufs
    peaks = [one.heard.true_peak_db for one in before.tracks if one.heard]
    assert before.true_peak_db == max(peaks) and before.tracks[1].gap_s == pytest.approx(3.4, abs=2 / 75)

    sent = through(library, start_release(library, job_id, revision, request))
    folder = library.home.exports / str(sent["folder_name"])
    image, rate = soundfile.read(folder / "Slack Tide.wav", dtype="int16")
    files = sorted(folder.glob("0*.flac"))
    joined = np.concatenate([soundfile.read(path, dtype="int16")[0] for path in files])
    assert rate == 44_100 and len(files) == 5 and len(image) % 588 == 0
    assert (joined == image).all() and joined.shape == image.shape
    assert len(image) == round(before.total_s * 44_100) and before.tracks[0].start_s == 0.0
    tags = mutagen.File(files[0])
    assert tags["isrc"] == ["QZA1B2600001"] and tags["barcode"] == [request.catalog] and tags["tracknumber"] == ["1/5"]
    paused = through(library, start_release(library, job_id, revision, replace(request, first_pause="in_image")))
    folder_with = library.home.exports / str(paused["folder_name"])
    with_pause = soundfile.read(folder_with / "Slack Tide.wav", dtype="int16")[0]
    first = re.search(r"INDEX 01 (\d+):(\d+):(\d+)", (folder_with / "Slack Tide.cue").read_text())
    assert first is not None
    lead = 588 * (75 * (60 * int(first[1]) + int(first[2])) + int(first[3]))
    assert len(with_pause) - len(image) == lead >= 2 * 44_100 and not with_pause[: lead - 588].any()
    rows = list(csv.DictReader((folder / "Slack Tide tracks.csv").read_text().splitlines()))
    assert [float(row["start_s"]) for row in rows] == pytest.approx([one.start_s for one in before.tracks], abs=1e-3)
    assert rows[0]["isrc"] == "QZA1B2600001" and "total" in (folder / "Slack Tide tracks.txt").read_text()
    checked = CliRunner().invoke(main, ["check", "disc", str(folder / "Slack Tide.cue"), "--json"])
    assert checked.exit_code == 0 and json.loads(checked.output)["faults"] == []

    apart = through(library, start_release(library, job_id, revision, replace(request, gaps="left_out", image=False)))
    folder = library.home.exports / str(apart["folder_name"])
    lengths = [soundfile.info(path).frames / 44_100 for path in sorted(folder.glob("0*.flac"))]
    assert lengths == pytest.approx([one.length_s for one in before.tracks], abs=1e-6)


def test_what_listening_finds_is_told_with_its_figure(library: Library, slack_tide: tuple[str, int]) -> None:
    job_id, revision = slack_tide
    revision = perform(library, job_id, revision, "make_tracks", gap_frames=2 * RATE_HZ).revision
    tracks = tracks_of(library.job_at(revision))
    end = tracks[0].end_mark
    assert end is not None
    revision = perform(library, job_id, revision, "move_mark", mark_id=end.id, frame=tracks[0].end - RATE_HZ).revision
    last = tracks[-1].end_mark
    assert last is not None
    revision = perform(
        library, job_id, revision, "move_mark", mark_id=last.id, frame=tracks[-1].end + 4 * RATE_HZ
    ).revision
    first = tracks[2].mark.clip_id
    clip = library.job_at(revision).clip(str(first))
    revision = perform(
        library, job_id, revision, "move_edge", clip_id=first, side="head", source_frame=clip.head_frame + RATE_HZ
    ).revision
    revision = perform(library, job_id, revision, "snap_to_clips").revision
    revision = perform(
        library, job_id, revision, "move_mark", mark_id=last.id, frame=tracks[-1].end + 4 * RATE_HZ
    ).revision
    revision = perform(library, job_id, revision, "move_mark", mark_id=end.id, frame=tracks[0].end - RATE_HZ).revision
    through(library, start_hearing(library, job_id, revision))
    texts = [fault.text for fault in release_preview(library, revision, ReleaseRequest(ceiling_db=-20.0)).faults]
    for told in (
        "“Piece 1” is cut ",
        "“Piece 5” ends with 4.",
        "“Piece 3” begins inside its attack",
        "over -20 dB",
    ):
        assert any(told in text for text in texts), (told, texts)


def test_the_shell_makes_a_release_of_a_folder_and_writes_over_nothing(tmp_path: Path) -> None:
    mixes, out = tmp_path / "mixes", tmp_path / "out"
    mixes.mkdir()
    for n, seconds in enumerate(LENGTHS_S[:2]):
        soundfile.write(mixes / f"{n + 1:02d} - Piece {n + 1}.wav", piece(seconds, n), RATE_HZ, subtype="PCM_24")
    run = CliRunner()
    found = run.invoke(main, ["find", "programme", *map(str, sorted(mixes.iterdir())), "--json"])
    rows = [json.loads(line) for line in found.output.splitlines()]
    for row, seconds in zip(rows, LENGTHS_S, strict=False):
        assert row["start_frame"] == pytest.approx(1.5 * RATE_HZ, abs=300)
        assert row["end_frame"] == pytest.approx((1.5 + seconds) * RATE_HZ, abs=300)
        assert row["frames"] == round((3.5 + seconds) * RATE_HZ) and row["floor_db"] == pytest.approx(-75, abs=1)
    soundfile.write(mixes / "03 - Nothing.wav", np.zeros((RATE_HZ, 2)), RATE_HZ)
    args = ["release", str(mixes), "--to", str(out), "--title", "Slack Tide", "--gap", "3"]
    made = run.invoke(main, args)
    assert (
        made.exit_code == 3 and "03 - Nothing: there is no sound in it" in made.output
    )  # named, and the others are made
    sheet = (out / "Slack Tide.cue").read_text()
    assert 'TITLE "Piece 1"' in sheet and "INDEX 01 00:00:00" in sheet and sheet.count("TRACK") == 2
    image = soundfile.read(out / "Slack Tide.wav", dtype="int16")[0]
    joined = np.concatenate([soundfile.read(path, dtype="int16")[0] for path in sorted(out.glob("0*.wav"))])
    assert (image == joined).all()
    again = run.invoke(main, args)
    assert again.exit_code == 2 and "already in" in again.output
    (out / "Slack Tide.cue").write_text(sheet.replace("INDEX 01 00:00:00", "INDEX 01 00:01:00"))
    checked = run.invoke(main, ["check", "disc", str(out / "Slack Tide.cue")])
    assert checked.exit_code == 1 and "less than 2 s before it" in checked.output
    track, name = "TRACK 01", "Slack Tide.wav"
    for wrong, told in (
        (("INDEX 01 00:00:00", "INDEX 01 00:02:80"), "line 5"), ((track, "TRACK ²"), "line"), ((track, f"TRACK {'9' * 5_000}"), "line"),
        ((name, "../x.wav"), "does not lie beside"), ((name, ".."), "does not lie beside"),
    ):  # fmt: skip
        (out / "wrong.cue").write_text(sheet.replace(*wrong))
        checked = run.invoke(main, ["check", "disc", str(out / "wrong.cue"), str(out / "Slack Tide.cue")])
        assert told in checked.output and "Slack Tide.cue: 2 tracks" in checked.output
