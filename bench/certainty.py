"""How far an edge can be believed: measures where true edges lie, and holds what is stated against what is true.

    python bench/certainty.py fit             writes src/wemble/core/edges/measured.json from material that may be looked at
    python bench/certainty.py report [SEED]   coverage, width and calibration on material that is looked at once

The score of every edge at its true place is all that is kept of a class (`wemble.core.edges.certainty`). A 90 % interval of
the same coverage that knows nothing of the edge at hand, from the errors on ``fit`` alone, stands beside it.
"""

from __future__ import annotations

import json
import sys
from collections import defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date
from functools import partial
from itertools import chain
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

import hits_accuracy
import made_hits
import made_mixes
from speech_accuracy import measured_take
from speech_corpus import SPLITS, Take, moving_takes, takes
from wemble.core.edges import hits
from wemble.core.edges.attack import Start
from wemble.core.edges.certainty import (
    HELD,
    HOP_MS,
    INSIDE,
    OUTSIDE,
    EdgeKind,
    Spread,
    attack_scores,
    laid_along,
    ring_out_unit_ms,
    scaled_scores,
    sound_scores,
    spread_of,
)
from wemble.core.edges.hit_levels import hit_levels
from wemble.core.edges.onset import hit_as_found
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edges.refine import refine_sounds
from wemble.core.edges.search import find_roughly, propose
from wemble.core.signal.reader import cut

Floats = NDArray[np.float64]
TO = Path(__file__).parents[1] / "src" / "wemble" / "core" / "edges" / "measured.json"
PARTS = np.array(
    [0.0, 0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.975, 0.99, 0.995, 1.0]
)
MAY_CUT_MS: dict[EdgeKind, float] = {
    "phrase_start": 5.0,
    "phrase_end": 5.0,
    "hit_start": 1.0,
    "hit_end": 20.0,
    "take_hit": 1.0,
    "programme_start": 5.0,
    "programme_end": 20.0,
}
BINS = 10
UNSEEN = 1e3


@dataclass(frozen=True)
class Edge:
    """An edge that was found: its score from outside to inside, and where the true one lies, in ms inwards."""

    kind: EdgeKind
    offsets_ms: Floats
    score: Floats
    true_ms: float

    @property
    def score_at_truth(self) -> float:
        if not self.offsets_ms[0] <= self.true_ms <= self.offsets_ms[-1]:  # nobody looked there
            return -UNSEEN if self.true_ms < self.offsets_ms[0] else UNSEEN
        return float(self.score[np.searchsorted(self.offsets_ms, self.true_ms, "right") - 1])


def edges_of_take(take: Take) -> Iterator[Edge]:
    """Yield starts and ends of what was found in a take, each with the phrase that it belongs to."""
    measured = measured_take(take)
    recipe = propose(measured.floor)
    frames, ms = take.samples.shape[1], 1000.0 / take.rate_hz
    rough = find_roughly(measured, recipe, head_frame=0, tail_frame=frames)
    sounds, over_db = refine_sounds(
        lambda start, count: cut(take.samples, start, count), rough.sounds,
        dropped=rough.in_the_way, rate_hz=take.rate_hz, frames=frames, floors_at=measured.floors_at,
    )  # fmt: skip
    scores = [sound_scores(over_db[:, side]) for side in (0, 1)]
    offsets_ms = HOP_MS * np.arange(-OUTSIDE, INSIDE)
    edge = round(0.005 * take.rate_hz)
    for start, end in take.phrases:
        heard = np.flatnonzero(take.audible[max(start - edge, 0) : end + edge]) + max(start - edge, 0)
        over = np.flatnonzero((sounds[:, 0] < end) & (sounds[:, 1] > start))
        if len(heard) and len(over):
            first, last = over[0], over[-1]
            if sounds[first, 0] > start - take.rate_hz * 0.5:  # else it is joined to the phrase before it
                yield Edge("phrase_start", offsets_ms, scores[0][first], (heard[0] - sounds[first, 0]) * ms)
            if sounds[last, 1] < end + take.rate_hz * 0.5:
                yield Edge("phrase_end", offsets_ms, scores[1][last], (sounds[last, 1] - heard[-1] - 1) * ms)


