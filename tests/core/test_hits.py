"""Onsets, ring-outs, hits of a take, mic sets: against sound whose truth is known because it was made here.

Real recordings are measured in ``bench/``; what the tests ask is what must hold for any sound.
"""

from __future__ import annotations

import io
import itertools
from functools import partial

import mir_eval
import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from wemble.core.edges.decay import RingOut, follow
from wemble.core.edges.hit_levels import hit_levels
from wemble.core.edges.hits import Take, find_hits, measure_take
from wemble.core.edges.onset import find_hit, rough_hit
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.kit.mic_set import FURTHEST_S, Heard, find_in_set, lag_s
from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.reader import cut
from wemble.errors import InvalidInput

RATE = 48_000


def drum(rng: np.random.Generator, *, hz: float = 180.0, decay: float = 12.0, seconds: float = 0.9) -> np.ndarray:
    """Return a struck sound, its first frame at full size, peak 1."""
    t = np.arange(round(seconds * RATE)) / RATE
    tone = sum(np.cos(2 * np.pi * hz * n * t + n) * np.exp(-t * decay * n) / n for n in (1, 2.76, 5.4))
    hit = tone + 0.5 * rng.standard_normal(len(t)) * np.exp(-t * 60.0)
    hit[0] = np.abs(hit).max()
    return np.asarray(hit / np.abs(hit).max())


def placed(hit: np.ndarray, at: int, frames: int, noise_db: float, rng: np.random.Generator) -> np.ndarray:
    """Return float32 (1, frames): a hit behind white noise."""
    take = rng.standard_normal(frames) * from_db(noise_db)
    take[at : at + len(hit)] += hit[: frames - at]
    return take[None].astype(np.float32)


