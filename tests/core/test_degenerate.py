"""What nobody would record: every finder takes it, and answers inside it or says in our own words why it cannot."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
import pytest
from tests.core.conftest import enveloped

from wemble.core.edges.alignment import align
from wemble.core.edges.hits import find_hits, holds_many, measure_take
from wemble.core.edges.onset import find_hit
from wemble.core.edges.programme import falls_for_good, find_programme, sharp_start
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edges.search import find, measure, propose
from wemble.core.edges.silence import clean_quiet
from wemble.core.kit.mic_set import Heard, find_in_set
from wemble.core.shape.seams import find_seams
from wemble.core.signal.bleed import heard_of_each_other
from wemble.core.signal.flat_tops import FlatTops
from wemble.core.signal.levels import Samples
from wemble.core.signal.loudness import LoudnessMeter
from wemble.core.signal.offset import constant_offset
from wemble.core.signal.reader import cut
from wemble.errors import WembleError

SEEDS = range(60)
"""``bench/fuzz.py`` takes a thousand."""


def degenerate(seed: int) -> tuple[Samples, int]:
    """Return float32 (channels, frames) and a rate: too short, silent, constant, clicks at an end, far too loud."""
    rng = np.random.default_rng(seed)
    rate = int(rng.choice([8_000, 16_000, 44_100, 48_000, 96_000, 192_000]))
    frames = int(rng.choice([1, 2, 7, 63, rate // 100, rate * 6 // 100, rate // 2, 2 * rate]))
    t = np.arange(frames)
    base = [
        np.zeros(frames), np.full(frames, 0.25), np.sin(2 * np.pi * 440 * t / rate), 1.0 - 2.0 * (t % 2),
        rng.standard_normal(frames), np.exp(-t / (0.02 * rate)) * rng.standard_normal(frames), np.exp(t / frames) - 2.0,
    ][rng.integers(7)]  # fmt: skip
    samples = base * 10.0 ** rng.choice([-10.0, -5.0, -3.0, -1.0, 0.0, 3.0])
    samples[rng.random(frames) < rng.choice([0.0, 0.0, 0.5, 0.99])] = 0.0
    for at in ([], [0], [frames - 1], [0, frames - 1], [frames // 2])[rng.integers(5)]:
        samples[at] = rng.choice([-1.0, 0.5, 30.0])
    channels = [samples, samples[::-1], 0.0 * samples, -samples]
    return np.stack([channels[n] for n in rng.integers(4, size=rng.integers(1, 3))]).astype(np.float32), rate


def finders(seed: int) -> Iterator[tuple[str, Callable[[], list[tuple[float, float]]]]]:
    """Yield every finder by name, as a call that returns the spans that it finds."""
    samples, rate = degenerate(seed)
    other, _ = degenerate(seed + 1_000_000)
    frames, read = samples.shape[1], partial(cut, samples)
    levels = enveloped(samples, rate)
    measured = measure(read, levels)
    floor = measured.floor

    def sound(material: str) -> list[tuple[float, float]]:
        found = find(read, measured, propose(floor, material=material), head_frame=0, tail_frame=frames)  # type: ignore[arg-type]
        return [*found.sounds.tolist(), *found.spans.tolist()]

    def programme() -> list[tuple[float, float]]:
        found = find_programme(read, levels)
        if found is None:
            return []
        starts = sharp_start(read, found.start_frame, 0, rate)
        return [(found.start_frame, found.end_frame), (starts, frames), (0, falls_for_good(levels, found, 20.0))]

    def hit() -> list[tuple[float, float]]:
        one = find_hit(samples, rate, HitRecipe())
        both = find_in_set([Heard(samples, rate), Heard(other, rate)], HitRecipe())
        return [(one.onset_frame, one.end_frame), (both.hits[0].onset_frame, both.hits[0].end_frame)]

    def take() -> list[tuple[float, float]]:
        measured_take = measure_take(read, frames, rate)
        holds_many(measured_take)
        return [(one.onset_frame, one.end_frame) for one in find_hits(measured_take, HitRecipe(many=True)).hits]

    def lanes() -> list[tuple[float, float]]:
        heard_of_each_other([read, partial(cut, other)], frames, rate, [-20.0, -20.0])
        align(read, partial(cut, other), (levels, enveloped(other, rate)), rate)
        return []

    def figures() -> list[tuple[float, float]]:
        constant_offset([samples], rate)
        meter, tops = LoudnessMeter(rate, len(samples)), FlatTops(len(samples))
        meter.feed(samples)
        tops.feed(samples)
        meter.result()
        return [*clean_quiet(levels, floor, np.array([[0, frames]])).tolist()]

    yield from ((material, partial(sound, material)) for material in ("speech", "struck", "music"))
    yield from (("programme", programme), ("hit", hit), ("take", take), ("figures", figures))
    if seed % 20 == 0:  # whoever hears whom is learned in blocks of seconds, however short a lane is
        yield "lanes", lanes
    yield "loop", lambda: [(seam.start_frame, seam.end_frame) for seam in find_seams(samples, rate)]


def broken(seed: int) -> list[str]:
    """Return what a finder does wrong with a degenerate input: it raises what is not ours, or finds outside of it."""
    frames, wrong = degenerate(seed)[0].shape[1], []
    for name, run in finders(seed):
        try:
            spans = run()
        except WembleError:
            continue
        except Exception as error:
            wrong.append(f"{seed} {name}: {error!r}")
            continue
        wrong += [f"{seed} {name}: [{a}, {b}) of {frames}" for a, b in spans if not 0 <= a <= b <= frames]
    return wrong


@pytest.mark.parametrize("tenth", range(2))
def test_no_finder_fails_on_what_nobody_would_record(tenth: int) -> None:
    with np.errstate(all="ignore"):
        assert [line for seed in SEEDS if seed % 2 == tenth for line in broken(seed)] == []
