"""Bringing in: every format, exact starts, and everything that is wrong with files."""

from __future__ import annotations

import struct
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from tests.conftest import RATE, phrases

from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.sources.decode import display_name
from wemble.actions.work.tasks import list_tasks, wait_for
from wemble.errors import TooLarge, Unavailable
from wemble.store.files import Home

BringIn = Callable[..., tuple[str, object]]


def impulse_mp3(path: Path, *, tag: bool) -> None:
    """An impulse at frame 0, coded by libsndfile's encoder; without its tag the file does not tell its delay."""
    samples = np.zeros((RATE, 1), np.float32)
    samples[0] = 0.9
    soundfile.write(path, samples, RATE, format="MP3", subtype="MPEG_LAYER_III")
    if not tag:
        data = path.read_bytes()
        at = max(data.find(b"Xing"), data.find(b"Info"))
        first_frame = data[:4]
        length = 144 * 1000 * 64 // RATE if first_frame else 0
        next_frame = data.find(first_frame[:2], at)
        path.write_bytes(data[next_frame if next_frame > 0 else length :])


def m4a(path: Path, samples: np.ndarray, rate: int) -> None:
    with av.open(str(path), "w", format="ipod") as out:
        stream = out.add_stream("aac", rate=rate, layout="mono")
        for at in range(0, len(samples), 1024):
            frame = av.AudioFrame.from_ndarray(samples[None, at : at + 1024, 0], format="fltp", layout="mono")
            frame.sample_rate, frame.pts = rate, at
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


@pytest.mark.parametrize(
    ("name", "options", "tolerance"),
    [
        ("a.wav", {"subtype": "PCM_16"}, 3.1e-5),
        ("a.rf64", {"format": "RF64", "subtype": "FLOAT"}, 0),
        ("a.aiff", {"subtype": "PCM_24"}, 2e-7),
        ("a.flac", {"subtype": "PCM_24"}, 2e-7),
        ("a.ogg", {"format": "OGG", "subtype": "VORBIS"}, 0.2),
        ("a.opus", {"format": "OGG", "subtype": "OPUS"}, 1.0),
        ("a.mp3", {"format": "MP3"}, 0.2),
        ("a.m4a", {}, 0.2),
    ],
)
def test_every_format_comes_in_whole_and_in_place(
    library: Library, bring_in: BringIn, tmp_path: Path, name: str, options: dict[str, str], tolerance: float
) -> None:
    samples = phrases(3.0)
    path = tmp_path / name
    m4a(path, samples, RATE) if name.endswith("m4a") else soundfile.write(path, samples, RATE, **options)
    before = path.read_bytes()
    job_id, task = bring_in(path)
    assert task.state == "done", task.error
    job = open_job(library, job_id).job
    (source,) = job.sources.values()
    assert abs(source.frames - len(samples)) <= 1 and source.name == "a"
    library.reader.know(source.id, 1)
    got = library.reader.read(source.id, RATE, 0, source.frames)[0]
    n = min(len(got), len(samples))
    assert np.abs(got[:n] - samples[:n, 0]).max() <= tolerance
    lag = np.argmax(np.correlate(got[20_000:80_000], samples[20_500:79_500, 0], "valid")) - 500
    assert abs(lag) <= 1
    kept = next(library.home.source(source.id).glob("original*"))
    assert kept.read_bytes() == before == path.read_bytes()


@pytest.mark.parametrize("tag", [True, False])
def test_an_impulse_coded_at_frame_0_comes_back_at_frame_0(
    library: Library, bring_in: BringIn, tmp_path: Path, tag: bool
) -> None:
    path = tmp_path / "impulse.mp3"
    impulse_mp3(path, tag=tag)
    _, task = bring_in(path)
    assert task.state == "done", task.error
    row = library.source(task.result["source_id"])
    assert abs(int(np.argmax(np.abs(library.reader.read(row.id, RATE, 0, 4000)[0])))) <= 1
    assert bool(row.notes) is not tag  # without the tag it is said to be an estimate


def bad_files() -> dict[str, bytes]:
    """Return files that are wrong, by what is wrong with them."""
    good = (
        b"RIFF" + struct.pack("<I", 36 + 9600) + b"WAVEfmt " + struct.pack("<IHHIIHH", 16, 1, 1, RATE, 2 * RATE, 2, 16)
    )
    body = np.random.default_rng(0).integers(-9000, 9000, 4800, np.int16).tobytes()

    def wav(channels: int = 1, rate: int = RATE, data_bytes: int = 9600, tag: int = 1, bits: int = 16) -> bytes:
        frame = channels * bits // 8
        header = struct.pack(
            "<IHHIIHH", 16, tag, channels & 0xFFFF, rate, rate * frame & 0xFFFFFFFF, frame & 0xFFFF, bits
        )
        return (
            b"RIFF"
            + struct.pack("<I", 36 + data_bytes & 0xFFFFFFFF)
            + b"WAVEfmt "
            + header
            + b"data"
            + struct.pack("<I", data_bytes)
        )

    caf = b"caff\0\1\0\0desc" + struct.pack(">q d4sIIIII", 32, 48_000.0, b"lpcm", 0, 2, 1, 1 << 31, 16)
    floats = np.array([0.1, np.nan, np.inf, -np.inf, 0.2] * 2000, np.float32).tobytes()
    return {
        "not audio.wav": b"%PDF-1.7 this is a letter" * 50,
        "empty.wav": b"",
        "no frames.wav": wav(data_bytes=0),
        "channels.caf": caf + body,
        "1 Hz.wav": wav(rate=1) + body,
        "768 kHz.wav": wav(rate=768_000) + body,
        "promises more.wav": wav(data_bytes=0x7FFFFF00) + body,
        "truncated.wav": wav() + body[:5000],
        "cut header.wav": good[:30],
        "not numbers.wav": wav(tag=3, bits=32, data_bytes=len(floats)) + floats,
        "eight.wav": wav(channels=8) + body,
        "broken.mp3": b"\xff\xfb\x90\x64" + bytes(range(256)) * 40,
        "broken.m4a": b"\0\0\0\x20ftypM4A " + bytes(500),
    }


