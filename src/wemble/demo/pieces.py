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


RELEASE_HZ = 44_100
RELEASE: tuple[tuple[str, float, float], ...] = (
    ("Low Ebb", 14.0, 4.0),
    ("Mooring", 12.0, 3.0),
    ("Turn of the Tide", 15.0, 5.0),
    ("Running In", 13.0, 4.0),
    ("Half Past the Bell", 10.0, 6.0),
)
"""The pieces of the release: name, seconds until the last note, and seconds in which it then dies away."""
RELEASE_AIR_S = (3.0, 2.0)
SINGING_S, SONG_S = 14.2, 128.0
SONG_AIR_S = 0.840
PROMO_MUSIC_S, PROMO_S = 17.5, 24.0


def _within(t: NDArray[np.float64], start: float, seconds: float) -> slice:
    """Return which places of a rising time line lie in so many seconds."""
    first, last = np.searchsorted(t, (start, start + seconds))
    return slice(int(first), int(last))


def release_piece(number: int) -> Stereo:
    """Return a piece of the release, float32 (frames, 2), with air before it and behind its echo."""
    _, played_s, dies_s = RELEASE[number]
    rng = np.random.default_rng(SEED + 10 + number)
    before, behind = RELEASE_AIR_S
    t = np.arange(round((before + played_s + dies_s + behind) * RELEASE_HZ)) / RELEASE_HZ - before
    sound = np.zeros((2, len(t)))
    beat = 0.5 + 0.06 * number
    scale = 110.0 * 2 ** (np.array([0, 3, 5, 7, 10, 12, 15, 17]) / 12) * 2 ** (number / 12)
    for n in range(int(played_s / beat)):
        inside = _within(t, n * beat, 4.0)
        hz, s = float(rng.choice(scale)), t[inside] - n * beat
        note = sum(np.sin(2 * np.pi * hz * k * s) * np.exp(-s * (1.1 + 0.8 * k)) / k for k in range(1, 6))
        sound[:, inside] += 0.12 * rng.uniform(0.5, 1.0, (2, 1)) * note * np.minimum(s / 0.004, 1.0)
    fall = np.where(t < played_s, 0.0, -70.0 * (t - played_s) / dies_s)
    held = sum(np.sin(2 * np.pi * hz * t) for hz in scale[:3]) * (t >= 0) * 0.03
    sound = (sound + held) * 10 ** (np.maximum(fall, -120.0) / 20) * (t < played_s + dies_s)
    return np.asarray((sound + rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)).T, np.float32)


def lantern_song() -> Stereo:
    """Return *Lantern Song*, float32 (frames, 2): it begins at 0.840 s, is sung from 14.2 s on, and dies away at its end."""
    rng = np.random.default_rng(SEED + 20)
    t = np.arange(round((SONG_S + 2.0) * RELEASE_HZ)) / RELEASE_HZ - SONG_AIR_S
    sound = np.zeros((2, len(t)))
    for n in range(int((SONG_S - 6.0) / 0.6)):
        inside = _within(t, 0.6 * n, 2.5)
        s, hz = t[inside] - 0.6 * n, 110.0 * 2 ** (float(rng.choice([0, 3, 7, 10, 12])) / 12)
        pluck = sum(np.sin(2 * np.pi * hz * k * s) * np.exp(-s * (1.5 + k)) / k for k in range(1, 5))
        sound[:, inside] += 0.13 * np.array([[1.0], [0.85]]) * pluck * np.minimum(s / 0.003, 1.0)
    for n in range(int((SONG_S - SINGING_S - 10.0) / 1.2)):
        at = SINGING_S - SONG_AIR_S + 1.2 * n
        inside = _within(t, at, 1.1)
        s, hz = t[inside] - at, 330.0 * 2 ** (float(rng.choice([0, 2, 3, 5, 7])) / 12)
        sung = np.sin(2 * np.pi * hz * s + 0.8 * np.sin(2 * np.pi * 5.2 * s)) + 0.4 * np.sin(4 * np.pi * hz * s)
        sound[:, inside] += 0.09 * sung * np.minimum(s / 0.05, 1.0) * np.minimum((1.1 - s) / 0.2, 1.0)
    sound *= np.clip((SONG_S - 0.5 - SONG_AIR_S - t) / 5.0, 0.0, 1.0) * (t >= 0)
    return np.asarray((sound + rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)).T, np.float32)


def promo() -> Stereo:
    """Return a promo, float32 (frames, 2): music under its first 17.5 s, and then a bell alone until 24 s."""
    rng = np.random.default_rng(SEED + 21)
    t = np.arange(round(PROMO_S * RELEASE_HZ)) / RELEASE_HZ
    music = (
        sum(np.sin(2 * np.pi * hz * t) for hz in (98.0, 146.8, 196.0))
        * 0.07
        * np.clip((PROMO_MUSIC_S - t) / 1.5, 0.0, 1.0)
    )
    sound = np.stack([music, 0.9 * music])
    for n, at in enumerate((3.0, 6.5, 10.0, 13.5, 17.6, 21.0)):
        since = t - at
        bell = sum(a * np.sin(2 * np.pi * (523.3 + 40 * n) * f * since) * np.exp(-since * d) for f, a, d in _BELL)
        sound += np.where(since >= 0, 0.2 * bell, 0.0)
    return np.asarray((sound + rng.standard_normal(sound.shape) * 10 ** (FLOOR_DB / 20)).T, np.float32)
