"""Whole, damaged, cut off, chained and odd files of every kind: what is read of them and what is said stays what it was.

Held still in ``pinned_files.json``; whoever changes it on purpose looks at what moved, then writes it anew with
``python -m tests.formats.test_pinned_files``.
"""

from __future__ import annotations

import json
import random
import struct
import sys
import tempfile
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any, cast

import av
import numpy as np
import pytest
import soundfile
from tests.hostile import CODED, RATE, coded, cue_chunk, steps, wav_with

from wemble.errors import WembleError
from wemble.formats.decode import decoded, probe
from wemble.formats.points import Point, append_points, read_points

PINNED = Path(__file__).with_name("pinned_files.json")


def made(samples: np.ndarray, rate: int, **kind: Any) -> bytes:
    out = BytesIO()
    soundfile.write(out, samples, rate, **kind)
    return out.getvalue()


def with_av(codec: str, container: str, seconds: float = 2.0) -> bytes:
    """Return a file that only the second decoder reads: raw AAC, or AAC in MP4."""
    out = BytesIO()
    with av.open(out, "w", format=container) as file:
        stream = cast(av.AudioStream, file.add_stream(codec, rate=RATE, layout="mono"))
        samples = steps(seconds).T.copy()
        for at in range(0, samples.shape[1], 1024):
            frame = av.AudioFrame.from_ndarray(samples[:, at : at + 1024], "fltp", "mono")
            frame.sample_rate, frame.pts = RATE, at
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    return out.getvalue()


