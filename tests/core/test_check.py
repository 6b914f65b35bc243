"""The click check flags what it must and not the default fades; the other figures follow their definitions."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.core.test_pinned_results import enveloped

from wemble.core.check.edges import Edge, automatic_fade_frames, edge_click, edge_verdicts
from wemble.core.check.programme import end_verdict, outside_verdict
from wemble.core.check.table import state_of
from wemble.core.edges.floor import measure_floor
from wemble.core.edges.refine import BandFloors
from wemble.core.edit.clips import add_source
from wemble.core.edit.marks import set_programme
from wemble.core.edit.model import Fade, Job, Side, SourceUse
from wemble.core.render import RenderPlan
from wemble.core.signal.reader import ArrayReader, cut

RATE = 48_000
FLOORS = BandFloors(-60.0, -66.0, -58.0, -64.0, (1.0,), -57.0)


def reading(samples: np.ndarray):  # type: ignore[no-untyped-def]
    return lambda start, frames: cut(samples.astype(np.float32), start, frames)


@settings(max_examples=200)
@given(
    st.floats(40, 16_000),
    st.floats(-40, 0),
    st.floats(0, 6.283),
    st.sampled_from(["head", "tail"]),
    st.sampled_from([8_000, 16_000, 44_100, RATE, 192_000]),
)
def test_every_hard_cut_of_a_sine_clicks_and_no_default_fade_does_at_any_rate(
    hz: float, level_db: float, phase: float, side: Side, rate: int
) -> None:
    amplitude, frame = 10 ** (level_db / 20), rate // 10
    sine = amplitude * np.sin(2 * np.pi * min(hz, 0.35 * rate) * np.arange(2 * frame) / rate + phase)[None]
    assume(abs(sine[0, frame if side == "head" else frame - 1]) >= 0.1 * amplitude)
    hard = Edge(side, frame, None, None, False, frame)
    assert state_of("click", edge_click(reading(sine), hard, rate)) == "fail"
    length = automatic_fade_frames(reading(sine), hard, Fade(rate // 100), rate_hz=rate)
    faded = Edge(side, frame, None, Fade(length), False, frame)
    assert state_of("click", edge_click(reading(sine), faded, rate)) == "fine"


@pytest.mark.parametrize(("fade_ms", "state"), [(0.2, "fail"), (1.0, "fail"), (20.0, "fine")])
def test_one_fade_of_one_tone_has_one_verdict_at_every_rate(fade_ms: float, state: str) -> None:
    for rate in (16_000, 22_050, 44_100, 48_000, 96_000, 192_000):
        tone = 0.3 * np.sin(2 * np.pi * 440 * np.arange(rate // 5) / rate + 1.0)[None]
        edge = Edge("head", rate // 10, None, Fade(round(fade_ms * rate / 1000)), False, rate // 10)
        assert state_of("click", edge_click(reading(tone), edge, rate)) == state, rate


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


def programme_job(start: int, end: int) -> tuple[Job, RenderPlan, ArrayReader]:
    """Return two seconds: a tone at −20 dB RMS from 0.5 s to 1.5 s over a floor at −60 dB, with a programme marked."""
    t = np.arange(2 * RATE) / RATE
    tone = 0.1 * np.sqrt(2) * np.sin(2 * np.pi * 440 * t) * ((t >= 0.5) & (t < 1.5))
    samples = (tone + 1e-3 * np.random.default_rng(4).standard_normal(len(t)))[None].astype(np.float32)
    job = add_source(Job("t"), SourceUse("s", "s", RATE, 1, 2 * RATE)).job
    job = set_programme(job, start, end).job
    return job, RenderPlan(job), ArrayReader({("s", RATE): samples})


@pytest.mark.parametrize("end_s", [0.51, 1.0, 1.5, 1.6, 2.0])
def test_a_programme_that_ends_inside_the_sound_says_by_how_much(end_s: float) -> None:
    job, plan, reader = programme_job(0, round(end_s * RATE))
    found = end_verdict(job, plan, reader, {"s": -60.0})
    assert found is not None and found.job_frame == round(end_s * RATE)
    assert found.figure == pytest.approx(40.0 if end_s <= 1.5 else 0.0, abs=1.0)  # −20 dB over −60 dB
    assert (found.state == "fine") is (end_s > 1.5)
    (clip,) = job.clips.values()
    louder = replace(job, clips={clip.id: replace(clip, gain_db=6.0)})
    raised = end_verdict(louder, RenderPlan(louder), reader, {"s": -60.0})
    assert raised is not None and raised.figure == pytest.approx(found.figure, abs=0.2)  # the floor is raised with it
    assert end_verdict(replace(job, marks={}), plan, reader, {"s": -60.0}) is None


@pytest.mark.parametrize(
    ("start_s", "end_s", "at_s"), [(0.2, 1.8, {None}), (0.7, 1.8, {0.0}), (0.2, 1.2, {1.2}), (0.7, 1.2, {0.0, 1.2})]
)
def test_sound_outside_the_programme_is_told_at_either_end(
    start_s: float, end_s: float, at_s: set[float | None]
) -> None:
    job, _, reader = programme_job(round(start_s * RATE), round(end_s * RATE))
    (clip,) = job.clips.values()
    levels = enveloped(reader.read("s", RATE, 0, 2 * RATE), RATE)
    found = outside_verdict(job, clip, levels, measure_floor(levels))
    assert (None if found is None else found.job_frame / RATE) in at_s
    if found is not None:
        assert found.figure == pytest.approx(40.0, abs=3.0) and found.clip_id == clip.id and found.state == "look"
