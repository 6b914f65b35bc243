"""The limiter: its ceiling, its identity, its bits, against an interpolator that is not ours (soxr, eight times)."""

from itertools import pairwise

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from wemble.core.render.limiter import Limiter, LimiterSettings
from wemble.core.signal.levels import Samples, from_db

RATE = 48_000


def limited(samples: Samples, wanted: LimiterSettings, cuts: list[int] | None = None) -> tuple[Samples, Limiter]:
    limiter = Limiter(wanted, RATE, samples.shape[0])
    edges = [0, *sorted(cuts or []), samples.shape[1]]
    parts = [limiter.feed(samples[:, a:b]) for a, b in pairwise(edges)]
    return np.concatenate([*parts, limiter.finish()], axis=1), limiter


def programme(seed: int, frames: int, channels: int = 2) -> Samples:
    """Return noise of any colour in swells and bursts, up to 12 dB over full scale."""
    rng = np.random.default_rng(seed)
    noise = (
        np.cumsum(rng.standard_normal((channels, frames)), axis=1) * rng.uniform(0, 0.02)
        + rng.standard_normal((channels, frames)) * 0.2
    )
    swell = 10 ** (np.interp(np.arange(frames), np.linspace(0, frames, 12), rng.uniform(-40, 12, 12)) / 20)
    clicks = (rng.random((channels, frames)) < 0.0005) * rng.uniform(-3, 3, (channels, frames))
    whole = (noise - noise.mean(axis=1, keepdims=True)) * swell + clicks
    return signal.sosfiltfilt(signal.butter(8, 19_000, fs=RATE, output="sos"), whole).astype(
        np.float32
    )  # as converters do


@given(
    st.integers(0, 10_000),
    st.sampled_from([-0.1, -1.0, -4.0, -20.0]),
    st.booleans(),
    st.lists(st.integers(0, 30_000), max_size=8),
)
@settings(max_examples=25)
def test_nothing_is_over_the_ceiling_and_blocks_change_no_bit(
    seed: int, ceiling_db: float, true_peak: bool, cuts: list[int]
) -> None:
    samples, wanted = programme(seed, 30_000), LimiterSettings(ceiling_db, true_peak)
    out, limiter = limited(samples, wanted)
    assert out.shape == samples.shape
    assert np.abs(out).max() <= from_db(ceiling_db)
    if true_peak:
        between = np.abs(
            soxr.resample(np.pad(out.T.astype(np.float64), ((200, 200), (0, 0))), RATE, 8 * RATE, "VHQ")
        ).max()
        assert between <= from_db(ceiling_db)
    assert (limited(samples, wanted, cuts)[0] == out).all()
    changed = (out != samples).any(axis=0)
    assert limiter.limited_frames >= changed.sum()
    assert min(limiter.steps_db) == pytest.approx(limiter.least_db, abs=0.01)
    assert len(limiter.steps_db) == -(-samples.shape[1] // (RATE // 10))


def test_what_is_not_over_stays_to_the_bit_and_a_late_start_gives_the_same() -> None:
    """A second after the last peak the gain is back at 1; so what begins there needs to know nothing of before."""
    samples = programme(3, 96_000) * np.float32(0.05)
    assert np.abs(samples).max() < from_db(-4.0)
    assert (limited(samples, LimiterSettings())[0] == samples).all()
    loud = samples.copy()
    loud[0, 10_000] = 1.0
    out, limiter = limited(loud, LimiterSettings())
    assert out[0, 10_000] == pytest.approx(from_db(-4.0), rel=1e-6)
    assert (out[:, :9_700] == loud[:, :9_700]).all()
    assert (out[:, 15_000:] == loud[:, 15_000:]).all()
    assert limiter.least_db == pytest.approx(-4.0, abs=1e-4)
    gain = out[1, 9_700:15_000].astype(np.float64) / loud[1, 9_700:15_000]
    assert np.abs(np.diff(20 * np.log10(gain))).max() < 0.07, "no step: 4 dB over 2.5 ms is 0.033 dB a frame"


def test_a_bass_note_keeps_its_shape() -> None:
    """A sine of 100 Hz, 6 dB over the ceiling: all that is added lies 100 dB or more under it (measured: 122)."""
    t = np.arange(4 * RATE) / RATE
    sine = (2 * from_db(-4.0) * np.sin(2 * np.pi * 100 * t))[None].astype(np.float32)
    out = limited(sine, LimiterSettings())[0][0, RATE : 3 * RATE].astype(np.float64)
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    fundamental = slice(200 - 4, 200 + 5)
    power = np.square(spectrum)
    added = 10 * np.log10((power.sum() - power[fundamental].sum()) / power[fundamental].sum())
    assert added < -100


@pytest.mark.parametrize("wrong", [{"ceiling_db": 1.0}, {"look_ahead_ms": 0.0}, {"release_ms": float("nan")}])
def test_settings_that_make_no_sense_are_refused(wrong: dict[str, float]) -> None:
    from wemble.errors import InvalidInput

    with pytest.raises(InvalidInput, match=next(iter(wrong))):
        LimiterSettings(**wrong)