def damages(data: bytes, rng: random.Random) -> dict[str, bytes]:
    """Return a file as it arrives from a bad disk."""
    length = len(data)
    holes = {f"hole {n}": rng.randrange(length // 5, length - 4_000) for n in range(3)}
    at = rng.randrange(length // 3, length // 2)
    return {
        "whole": data,
        "half": data[: length // 2],
        "almost nothing": data[:200],
        "flipped": data[:at] + bytes(255 - one for one in data[at : at + 40]) + data[at + 40 :],
        "junk behind": data + bytes(rng.randrange(256) for _ in range(3_000)),
        **{name: data[:start] + data[start + 2_500 :] for name, start in holes.items()},
    }


def corpus() -> dict[str, bytes]:
    """Return the files by what they are."""
    rng, short = random.Random(11), steps(2.5)
    files: dict[str, bytes] = {}
    for kind in CODED:
        files |= {f"{name}.{kind}": data for name, data in damages(coded(kind, short), rng).items()}
    for kind, container in (("adts", "adts"), ("m4a", "mp4")):
        name = {"adts": "aac"}.get(kind, kind)
        files |= {f"{what}.{name}": data for what, data in damages(with_av("aac", container), rng).items()}
    pair = np.concatenate([short, 0.5 * short[::-1]], 1)
    for rate in (8_000, 16_000, 22_050, 44_100):
        for mode in ("CONSTANT", "VARIABLE"):
            files[f"{rate} {mode}.mp3"] = made(pair, rate, format="MP3", subtype="MPEG_LAYER_III", bitrate_mode=mode)
    tag = b"ID3\4\0\0" + bytes([0, 0, 2, 10]) + bytes(266)
    files["tag before.mp3"] = tag + coded("mp3", short)
    files["tag before.flac"] = tag + coded("flac", short)
    files["chain.ogg"] = coded("ogg", short) + coded("ogg", short[::-1])
    files["chain of two kinds.ogg"] = coded("ogg", short) + made(pair, 44_100, format="OGG", subtype="VORBIS")
    files["float.wav"] = made(np.where(np.abs(pair) > 0.29, np.nan, 80 * pair), RATE, format="WAV", subtype="FLOAT")
    files["24 bit.aiff"] = made(pair, 96_000, format="AIFF", subtype="PCM_24")
    files["big.rf64"] = made(pair, RATE, format="RF64", subtype="PCM_16")
    labels = b"adtl" + b"".join(
        struct.pack("<4sII", b"labl", 4 + len(text), n) + text
        for n, text in enumerate([b"first\0", b"\xff\xfe\0\0", b""])
    )
    loops = struct.pack("<9I", 0, 0, 0, 60, 0, 0, 0, 3, 0) + b"".join(
        struct.pack("<6I", n, 0, start, end, 0, 0)
        for n, (start, end) in enumerate([(100, 199), (300, 200), (5, 10**9)])
    )
    files["points.wav"] = wav_with((b"cue ", cue_chunk(5)), (b"LIST", labels), (b"smpl", loops), samples=short)
    files["points cut off.wav"] = wav_with((b"cue ", cue_chunk(5)[:-30]), (b"smpl", loops[:40]), samples=short)
    files["length 0.wav"] = coded("wav", short)[:40] + bytes(4) + coded("wav", short)[44:]
    files["length unknown.wav"] = coded("wav", short)[:40] + b"\xff" * 4 + coded("wav", short)[44:]
    files["nothing.wav"] = coded("wav", short[:0])
    files["text.wav"] = b"this is no sound at all, whatever its name says" * 40
    return files


def told(path: Path) -> Any:
    """Return what is read of a file, rounded as far as builds of the decoders differ, and what is said."""
    damage: list[str] = []
    try:
        found = probe(path)
        blocks = list(decoded(path, found, 30_000, damage))
    except WembleError as error:
        return [error.code, error.message]
    samples = np.concatenate([*blocks, np.zeros((0, found.channels), np.float32)])
    clean = np.clip(np.nan_to_num(samples.astype(np.float64)), -99, 99)
    tenths = [round(float(np.sqrt(np.mean(one**2))), 3) for one in np.array_split(clean, 10)] if len(clean) else []
    points = read_points(path, len(samples))
    rest = [found.kind, found.decoder.split()[0], found.rate_hz, found.channels, found.frames, len(samples)]
    return [
        *rest,
        tenths,
        [*found.notes, *damage],
        [[p.frame, p.name, p.end_frame] for p in points.points],
        points.left_out,
    ]


def everything(folder: Path) -> dict[str, Any]:
    answers = {}
    for name, data in corpus().items():
        (folder / name).write_bytes(data)
        answers[name] = told(folder / name)
    with_points = folder / "points written.wav"
    with_points.write_bytes(coded("wav", steps(1.0)))
    append_points(with_points, [Point(7, "ä"), Point(50, "loop", 900), Point(20_000, "")], rate_hz=RATE)
    tail = with_points.read_bytes()[44 + 2 * RATE :]
    return answers | {"points written.wav": [told(with_points), tail.hex()]}


def test_every_file_is_read_as_it_was(tmp_path: Path) -> None:
    pinned = json.loads(PINNED.read_text())
    found = json.loads(json.dumps(everything(tmp_path)))
    assert {name: answer for name, answer in found.items() if answer != pinned.get(name)} == {}
    assert found.keys() == pinned.keys()


@pytest.mark.parametrize("keep", [1, 7, 30_000])
def test_a_file_is_the_same_in_blocks_of_any_size(tmp_path: Path, keep: int) -> None:
    for kind in ("wav", "flac", "ogg", "mp3"):
        path = tmp_path / f"x.{kind}"
        path.write_bytes(coded(kind, steps(0.3)))
        one, other = (np.concatenate(list(decoded(path, probe(path), size, []))) for size in (keep, 65_536))
        assert one.shape == other.shape and np.abs(one - other).max() <= (
            1e-6 if kind == "mp3" else 0.0
        )  # mpg123 rounds


def _write(run: Callable[[Path], dict[str, Any]]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        rows = [
            f"{json.dumps(name)}: {json.dumps(answer, ensure_ascii=False)}"
            for name, answer in run(Path(folder)).items()
        ]
    PINNED.write_text("{\n" + ",\n".join(rows) + "\n}\n")
    sys.stdout.write(f"{len(rows)} files written to {PINNED}\n")


if __name__ == "__main__":
    _write(everything)
