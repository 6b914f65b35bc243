"""The click check flags what it must and not the default fades; the other figures follow their definitions."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from wemble.core.check.edges import Edge, automatic_fade_frames, edge_click, edge_verdicts
from wemble.core.check.table import state_of
from wemble.core.edges.refine import BandFloors
from wemble.core.edit.model import Fade, Side
from wemble.core.signal.reader import cut

RATE = 48_000
FLOORS = BandFloors(-60.0, -66.0, -58.0, -64.0, (1.0,), -57.0)


def reading(samples: np.ndarray):  # type: ignore[no-untyped-def]
    return lambda start, frames: cut(samples.astype(np.float32), start, frames)


@settings(deadline=None, max_examples=150)
@given(st.floats(40, 16_000), st.floats(-40, 0), st.floats(0, 6.283), st.sampled_from(["head", "tail"]))
def test_every_hard_cut_of_a_sine_clicks_and_no_default_fade_does(
    hz: float, level_db: float, phase: float, side: Side
) -> None:
    amplitude = 10 ** (level_db / 20)
    sine = amplitude * np.sin(2 * np.pi * hz * np.arange(9_600) / RATE + phase)[None]
    frame = 4_800
    assume(abs(sine[0, frame if side == "head" else frame - 1]) >= 0.1 * amplitude)
    hard = Edge(side, frame, None, None, False, 4_800)
    assert state_of("click", edge_click(reading(sine), hard, RATE)) == "fail"
    length = automatic_fade_frames(reading(sine), hard, Fade(480), rate_hz=RATE)
    faded = Edge(side, frame, None, Fade(length), False, 4_800)
    assert state_of("click", edge_click(reading(sine), faded, RATE)) == "fine"


def test_a_drums_own_attack_and_a_cut_through_noise_are_no_clicks() -> None:
    rng = np.random.default_rng(5)
    noise = rng.standard_normal((1, 9_600)) * 10 ** (-60 / 20)
    hit = np.zeros((1, 9_600))
    hit[0, 4_800:] = np.exp(-np.arange(4_800) / 900) * rng.standard_normal(4_800)
    at_attack = Edge("head", 4_800, 4_800, None, False, 4_800)
    assert state_of("click", edge_click(reading(noise), at_attack, RATE)) == "fine"
    assert state_of("click", edge_click(reading(hit + noise), at_attack, RATE)) == "fine"


def test_an_automatic_fade_never_reaches_the_sound() -> None:
    sine = np.sin(np.arange(9_600) / 9.0)[None]
    near = Edge("head", 4_800, 4_850, None, False, 4_800)
    assert automatic_fade_frames(reading(sine), near, Fade(480), rate_hz=RATE) == 50


@pytest.mark.parametrize(
    ("edge", "check", "state"),
    [
        (Edge("tail", 24_000, 24_100, None, False, 20_000), "tail", "fail"),
        (Edge("tail", 40_000, 33_000, Fade(480), False, 30_000), "tail", "fine"),
        (Edge("tail", 24_000, 24_100, None, False, 20_000), "speech_clipped", "fail"),
        (Edge("head", 100, 20_000 + 100_000, Fade(480), False, 40_000), "air", "fail"),
        (Edge("head", 15_000, 15_240, Fade(480), False, 20_000), "attack", "fail"),
    ],
)
def test_figures_follow_their_definitions(edge: Edge, check: str, state: str) -> None:
    rng = np.random.default_rng(8)
    take = rng.standard_normal((1, 48_000)) * 10 ** (-60 / 20)
    take[:, 15_240:33_000] += rng.standard_normal(17_760) * 0.1
    verdicts = {v.check: v for v in edge_verdicts(reading(take), edge, rate_hz=RATE, floors=FLOORS)}
    assert verdicts[check].state == state, verdicts  # type: ignore[index]
