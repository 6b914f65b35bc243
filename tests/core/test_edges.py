"""Finding: known places, laws of rooms and spans, and what must never depend on what."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal
from tests.core.conftest import enveloped

from wemble.core.edges.envelope import merged, runs
from wemble.core.edges.floor import Floor, measure_floor
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edges.room_tone import room_tone
from wemble.core.edges.search import find, measure, propose
from wemble.core.edges.silence import clean_quiet, find_sounds, with_rooms
from wemble.core.signal.levels import from_db
from wemble.core.signal.reader import cut
from wemble.errors import InvalidInput

RATE = 48_000
rng = np.random.default_rng(77)


def noise(seconds: float, level_db: float, seed: int = 1) -> np.ndarray:
    return 10 ** (level_db / 20) * np.random.default_rng(seed).standard_normal((1, round(seconds * RATE)))


def voice(seconds: float, level: float = 0.2) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return np.asarray(level * sum(np.sin(2 * np.pi * 150 * k * t + k) / k for k in range(1, 10)))


def breath(seconds: float, level: float = 0.01) -> np.ndarray:
    sos = signal.butter(2, [700, 5000], "bandpass", fs=RATE, output="sos")
    frames = round(seconds * RATE)
    return np.asarray(
        level * signal.sosfilt(sos, rng.standard_normal(frames)) * np.sin(np.linspace(0, np.pi, frames)) * 4
    )


def put(base: np.ndarray, at_s: float, sound: np.ndarray) -> np.ndarray:
    out = base.copy()
    start = round(at_s * RATE)
    out[:, start : start + len(sound)] += sound
    return out


def searched(samples: np.ndarray, recipe: Recipe | None = None):  # type: ignore[no-untyped-def]
    read = partial(cut, samples.astype(np.float32))
    measured = measure(read, enveloped(samples))
    return find(read, measured, recipe or propose(measured.floor), head_frame=0, tail_frame=samples.shape[1])


# --- floor ---


@pytest.mark.parametrize("level_db", [-75.0, -60.0, -45.0])
@pytest.mark.parametrize("colour", ["white", "hum"])
def test_the_floor_is_the_level_of_the_noise(level_db: float, colour: str) -> None:
    take = noise(20, level_db)
    if colour == "hum":
        hum = np.sin(2 * np.pi * 50 * np.arange(take.shape[1]) / RATE)
        take = 0.8 * take + 0.6 * 10 ** (level_db / 20) * np.sqrt(2) * hum  # as loud together: 0.64 + 0.36
    for at in range(1, 18, 2):
        take = put(take, at, voice(0.8))
    floor = measure_floor(enveloped(take))
    assert floor.level_db == pytest.approx(level_db, abs=1.0) and floor.confidence > 0.6


def test_digital_silence_is_no_floor_and_a_take_without_pause_has_little_confidence() -> None:
    gated = np.zeros((1, 20 * RATE))
    gated[:, 5 * RATE : 15 * RATE] = noise(10, -55.0)
    gated = put(gated, 8, voice(2.0))
    assert measure_floor(enveloped(gated)).level_db == pytest.approx(-55.0, abs=1.0)
    steady = measure_floor(enveloped(voice(10.0)[None]))
    assert steady.confidence < 0.3
    nothing = measure_floor(enveloped(np.zeros((1, RATE))))
    assert nothing.confidence == 0.0


# --- sounds ---


def test_sounds_are_found_where_they_are_and_breaths_and_clicks_are_not_sounds() -> None:
    take = noise(12, -55.0)
    for at in (1.0, 4.0, 7.0):
        take = put(take, at, voice(1.2))
    take = put(put(take, 3.1, breath(0.35)), 6.2, breath(0.35))
    take = put(take, 9.5, 0.3 * np.exp(-np.arange(300) / 60) * np.sin(np.arange(300) / 3))
    found = searched(take)
    # Audible means 10 ms RMS at or above the floor: a window that reaches 5 ms past a sudden edge hears it already.
    assert np.allclose(found.sounds / RATE, [[1.0, 2.2], [4.0, 5.2], [7.0, 8.2]], atol=0.006)
    assert len(found.breaths) == 2 and len(found.clicks) == 1
    for start, end in [*found.breaths, *found.clicks]:
        assert not any(a < end and start < b for a, b in found.spans)
    with_breaths = searched(take, replace(propose(measure_floor(enveloped(take))), breaths_are_sound=True))
    assert len(with_breaths.sounds) > 3


def test_a_quiet_consonant_next_to_a_sound_belongs_to_it() -> None:
    take = put(noise(4, -55.0), 1.0, voice(1.0))
    hiss = 0.012 * signal.sosfilt(signal.butter(2, 4000, "highpass", fs=RATE, output="sos"), rng.standard_normal(7200))
    found = searched(put(take, 2.03, hiss))
    assert len(found.sounds) == 1 and found.sounds[0, 1] / RATE == pytest.approx(2.18, abs=0.01)


def test_every_channel_decides_and_the_loudest_wins() -> None:
    one, other = put(noise(4, -55.0), 1.0, voice(0.5)), noise(4, -55.0, seed=2)
    together = searched(np.concatenate([one, other]))
    swapped = searched(np.concatenate([other, one]))
    assert np.array_equal(together.sounds, swapped.sounds)
    assert np.allclose(together.sounds, searched(one).sounds, atol=RATE * 0.003)


@settings(max_examples=30)
@given(st.floats(-60, -20), st.floats(0, 2000), st.floats(0, 300), st.floats(0, 500), st.floats(0, 500), st.booleans())
def test_spans_hold_their_sounds_and_never_meet(
    threshold: float, gap: float, shortest: float, before: float, after: float, breaths: bool
) -> None:
    take = np.concatenate([noise(8, -55.0), noise(8, -56.0, seed=3)])
    for at, length in ((0.5, 0.4), (1.3, 0.2), (1.9, 1.0), (4.0, 0.05), (5.0, 1.5), (7.4, 0.6)):
        take = put(take, at, voice(length))
    levels = enveloped(take)
    recipe = Recipe(threshold, "full_scale", gap, shortest, before, after, breaths)
    found = find_sounds(levels, measure_floor(levels), recipe)
    later = found.shifted(1_000)
    assert all(
        np.array_equal(getattr(later, name), getattr(found, name) + 1_000)
        for name in ("spans", "sounds", "clicks", "breaths")
    )
    flat = found.spans.ravel()
    assert np.all(np.diff(flat) >= 0) and (not len(flat) or (flat[0] >= 0 and flat[-1] <= take.shape[1]))
    assert np.all(found.spans[:, 0] <= found.sounds[:, 0]) and np.all(found.sounds[:, 1] <= found.spans[:, 1])
    assert np.all(found.sounds[1:, 0] - found.sounds[:-1, 1] >= gap * RATE / 1000 - levels.bin_frames)
    rooms_ms = 1000 / RATE * np.stack([found.sounds[:, 0] - found.spans[:, 0], found.spans[:, 1] - found.sounds[:, 1]])
    assert np.all(rooms_ms[0] <= before + 0.02) and np.all(rooms_ms[1] <= after + 0.02)


def test_rooms_that_would_meet_share_the_gap_and_stop_short_of_what_was_dropped() -> None:
    sounds = np.array([[1000, 2000], [2300, 3000], [9000, 9500]])
    dropped = np.array([[3400, 3500]])
    recipe = Recipe(room_before_ms=1000 * 300 / RATE, room_after_ms=1000 * 600 / RATE)
    spans = with_rooms(sounds, dropped, recipe, rate_hz=RATE, frames=9800)
    assert spans.tolist() == [[700, 2200], [2200, 3400], [8700, 9800]]


def test_a_part_of_a_take_is_searched_like_the_whole() -> None:
    take = noise(12, -55.0)
    for at in (1.0, 4.0, 7.0):
        take = put(take, at, voice(1.2))
    read = partial(cut, take.astype(np.float32))
    measured = measure(read, enveloped(take))
    recipe = propose(measured.floor)
    whole = find(read, measured, recipe, head_frame=0, tail_frame=take.shape[1])
    part = find(read, measured, recipe, head_frame=3 * RATE, tail_frame=6 * RATE)
    assert part.sounds.tolist() == [whole.sounds[1].tolist()]
    assert part.spans[0, 0] >= 3 * RATE and part.spans[0, 1] <= 6 * RATE


@settings(max_examples=12)
@given(st.integers(0, 2**31), st.floats(-46.0, -36.0))
def test_hits_that_reach_to_the_threshold_end_there_though_the_bleed_of_others_goes_on(
    seed: int, bleed_db: float
) -> None:
    rng = np.random.default_rng(seed)
    take = from_db(-66.0) * rng.standard_normal((1, 9 * RATE))
    take[:, RATE : 8 * RATE] += from_db(bleed_db) * rng.standard_normal(7 * RATE)
    t = np.arange(round(0.3 * RATE)) / RATE
    starts = [round((1.2 + 0.5 * n + rng.uniform(-0.05, 0.05)) * RATE) for n in range(12)]
    for start in starts:
        take[:, start : start + len(t)] += 0.4 * rng.standard_normal(len(t)) * np.exp(-35.0 * t)
    recipe = replace(propose(measure_floor(enveloped(take)), material="struck"), threshold_db=-24.0)
    sounds = searched(take, recipe).sounds
    assert len(sounds) == len(starts)
    for (head, tail), start in zip(sounds, starts, strict=True):
        assert start - 0.011 * RATE <= head <= start + 0.001 * RATE
        assert -34.0 < 20 * np.log10(np.sqrt(np.mean(take[0, tail - 240 : tail + 240] ** 2))) < -26.0
    to_the_floor = searched(take, replace(recipe, reach="floor")).sounds
    assert np.diff(to_the_floor).sum() > np.diff(sounds).sum(), "there the bleed of others goes on"


# --- proposals, references, refusals ---


def test_a_higher_floor_asks_for_more_room_and_a_higher_threshold() -> None:
    quiet, loud = (propose(replace(_floor(), level_db=db, level_top_db=db + 3)) for db in (-70.0, -45.0))
    assert loud.room_before_ms > quiet.room_before_ms and loud.room_after_ms > quiet.room_after_ms
    assert loud.threshold_db >= quiet.threshold_db and loud.threshold_from == "speech"


def _floor() -> Floor:
    return Floor(-60.0, -66.0, -57.0, -63.0, -57.5, -20.0, -8.0, 1.0)


@pytest.mark.parametrize(
    ("reference", "number", "dbfs"),
    [
        ("full_scale", -46.0, -46.0),
        ("floor", 14.0, -46.0),
        ("peak", 38.0, -46.0),
        ("speech", 26.0, -46.0),
        ("speech", 60.0, -50.0),
    ],
)
def test_a_threshold_counts_from_what_it_says(reference: str, number: float, dbfs: float) -> None:
    recipe = Recipe(number, reference)  # type: ignore[arg-type]
    assert recipe.threshold_dbfs(_floor()) == dbfs


@pytest.mark.parametrize(
    "fields",
    [
        {"threshold_db": 500},
        {"shortest_gap_ms": -1},
        {"fade_ms": 1e9},
        {"fade_shape": "zigzag"},
        {"threshold_from": "moon"},
    ],
)
def test_recipes_refuse_what_makes_no_sense(fields: dict[str, object]) -> None:
    with pytest.raises(InvalidInput):
        Recipe(**fields)  # type: ignore[arg-type]


@pytest.mark.parametrize(("kind", "amount"), [("turn_down", -1), ("close_up", 61), ("cut", 1), ("explode", 0)])
def test_treatments_refuse_what_makes_no_sense(kind: str, amount: float) -> None:
    with pytest.raises(InvalidInput, match="cannot be"):
        Treatment(kind, amount)  # type: ignore[arg-type]


# --- runs, room tone ---


@given(st.lists(st.booleans(), max_size=60), st.integers(0, 10))
def test_runs_and_merging_are_what_a_loop_would_do(flags: list[bool], gap: int) -> None:
    spans = runs(np.array(flags, np.bool_))
    assert [flag for start, end in spans for flag in flags[start:end]] == [True] * sum(flags)
    together = merged(spans, gap)
    expected: list[list[int]] = []
    for start, end in spans.tolist():
        if expected and start - expected[-1][1] < max(gap, 1):
            expected[-1][1] = end
        else:
            expected.append([start, end])
    assert together.tolist() == expected


def test_room_tone_is_as_loud_as_its_quiet_seeded_and_without_seams() -> None:
    pieces = [noise(1.5, -55.0, seed).astype(np.float32) for seed in range(4)]
    tone = room_tone(pieces, 10 * RATE, rate_hz=RATE, seed=3)
    assert np.array_equal(tone, room_tone(pieces, 10 * RATE, rate_hz=RATE, seed=3))
    assert not np.array_equal(tone, room_tone(pieces, 10 * RATE, rate_hz=RATE, seed=4))
    levels = enveloped(tone).level_db[10:-10]
    assert np.median(levels) == pytest.approx(-55.0, abs=0.7) and levels.min() > -60 and levels.max() < -51
    with pytest.raises(InvalidInput, match="half a second"):
        room_tone([pieces[0][:, : RATE // 3]], RATE, rate_hz=RATE, seed=1)


def test_clean_quiet_has_no_breath_in_it() -> None:
    take = put(noise(8, -55.0), 4.0, breath(0.4))
    levels = enveloped(take)
    quiet = clean_quiet(levels, measure_floor(levels), np.array([[0, take.shape[1]]]))
    loud = [(a, b) for a, b in quiet.tolist() if a < 4.3 * RATE and b > 4.1 * RATE]
    assert not loud and (quiet[:, 1] - quiet[:, 0]).max() > 2 * RATE


@settings(max_examples=20)
@given(st.integers(9_000, 12_000), st.integers(3_000, 9_000), st.integers(0, 1), st.floats(-30.0, -3.0))
def test_anything_over_the_threshold_starts_and_ends_with_its_samples_and_keeps_its_room(
    start: int, length: int, channel: int, level_db: float
) -> None:
    """A level over 10 ms hears an attack 5 ms early: a room of 60 ms must be 60 ms all the same."""
    take = from_db(-80.0) * np.random.default_rng(start).standard_normal((2, 40_000))
    take[channel, start : start + length] += from_db(level_db) * np.sign(np.sin(np.arange(length) / 7.0) + 1e-9)
    recipe = Recipe(
        -50.0, "full_scale", room_before_ms=60.0, room_after_ms=100.0, breaths_are_sound=True, reach="threshold"
    )
    found = searched(take, recipe)
    assert found.sounds.tolist() == [[start, start + length]]
    assert found.spans.tolist() == [[start - 60 * 48, start + length + 100 * 48]]


def test_a_breath_is_told_by_voice_and_what_is_kept_is_told_with_its_reason() -> None:
    """Loud breaths go too; what is as loud as the speech, or too long, stays and says so; a whisper alone has no breaths."""
    rng, rate = np.random.default_rng(4), 48_000
    take = from_db(-75.0) * rng.standard_normal(16 * rate)
    voice = sum(np.sin(2 * np.pi * 120 * k * np.arange(rate) / rate) / k for k in range(1, 8)) / 4
    noise = signal.lfilter(*signal.butter(2, [800, 5_000], "bandpass", fs=rate), rng.standard_normal(2 * rate))
    breaths = {2.5: (0.35, 0.05), 5.5: (0.35, 0.5), 8.5: (1.2, 0.05), 11.5: (0.35, 0.1)}
    for at in (1.0, 4.0, 7.0, 10.0, 13.0):
        take[round(at * rate) : round((at + 1) * rate)] += 0.5 * voice
    for at, (seconds, level) in breaths.items():
        frames = round(seconds * rate)
        take[round(at * rate) :][:frames] += level * np.hanning(frames) * noise[:frames] / np.abs(noise[:frames]).max()
    found = searched(take[None])
    assert [at / rate for at in found.breaths[:, 0]] == pytest.approx([2.5, 11.5], abs=0.15)
    assert [at / rate for at in found.kept_breaths[:, 0]] == pytest.approx([5.5, 8.5], abs=0.15)
    assert found.kept_reasons == ("it is as loud as the speech", "it is too long for a breath")
    strict = searched(take[None], replace(propose(measure_floor(enveloped(take[None]))), breath_under_db=-20.0))
    assert strict.kept_reasons == ("it is too long for a breath",) and len(strict.breaths) == 3
    whisper = from_db(-75.0) * rng.standard_normal(6 * rate)
    whisper[2 * rate : 2 * rate + rate // 2] += 0.1 * noise[: rate // 2]
    assert len(searched(whisper[None]).breaths) == 0
