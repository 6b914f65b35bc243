"""*Low Water 7*: a host and a guest at one table, a microphone each, with a count-in before and chatter behind."""

from __future__ import annotations

from functools import cache
from importlib import resources

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal

from wemble.core.signal.loudness import LoudnessMeter
from wemble.demo.talk_script import CHAPTERS, LINES

RATE_HZ = 48_000
SEED = 1907
LOUDNESS_LUFS = {"host": -19.0, "guest": -22.5}
"""Of what each says."""
_FLOOR_DB = -66.0
_HEARD_DB, _LATE_S = -24.0, 0.0045
_LAST_S = 2.5
_LARGEST = 6.0
"""No sample is so many times as large as their mean: a voice into a microphone is not as peaky as a synthetic one."""
Mono = NDArray[np.float64]
Place = tuple[int, int]


@cache
def placed_lines() -> tuple[Place, ...]:
    """Return where each line lies, in frames."""
    places: list[Place] = []
    at = 0
    for number, line in enumerate(LINES):
        start = at + round(line.pause_s * RATE_HZ)
        places.append((start, start + len(_spoken(number))))
        at = max(at, places[-1][1])
    return tuple(places)


@cache
def low_water() -> dict[str, NDArray[np.float32]]:
    """Return the two recordings, float32 (frames, 1): each has its own voice, and the other's from across the table."""
    rng = np.random.default_rng(SEED)
    frames = placed_lines()[-1][1] + round(_LAST_S * RATE_HZ)
    voices = {who: _voice(who, frames) for who in LOUDNESS_LUFS}
    out = {}
    for who, other in (("host", "guest"), ("guest", "host")):
        heard = signal.fftconvolve(voices[other], _across(rng))[:frames]
        tone = signal.sosfilt(signal.butter(1, 1200, fs=RATE_HZ, output="sos"), rng.standard_normal(frames))
        tone *= 10 ** (_FLOOR_DB / 20) / np.sqrt(np.mean(tone**2))
        out[who] = (voices[who] + heard + tone)[:, None].astype(np.float32)
    return out


def chapters() -> list[tuple[str, int]]:
    """Return (title, frame) of what the talk is about."""
    return [(title, placed_lines()[number][0]) for title, number in CHAPTERS]


@cache
def _spoken(number: int) -> Mono:
    path = resources.files("wemble.demo") / "talk" / f"{number + 1:02d}.ogg"
    with path.open("rb") as file:
        samples, rate = soundfile.read(file, dtype="float64")
    evened = soxr.resample(samples, rate, RATE_HZ) / np.sqrt(np.mean(np.square(samples)))
    return np.asarray(_LARGEST * np.tanh(evened / _LARGEST))


def _voice(who: str, frames: int) -> Mono:
    """Return what one of them says, as loud as `LOUDNESS_LUFS` over what is said."""
    voice = np.zeros(frames)
    spans = []
    for number, (line, (start, end)) in enumerate(zip(LINES, placed_lines(), strict=True)):
        if line.who == who:
            voice[start:end] += _spoken(number) * 10 ** ((-26.0 - line.under_db) / 20)
            spans.append((start, end))
    meter = LoudnessMeter(RATE_HZ, 1)
    meter.feed(voice[None].astype(np.float32))
    reads = meter.result().of_spans(np.array(spans), RATE_HZ)
    return np.asarray(voice * 10 ** ((LOUDNESS_LUFS[who] - reads) / 20))


def _across(rng: np.random.Generator) -> Mono:
    """Return what a small room makes of a voice from the other side of the table."""
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    room = rng.standard_normal(len(t)) * np.exp(-t / 0.05) * 0.12
    room[0] += 1.0
    late = np.zeros(round(_LATE_S * RATE_HZ))
    return np.concatenate([late, room * 10 ** (_HEARD_DB / 20) / np.sqrt(np.sum(room**2))])