@settings(max_examples=40)
@given(
    at_ms=st.floats(0.0, 400.0),
    noise_db=st.floats(-85.0, -45.0),
    hz=st.floats(60.0, 900.0),
    decay=st.floats(4.0, 40.0),
    seed=st.integers(0, 1 << 16),
)
def test_an_onset_is_found_to_half_a_millisecond_and_never_late(
    at_ms: float, noise_db: float, hz: float, decay: float, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    at = round(at_ms * RATE / 1000)
    samples = placed(drum(rng, hz=hz, decay=decay), at, at + 2 * RATE, noise_db, rng)
    found = find_hit(samples, RATE, HitRecipe(within_ms=500.0))
    late_ms = (found.onset_frame - at) * 1000 / RATE
    assert -max(0.5, min(at_ms, 2.0) if at_ms < 5.0 else 0.0) <= late_ms <= 0.1, found  # early only costs a moment


def test_gain_channels_and_polarity_change_nothing() -> None:
    rng = np.random.default_rng(5)
    samples = placed(drum(rng), 9_000, 2 * RATE, -60.0, rng)
    plain = find_hit(samples, RATE, HitRecipe())
    stereo = np.concatenate([0.2 * samples, -samples])
    for other in (0.01 * samples, -samples, np.concatenate([samples, samples])):
        assert find_hit(other.astype(np.float32), RATE, HitRecipe()) == plain
    assert abs(find_hit(stereo.astype(np.float32), RATE, HitRecipe()).onset_frame - plain.onset_frame) <= 8


def test_a_breath_before_the_hit_does_not_capture_it_and_is_told() -> None:
    rng = np.random.default_rng(2)
    samples = placed(drum(rng), 14_400, 2 * RATE, -70.0, rng)
    breath = np.hanning(4_800) * rng.standard_normal(4_800) * from_db(-28.0)
    samples[0, 4_800:9_600] += breath.astype(np.float32)
    found = find_hit(samples, RATE, HitRecipe())
    assert abs(found.onset_frame - 14_400) < 24
    assert found.confidence < DOUBTFUL and found.reason == "a softer sound before it"
    # One that lasts until the hit is left out as well, by how steeply the hit rises out of it.
    samples[0, 6_000:14_400] += (rng.standard_normal(8_400) * from_db(-30.0)).astype(np.float32)
    found = find_hit(samples, RATE, HitRecipe())
    assert abs(found.onset_frame - 14_400) < 48 and found.doubtful


def test_a_soft_start_is_followed_to_its_floor_with_less_confidence_the_slower_it_is() -> None:
    rng = np.random.default_rng(3)
    t = np.arange(2 * RATE) / RATE
    confidences = []
    for rise_s in (0.002, 0.06, 0.5):
        bowed = np.minimum(t / rise_s, 1.0) ** 2 * np.sin(2 * np.pi * 220 * t) * np.exp(-1.5 * t)
        found = find_hit(placed(bowed, 9_600, 3 * RATE, -75.0, rng), RATE, HitRecipe(within_ms=1000))
        # What lies 60 dB under the peak of a square rise comes after 3 % of it.
        assert -max(0.06 * rise_s, 0.01) * RATE < found.onset_frame - 9_600 < max(0.05 * rise_s, 0.0005) * RATE, rise_s
        confidences.append(found.confidence)
    assert confidences == sorted(confidences, reverse=True) and confidences[0] == 1.0 and confidences[2] < DOUBTFUL


def test_the_limit_holds_and_silence_is_told() -> None:
    rng = np.random.default_rng(4)
    samples = placed(drum(rng), RATE, 3 * RATE, -60.0, rng)
    found = find_hit(samples, RATE, HitRecipe(within_ms=400.0))
    assert found.onset_frame == round(0.4 * RATE) and "nothing speaks within the first 400 ms" in found.reason
    for silent in (np.zeros((1, RATE), np.float32), np.zeros((2, 0), np.float32)):
        assert (find_hit(silent, RATE, HitRecipe()).confidence, find_hit(silent, RATE, HitRecipe()).reason) == (
            0,
            "silence",
        )


@pytest.mark.parametrize(
    ("field", "value"),
    [("start_under_peak_db", 5.0), ("within_ms", 0.0), ("over_floor_db", -1.0), ("shortest_gap_ms", 1.0)],
)
def test_a_recipe_refuses_what_no_hit_can_have(field: str, value: float) -> None:
    with pytest.raises(InvalidInput, match=field):
        HitRecipe(**{field: value})  # type: ignore[arg-type]


def test_what_is_wrong_with_a_recording_is_told_and_a_plain_hit_is_not_doubted() -> None:
    for seed in range(8):
        rng = np.random.default_rng(seed)
        plain = placed(drum(rng), 14_400, 3 * RATE, -60.0, rng)
        later, click, peak = 14_400 + RATE, plain.copy(), float(np.abs(plain).max())
        click[0, 9_600] += 0.3 * peak
        again = plain.copy()
        again[0, later:] += 0.7 * plain[0, 14_400 : 14_400 + plain.shape[1] - later]
        found = find_hit(plain, RATE, HitRecipe())
        assert not found.doubtful and (found.reason, found.end_reason) == ("clear start", "clear end")
        told = [
            (click, "a click 100 ms before it", None),
            (again, None, "a second hit"),
            (np.clip(plain, -0.4 * peak, 0.4 * peak), "its peaks are clipped", None),
        ]
        for samples, reason, end_reason in told:
            hit = find_hit(samples, RATE, HitRecipe())
            assert hit.doubtful and (reason or "") in hit.reason and (end_reason or "") in hit.end_reason
        loudest = 14_400 + int(np.abs(plain[0, 14_400:15_000]).argmax())
        assert find_hit(plain[:, loudest:], RATE, HitRecipe()).reason == "the file starts inside the attack"
    at, burst = RATE // 5, np.exp(-np.arange(RATE // 2) / 2_000) * np.random.default_rng(0).standard_normal(RATE // 2)
    sharp = np.concatenate([np.zeros(at), 0.2 * burst, np.zeros(RATE)]).astype(np.float32)[None]
    held = io.BytesIO()
    soundfile.write(held, sharp.T, RATE, format="MP3", bitrate_mode="CONSTANT", compression_level=0.7)
    held.seek(0)
    coded = find_hit(soundfile.read(held, dtype="float32", always_2d=True)[0].T, RATE, HitRecipe(), coded=True)
    assert coded.onset_frame < at - 48 and coded.reason == "may begin with coding noise"
    assert find_hit(sharp, RATE, HitRecipe(), coded=True).reason == "clear start"


@settings(max_examples=30)
@given(decay_db_s=st.floats(30.0, 300.0), noise_db=st.floats(-70.0, -40.0), seed=st.integers(0, 999))
def test_a_ring_out_is_never_cut_above_its_floor(decay_db_s: float, noise_db: float, seed: int) -> None:
    """Noise that decays in a straight line of dB, as in ISO 3382-1: where it crosses the floor is arithmetic."""
    rng = np.random.default_rng(seed)
    seconds = -noise_db / decay_db_s + 1.5
    t = np.arange(round(seconds * RATE)) / RATE
    ring = 0.3 * rng.standard_normal(len(t)) * 10 ** (-decay_db_s * t / 20)
    samples = (ring + 0.3 * from_db(noise_db) * rng.standard_normal(len(t)))[None].astype(np.float32)
    over_s = (-noise_db - 3.0) / decay_db_s  # where the sound itself is 3 dB over the floor
    end_s = find_hit(samples, RATE, HitRecipe(over_floor_db=3.0)).end_frame / RATE
    assert over_s <= end_s <= over_s + 0.25 + 12.0 / decay_db_s


def test_what_never_falls_is_kept_whole_and_told() -> None:
    rng = np.random.default_rng(12)
    t = np.arange(3 * RATE) / RATE
    engine = 0.3 * sum(np.sin(2 * np.pi * 27 * n * t + n * n) / n for n in range(1, 9)) + 0.05 * rng.standard_normal(
        len(t)
    )
    found = find_hit(engine[None].astype(np.float32), RATE, HitRecipe())
    assert found.end_frame == len(t) and found.onset_frame < 0.005 * RATE
    assert found.end_confidence <= 0.7 and found.end_reason == "still sounding where the file ends"


@settings(max_examples=60)
@given(
    decay_db_s=st.floats(11.0, 290.0), rings_db=st.floats(18.0, 55.0), noise_db=st.floats(-110.0, -75.0),
    kind=st.sampled_from(["tone", "noise", "partials"]), seed=st.integers(0, 1 << 16),
)  # fmt: skip
def test_a_ring_out_that_the_file_ends_is_kept_whole(
    decay_db_s: float, rings_db: float, noise_db: float, kind: str, seed: int
) -> None:
    """Without air behind it or ahead, its end is its quietest, and no floor for all that."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(rings_db / decay_db_s * RATE)) / RATE
    body = {
        "tone": lambda: np.sin(2 * np.pi * rng.uniform(60, 900) * t + 1),
        "noise": lambda: rng.standard_normal(len(t)),
        "partials": lambda: sum(np.sin(2 * np.pi * hz * t + hz) for hz in rng.uniform(80, 4_000, 6)),
    }[kind]()
    hit = body * 10.0 ** (-decay_db_s * t / 20.0)
    whole = placed(0.6 * hit / np.abs(hit).max(), 0, len(t), noise_db, rng)
    assert find_hit(whole, RATE, HitRecipe()).end_frame == len(t)


def test_a_decay_that_never_meets_its_floor_says_so() -> None:
    power = 10.0 ** (-np.arange(200) / 100.0)
    kept = follow(power, 0, floor=1e-9, block_s=0.001, gap_s=0.25).ring_out(3.0)
    assert kept == RingOut(end=200, met_floor=False, followed=False)


def test_a_draft_is_near_what_is_found_for_any_numbers() -> None:
    rng = np.random.default_rng(8)
    samples = placed(drum(rng, decay=6.0), 7_000, 2 * RATE, -55.0, rng)
    levels = hit_levels(samples, RATE)
    for recipe in (HitRecipe(), HitRecipe(start_under_peak_db=25.0), HitRecipe(over_floor_db=20.0)):
        rough, found = rough_hit(levels, recipe), find_hit(samples, RATE, recipe, levels)
        assert abs(rough.first * levels.block_frames - found.onset_frame) <= 3 * levels.block_frames
        assert rough.end * levels.block_frames == found.end_frame
    assert find_hit(samples, RATE, HitRecipe(over_floor_db=20.0)).end_frame < found.end_frame + RATE


def take_of_hits(seed: int, gaps_s: tuple[float, float] = (0.12, 0.6)) -> tuple[np.ndarray, np.ndarray]:
    """Return (samples (1, frames), onsets): hits at random places over bleed at −35 dB, also into each other's ring-out."""
    rng = np.random.default_rng(seed)
    frames = 12 * RATE
    mix = rng.standard_normal(frames) * from_db(-62.0)
    for at in range(5_000, frames - RATE, 17_111):
        hit = drum(rng, hz=900.0, decay=30.0, seconds=0.3)
        mix[at : at + len(hit)] += from_db(-35.0) * hit
    onsets, at = [], 0.4
    while at < 11.0:
        hit = drum(rng, hz=rng.choice([110.0, 150.0, 205.0]), decay=8.0) * from_db(rng.uniform(-9.0, 0.0))
        start = round(at * RATE)
        mix[start : start + len(hit)] += hit[: frames - start]
        onsets.append(start)
        at += rng.uniform(*gaps_s)
    return mix[None].astype(np.float32), np.array(onsets)


def measured(samples: Samples) -> Take:
    return measure_take(partial(cut, samples), samples.shape[1], RATE)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_hits_of_a_take_are_found_within_five_milliseconds(seed: int) -> None:
    """F-measure by mir_eval, with the 5 ms that we ask (the literature takes 50; Bello et al. 2005)."""
    samples, onsets = take_of_hits(seed)
    hits = find_hits(measured(samples), HitRecipe(many=True)).hits
    found = np.array([hit.onset_frame for hit in hits])
    f, precision, recall = mir_eval.onset.f_measure(onsets / RATE, found / RATE, window=0.005)
    assert f >= 0.97, (precision, recall)
    errors = np.array([np.abs(found - onset).min() for onset in onsets]) * 1000 / RATE
    assert np.median(errors) <= 0.3
    assert all(hit.onset_frame < hit.end_frame <= after.onset_frame for hit, after in itertools.pairwise(hits))


def test_the_shortest_gap_joins_hits_and_the_harder_rise_stays() -> None:
    samples, onsets = take_of_hits(4, (0.2, 0.21))
    take = measured(samples)
    close, wide = (find_hits(take, HitRecipe(many=True, shortest_gap_ms=ms)) for ms in (80.0, 450.0))
    assert len(close.hits) >= 0.95 * len(onsets) and close.together == 0
    assert len(wide.hits) <= len(onsets) // 2 + 1
    assert wide.together == len(close.hits) - len(wide.hits)
    loud = find_hits(take, HitRecipe(many=True, softest_under_peak_db=4.0))
    assert 0 < len(loud.hits) < len(close.hits) and loud.too_soft >= len(close.hits) - len(loud.hits)
    assert find_hits(measured(samples[:, :100]), HitRecipe()).hits == ()


def two_mics(seed: int, *, later_s: float = 0.006, begins_s: float = 0.0, rate: int = RATE) -> tuple[Heard, Heard]:
    """Return one hit heard near, and far: softer, duller, later; the far file may begin later as well, at another rate."""
    rng = np.random.default_rng(seed)
    hit = drum(rng, decay=7.0)
    near = placed(hit, 12_000, 2 * RATE, -60.0, rng)
    far = placed(0.3 * hit, 12_000 + round(later_s * RATE), 2 * RATE, -65.0, rng)[:, round(begins_s * RATE) :]
    if rate != RATE:
        far = far[:, :: RATE // rate]
    return Heard(near, RATE), Heard(far, rate)


def test_microphones_of_a_hit_are_cut_at_one_moment_and_their_spacing_stays() -> None:
    near, far = two_mics(1)
    found = find_in_set([near, far], HitRecipe())
    assert found.decided_by == 0 and found.lags_s == (0.0, 0.0)
    assert found.hits[0].onset_frame == found.hits[1].onset_frame and abs(found.hits[0].onset_frame - 12_000) < 24
    alone = [find_hit(one.samples, RATE, HitRecipe()) for one in (near, far)]
    assert found.hits[0].end_frame == found.hits[1].end_frame == max(hit.end_frame for hit in alone)
    assert find_in_set([near, far], HitRecipe(), decided_by=1).hits[0].onset_frame == alone[1].onset_frame
    half = two_mics(1, rate=24_000)[1]
    assert find_in_set([near, half], HitRecipe()).hits[1].onset_frame == round(found.hits[0].onset_frame / 2)


@pytest.mark.parametrize("begins_s", [0.12, 0.2])
def test_a_file_that_begins_later_is_lined_up_by_its_sound(begins_s: float) -> None:
    near, far = two_mics(2, begins_s=begins_s, later_s=0.004)
    assert lag_s(near, far) == pytest.approx(-begins_s, abs=0.006)
    found = find_in_set([near, far], HitRecipe())
    gap = found.hits[0].onset_frame - found.hits[1].onset_frame
    assert gap == pytest.approx(begins_s * RATE, abs=0.006 * RATE)


def test_a_lag_that_air_explains_is_kept_and_one_that_nothing_explains_is_refused() -> None:
    near, far = two_mics(3, later_s=0.9 * FURTHEST_S)
    shorter = Heard(far.samples[:, :-3_000], RATE)
    assert lag_s(near, shorter) == 0.0
    rng = np.random.default_rng(9)
    other = Heard(rng.standard_normal((1, 70_000)).astype(np.float32) * 0.1, RATE)
    with pytest.raises(InvalidInput, match="nothing in the sound explains it"):
        lag_s(near, other)
