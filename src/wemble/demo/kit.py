"""The *Boatyard kit*: things struck in a boat shed, three strengths, two microphones, rough-cut; and a take of chains."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

RATE_HZ = 48_000
SEED = 1866
FLOOR_DB = -66.0
STRENGTHS = (("soft", -17.0), ("medium", -7.0), ("hard", -0.3))
MISSING = ("Oar_D2_soft_far",)
"""One file of the grid was lost on the way."""
Mono = NDArray[np.float64]


@dataclass(frozen=True)
class Thing:
    """A thing that is struck: its note, its tones (Hz, part, decay a second), its noise and how that decays."""

    name: str
    note: str
    tones: tuple[tuple[float, float, float], ...]
    noise: float
    noise_decay: float
    rise_ms: float = 0.4


THINGS = (
    Thing("Plank", "C2", ((180.0, 0.8, 26.0), (421.0, 0.5, 38.0), (960.0, 0.2, 60.0)), 0.5, 90.0),
    Thing("Chain", "C#2", ((2300.0, 0.2, 9.0), (3710.0, 0.25, 12.0), (5230.0, 0.2, 15.0)), 0.7, 14.0),
    Thing("Oil drum", "D#2", ((62.0, 1.0, 5.0), (141.0, 0.5, 7.0), (333.0, 0.3, 12.0)), 0.25, 40.0),
    Thing("Bell", "E2", ((587.0, 0.7, 1.6), (1620.0, 0.4, 2.6), (3170.0, 0.2, 4.5)), 0.1, 120.0),
    Thing("Oar", "D2", ((310.0, 0.7, 45.0), (1240.0, 0.4, 70.0)), 0.4, 110.0),
    Thing("Tar bucket", "F2", ((94.0, 0.9, 11.0), (217.0, 0.6, 15.0), (519.0, 0.3, 22.0)), 0.35, 60.0),
)


def files() -> Iterator[tuple[str, NDArray[np.float32]]]:
    """Yield (name, float32 (frames, 1)) of every file: 5 to 300 ms of air in front, the far microphone 7 ms behind."""
    rng = np.random.default_rng(SEED)
    for thing in THINGS:
        for strength, level_db in STRENGTHS:
            air_s = rng.uniform(0.005, 0.3)
            hit = struck(thing, rng)
            hit *= 10 ** ((level_db + rng.uniform(-1.0, 0.3)) / 20) / np.abs(hit).max()
            for mic, later_s, gain, dull in (("near", 0.0, 1.0, False), ("far", 0.0071, 0.35, True)):
                heard = signal.lfilter(*signal.butter(1, 5200.0, fs=RATE_HZ), hit) if dull else hit
                take = _placed(gain * heard, air_s + later_s, len(hit) / RATE_HZ + 1.2, rng)
                if strength == "soft" and thing.name == "Tar bucket":
                    take += _breath(len(take), max(air_s - 0.09, 0.0), gain, rng)
                name = f"{thing.name}_{thing.note}_{strength}_{mic}"
                if name not in MISSING:
                    yield name, take[:, None].astype(np.float32)


def chains() -> NDArray[np.float32]:
    """Return a take of chains, float32 (frames, 1): 24 hits, some into the ring-out of others."""
    rng = np.random.default_rng(SEED + 1)
    take = np.zeros(round(12.0 * RATE_HZ))
    at = 0.6
    for number in range(24):
        hit = struck(THINGS[number % 2], rng) * 10 ** (rng.uniform(-9.0, -1.0) / 20)
        start = round(at * RATE_HZ)
        take[start : start + len(hit)] += hit[: len(take) - start]
        at += rng.uniform(0.16, 0.65)
    take /= 1.1 * np.abs(take).max()
    return (take + _floor(len(take), rng))[:, None].astype(np.float32)


def engine() -> NDArray[np.float32]:
    """Return a rough 7.2 s loop of an engine, float32 (frames, 1), cut anywhere."""
    rng = np.random.default_rng(SEED + 2)
    t = np.arange(round(8.0 * RATE_HZ)) / RATE_HZ
    phase = 2 * np.pi * np.cumsum(23.0 + 0.6 * np.sin(2 * np.pi * t / 3.1)) / RATE_HZ
    strokes = sum(
        a * np.sin(n * phase + p) for n, a, p in ((1, 0.5, 0.0), (2, 0.35, 1.0), (3, 0.2, 2.2), (6, 0.1, 0.4))
    )
    hiss = signal.lfilter(*signal.butter(1, [300.0, 2600.0], "bandpass", fs=RATE_HZ), rng.standard_normal(len(t)))
    whole = 0.4 * strokes + 0.05 * hiss * (1.2 + np.sin(phase))
    return np.asarray(whole[round(0.31 * RATE_HZ) : round(7.51 * RATE_HZ)][:, None], np.float32)


def struck(thing: Thing, rng: np.random.Generator) -> Mono:
    """Return one hit, without air or floor."""
    slowest = min(min(decay for _, _, decay in thing.tones), thing.noise_decay)
    t = np.arange(round(min(7.5 / slowest + 0.1, 4.0) * RATE_HZ)) / RATE_HZ
    tones = sum(
        part * np.exp(-t * decay * rng.uniform(0.95, 1.05)) * np.sin(2 * np.pi * hz * rng.uniform(0.995, 1.005) * t)
        for hz, part, decay in thing.tones
    )
    noise = thing.noise * np.exp(-t * thing.noise_decay) * rng.standard_normal(len(t))
    rise = np.minimum(t / (thing.rise_ms / 1000.0), 1.0)
    return np.asarray((tones + noise) * rise)


def _placed(hit: Mono, air_s: float, length_s: float, rng: np.random.Generator) -> Mono:
    take = _floor(round((air_s + length_s) * RATE_HZ), rng)
    start = round(air_s * RATE_HZ)
    take[start : start + len(hit)] += hit[: len(take) - start]
    return take


def _floor(frames: int, rng: np.random.Generator) -> Mono:
    noise = signal.lfilter([1.0], [1.0, -0.85], rng.standard_normal(frames))
    return np.asarray(noise / np.std(noise) * 10 ** (FLOOR_DB / 20))


def _breath(frames: int, at_s: float, gain: float, rng: np.random.Generator) -> Mono:
    length = round(0.06 * RATE_HZ)
    noise = signal.lfilter(*signal.butter(2, [500.0, 3500.0], "bandpass", fs=RATE_HZ), rng.standard_normal(length))
    out = np.zeros(frames)
    start = round(at_s * RATE_HZ)
    out[start : start + length] = (0.012 * gain * noise * np.hanning(length))[: frames - start]
    return out
