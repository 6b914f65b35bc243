"""Whose sound it is, on conversations by construction: voices, the ways between them and the noise are known."""

from functools import partial

import numpy as np
import pytest
import soxr
from tests.core.test_pinned_results import enveloped

from wemble.core.edges.alignment import align
from wemble.core.edges.floor import measure_floor
from wemble.core.edges.speaker import Said, doubt, find_said, own_sound, propose_for_speaker
from wemble.core.signal.bleed import heard_of_each_other
from wemble.core.signal.levels import from_db
from wemble.core.signal.reader import cut

RATE = 16_000


def voice(seed: int, pitch_hz: float, phrases_s: list[tuple[float, float]], seconds: float) -> np.ndarray:
    """Return syllables of a buzzing voice in phrases, at about −20 dB, and nothing elsewhere."""
    rng = np.random.default_rng(seed)
    out = np.zeros(round(seconds * RATE))
    for start, end in phrases_s:
        t = np.arange(round((end - start) * RATE)) / RATE
        phase = (
            2
            * np.pi
            * np.cumsum(pitch_hz * (1 + 0.1 * np.sin(2 * np.pi * rng.uniform(0.5, 2) * t + rng.uniform(0, 6))))
            / RATE
        )
        buzz = sum(np.sin(k * phase + rng.uniform(0, 6)) * rng.uniform(0.2, 1) / k for k in range(1, 25))
        syllables = 0.15 + np.abs(np.sin(2 * np.pi * rng.uniform(1.7, 2.4) * t))
        said = buzz * syllables * (0.05 + 0.02 * rng.standard_normal(len(t)))
        out[round(start * RATE) : round(start * RATE) + len(t)] += said
    return out


def way(seed: int, delay_ms: float, level_db: float) -> np.ndarray:
    """Return a room's answer: late, ringing for 0.2 s, so many dB down."""
    rng = np.random.default_rng(seed)
    tail = rng.standard_normal(3_000) * 10 ** (-3 * np.arange(3_000) / 3_200)
    tail[0] += 5.0
    return (
        from_db(level_db) * np.concatenate([np.zeros(round(delay_ms * RATE / 1000)), tail]) / np.sqrt(np.sum(tail**2))
    )


FIRST = [(1.0, 5.0), (9.5, 13.0), (20.0, 24.5), (30.0, 34.0), (41.0, 44.0), (50.0, 53.0)]
SECOND = [(5.6, 9.0), (12.0, 19.0), (25.2, 29.4), (35.0, 40.0), (45.0, 49.0), (51.0, 51.6)]
SECONDS = 56.0


def conversation(turned_up_db: float = 0.0) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Return two lanes, and what each has of the other; the first one's microphone may be turned up."""
    rng = np.random.default_rng(5)
    said = [voice(1, 110.0, FIRST, SECONDS), voice(2, 190.0, SECOND, SECONDS)]
    leaked = [
        np.convolve(said[1], way(3, 4.0, -16.0))[: len(said[0])],
        np.convolve(said[0], way(4, 4.5, -20.0))[: len(said[1])],
    ]
    lanes = [
        own + other + from_db(-68.0) * rng.standard_normal(len(own)) for own, other in zip(said, leaked, strict=True)
    ]
    gains = [from_db(turned_up_db), 1.0]
    return [(g * x).astype(np.float32) for g, x in zip(gains, lanes, strict=True)], [
        g * x for g, x in zip(gains, leaked, strict=True)
    ]


def said_on(lanes: list[np.ndarray]) -> list[Said]:
    envelopes = [enveloped(lane[None], RATE) for lane in lanes]
    floors = [measure_floor(one) for one in envelopes]
    reads = [lambda start, n, x=lane[None]: cut(x, start, n) for lane in lanes]
    heard = heard_of_each_other(reads, len(lanes[0]), RATE, [floor.sound_db for floor in floors])
    return [
        find_said(own_sound(e, h), f, propose_for_speaker(f)) for e, f, h in zip(envelopes, floors, heard, strict=True)
    ]


def inside(spans: np.ndarray, frames: int) -> np.ndarray:
    mask = np.zeros(frames, np.bool_)
    for start, end in spans.tolist():
        mask[start:end] = True
    return mask


@pytest.mark.parametrize("turned_up_db", [0.0, 15.0])
def test_each_lane_keeps_what_is_said_on_it_and_nothing_of_the_other(turned_up_db: float) -> None:
    """Also where both talk, in a soft "mm" while the other goes on, and where one microphone is turned up."""
    lanes, leaked = conversation(turned_up_db)
    for said, spoken, other in zip(said_on(lanes), (FIRST, SECOND), leaked, strict=True):
        kept = inside(said.found.spans, len(other))
        for start, end in spoken:
            assert kept[round((start + 0.02) * RATE) : round((end - 0.02) * RATE)].all(), (start, end)
        aside = ~inside(np.array([(round((a - 0.4) * RATE), round((b + 0.5) * RATE)) for a, b in spoken]), len(other))
        assert np.sum(np.square(other[aside & kept])) < 0.01 * np.sum(np.square(other[aside]))
        assert all(doubt(margin)[0] == 1.0 for margin in said.margins_db)


def test_lanes_that_have_nothing_in_common_keep_all_of_their_sound() -> None:
    """Nothing is taken off where nothing is heard of the other, whoever speaks."""
    alone = [voice(1, 110.0, FIRST, SECONDS), voice(2, 190.0, SECOND, SECONDS)]
    noise = np.random.default_rng(6).standard_normal((2, len(alone[0]))) * from_db(-68.0)
    for said, spoken in zip(
        said_on([(x + n).astype(np.float32) for x, n in zip(alone, noise, strict=True)]), (FIRST, SECOND), strict=True
    ):
        assert len(said.found.sounds) == len(spoken)
        starts = np.array([round(start * RATE) for start, _ in spoken])
        assert np.abs(said.found.sounds[:, 0] - starts).max() < 0.03 * RATE


def test_a_late_recording_whose_clock_is_off_is_lined_up_to_a_fraction_of_a_millisecond() -> None:
    """Two voices of noise in turns; the second recorder starts 15 s before the first, and runs 75 ppm fast."""
    rng, late_s, ppm = np.random.default_rng(4), -15.0, 75.0
    sound = [rng.standard_normal(60 * RATE) for _ in range(2)]
    turn = (np.arange(60 * RATE) // (3 * RATE)) % 2
    lanes = [sound[n] * (turn == n) + 0.1 * sound[1 - n] * (turn != n) for n in range(2)]
    first = lanes[0][round(-late_s * RATE) :][None].astype(np.float32)
    second = soxr.resample(lanes[1], RATE, RATE * (1 + ppm * 1e-6), "VHQ")[None].astype(np.float32)
    levels = (enveloped(first, RATE), enveloped(second, RATE))
    found = align(partial(cut, first), partial(cut, second), levels, RATE)
    assert found.lag_s == pytest.approx(late_s, abs=0.0003) and found.drift_ppm == pytest.approx(ppm, abs=3.0)
