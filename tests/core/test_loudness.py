"""Loudness against the standards' constructed signals, against pyloudnorm, and against a finer interpolation."""

import numpy as np
import pyloudnorm
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.loudness import NOTHING_LUFS, Loudness, LoudnessMeter, short_term_lufs

RATE = 48_000


def measured(samples: np.ndarray, rate: int = RATE, block: int = 65_536) -> Loudness:
    meter = LoudnessMeter(rate, samples.shape[0])
    for at in range(0, samples.shape[1], block):
        meter.feed(samples[:, at : at + block].astype(np.float32))
    return meter.result()


def tones(*parts: tuple[float, float], rate: int = RATE, hz: float = 1000.0, channels: int = 2) -> Samples:
    """Return sines one after the other, each (peak in dB relative to full scale, seconds)."""
    sized = np.concatenate([np.full(round(seconds * rate), from_db(db)) for db, seconds in parts])
    sine = sized * np.sin(2 * np.pi * hz * np.arange(len(sized)) / rate)
    return np.tile(sine, (channels, 1)).astype(np.float32)


# EBU Tech 3341, cases 1 to 5, and ITU-R BS.1770-5 for one channel (5-check-values, and from memory for case 5).
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(
    ("parts", "lufs"),
    [
        ([(-23.0, 20)], -23.0),
        ([(-33.0, 20)], -33.0),
        ([(-36.0, 10), (-23.0, 60), (-36.0, 10)], -23.0),
        ([(-72.0, 10), (-36.0, 10), (-23.0, 60), (-36.0, 10), (-72.0, 10)], -23.0),
        ([(-26.0, 20), (-20.0, 20.1), (-26.0, 20)], -23.0),
    ],
)
def test_the_gated_sequences_read_as_the_standard_says(
    parts: list[tuple[float, float]], lufs: float, rate: int
) -> None:
    found = measured(tones(*parts, rate=rate), rate)
    assert found.integrated_lufs == pytest.approx(lufs, abs=0.1)
    assert measured(tones((0.0, 20), hz=997.0, rate=rate, channels=1), rate).integrated_lufs == pytest.approx(
        -3.01, abs=0.02
    )


# EBU Tech 3342, cases 1 to 4, ± 1 LU (from memory).
@pytest.mark.parametrize(
    ("levels", "range_lu"),
    [((-20, -30), 10.0), ((-20, -15), 5.0), ((-40, -20), 20.0), ((-50, -35, -20, -35, -50), 15.0)],
)
def test_the_range_is_that_of_the_standards_sequences(levels: tuple[float, ...], range_lu: float) -> None:
    assert measured(tones(*((db, 20.0) for db in levels))).range_lu == pytest.approx(range_lu, abs=1.0)


# EBU Tech 3341, cases 15 to 19: +0.2 and −0.4 dB (from memory).
@pytest.mark.parametrize(
    ("part", "degrees", "peak_db"), [(4, 0, -6.0), (4, 45, -6.0), (6, 60, -6.0), (8, 67.5, -6.0), (4, 45, 3.0)]
)
def test_peaks_between_samples_are_those_of_the_standards_sines(part: int, degrees: float, peak_db: float) -> None:
    sine = from_db(peak_db) * np.sin(2 * np.pi * np.arange(RATE) / part + np.radians(degrees))
    shaped = sine * np.minimum(1.0, np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 2_000)
    assert -0.4 <= measured(shaped[None]).true_peak_db - peak_db <= 0.2


@pytest.mark.parametrize(("rate", "channels"), [(44_100, 1), (48_000, 2)])
def test_pyloudnorm_and_sixteenfold_oversampling_agree(rate: int, channels: int) -> None:
    for seed in range(3):
        rng = np.random.default_rng(seed)
        gain = np.repeat(from_db(-40.0) * 10.0 ** rng.uniform(0, 1.7, 60), rate // 2)
        samples = (gain * np.cumsum(rng.standard_normal((channels, len(gain))), axis=1) * 0.02).astype(np.float32)
        samples -= samples.mean(axis=1, keepdims=True)
        found = measured(samples, rate)
        assert found.integrated_lufs == pytest.approx(
            pyloudnorm.Meter(rate).integrated_loudness(samples.T.astype(float)), abs=0.1
        )
        fine = np.abs(soxr.resample(samples.T.astype(np.float64), rate, 16 * rate)).max()
        assert found.true_peak_db == pytest.approx(20 * np.log10(fine), abs=0.2)
        assert found.sample_peak_db == pytest.approx(20 * np.log10(np.abs(samples).max()), abs=1e-4)


@settings(max_examples=10)
@given(
    blocks=st.lists(st.integers(60, 9_000), min_size=1, max_size=40),
    rate=st.sampled_from([8_000, 11_025, 44_100]),
    seed=st.integers(0, 99),
)
def test_the_size_of_blocks_changes_nothing_and_parts_add_up(blocks: list[int], rate: int, seed: int) -> None:
    samples = np.random.default_rng(seed).uniform(-0.5, 0.5, (2, 5 * rate)).astype(np.float32)
    whole, pieces = measured(samples, rate, samples.shape[1]), LoudnessMeter(rate, 2)
    at = 0
    while at < samples.shape[1]:
        size = blocks[at % len(blocks)]
        pieces.feed(samples[:, at : at + size])
        at += size
    found, by_frames = pieces.result(), measured(samples[:, :900], rate, 1)
    assert by_frames.true_peak_db == pytest.approx(measured(samples[:, :900], rate).true_peak_db, abs=1e-4)
    assert np.allclose(found.powers, whole.powers, rtol=1e-9) and len(found.powers) == 50
    assert (found.true_peak_db, found.sample_peak_db) == pytest.approx(
        (whole.true_peak_db, whole.sample_peak_db), abs=1e-4
    )
    everything = np.array([[0, samples.shape[1]]])
    assert found.of_spans(everything, rate) == pytest.approx(found.integrated_lufs, abs=1e-9)
    assert len(short_term_lufs(found.powers)) == 21


def test_loudness_of_what_speaks_leaves_the_rest_out_and_silence_has_none() -> None:
    samples = tones((-20.0, 5), (-50.0, 5), (-20.0, 5))
    spans = np.array([[0, 5 * RATE], [10 * RATE, 15 * RATE]])
    assert measured(samples).of_spans(spans, RATE) == pytest.approx(-20.0, abs=0.1)
    assert measured(samples).of_spans(spans[:0], RATE) == NOTHING_LUFS
    silence = measured(np.zeros((2, RATE)))
    assert (silence.integrated_lufs, silence.range_lu, silence.true_peak_db) == (NOTHING_LUFS, 0.0, -200.0)
