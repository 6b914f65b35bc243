"""*Slack Tide*: a slow piece exported with air in front and a long echo behind, and a bell riff in 96 beats a minute."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

RATE_HZ = 48_000
SEED = 1912
FLOOR_DB = -72.0
AIR_S = 9.0
OVER_S = 192.4
"""When the piece has sunk to its floor."""
LENGTH_S = 200.0
BPM = 96
RIFF_AIR_S = 2.0
RIFF_STARTS_BEAT = 7 * 4 + 3
"""Bar 8 beat 4, counted from 0."""

Stereo = NDArray[np.float32]
_CHORDS_HZ = (
    (110.0, 164.8, 220.0, 277.2),
    (98.0, 146.8, 196.0, 246.9),
    (123.5, 185.0, 246.9, 293.7),
    (87.3, 130.8, 220.0, 261.6),
)
_CHORD_S = 7.5
_RIFF_HZ = (587.3, 659.3, 880.0, 659.3, 587.3, 440.0, 493.9, 587.3)


def ebb() -> Stereo:
    """Return *Ebb*, float32 (frames, 2): its first sound at 9.0 s, at its floor from 3:12.4 on."""
    rng = np.random.default_rng(SEED)
    t = np.arange(round(LENGTH_S * RATE_HZ)) / RATE_HZ
    sound = np.zeros((2, len(t)))
    for number in range(int((OVER_S - AIR_S) // _CHORD_S)):
        start = AIR_S + number * _CHORD_S
        _add_chord(sound, t, start, _CHORDS_HZ[number % len(_CHORDS_HZ)], rng)
    over = OVER_S - 8.0
    sink = np.where(t < over, 0.0, (FLOOR_DB + 20.0) * (t - over) / 8.0)
    sound *= 10 ** (np.maximum(sink, -120.0) / 20) * (t < OVER_S)
    noise = rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)
    return np.asarray((sound + noise).T, np.float32)


def riff() -> Stereo:
    """Return the bell riff, float32 (frames, 2), with `RIFF_AIR_S` of air before its first hit."""
    rng = np.random.default_rng(SEED + 1)
    beat_s = 60.0 / BPM
    t = np.arange(round((RIFF_AIR_S + len(_RIFF_HZ) * beat_s + 3.0) * RATE_HZ)) / RATE_HZ
    sound = np.zeros((2, len(t)))
    for number, hz in enumerate(_RIFF_HZ):
        since = t - RIFF_AIR_S - number * beat_s
        bell = sum(a * np.sin(2 * np.pi * hz * f * since) * np.exp(-since * d) for f, a, d in _BELL)
        sound += np.where(since >= 0, bell, 0.0) * np.array([[0.9], [0.7]]) * 0.22
    noise = rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)
    return np.asarray((sound + noise).T, np.float32)


def theme(seconds: float) -> Stereo:
    """Return the theme of *Low Water*, float32 (frames, 2): chords under a bell, dying away at its end."""
    rng = np.random.default_rng(SEED + 2)
    t = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    sound = np.zeros((2, len(t)))
    for number in range(int(seconds // _CHORD_S) + 1):
        _add_chord(sound, t, number * _CHORD_S, _CHORDS_HZ[number % len(_CHORDS_HZ)], rng)
    for number, hz in enumerate(_RIFF_HZ[: int(seconds // 2.5)]):
        since = t - 2.5 * number
        bell = sum(a * np.sin(2 * np.pi * hz * f * since) * np.exp(-since * d) for f, a, d in _BELL)
        sound += np.where(since >= 0, bell, 0.0) * np.array([[0.10], [0.08]])
    return np.asarray((sound * np.minimum((seconds - t) / 4.0, 1.0)).T, np.float32)


_BELL = ((1.0, 0.6, 2.2), (2.76, 0.3, 4.0), (5.4, 0.12, 7.0))


def _add_chord(
    sound: NDArray[np.float64], t: NDArray[np.float64], start: float, notes: tuple[float, ...], rng: np.random.Generator
) -> None:
    """Add a chord that swells from nothing and overlaps the next; only the stretch that it sounds in is touched."""
    low, high = round(start * RATE_HZ), min(round((start + _CHORD_S + 3.0) * RATE_HZ), sound.shape[1])
    since = t[low:high] - start
    swell = np.minimum(since / 1.2, 1.0) * np.minimum((_CHORD_S + 3.0 - since) / 3.0, 1.0)
    for hz in notes:
        side = rng.uniform(0.35, 0.65)
        tone = np.sin(2 * np.pi * hz * since) + 0.35 * np.sin(
            4 * np.pi * hz * since + 0.4 * np.sin(2 * np.pi * 0.3 * since)
        )
        sound[0, low:high] += 0.11 * side * swell * tone
        sound[1, low:high] += 0.11 * (1.0 - side) * swell * tone