def of_speech(split: str, seed: int) -> Iterator[Edge]:
    for voice in SPLITS[split]:
        for take in takes(split, voice, most=144, seed=seed):
            yield from edges_of_take(take)
        for take in moving_takes(split, voice, level=-60.0, seed=seed):
            yield from edges_of_take(take)


def of_one_shots(split: str, seed: int) -> Iterator[Edge]:
    """Yield starts and ends of one-shots with nothing wrong, whose floor is heard."""
    rng, recipe = np.random.default_rng(SHOTS[split] + seed), HitRecipe()
    for _ in range(400):
        one = made_hits.made(rng)
        if one.doubt_is_right:
            continue
        rate, ms = one.rate_hz, 1000.0 / one.rate_hz
        levels = hit_levels(one.samples, rate)
        if levels.silent:
            continue
        hit, start, fall_db_ms = hit_as_found(one.samples, rate, recipe, levels, coded="coded" in one.name)
        yield Edge("hit_start", *attack_scores(start, hit.onset_frame, rate), (one.stands_out - hit.onset_frame) * ms)
        if fall_db_ms:
            yield Edge("hit_end", *scaled_scores(ring_out_unit_ms(fall_db_ms)), (hit.end_frame - one.last) * ms)


def of_takes(split: str, seed: int) -> Iterator[Edge]:
    """Yield the starts of hits in takes that lie within 40 ms of a true one."""
    asked: dict[int, Start] = {}
    known = hits.attack_within

    def noted(kind: EdgeKind, start: Start, onset_frame: int, rate_hz: int) -> tuple[int, int]:
        asked[len(asked)] = start
        return 0, 0

    for name in dict.fromkeys((split, "made") if split == "tune" else ("fresh", "made")):
        for _, samples, rate, truth in hits_accuracy.takes(name, hits_accuracy.SEEDS[name] + (split != "tune") + seed):
            asked.clear()
            hits.attack_within = noted
            take = hits.measure_take(partial(cut, samples), samples.shape[1], rate)
            hits.attack_within = known
            for start, onset in zip(asked.values(), take.onsets.tolist(), strict=True):
                off = (truth - onset) * 1000.0 / rate
                nearest = float(off[np.argmin(np.abs(off))])
                if abs(nearest) < 40.0:
                    yield Edge("take_hit", *attack_scores(start, start.frame, rate), nearest)


def of_mixes(split: str, seed: int) -> Iterator[Edge]:
    """Yield starts and ends of made mixes."""
    families = ("tune", "fresh") if split == "tune" else (split,)
    for mix in chain.from_iterable(made_mixes.mixes(name, 150, SHOTS[split] + seed) for name in families):
        found, ms = made_mixes.found_in(mix), 1000.0 / mix.rate_hz
        start_ms, end_ms = found.pace_ms
        yield Edge("programme_start", *scaled_scores(start_ms), (mix.start - found.start_frame) * ms)
        yield Edge("programme_end", *scaled_scores(end_ms), (found.end_frame - mix.end) * ms)


SHOTS = {"tune": 1, "held": 20261202, "report": 9_120_226}
SOURCES: tuple[Callable[[str, int], Iterator[Edge]], ...] = (of_speech, of_one_shots, of_takes, of_mixes)


def gathered(split: str, seed: int) -> dict[EdgeKind, list[Edge]]:
    """Return all edges of a split, by their kind; sources are made and searched on all cores."""
    by_kind: dict[EdgeKind, list[Edge]] = defaultdict(list)
    with ProcessPoolExecutor() as pool:
        for edges in pool.map(_all_of, SOURCES, [split] * len(SOURCES), [seed] * len(SOURCES)):
            for edge in edges:
                by_kind[edge.kind].append(edge)
    return by_kind


def _all_of(source: Callable[[str, int], Iterator[Edge]], split: str, seed: int) -> list[Edge]:
    return list(source(split, seed))


