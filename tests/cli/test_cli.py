"""The shell: JSON lines in source frames, exit statuses, nothing written over."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import soundfile
from click.testing import CliRunner
from tests.conftest import RATE

from wemble.actions.library import Library
from wemble.actions.recipes import save
from wemble.actions.shell.kit import audio_files
from wemble.cli.main import main
from wemble.core.edges.recipe import Recipe
from wemble.demo.conversation import RATE_HZ as TALK_RATE_HZ
from wemble.demo.conversation import low_water, placed_lines
from wemble.demo.talk_script import LINES


def run(*args: object) -> tuple[int, str]:
    result = CliRunner().invoke(main, [str(arg) for arg in args])
    return result.exit_code, result.output


def test_loudness_is_that_of_the_standards_tone_and_of_what_speaks(tmp_path: Path) -> None:
    tone = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * np.arange(20 * RATE) / RATE)
    soundfile.write(tmp_path / "tone.wav", np.stack([tone, tone], 1), RATE, subtype="FLOAT")  # EBU Tech 3341, case 1
    soundfile.write(tmp_path / "silence.wav", np.zeros(RATE), RATE)
    status, output = run("loudness", tmp_path / "tone.wav", tmp_path / "silence.wav", "--json")
    whole, nothing = map(json.loads, output.splitlines())
    assert status == 0 and abs(whole["integrated_lufs"] + 23.0) <= 0.1 and abs(whole["true_peak_dbtp"] + 23.0) <= 0.1
    assert set(whole) == {"file", "integrated_lufs", "range_lu", "true_peak_dbtp", "sample_peak_db", "speech_lufs"}
    assert nothing["integrated_lufs"] is None and nothing["speech_lufs"] is None and nothing["range_lu"] == 0.0
    assert "nothing loud enough" in run("loudness", tmp_path / "silence.wav")[1]
    status, output = run("loudness", tmp_path / "tone.wav", tmp_path / "gone.wav")
    assert status == 3 and "−23.0 LUFS".replace("−", "-") in output and "no such file" in output


def test_find_sound_prints_one_object_a_file(take: Path, tmp_path: Path) -> None:
    status, output = run("find", "sound", take, "--json")
    found = json.loads(output)
    assert status == 0 and set(found) == {
        "file",
        "sample_rate_hz",
        "frames",
        "spans",
        "sounds",
        "edges",
        "noise",
        "floor_db",
        "threshold_db",
    }
    for (start, end), edges in zip(found["sounds"], found["edges"], strict=True):
        for frame, edge in ((start, edges["start"]), (end, edges["end"])):
            assert set(edge) == {"frame", "lo_frame", "hi_frame", "confidence", "reason"} and edge["frame"] == frame
            assert edge["lo_frame"] <= frame <= edge["hi_frame"] and 0.0 <= edge["confidence"] <= 1.0
    assert found["noise"] == [[0, found["frames"], round(found["floor_db"], 1)]], "it stays where it is"
    assert [
        abs(start / RATE - at) < 0.008 for (start, _), at in zip(found["sounds"], (0.7, 2.7, 4.7), strict=True)
    ] == [True] * 3
    assert all(
        span[0] < sound[0] and sound[1] < span[1] for span, sound in zip(found["spans"], found["sounds"], strict=True)
    )
    (tmp_path / "letter.txt").write_text("dear")
    status, output = run("find", "sound", tmp_path / "letter.txt", take)
    assert status == 3 and "cannot be read as audio" in output and "3 sounds" in output


def test_check_tells_findings_by_its_status(take: Path, tmp_path: Path) -> None:
    assert run("clean", take, "--to", tmp_path / "out")[0] == 0
    assert run("check", *sorted((tmp_path / "out").iterdir()))[0] == 0
    hard = tmp_path / "hard.wav"
    soundfile.write(hard, 0.5 * np.sin(np.arange(RATE) / 20 + 1), RATE)
    status, output = run("check", hard, "--json")
    assert status == 1 and any(v["check"] == "click" and v["state"] == "fail" for v in json.loads(output)["verdicts"])


def test_clean_takes_a_saved_recipe_and_writes_over_nothing(take: Path, tmp_path: Path) -> None:
    library = Library(tmp_path / "home", workers=0)
    save(library, "tight", Recipe(room_before_ms=10.0, room_after_ms=10.0, threshold_db=20.0))
    library.close()
    args = (
        "clean",
        take,
        "--home",
        tmp_path / "home",
        "--recipe",
        "tight",
        "--to",
        tmp_path / "out",
        "--kind",
        "wav_16",
    )
    assert run(*args)[0] == 0
    assert [path.name for path in sorted((tmp_path / "out").iterdir())] == ["take 01.wav", "take 02.wav", "take 03.wav"]
    assert abs(soundfile.info(tmp_path / "out" / "take 01.wav").duration - 0.62) < 0.02
    status, output = run(*args)
    assert status == 3 and "is already there" in output
    assert run("clean", take, "--recipe", "nope", "--home", tmp_path / "home", "--to", tmp_path)[0] == 2
    assert run("find", "sound")[0] == 2


def test_hits_and_loops_are_found_in_frames_of_the_file(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    t = np.arange(RATE) / RATE
    hit = 0.7 * np.cos(2 * np.pi * 190 * t) * np.exp(-8 * t)
    one = 1e-3 * rng.standard_normal(2 * RATE)
    one[7_200 : 7_200 + RATE] += hit
    for name, later in (("oar_near", 0), ("oar_far", 300)):
        soundfile.write(tmp_path / f"{name}.wav", np.roll(one, later), RATE)
    status, output = run(
        "find", "onset", tmp_path / "oar_near.wav", tmp_path / "oar_far.wav", "--mic-set", "{name}_{mic}", "--json"
    )
    near, far = map(json.loads, output.splitlines())
    assert status == 0 and near["onset_frame"] == far["onset_frame"] and abs(near["onset_frame"] - 7_200) < 24
    assert {"file", "sample_rate_hz", "onset_frame", "end_frame", "confidence", "reason"} <= set(near)
    for row in (near, far):
        assert row["onset_lo_frame"] <= row["onset_frame"] <= row["onset_hi_frame"] < row["end_lo_frame"]
        assert row["end_lo_frame"] <= row["end_frame"] <= row["end_hi_frame"]
    alone = json.loads(run("find", "onset", tmp_path / "oar_far.wav", "--json")[1])
    assert abs(alone["onset_frame"] - 7_500) < 24

    take = 1e-3 * rng.standard_normal(4 * RATE)
    for at in (12_000, 40_000, 90_000):
        take[at : at + RATE] += hit
    soundfile.write(tmp_path / "take.wav", take, RATE)
    hits = json.loads(run("find", "hits", tmp_path / "take.wav", "--json")[1])["hits"]
    assert [abs(h["onset_frame"] - at) < 24 for h, at in zip(hits, (12_000, 40_000, 90_000), strict=True)] == [True] * 3
    assert all(h["onset_lo_frame"] <= h["onset_frame"] <= h["onset_hi_frame"] for h in hits)
    assert all(h["end_lo_frame"] <= h["end_frame"] <= h["end_hi_frame"] for h in hits)

    soundfile.write(tmp_path / "pad.wav", 0.4 * np.sin(2 * np.pi * 111 * np.arange(3 * RATE) / RATE), RATE)
    loops = json.loads(run("find", "loop", tmp_path / "pad.wav", "--near", "30000,100000", "--json")[1])["loops"]
    assert loops[0]["score"] < 1 and {"start_frame", "end_frame", "crossfade_frames", "score"} == set(loops[0])
    assert run("find", "loop", tmp_path / "pad.wav", "--near", "soon")[0] == 2
    assert run("find", "hits", tmp_path / "none.wav")[0] == 3
    assert run("kit", tmp_path / "nowhere", "--to", tmp_path / "kit")[0] == 2


def test_odd_names_and_folders_that_are_files(take: Path, tmp_path: Path) -> None:
    odd = tmp_path / os.fsdecode(b"take \xff 1.wav")  # Latin-1 on a disk that is otherwise UTF-8
    shutil.copy(take, odd)
    command = [sys.executable, "-m", "wemble.cli.main"]
    said = subprocess.run(
        [*command, "clean", odd, "--whole", "--to", tmp_path / "out"], capture_output=True, check=True
    )
    assert [path.name for path in (tmp_path / "out").iterdir()] == [
        "take \ufffd 1 clean.wav"
    ] and b"Trace" not in said.stderr
    for asked in (["clean", odd], ["kit", tmp_path]):
        said = subprocess.run([*command, *asked, "--to", take / "below"], capture_output=True)
        assert said.returncode in (2, 3) and b"is a file; choose a folder" in said.stderr


def test_folders_are_read_in_the_order_a_person_counts(tmp_path: Path) -> None:
    for name in ("snare 10.wav", "snare 2.wav", "b/1.wav", "Kick.wav"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).touch()
    assert [path.name for path in audio_files(tmp_path)] == ["Kick.wav", "1.wav", "snare 2.wav", "snare 10.wav"]


def test_an_episode_is_made_of_two_lanes_and_who_speaks_is_told_in_frames(tmp_path: Path) -> None:
    """The first minute of *Low Water 7*: count-in, welcome, talk; an opening of 3 s in the place of the lead."""
    end = 56 * TALK_RATE_HZ
    for who, samples in low_water().items():
        soundfile.write(tmp_path / f"{who}.wav", samples[:end], TALK_RATE_HZ)
    lanes = (tmp_path / "host.wav", tmp_path / "guest.wav")
    status, output = run("find", "speaker", *lanes, "--json")
    rows = [json.loads(line) for line in output.splitlines()]
    assert status == 0 and [row["frames"] for row in rows] == [end, end]
    for row, who in zip(rows, ("host", "guest"), strict=True):
        assert set(row) == {"file", "sample_rate_hz", "frames", "spans"}
        kept = np.zeros(end, np.bool_)
        for a, b in row["spans"]:
            kept[a:b] = True
        said = [place for line, place in zip(LINES, placed_lines(), strict=True) if line.who == who and place[1] < end]
        assert all(kept[start:stop].mean() > 0.99 for start, stop in said)
        assert 0.2 < kept.mean() < 0.7, "and not what the other says"
    assert run("find", "speaker", lanes[0])[0] == 2

    tone = 0.1 * np.sin(2 * np.pi * 440 * np.arange(3 * TALK_RATE_HZ) / TALK_RATE_HZ)
    soundfile.write(tmp_path / "open.wav", tone, TALK_RATE_HZ)
    to = tmp_path / "out" / "episode.flac"
    wanted = ("--opening", tmp_path / "open.wav", "--longest-gap", "0.8", "--rate", "0", "--to", to)
    status, output = run("episode", *lanes, *wanted)
    assert status in (0, 1), output
    samples, rate = soundfile.read(to)
    assert rate == TALK_RATE_HZ and samples.ndim == 1 and np.abs(samples).max() <= 10 ** (-4 / 20)
    assert np.abs(samples[: 2 * rate]).max() > 0.02, "the opening"
    level = np.sqrt(np.mean(np.square(samples[3 * rate : 4 * rate])))
    assert level > 0.02, "and where it ends the talk begins: the count-in is gone"
    assert run("episode", *lanes, *wanted)[0] == 2, "nothing is written over"
    assert run("episode", *lanes, "--to", tmp_path / "a.txt")[0] == 2
