"""What finding answers today, on seeded material over the range that users bring: nothing may move unseen.

``bench/`` measured how right these answers are; here they are only held still. Whoever changes them on purpose measures
again, then writes them anew: ``python -m tests.core.test_pinned_results``. Positions may differ by a frame or two, as
another processor adds up in another order.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import astuple
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy import signal
from tests.core.test_hits import drum, placed, take_of_hits
from tests.core.test_kits import pad

from wemble.core.check.click import seam_figure
from wemble.core.check.edges import Edge, automatic_fades, edge_click, edge_verdicts
from wemble.core.edges.envelope import Envelope, envelope
from wemble.core.edges.floor import measure_floor
from wemble.core.edges.hits import find_hits, holds_many, measure_take, with_rooms
from wemble.core.edges.onset import find_hit, hit_levels, rough_hit
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edges.refine import measure_band_floors
from wemble.core.edges.room_tone import room_tone
from wemble.core.edges.search import Measured, find, propose
from wemble.core.edges.silence import clean_quiet
from wemble.core.kit.mic_set import Heard, find_in_set
from wemble.core.shape.crossfade import correlation
from wemble.core.shape.seams import find_seams
from wemble.core.signal.levels import from_db
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import cut

PINNED = Path(__file__).with_name("pinned_results.json")
RATE = 48_000
FRAMES_APART = 3
"""What a processor may change of a position."""


def spoken(seed: int, rate: int) -> np.ndarray:
    """Return float32 (1, frames): phrases with soft ends, breaths, clicks, a hum, at levels and gaps that differ."""
    rng = np.random.default_rng(seed)
    frames = 14 * rate
    t = np.arange(frames) / rate
    floor_db = rng.uniform(-85.0, -48.0)
    take = from_db(floor_db) * (rng.standard_normal(frames) + rng.integers(0, 3) * np.sin(2 * np.pi * 50.0 * t))
    at = rng.uniform(0.02, 1.0)
    while at < 12.5:
        length = rng.uniform(0.1, 1.4)
        n = np.arange(round(length * rate))
        tone = sum(np.sin(2 * np.pi * rng.uniform(90, 240) * k * n / rate + k) / k for k in range(1, 9))
        shape = np.minimum(n / (rng.uniform(0.002, 0.06) * rate), 1.0) * np.exp(
            -np.maximum(n - 0.7 * len(n), 0) / (0.04 * rate)
        )
        start = round(at * rate)
        phrase = from_db(rng.uniform(-30.0, -8.0)) * tone * shape
        take[start : start + len(n)] += phrase[: frames - start]
        at += length + rng.choice([0.05, 0.2, 0.5, 1.5]) * rng.uniform(0.6, 1.4)
        kind = rng.integers(0, 4)
        where = round((at - 0.25) * rate)
        if kind == 0:
            take[where : where + 12] += 0.3 * rng.standard_normal(12)[: max(frames - where, 0)]
        elif kind == 1:
            breath = signal.lfilter([1.0, -0.9], [1.0], rng.standard_normal(round(0.2 * rate))) * np.hanning(
                round(0.2 * rate)
            )
            part = take[where : where + len(breath)]
            part += from_db(floor_db + rng.uniform(8.0, 20.0)) * breath[: len(part)]
    return take[None].astype(np.float32)


def enveloped(samples: np.ndarray, rate: int) -> Envelope:
    width = bin_frames(rate)
    bins = reduce_samples(samples, frames_per_bin=width, before=np.zeros((len(samples), 1), np.float32))
    return envelope(bins, rate_hz=rate, bin_frames=width, frames=samples.shape[1])


def speech(seed: int) -> list[Any]:
    rate = (16_000, 22_050, 44_100, 48_000)[seed % 4]
    samples, read = spoken(seed, rate), partial(cut, spoken(seed, rate))
    levels = enveloped(samples, rate)
    floor = measure_floor(levels)
    measured = Measured(levels, floor, measure_band_floors(read, levels, floor))
    recipe = propose(floor, material="speech" if seed % 3 else "other")
    found = find(read, measured, recipe, head_frame=0, tail_frame=samples.shape[1])
    out: list[Any] = [*astuple(floor), *astuple(recipe), *found.sounds.ravel(), *found.spans.ravel()]
    out += [len(found.clicks), len(found.breaths), len(found.bridged_gaps)]
    gaps = np.stack([found.spans[:-1, 1], found.spans[1:, 0]], axis=1)
    quiet = clean_quiet(levels, floor, gaps)
    out += [*quiet.ravel()]
    if len(quiet) and np.diff(quiet, axis=1).max() > rate // 2:
        tone = room_tone([samples[:, a:b] for a, b in quiet], rate, rate_hz=rate, seed=seed)
        out += [float(np.sqrt(np.mean(tone**2))), float(tone[0, rate // 2])]
    fade_for = automatic_fades(read, recipe, rate_hz=rate)
    for (start, end), (first, last) in zip(found.spans, found.sounds, strict=True):
        for side, frame, inner in (
            ("head", int(start), int(first)),
            ("tail", int(end), int(last)),
            ("tail", int(last) - 300, int(last)),
        ):
            edge = Edge(side, frame, inner, None, False, samples.shape[1])
            out += [fade_for(side, frame, inner), edge_click(read, edge, rate)]
            verdicts = edge_verdicts(read, edge, rate_hz=rate, floors=measured.band_floors)
            out += [x for v in verdicts for x in (v.check, v.state, v.figure)]
    return out


def one_shot(seed: int) -> list[Any]:
    rng = np.random.default_rng(seed)
    at = round(rng.uniform(0.0, 0.4) * RATE)
    hit = drum(rng, hz=rng.uniform(50, 1200), decay=rng.uniform(1.5, 40.0), seconds=rng.uniform(0.3, 2.0))
    kind = seed % 5
    if kind == 1:
        hit *= np.minimum(np.arange(len(hit)) / (rng.uniform(0.005, 0.2) * RATE), 1.0)
    samples = placed(hit, at, at + round(rng.uniform(0.4, 3.0) * RATE), rng.uniform(-90.0, -25.0), rng)
    if kind == 2 and at > 9_000:
        samples[0, at - 8_000 : at - 3_000] += (from_db(rng.uniform(-50, -25)) * rng.standard_normal(5_000)).astype(
            np.float32
        )
    if kind == 3:
        samples = np.concatenate([samples, 0.3 * np.roll(samples, 200, axis=1)])
    recipe = HitRecipe(
        start_under_peak_db=rng.choice([20.0, 40.0, 60.0]),
        over_floor_db=rng.choice([1.0, 3.0, 12.0]),
        within_ms=rng.choice([300.0, 600.0]),
    )
    levels = hit_levels(samples, RATE)
    rough = rough_hit(levels, recipe)
    found = find_hit(samples, RATE, recipe)
    doubts = [x for doubt in rough.doubts for x in doubt]
    return [found.onset_frame, found.end_frame, found.confidence, found.reason, rough.first, rough.end, *doubts]


def take(seed: int) -> list[Any]:
    samples, _ = take_of_hits(seed, (0.05, 0.5))
    if seed % 2:
        samples = samples + (from_db(-50.0) * np.random.default_rng(seed).standard_normal(samples.shape)).astype(
            np.float32
        )
    measured = measure_take(partial(cut, samples), samples.shape[1], RATE)
    recipe = HitRecipe(
        many=True, shortest_gap_ms=(40.0, 80.0, 150.0)[seed % 3], softest_under_peak_db=(22.0, 40.0)[seed % 2]
    )
    found = find_hits(measured, recipe)
    rows = [x for hit in found.hits for x in (hit.onset_frame, hit.end_frame, hit.confidence, hit.reason)]
    return [*rows, holds_many(measured), *np.ravel(with_rooms(found.hits, measured.frames, RATE, recipe))]


def loops(seed: int) -> list[Any]:
    samples = pad(3.0, seed) * np.float32(1.0 if seed % 2 else 0.2)
    near = None if seed % 2 else (RATE, 2 * RATE)
    seams = find_seams(samples, RATE, near=near)
    return [x for seam in seams for x in astuple(seam)] + [
        seam_figure(np.roll(samples[:, : RATE // 4], 1_000, axis=1), 1_000, [samples[:, RATE // 2 : RATE]]),
        correlation(samples[:, :4_000], samples[:, 100:4_100]),
        correlation(samples[:, :4_000] * 0, samples[:, 100:4_100]),
    ]


def microphones(seed: int) -> list[Any]:
    rng = np.random.default_rng(seed)
    hit, at = drum(rng, decay=rng.uniform(3.0, 20.0)), 12_000
    later = round(rng.uniform(0.0005, 0.012) * RATE)
    heard = [placed(hit, at, 2 * RATE, -70.0, rng), 0.4 * placed(hit, at + later, 2 * RATE, -62.0, rng)]
    found = find_in_set([Heard(np.asarray(one, np.float32), RATE) for one in heard], HitRecipe())
    hits = [x for hit in found.hits for x in (hit.onset_frame, hit.end_frame, hit.confidence, hit.reason)]
    return [*hits, *found.lags_s, found.decided_by]


CASES: dict[str, Callable[[], list[Any]]] = {
    f"{make.__name__} {seed}": partial(make, seed)
    for make, seeds in ((speech, 12), (one_shot, 60), (take, 6), (loops, 4), (microphones, 4))
    for seed in range(seeds)
}


def plain(value: Any) -> Any:
    """Return what JSON keeps, numbers to six figures."""
    if isinstance(value, (list, tuple, np.ndarray)):
        return [plain(one) for one in value]
    if isinstance(value, (bool, np.bool_)):
        return bool(value)
    if isinstance(value, (int, np.integer)):
        return int(value)
    return float(f"{value:.6g}") if isinstance(value, (float, np.floating)) else value


@pytest.mark.parametrize("case", CASES)
def test_nothing_moves_unseen(case: str) -> None:
    was, now = json.loads(PINNED.read_text())[case], plain(CASES[case]())
    assert len(was) == len(now)
    for before, after in zip(was, now, strict=True):
        if isinstance(before, int) and not isinstance(before, bool):
            assert abs(before - after) <= (FRAMES_APART if abs(before) > 100 else 0)
        else:
            assert after == (pytest.approx(before, rel=2e-3, abs=1e-6) if isinstance(before, float) else before)


if __name__ == "__main__":
    PINNED.write_text(
        "{\n" + ",\n".join(f"{json.dumps(name)}: {json.dumps(plain(make()))}" for name, make in CASES.items()) + "\n}\n"
    )
    sys.stdout.write(f"{len(CASES)} cases written to {PINNED}\n")
