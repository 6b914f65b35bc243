"""The shell: JSON lines in source frames, exit statuses, nothing written over."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import soundfile
from click.testing import CliRunner
from tests.conftest import RATE

from wemble.actions.library import Library
from wemble.actions.recipes import save
from wemble.cli.main import main
from wemble.core.edges.recipe import Recipe


def run(*args: object) -> tuple[int, str]:
    result = CliRunner().invoke(main, [str(arg) for arg in args])
    return result.exit_code, result.output


def test_find_sound_prints_one_object_a_file(take: Path, tmp_path: Path) -> None:
    status, output = run("find", "sound", take, "--json")
    found = json.loads(output)
    assert status == 0 and set(found) == {
        "file",
        "sample_rate_hz",
        "frames",
        "spans",
        "sounds",
        "floor_db",
        "threshold_db",
    }
    assert [
        abs(start / RATE - at) < 0.008 for (start, _), at in zip(found["sounds"], (0.7, 2.7, 4.7), strict=True)
    ] == [True] * 3
    assert all(
        span[0] < sound[0] and sound[1] < span[1] for span, sound in zip(found["spans"], found["sounds"], strict=True)
    )
    (tmp_path / "letter.txt").write_text("dear")
    status, output = run("find", "sound", tmp_path / "letter.txt", take)
    assert status == 3 and "not audio" in output and "3 sounds" in output


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
    assert status == 3 and "is there already" in output
    assert run("clean", take, "--recipe", "nope", "--home", tmp_path / "home", "--to", tmp_path)[0] == 2
    assert run("find", "sound")[0] == 2
