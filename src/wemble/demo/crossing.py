"""*The Night Crossing*: a river, a horn, an engine, a song in two parts, walking music."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from wemble.demo.pieces import Stereo

RATE_HZ = 48_000
SEED = 2203
FLOOR_DB = -72.0
RIVER_S, RIVER_FADE_S = 220.0, 6.0
RIVER_LOOP_S = (20.0, 200.0)
HORN_AIR_S, HORN_S = 0.260, 4.5
ENGINE_S, ENGINE_LOOP_S = 16.0, (2.0, 14.0)
SONG_S, FIRST_ENDS_S, SECOND_STARTS_S = 126.0, 74.3, 75.8
WALK_S, WALK_STARTS_S, WALK_LOOP_S = 48.0, 21.3, (21.3, 33.3)


def files() -> dict[str, Stereo]:
    """Return what is imported, by name, in the order of the show: float32 (frames, 2)."""
    return {
        "River": river(),
        "Horn": horn(),
        "Engine": engine(),
        "Lantern Song": song(),
        "Walking music": walking_music(),
    }


def river() -> Stereo:
    """Return running water with waves that come and go, faded in and out as it was recorded."""
    rng, t = np.random.default_rng(SEED), _time(RIVER_S)
    sound = np.stack([_band(rng, len(t), 150.0, 1800.0), _band(rng, len(t), 150.0, 1800.0)])
    waves = 0.6 + 0.25 * np.sin(2 * np.pi * t / 7.3) + 0.15 * np.sin(2 * np.pi * t / 2.9 + 1.0)
    ends = np.clip(np.minimum(t, RIVER_S - t) / RIVER_FADE_S, 0.0, 1.0)
    return _out(0.25 * sound * waves * np.square(np.sin(0.5 * np.pi * ends)))


def horn() -> Stereo:
    """Return a ship's horn with a little air in front and a long ring-out."""
    rng, t = np.random.default_rng(SEED + 1), _time(HORN_S) - HORN_AIR_S
    body = sum(np.sin(2 * np.pi * 146.0 * k * t + 0.3 * k) / k for k in range(1, 9))
    shape = np.minimum(np.maximum(t, 0.0) / 0.03, 1.0) * np.where(t < 1.6, 1.0, np.exp(-(t - 1.6) * 3.2)) * (t >= 0)
    return _out(_with_air(0.16 * np.stack([body, 0.9 * body]) * shape, rng))


def engine() -> Stereo:
    """Return an engine that turns evenly: whole turns, so that a section of it loops."""
    rng, t = np.random.default_rng(SEED + 2), _time(ENGINE_S)
    stroke = np.exp(-((t * 8.0) % 1.0) * 5.0)
    low = sum(np.sin(2 * np.pi * 32.0 * k * t) / k for k in range(1, 6))
    clatter = _band(rng, len(t), 600.0, 3000.0) * stroke
    ends = np.clip(np.minimum(t, ENGINE_S - t) / 0.4, 0.0, 1.0)
    return _out(np.stack([0.12 * low + 0.10 * clatter, 0.12 * low + 0.08 * clatter]) * ends)


def song() -> Stereo:
    """Return *Lantern Song* in two parts: the first has rung out at 1:14.300, the second enters at 1:15.800."""
    rng, t = np.random.default_rng(SEED + 3), _time(SONG_S)
    sound = np.zeros((2, len(t)))
    last = FIRST_ENDS_S - 6.0
    for start, end in ((0.5, last), (SECOND_STARTS_S, SONG_S - 6.0)):
        for n in range(int((end - start) / 0.6)):
            low = round((start + 0.6 * n) * RATE_HZ)
            s = np.arange(min(round(4.0 * RATE_HZ), len(t) - low)) / RATE_HZ
            hz = 110.0 * 2 ** (float(rng.choice([0, 3, 7, 10, 12])) / 12)
            pluck = sum(np.sin(2 * np.pi * hz * k * s) * np.exp(-s * (1.3 + k)) / k for k in range(1, 5))
            sound[:, low : low + len(s)] += 0.15 * np.array([[1.0], [0.85]]) * pluck * np.minimum(s / 0.002, 1.0)
    for over in (FIRST_ENDS_S, SONG_S - 1.0):  # a chord that falls evenly, and is as loud as the floor when it is over
        inside = (t >= over - 10.0) & (t < over)
        level_db = FLOOR_DB + 5.2 * (over - t[inside])
        chord = sum(np.sin(2 * np.pi * hz * t[inside]) for hz in (110.0, 165.0, 220.0)) / np.sqrt(1.5)
        swell = np.clip((t[inside] - over + 10.0) / 2.0, 0.0, 1.0)
        sound[:, inside] += 10 ** (level_db / 20) * chord * swell
    sound[:, (t >= FIRST_ENDS_S) & (t < SECOND_STARTS_S)] = 0.0
    sound[:, t >= SONG_S - 1.0] = 0.0
    return _out(_with_air(sound, rng))


def walking_music() -> Stereo:
    """Return walking music in bars of two seconds, with a section that goes round."""
    rng, t = np.random.default_rng(SEED + 4), _time(WALK_S)
    sound = np.zeros((2, len(t)))
    for n in range(int((WALK_S - 2.0) / 0.5)):
        low = round((0.3 + 0.5 * n) * RATE_HZ)
        s = np.arange(min(round(1.5 * RATE_HZ), len(t) - low)) / RATE_HZ
        hz = 82.4 * 2 ** ([0, 7, 12, 7, 3, 10, 12, 5][n % 8] / 12)
        note = sum(np.sin(2 * np.pi * hz * k * s) * np.exp(-s * (2.0 + k)) / k for k in range(1, 5))
        step = _band(rng, len(s), 200.0, 900.0) * np.exp(-s * 40.0)
        sound[:, low : low + len(s)] += np.stack([0.16 * note + 0.1 * step, 0.14 * note + 0.12 * step])
    ends = np.clip((WALK_S - t) / 3.0, 0.0, 1.0)
    return _out(_with_air(sound * ends, rng))


def _time(seconds: float) -> NDArray[np.float64]:
    return np.arange(round(seconds * RATE_HZ)) / RATE_HZ


def _band(rng: np.random.Generator, frames: int, low_hz: float, high_hz: float) -> NDArray[np.float64]:
    """Return noise of about unit size between two frequencies."""
    sos = signal.butter(2, (low_hz, high_hz), "bandpass", fs=RATE_HZ, output="sos")
    noise = np.asarray(signal.sosfilt(sos, rng.standard_normal(frames)))
    return np.asarray(noise / np.std(noise))


def _with_air(sound: NDArray[np.float64], rng: np.random.Generator) -> NDArray[np.float64]:
    return sound + rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)


def _out(sound: NDArray[np.float64]) -> Stereo:
    return np.asarray(sound.T, np.float32)
