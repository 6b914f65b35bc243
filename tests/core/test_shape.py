"""Fades, crossfades, dither: the laws that 4-the-computation defines, and textbook values."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wemble.core.shape.crossfade import LOWEST_CORRELATION, correlation, crossfade_gains
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
    channels = np.stack([triangular(123_456, 200_000, n) for n in range(4)])
    assert np.abs(np.corrcoef(channels) - np.eye(4)).max() < 0.01  # no channel knows of another
    grid = (np.arange(-500, 500, dtype=np.float32) / 32768)[None]
    assert np.array_equal(to_integers(grid, bits=16, start_frame=7)[0], np.arange(-500, 500))


def test_a_16_bit_file_differs_by_dither_alone() -> None:
    samples = np.random.default_rng(3).uniform(-0.9, 0.9, (2, 50_000)).astype(np.float32)
    error = to_integers(samples, bits=16, start_frame=0) - samples.astype(np.float64) * 32768
    assert np.abs(error).max() <= 1.5 and np.abs(error.mean()) < 0.01
    assert error.std() == pytest.approx(0.5, rel=0.02)  # √(1/12 + 1/6): dither and rounding
    assert abs(np.corrcoef(error[0], samples[0])[0, 1]) < 0.02


@given(shapes, bends, lengths)
def test_a_gain_is_its_curve_at_the_middle_of_each_frame(shape: Shape, bend: float, length: int) -> None:
    """As 4-the-computation defines it: so a fade of n frames mirrors, and never holds 0 or 1 for a whole frame."""
    middles = (np.arange(length) + 0.5) / length
    assert np.allclose(fade_in_gain(length, shape, bend), curve(middles, shape, bend), rtol=0, atol=1e-12)


@given(st.floats(-1, 1), st.integers(2, 3000))
def test_a_matched_crossfade_keeps_the_power_of_what_is_alike_and_never_blows_up(r: float, length: int) -> None:
    goes, comes = crossfade_gains(length, "matched", correlation=r)
    held = max(r, LOWEST_CORRELATION)
    assert np.allclose(goes**2 + comes**2 + 2 * held * goes * comes, 1.0)
    assert max(goes.max(), comes.max()) <= 10 ** (7.1 / 20)  # +7 dB, said beside the limit
    for law, like in (("equal_gain", 1.0), ("equal_power", 0.0)):
        expected = crossfade_gains(length, law)  # type: ignore[arg-type]
        if law == "equal_power":
            assert np.allclose(crossfade_gains(length, "matched", correlation=like), expected)
    half = length // 2
    parts = [crossfade_gains(length, "matched", correlation=r, start=a, stop=b) for a, b in ((0, half), (half, None))]
    assert np.allclose(np.concatenate(parts, axis=1), (goes, comes))


def test_correlation_is_pearsons_without_the_mean_and_nothing_in_silence() -> None:
    a, b = np.random.default_rng(2).standard_normal((2, 1, 5_000)).astype(np.float32)
    assert correlation(a, -2 * a) == pytest.approx(-1) and correlation(a, a * 0) == 0.0 == correlation(a * 0, a * 0)
    assert correlation(a, a + b) == pytest.approx(
        float(np.sum(a * (a + b)) / np.linalg.norm(a) / np.linalg.norm(a + b)), rel=1e-5
    )


@pytest.mark.parametrize("bits", [16, 24])
def test_what_is_over_full_scale_is_held_there(bits: int) -> None:
    over = np.array([[-1.5, -1.0, 0.99999999, 1.0, 1.5, 1e9]], np.float32)
    assert to_integers(over, bits=bits, start_frame=0).tolist() == [
        [-(2 ** (bits - 1))] * 2 + [2 ** (bits - 1) - 1] * 4
    ]  # type: ignore[arg-type]