def laid(edges: list[Edge], spread: Spread, *, calibrated: bool = True) -> tuple[Floats, Floats, Floats]:
    each = [laid_along(e.offsets_ms, e.score[None], spread, calibrated=calibrated) for e in edges]
    lo, hi, confidence = (np.concatenate(column) for column in zip(*each, strict=True))
    return lo, hi, confidence


def rising(stated: Floats, right: NDArray[np.bool_]) -> tuple[list[float], list[float]]:
    """Return a monotone map from what is stated to how often it is right, over bins of equal count (pooled adjacent violators)."""
    order = np.argsort(stated, kind="stable")
    pools = [[float(stated[k].mean()), float(right[k].mean()), float(len(k))] for k in np.array_split(order, 2 * BINS)]
    at = 0
    while at + 1 < len(pools):
        if pools[at][1] < pools[at + 1][1] and pools[at][0] < pools[at + 1][0]:
            at += 1
            continue
        (x, y, n), (other_x, other_y, m) = pools[at], pools.pop(at + 1)
        pools[at] = [(x * n + other_x * m) / (n + m), (y * n + other_y * m) / (n + m), n + m]
        at = max(at - 1, 0)
    return [round(p[0], 4) for p in pools], [round(p[1], 4) for p in pools]


def fit() -> None:
    told: dict[str, object] = {}
    for kind, edges in gathered("tune", 0).items():
        at_truth = np.array([edge.score_at_truth for edge in edges])
        scores = np.maximum.accumulate(np.round(np.quantile(at_truth, PARTS, method="nearest"), 4))
        spread = Spread(PARTS, scores, MAY_CUT_MS[kind], np.array([0.0, 1.0]), np.array([0.0, 1.0]))
        stated = laid(edges, spread, calibrated=False)[2]
        right = np.array([edge.true_ms >= -MAY_CUT_MS[kind] for edge in edges])
        errors = [edge.true_ms for edge in edges]
        believed, observed = rising(stated, right)
        told[kind] = {
            "may_cut_ms": MAY_CUT_MS[kind],
            "edges": len(edges),
            "errors_ms": [round(float(q), 2) for q in np.quantile(errors, [(1 - HELD) / 2, (1 + HELD) / 2])],
            "scores": scores.tolist(),
            "stated": believed,
            "observed": observed,
        }
    made = {
        "version": date.today().isoformat(),
        "made by": "bench/certainty.py fit",
        "parts": PARTS.tolist(),
        "edges": told,
    }
    TO.write_text(json.dumps(made, indent=1) + "\n")
    spread_of.cache_clear()


def report(split: str, seed: int) -> None:
    known = json.loads(TO.read_text())["edges"]
    for kind, edges in gathered(split, seed).items():
        true = np.array([edge.true_ms for edge in edges])
        lo, hi, confidence = laid(edges, spread_of(kind))
        step = HOP_MS if kind.startswith("phrase") else 0.05  # no finer is what is known
        held = (true >= lo - step) & (true <= hi + step)
        right = true >= -MAY_CUT_MS[kind]
        order = np.array_split(np.argsort(confidence, kind="stable"), BINS)
        off = np.mean([abs(confidence[k].mean() - right[k].mean()) for k in order])
        plain = known[kind]["errors_ms"]
        print(
            f"{kind:<16}{len(edges):5d} edges  held {100 * held.mean():.1f} % (earlier {100 * np.mean(true < lo - step):.1f},"
            f" later {100 * np.mean(true > hi + step):.1f})  width {np.median(hi - lo):.2f} ms, mean {np.mean(hi - lo):.2f};"
            f" of errors alone {plain[1] - plain[0]:.2f}  calibration {off:.3f}"
            f"  cut too much {100 * np.mean(~right):.1f} %, of those under 0.9 sure {np.sum(~right & (confidence < 0.9))}/{np.sum(~right)}"
            f" of {np.sum(confidence < 0.9)}"
        )


def main() -> None:
    what, *seed = sys.argv[1:] or ["report"]
    if what == "fit":
        fit()
        report("tune", 0)
    else:
        report(what, int(seed[0]) if seed else 0)


if __name__ == "__main__":
    main()
