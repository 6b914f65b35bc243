"""The *Audio guide* take: phrases read into a room with a ventilation hum, with breaths, mouse clicks and a chair."""

from __future__ import annotations

from importlib import resources

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal

from wemble.demo.script import PHRASES

RATE_HZ = 48_000
SEED = 1873
ROOM_DB = -57.0
Mono = NDArray[np.float64]


def audio_guide() -> tuple[NDArray[np.float32], list[tuple[int, str]]]:
    """Return the take, float32 (frames, 1) at `RATE_HZ`, and (first frame, name) of every phrase."""
    rng = np.random.default_rng(SEED)
    parts: list[Mono] = [np.zeros(round(1.9 * RATE_HZ))]
    begins: list[tuple[int, str]] = []
    at = len(parts[0])
    for number, (name, _) in enumerate(PHRASES):
        phrase = _spoken(number + 1) * 10 ** (rng.uniform(-2.5, 1.5) / 20)
        begins.append((at, name))
        gap = _gap(number, rng)
        parts += [phrase, gap]
        at += len(phrase) + len(gap)
    dry = np.concatenate(parts)
    wet = dry + 0.05 * signal.fftconvolve(dry, _room_response(rng))[: len(dry)]
    take = wet + _room_tone(len(wet), rng)
    return take[:, None].astype(np.float32), begins


def _spoken(number: int) -> Mono:
    path = resources.files("wemble.demo") / "speech" / f"{number:02d}.ogg"
    with path.open("rb") as file:
        samples, rate = soundfile.read(file, dtype="float64")
    samples = soxr.resample(samples, rate, RATE_HZ)
    return np.asarray(samples * 0.55 / np.abs(samples).max())


def _gap(number: int, rng: np.random.Generator) -> Mono:
    """Return the pause behind a phrase: longer between stops, often with a breath, now and then something else."""
    gap = np.zeros(round(rng.uniform(0.9, 1.6) * RATE_HZ))
    what = rng.choice(["breath", "breath", "click", "nothing"]) if number % 9 != 7 else "chair"
    if what == "chair":
        gap = np.zeros(round(2.6 * RATE_HZ))
    sound = {"breath": _breath, "click": _click, "chair": _chair}.get(str(what))
    if sound is not None:
        noise = sound(rng)
        place = round(rng.uniform(0.3, 0.6) * (len(gap) - len(noise)))
        gap[place : place + len(noise)] += noise
    return gap


def _breath(rng: np.random.Generator) -> Mono:
    frames = round(rng.uniform(0.22, 0.36) * RATE_HZ)
    sos = signal.butter(2, [rng.uniform(500, 900), rng.uniform(3500, 5500)], "bandpass", fs=RATE_HZ, output="sos")
    noise = signal.sosfilt(sos, rng.standard_normal(frames)) * np.sin(np.linspace(0, np.pi, frames)) ** 1.3
    return np.asarray(noise / np.abs(noise).max() * 10 ** (rng.uniform(-33, -25) / 20))


def _click(rng: np.random.Generator) -> Mono:
    t = np.arange(round(0.09 * RATE_HZ)) / RATE_HZ
    press = np.exp(-t / 0.0012) * np.sin(2 * np.pi * rng.uniform(2200, 3600) * t)
    release = np.roll(press, round(0.07 * RATE_HZ)) * 0.5
    return np.asarray((press + release) * 10 ** (rng.uniform(-26, -18) / 20))


def _chair(rng: np.random.Generator) -> Mono:
    """Return a creak: a slow train of damped knocks, faster in the middle."""
    out = np.zeros(round(0.7 * RATE_HZ))
    at = 0.05
    t = np.arange(round(0.03 * RATE_HZ)) / RATE_HZ
    while at < 0.6:
        knock = np.exp(-t / 0.004) * np.sin(2 * np.pi * rng.uniform(480, 760) * t)
        start = round(at * RATE_HZ)
        out[start : start + len(knock)] += knock * rng.uniform(0.3, 1.0)
        at += rng.uniform(0.012, 0.06)
    return np.asarray(out / np.abs(out).max() * 10 ** (-27 / 20))


def _room_response(rng: np.random.Generator) -> Mono:
    t = np.arange(round(0.35 * RATE_HZ)) / RATE_HZ
    return np.asarray(rng.standard_normal(len(t)) * np.exp(-t / 0.06) / 20.0)


def _room_tone(frames: int, rng: np.random.Generator) -> Mono:
    white = rng.standard_normal(frames)
    tone = signal.sosfilt(signal.butter(1, 900, "lowpass", fs=RATE_HZ, output="sos"), white) + 0.06 * white
    t = np.arange(frames) / RATE_HZ
    hum = np.sin(2 * np.pi * 100 * t) + 0.4 * np.sin(2 * np.pi * 200 * t + 0.7)
    tone = tone / np.sqrt(np.mean(tone**2)) + 0.35 * hum
    return np.asarray(tone * 10 ** (ROOM_DB / 20) / np.sqrt(np.mean(tone**2)))
