"""The programme of a mix, by construction: known music in known noise, over what a user brings."""

from __future__ import annotations

from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.conftest import enveloped

from wemble.core.edges.programme import Programme, find_programme
from wemble.core.signal.levels import Samples
from wemble.core.signal.reader import cut


def found_in(samples: Samples, rate_hz: int) -> Programme | None:
    return find_programme(partial(cut, samples), enveloped(samples, rate_hz))


def notes(seconds: float, rate_hz: int, rng: np.random.Generator) -> Samples:
    """Struck notes over a held chord, float64 (2, frames): it begins and ends at once."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    chord = sum(np.sin(2 * np.pi * hz * t + rng.uniform(0, 6)) for hz in (146.8, 220.0, 277.2))
    struck = np.exp(-((t * 3) % 1) * 4) * np.sin(2 * np.pi * 587.3 * t)
    return 0.1 * np.stack([chord + struck, 0.8 * chord + struck]).astype(np.float32)


@settings(max_examples=25)
@given(
    seed=st.integers(0, 1 << 20), rate=st.sampled_from([44_100, 48_000, 96_000]), floor_db=st.floats(-75, -50),
    before_s=st.floats(0.3, 5.0), behind_s=st.floats(0.3, 5.0), stop_s=st.sampled_from([0.0, 2.0]),
    sinks_db_s=st.sampled_from([None, 60.0, 20.0, 9.0]),
)  # fmt: skip
def test_it_is_one_from_the_first_sound_to_where_the_last_meets_the_floor(
    seed: int, rate: int, floor_db: float, before_s: float, behind_s: float, stop_s: float, sinks_db_s: float | None
) -> None:
    rng = np.random.default_rng(seed)
    music = notes(4.0, rate, rng)
    music = np.concatenate([music, np.zeros((2, round(stop_s * rate)), np.float32), music], axis=1)
    if sinks_db_s is not None:
        t = np.arange(round(70 / sinks_db_s * rate)) / rate
        tone = 0.3 * np.sin(2 * np.pi * 196.0 * t) * 10 ** (-sinks_db_s * t / 20)
        music = np.concatenate([music, np.stack([tone, tone])], axis=1)
    before, behind = round(before_s * rate), round(behind_s * rate)
    clean = np.pad(music, ((0, 0), (before, behind)))
    noise = 10 ** (floor_db / 20) * rng.standard_normal(clean.shape)
    found = found_in((clean + noise).astype(np.float32), rate)
    assert found is not None and found.floor_db == pytest.approx(floor_db, abs=1.0)  # a slow tail is air as well
    assert abs(found.start_frame - before) <= 0.006 * rate  # 10 ms around a frame hear what begins in 5
    end = before + music.shape[1]
    if sinks_db_s is not None:  # a tone of peak 0.3 has an RMS of −13.5 dB
        end = before + round(8.0 * rate + stop_s * rate + (-13.5 - floor_db) / sinks_db_s * rate)
    late_s = (found.end_frame - end) / rate
    # A line through it meets the floor within 1 dB, a little late rather than cut.
    assert -0.02 <= late_s <= (0.02 if sinks_db_s is None else 0.03 + 1.0 / sinks_db_s)


def test_silence_is_no_programme_and_digital_silence_at_the_ends_is_one() -> None:
    rate = 48_000
    assert found_in(np.zeros((2, rate), np.float32), rate) is None
    noise = 10 ** (-60 / 20) * np.random.default_rng(2).standard_normal((2, 6 * rate))
    assert found_in(noise.astype(np.float32), rate) is None, "there is nothing but air"
    music = notes(3.0, rate, np.random.default_rng(1))
    found = found_in(np.pad(music, ((0, 0), (rate, rate))).astype(np.float32), rate)
    assert found is not None and abs(found.start_frame - rate) <= 300 and abs(found.end_frame - 4 * rate) <= 300
    bare = found_in(music, rate)
    assert bare is not None and (bare.start_frame, bare.end_frame) == (0, 3 * rate)
    assert max(bare.start_confidence, bare.end_confidence) < 0.5 and "inside the sound" in bare.start_reason


def test_something_short_far_in_front_is_kept_and_told() -> None:
    rate = 44_100
    rng = np.random.default_rng(3)
    samples = np.pad(notes(3.0, rate, rng), ((0, 0), (4 * rate, rate))) + 1e-3 * rng.standard_normal((2, 8 * rate))
    samples[:, rate : rate + 2000] += 0.1 * rng.standard_normal((2, 2000))
    found = found_in(samples.astype(np.float32), rate)
    assert found is not None and abs(found.start_frame - rate) <= 300
    assert found.start_confidence < 0.5 and "something short lies 2.9" in found.start_reason
