"""The pyramid against its slow, obvious twin, and levels against arithmetic."""

import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from wemble.core.signal import spectra
from wemble.core.signal.levels import moving_rms, power_around
from wemble.core.signal.pyramid import STEP, bin_frames, coarser, min_max, reduce_samples
from wemble.core.signal.reader import cut

RATE = 48_000


@settings(max_examples=40)
@given(st.integers(1, 3), st.integers(1, 3000), st.sampled_from([1, 7, 64, 256]), st.integers(0, 2**31))
def test_pyramid_equals_bin_by_bin(channels: int, frames: int, width: int, seed: int) -> None:
    samples = np.random.default_rng(seed).uniform(-1.5, 1.5, (channels, frames)).astype(np.float32)
    bins = [samples[:, at : at + width] for at in range(0, frames, width)]
    assert np.array_equal(
        min_max(samples, frames_per_bin=width),
        np.stack([[b.min(axis=1), b.max(axis=1)] for b in bins], 1).T.swapaxes(1, 1),
    )
    reduced = reduce_samples(samples, frames_per_bin=width, before=np.zeros((channels, 1), np.float32))
    slow = np.stack([np.sqrt((b.astype(float) ** 2).mean(axis=1)) for b in bins], axis=1)
    assert np.allclose(reduced.rms, slow, rtol=2e-3, atol=1e-6)
    difference = np.diff(samples.astype(float), axis=1, prepend=0)
    slow = np.stack(
        [np.sqrt((difference[:, a : a + width] ** 2).mean(axis=1)) for a in range(0, frames, width)], axis=1
    )
    assert np.allclose(reduced.difference_rms, slow, rtol=2e-3, atol=1e-6)
    up = coarser(reduced.min_max)
    assert np.array_equal(up[:, -1, 1], reduced.min_max[:, (up.shape[1] - 1) * STEP :, 1].max(axis=1))


def test_bins_are_about_5_ms_at_every_rate() -> None:
    assert all(2.0 <= 1000 * bin_frames(rate) / rate <= 6.0 for rate in range(8_000, 192_001, 100))


@settings(max_examples=60)
@given(st.integers(1, 3), st.integers(0, 300), st.integers(1, 400), st.integers(0, 2**31))
def test_moving_rms_is_that_of_each_window_cut_off_at_the_ends(
    channels: int, frames: int, window: int, seed: int
) -> None:
    samples = np.random.default_rng(seed).uniform(-1.5, 1.5, (channels, frames)).astype(np.float32)
    spans = [(max(at - window // 2, 0), min(at - window // 2 + window, frames)) for at in range(frames)]
    slow = [np.sqrt(np.mean(samples[:, a:b].astype(np.float64) ** 2, axis=1)) for a, b in spans]
    assert np.allclose(moving_rms(samples, window), np.reshape(slow, (frames, channels)).T)
    whole = [at for at in range(frames) if window // 2 <= at <= frames - window + window // 2]
    if whole:
        loudest = power_around(samples, window, whole[0], whole[-1] + 1)
        assert np.allclose(loudest, [np.max(slow[at]) ** 2 for at in whole])


def test_rms_of_a_sine_is_3_db_under_its_peak() -> None:
    sine = np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)[None].astype(np.float32)
    inner = moving_rms(sine, 4800)[0, 4800:-4800]
    assert np.allclose(20 * np.log10(inner), -3.01, atol=0.02)  # arithmetic: 1/√2


@pytest.mark.parametrize("frames_per_column", [1, 256, 4096])
def test_a_sine_lies_in_its_band_of_the_spectral_picture_at_its_level(frames_per_column: int) -> None:
    """Against scipy's own short-time spectrum (scaling "spectrum", Hann), which gives a full-scale sine 0 dB − 3.01."""
    t = np.arange(RATE * 2) / RATE
    sine = (0.1 * np.sin(2 * np.pi * 1000.0 * t)).astype(np.float32)[None]
    picture = spectra.spectral_columns(
        lambda start, frames: cut(sine, start, frames),
        rate_hz=RATE,
        frames_per_column=frames_per_column,
        first_column=RATE // frames_per_column,
        columns=8,
    )
    edges = np.geomspace(spectra.LOWEST_HZ, RATE / 2, spectra.BANDS + 1)
    band = int(np.searchsorted(edges, 1000.0)) - 1
    level = spectra.LOWEST_DB + picture / 255 * (spectra.HIGHEST_DB - spectra.LOWEST_DB)
    assert np.all(np.abs(picture.argmax(axis=1) - band) <= 1)
    window = spectra.window_frames(RATE)
    _, power = scipy.signal.periodogram(sine[0, :window], RATE, "hann", detrend=False, scaling="spectrum")
    expected = 10 * np.log10(power.max()) + 3.01
    assert np.all(np.abs(level.max(axis=1) - expected) < 0.6)
