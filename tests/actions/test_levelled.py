"""A file is as loud as was asked and under its ceiling as it is decoded, measured by another library."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
import soundfile

from wemble.actions.delivery.export import start_export
from wemble.actions.delivery.request import Request
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.work.tasks import wait_for
from wemble.core.deliver.kinds import FileKind
from wemble.core.render.limiter import LimiterSettings


@pytest.fixture
def job(library: Library, tmp_path: Path) -> str:
    """Syllables that are not equally loud, at 44.1 kHz and in mono."""
    rng = np.random.default_rng(5)
    t = np.arange(12 * 44_100) / 44_100
    voice = sum(np.sin(2 * np.pi * 130 * k * t + rng.uniform(0, 6)) / k for k in range(1, 30))
    talk = 0.03 * voice * np.maximum(np.sin(2 * np.pi * 2.1 * t), 0) ** 2 * (1 + 0.5 * np.sin(2 * np.pi * 0.9 * t))
    soundfile.write(tmp_path / "talk.wav", talk, 44_100, subtype="FLOAT")
    job_id = create_job(library, "talk", "podcast")
    assert wait_for(library, start_import(library, job_id, tmp_path / "talk.wav", "talk.wav")).state == "done"
    return job_id


def decoded(path: Path) -> tuple[np.ndarray, int]:
    with av.open(str(path)) as file:
        parts = [frame.to_ndarray() for frame in file.decode(audio=0)]
        rate, channels = file.streams.audio[0].rate, file.streams.audio[0].channels
    whole = np.concatenate(parts, axis=1)
    return (whole if whole.shape[0] == channels else whole.reshape(-1, channels).T).T, rate


@pytest.mark.parametrize(("kind", "channels"), [("mp3", 1), ("m4a", 2), ("opus", 2), ("ogg", 1), ("wav_16", 2)])
def test_loudness_and_ceiling_are_those_of_the_file(library: Library, job: str, kind: FileKind, channels: int) -> None:
    ceiling = LimiterSettings(-3.0)
    request = Request(kind, "one", channels=channels, limiter=ceiling, loudness_lufs=-20.0)
    task = wait_for(library, start_export(library, job, open_job(library, job).revision, request))
    assert task.result is not None and task.result["remains"] == [], task.result
    samples, rate = decoded(Path(task.result["folder"]) / task.result["files"][0])
    if samples.dtype.kind == "i":
        samples = samples / 32768.0
    assert samples.shape[1] == channels
    assert pyloudnorm.Meter(rate).integrated_loudness(samples) == pytest.approx(-20.0, abs=0.15)
    assert 20 * np.log10(np.abs(samples).max()) <= -3.0 + 0.1


def test_without_a_loudness_coders_bring_back_that_of_the_job(library: Library, job: str) -> None:
    loud = {}
    for kind in ("mp3", "opus", "m4a", "wav_float"):
        request = Request(kind, "one", rate_hz=48_000, limiter=LimiterSettings(-10.0))
        task = wait_for(library, start_export(library, job, open_job(library, job).revision, request))
        assert task.result is not None, task.error
        loud[kind] = task.result["heard"]["integrated_lufs"]
        assert task.result["heard"]["sample_peak_db"] <= -10.0 + 0.03
    assert max(loud.values()) - min(loud.values()) <= 0.12


def test_what_a_ceiling_keeps_from_its_loudness_is_told(library: Library, job: str) -> None:
    request = Request("wav_24", "one", limiter=LimiterSettings(-20.0), loudness_lufs=-10.0)
    task = wait_for(library, start_export(library, job, open_job(library, job).revision, request))
    assert task.result is not None and "misses −10.0 LUFS by" in task.result["remains"][0]
    assert "ceiling" in task.result["remains"][0] and task.result["heard"]["sample_peak_db"] <= -20.0
