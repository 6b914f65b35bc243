"""Fades, crossfades, dither: the laws that 4-the-computation defines, and textbook values."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wemble.core.shape.crossfade import crossfade_gains
from wemble.core.shape.curves import SHAPES, Shape, curve, fade_in_gain, fade_out_gain, passes_at
from wemble.core.shape.dither import to_integers, triangular
from wemble.errors import InvalidInput

shapes, bends, lengths = st.sampled_from(SHAPES), st.floats(-1, 1), st.integers(1, 5000)


@given(shapes, bends, lengths, st.data())
def test_fades_rise_mirror_and_are_the_same_in_parts(
    shape: Shape, bend: float, length: int, data: st.DataObject
) -> None:
    gain = fade_in_gain(length, shape, bend)
    assert np.all(np.diff(gain) >= 0) and gain[0] >= 0 and gain[-1] <= 1
    assert np.array_equal(fade_out_gain(length, shape, bend), gain[::-1])
    start = data.draw(st.integers(0, length))
    stop = data.draw(st.integers(start, length))
    assert np.array_equal(fade_in_gain(length, shape, bend, start=start, stop=stop), gain[start:stop])


@given(shapes, bends)
def test_limits_are_0_and_1(shape: Shape, bend: float) -> None:
    ends = curve(np.array([0.0, 1.0]), shape, bend)
    assert ends[1] == pytest.approx(1.0)
    assert ends[0] == pytest.approx(0.001 if shape == "logarithmic" else 0.0)  # −60 dB: ISO 3382-1


@given(shapes, bends, st.sampled_from([-40.0, -20.0, -6.0]))
def test_a_shape_says_when_it_passes_a_level(shape: Shape, bend: float, level_db: float) -> None:
    at = passes_at(level_db, shape, bend)
    assert 20 * np.log10(curve(np.array([at]), shape, bend)[0]) == pytest.approx(level_db, abs=1e-6)


def test_the_middles_are_the_textbooks() -> None:
    half = np.array([0.5])
    assert 20 * np.log10(curve(half, "equal_power")[0]) == pytest.approx(-3.01, abs=0.005)  # cos 45°
    assert 20 * np.log10(curve(half, "s")[0]) == pytest.approx(-6.02, abs=0.005)  # ½
    assert 20 * np.log10(curve(half, "logarithmic")[0]) == pytest.approx(-30.0)


@given(lengths)
def test_crossfades_keep_gain_or_power(length: int) -> None:
    goes, comes = crossfade_gains(length, "equal_gain")
    assert np.array_equal(goes + comes, np.ones(length))
    goes, comes = crossfade_gains(length, "equal_power")
    assert np.allclose(goes**2 + comes**2, 1.0)


@pytest.mark.parametrize("bend", [-1.1, 2.0])
def test_bends_outside_are_refused(bend: float) -> None:
    with pytest.raises(InvalidInput, match="between −1 and"):
        curve(np.array([0.5]), "s", bend)


def test_dither_is_triangular_keyed_by_place_and_absent_on_the_grid() -> None:
    noise = triangular(123_456, 200_000, 1)
    assert np.array_equal(noise[1000:], triangular(124_456, 199_000, 1))
    assert not np.array_equal(noise, triangular(123_456, 200_000, 0))
    assert abs(noise.mean()) < 0.005 and noise.var() == pytest.approx(1 / 6, rel=0.02)  # two uniforms: arithmetic
    assert abs(np.corrcoef(noise[1:], noise[:-1])[0, 1]) < 0.01
    grid = (np.arange(-500, 500, dtype=np.float32) / 32768)[None]
    assert np.array_equal(to_integers(grid, bits=16, start_frame=7)[0], np.arange(-500, 500))


def test_a_16_bit_file_differs_by_dither_alone() -> None:
    samples = np.random.default_rng(3).uniform(-0.9, 0.9, (2, 50_000)).astype(np.float32)
    error = to_integers(samples, bits=16, start_frame=0) - samples.astype(np.float64) * 32768
    assert np.abs(error).max() <= 1.5 and np.abs(error.mean()) < 0.01
    assert error.std() == pytest.approx(0.5, rel=0.02)  # √(1/12 + 1/6): dither and rounding
    assert abs(np.corrcoef(error[0], samples[0])[0, 1]) < 0.02