REFUSED = {
    "not audio.wav": "cannot be read as audio",
    "empty.wav": "empty",
    "no frames.wav": "no audio|cannot be read",
    "channels.caf": "channels|cannot be read",
    "1 Hz.wav": "8,000 to 192,000",
    "768 kHz.wav": "8,000 to 192,000",
    "cut header.wav": "cannot be read as audio",
    "broken.m4a": "cannot be read|no audio",
}


@pytest.mark.parametrize("name", bad_files())
def test_bad_files_say_why_or_give_what_is_there(
    library: Library, bring_in: BringIn, tmp_path: Path, name: str
) -> None:
    path = tmp_path / name
    path.write_bytes(bad_files()[name])
    job_id, task = bring_in(path)
    if name in REFUSED:
        assert task.state == "failed"
        assert any(part in task.error["message"] for part in REFUSED[name].split("|")), task.error
        assert not open_job(library, job_id).job.clips
    elif name != "broken.mp3":
        assert task.state == "done", task.error
        row = library.source(task.result["source_id"])
        assert bool(row.notes) == (name != "eight.wav")
        assert np.isfinite(library.reader.read(row.id, row.rate_hz, 0, row.frames)).all()
    assert not any(library.home.scratch.iterdir())
    good = tmp_path / "good.wav"
    soundfile.write(good, phrases(1.0), RATE)
    assert bring_in(good, job_id)[1].state == "done"


def test_the_same_file_twice_is_one_source_and_two_clips(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)
    bring_in(take, job_id)
    job = open_job(library, job_id).job
    assert len(job.sources) == 1 and len(job.clips) == 2 and len(list(library.home.sources.iterdir())) == 1


def test_another_rate_is_converted_once_and_read_the_same_from_anywhere(
    library: Library, bring_in: BringIn, take: Path
) -> None:
    job_id, _ = bring_in(take)
    other = take.with_name("44.wav")
    soundfile.write(other, phrases(6.0, 44_100), 44_100, subtype="FLOAT")
    _, task = bring_in(other, job_id)
    revision = task.result["revision"]
    plan = library.plan_at(revision)
    start, frames = 7 * RATE, 6 * RATE
    whole = plan.render(start, frames, library.reader)
    parts = [plan.render(start + at, min(777, frames - at), library.reader) for at in range(0, frames, 777)]
    assert np.array_equal(np.concatenate(parts, axis=1), whole)
    assert np.abs(whole[0] - phrases(6.0)[:, 0]).std() < 0.005  # the same sound, made at the other rate


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("../../etc/passwd.wav", "passwd"),
        ('a "quoted" name.wav', "a _quoted_ name"),
        ("right\u202eto left.wav", "rightto left"),
        ("x" * 300 + ".wav", "x" * 120),
        ("C:\\takes\\one.wav", "one"),
        ("...", "unnamed"),
    ],
)
def test_names_are_shown_safe(name: str, shown: str) -> None:
    assert display_name(name) == shown


def test_a_full_disk_is_said_before_anything_is_written(tmp_path: Path) -> None:
    with pytest.raises(TooLarge, match="free some space"):
        Home(tmp_path / "h").check_space(1 << 60)


def test_files_that_come_in_together_lie_in_the_order_in_which_they_were_started(
    library: Library, tmp_path: Path
) -> None:
    """Two workers decode beside each other; a short file is through long before the long one that was started first."""
    job_id = create_job(library, "All at once", "voiceover")
    names = []
    for n, seconds in enumerate((40.0, 0.3, 8.0, 0.2, 0.4)):
        names.append(f"take {n}")
        soundfile.write(tmp_path / f"take {n}.wav", phrases(seconds, seed=n), RATE, subtype="PCM_24")
    (tmp_path / "take 1.wav").write_bytes(b"this is no sound at all")
    tasks = [start_import(library, job_id, tmp_path / f"{name}.wav", name) for name in names]
    states = [wait_for(library, task).state for task in tasks]
    assert states == ["done", "failed", "done", "done", "done"]
    job = open_job(library, job_id).job
    clips = sorted(job.clips.values(), key=lambda clip: clip.origin_frame)
    assert [clip.name for clip in clips] == ["take 0", "take 2", "take 3", "take 4"]


def test_a_task_that_gets_no_folder_is_refused_and_waits_for_nothing(library: Library, take: Path) -> None:
    job_id, scratch = create_job(library, "full disk"), library.home.scratch
    scratch.rmdir()
    scratch.write_text("no folder can be made in a file, for root neither")
    with pytest.raises(Unavailable, match="free some space"):
        start_import(library, job_id, take, take.name)
    assert list_tasks(library, job_id) == []
    scratch.unlink()
    scratch.mkdir()
    assert wait_for(library, start_import(library, job_id, take, take.name), 60).state == "done"
