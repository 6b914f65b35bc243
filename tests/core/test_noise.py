"""Noise that moves: twelve phrases are twelve, whatever the room does meanwhile, and the search turns with its input."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from tests.core.conftest import enveloped

from wemble.core.edges.noise import block_levels, measure_noise, spread_of, track
from wemble.core.edges.search import find, measure, propose
from wemble.core.edges.silence import Found
from wemble.core.signal.reader import cut

RATE = 16_000
SECONDS = 42.0
PHRASES = 12
WINDOW = RATE // 100
"""10 ms: a sound is audible where it is as loud as its noise over that, as in bench/speech_corpus.py."""
Line = Callable[[np.ndarray], np.ndarray]
MOVES: dict[str, Line] = {
    "steps by 6 dB": lambda t: -70.0 + 6.0 * (t > SECONDS / 2),
    "steps by 20 dB": lambda t: -70.0 + 20.0 * (t > SECONDS / 2),
    "steps down by 10 dB": lambda t: -60.0 - 10.0 * (t > SECONDS / 2),
    "steps up and back": lambda t: -68.0 + 10.0 * ((t > 13.0) & (t < 30.0)),
    "drifts by 20 dB": lambda t: -75.0 + 20.0 * t / SECONDS,
    "a machine, on and off": lambda t: -70.0 + 10.0 * ((t // 9) % 2),
}


def spoken(seed: int) -> np.ndarray:
    """Return (frames,): twelve voiced phrases of 0.8 to 1.8 s that rise and fall, a second or more apart."""
    rng = np.random.default_rng(seed)
    take = np.zeros(round(SECONDS * RATE))
    for number in range(PHRASES):
        at, length = round((1.0 + 3.35 * number + rng.uniform(0.0, 0.5)) * RATE), round(rng.uniform(0.8, 1.8) * RATE)
        t = np.arange(length) / RATE
        voice = sum(np.sin(2 * np.pi * 130 * k * t * (1 + 0.02 * np.sin(9 * t)) + k) / k for k in range(1, 25))
        swells = np.minimum(t / rng.uniform(0.002, 0.03), 1.0) * np.exp(-np.maximum(t - t[-1] + 0.15, 0.0) / 0.03)
        take[at : at + length] += 0.05 * voice * swells * (0.55 + 0.45 * np.sin(2 * np.pi * 3 * t))
    return take


def room(line: Line, seed: int) -> np.ndarray:
    level_db = line(np.arange(round(SECONDS * RATE)) / RATE)
    return 10.0 ** (level_db / 20.0) * np.random.default_rng(seed + 1000).standard_normal(len(level_db))


def searched(samples: np.ndarray) -> Found:
    read = partial(cut, samples.astype(np.float32))
    measured = measure(read, enveloped(samples, RATE))
    return find(read, measured, propose(measured.floor), head_frame=0, tail_frame=samples.shape[1])


@pytest.mark.parametrize("moves", MOVES)
@pytest.mark.parametrize("seed", [1, 2])
def test_twelve_phrases_are_twelve_and_nothing_audible_is_lost(moves: str, seed: int) -> None:
    voice = spoken(seed)
    found = searched((voice + room(MOVES[moves], seed))[None])
    assert len(found.sounds) == PHRASES
    loudness = np.sqrt(np.maximum(ndimage.uniform_filter1d(np.square(voice), WINDOW), 0.0))
    audible = loudness >= 10.0 ** (MOVES[moves](np.arange(len(voice)) / RATE) / 20.0)
    for start, end in found.spans.tolist():
        audible[start:end] = False
    assert np.count_nonzero(audible) <= PHRASES * RATE // 200, "5 ms a phrase"


@pytest.mark.parametrize("moves", MOVES)
def test_where_the_noise_is_known_it_is_right(moves: str) -> None:
    levels = block_levels(enveloped((spoken(3) + room(MOVES[moves], 3))[None], RATE).power, 64 / RATE)
    truth = block_levels(enveloped(room(MOVES[moves], 3)[None], RATE).power, 64 / RATE)
    followed = track(levels, spread_db=spread_of(levels))
    right = np.abs(followed.level_db - truth) < 2.0
    assert followed.known.mean() > 0.7 and right[followed.known].mean() > 0.97


def test_a_long_tone_is_no_noise() -> None:
    """What sounds for 8 s, in a room that is heard before and behind, is sound: the level that is returned to is not its own."""
    t = np.arange(20 * RATE) / RATE
    hiss = 1e-3 * np.random.default_rng(4).standard_normal(len(t))
    tone = 0.02 * np.sin(2 * np.pi * 300 * t) * ((t > 6.0) & (t < 14.0))
    assert not measure_noise(enveloped((tone + hiss)[None], RATE)).moves
    (sound,) = searched((tone + hiss)[None]).sounds.tolist()
    assert np.abs(np.array(sound) / RATE - (6.0, 14.0)).max() < 0.01


@settings(max_examples=6)
@given(gain_db=st.floats(-30.0, 12.0), ahead=st.integers(0, 3 * RATE), flipped=st.booleans())
def test_gain_polarity_and_what_lies_ahead_change_nothing_but_the_frame(
    gain_db: float, ahead: int, flipped: bool
) -> None:
    take = (spoken(7) + room(MOVES["drifts by 20 dB"], 7))[None]
    before = searched(take).sounds
    hiss = 10.0 ** (-75.0 / 20.0) * np.random.default_rng(8).standard_normal((1, ahead))
    turned = np.concatenate([hiss, take], axis=1) * 10.0 ** (gain_db / 20.0) * (-1 if flipped else 1)
    after = searched(turned).sounds - ahead
    assert len(after) == len(before)
    moved = np.abs(after - before)
    assert np.median(moved) <= RATE // 1000 and moved.max() <= RATE // 25, "bins and blocks begin elsewhere"
