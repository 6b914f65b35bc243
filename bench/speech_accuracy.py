"""How well sound and silence are told apart on real speech: the definitions of the figures, and the report.

    python bench/speech_accuracy.py [report|tune|fresh|held] [phrases a voice at the most] [seed] [-v]
    python bench/speech_accuracy.py moving [report|tune|fresh|held] [takes of each kind] [seed] [-v]

The second has noise that moves. There it also counts phrases that were *joined* to another, whose gap is 0.9 s or more.

- onset error: |first frame detected − first audible frame| of each phrase, on what was detected (rooms not)
- loss: audible time of a phrase that is not kept, rooms included; a phrase is hurt at more than 5 ms
- alone kept: breaths and clicks at 100 ms or more from speech of whose audible part more than 10 ms is kept
- excess: what is kept beyond the audible spans (gaps under the shortest gap included), over what the rooms allow
"""

from __future__ import annotations

import sys
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from speech_corpus import SPLITS, WINDOW_S, Take, moving_takes, takes
from wemble.core.edges.envelope import envelope
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.search import Measured, find, measure, propose
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import cut

Spans = list[tuple[int, int]]
Detector = Callable[[Take], tuple[Spans, Spans, Recipe]]


@dataclass
class Score:
    phrases: int = 0
    missed: int = 0
    onset_ms: list[float] = field(default_factory=list)
    loss_ms: list[float] = field(default_factory=list)
    joined: int = 0
    disturbances: int = 0
    disturbances_kept: int = 0
    kept_s: float = 0.0
    allowed_s: float = 0.0
    hurt: list[str] = field(default_factory=list)

    def line(self, name: str) -> str:
        onset = np.percentile(self.onset_ms, [50, 95]) if self.onset_ms else (np.nan, np.nan)
        loss = np.array(self.loss_ms)
        return (
            f"{name:<22}{self.phrases:5d} phrases  missed {self.missed}  joined {self.joined}"
            f"  onset median {onset[0]:5.2f} ms, 95 % {onset[1]:6.2f} ms"
            f"  hurt {int((loss > 5).sum())} (worst {loss.max(initial=0):.0f} ms)"
            f"  alone kept {self.disturbances_kept}/{self.disturbances}"
            f"  excess over rooms {100 * (self.kept_s / max(self.allowed_s, 1e-9) - 1):+.1f} %"
        )


def _mask(spans: Spans, frames: int) -> np.ndarray:
    mask = np.zeros(frames + 1, np.int32)
    for start, end in spans:
        mask[start] += 1
        mask[end] -= 1
    return np.cumsum(mask[:-1]) > 0


def score(take: Take, detector: Detector, into: Score) -> None:
    spans, sounds, recipe = detector(take)
    kept = _mask(spans, take.samples.shape[1])
    rate = take.rate_hz
    for start, end in take.phrases:
        early = max(start - round(WINDOW_S / 2 * rate), 0)  # a prompt that begins at once is heard by its first window
        audible = np.flatnonzero(take.audible[early:end])
        if not len(audible):
            continue
        into.phrases += 1
        lost = 1000 * np.count_nonzero(take.audible[start:end] & ~kept[start:end]) / rate
        into.loss_ms.append(lost)
        over = [s for s, e in sounds if s < end and e > start]
        if not over:
            into.missed += 1
        else:
            into.onset_ms.append(abs(min(over) - (early + audible[0])) * 1000 / rate)
        if lost > 5:
            into.hurt.append(f"{take.name} phrase at {start / rate:.3f} loses {lost:.1f} ms")
    for start, end in sounds:
        into.joined += max(sum(1 for first, last in take.phrases if start < last and end > first) - 1, 0)
    for what, start, end in take.disturbances:
        into.disturbances += 1
        bad = np.count_nonzero(kept[start:end] & take.disturbing[start:end]) * 1000 / rate > 10
        into.disturbances_kept += bad
        if bad:
            into.hurt.append(f"{take.name} {what} at {start / rate:.3f}")
    truth = _truth_spans(take, recipe)
    rooms = (recipe.room_before_ms + recipe.room_after_ms) / 1000
    into.kept_s += kept.sum() / rate
    into.allowed_s += sum(end - start for start, end in truth) / rate + rooms * len(truth)


def _truth_spans(take: Take, recipe: Recipe) -> Spans:
    at = np.flatnonzero(np.diff(np.concatenate([[0], take.audible.astype(np.int8), [0]])))
    spans: Spans = []
    for start, end in at.reshape(-1, 2).tolist():
        if spans and start - spans[-1][1] < recipe.shortest_gap_ms * take.rate_hz / 1000:
            spans[-1] = (spans[-1][0], end)
        else:
            spans.append((start, end))
    return spans


def measured_take(take: Take) -> Measured:
    width, frames = bin_frames(take.rate_hz), take.samples.shape[1]
    bins = reduce_samples(take.samples, frames_per_bin=width, before=np.zeros((1, 1), np.float32))
    levels = envelope(bins, rate_hz=take.rate_hz, bin_frames=width, frames=frames)

    def read(start: int, count: int) -> np.ndarray:
        return cut(take.samples, start, count)

    return measure(read, levels)


def ours(take: Take) -> tuple[Spans, Spans, Recipe]:
    def read(start: int, count: int) -> np.ndarray:
        return cut(take.samples, start, count)

    measured, frames = measured_take(take), take.samples.shape[1]
    recipe = propose(measured.floor)
    found = find(read, measured, recipe, head_frame=0, tail_frame=frames)
    return [tuple(s) for s in found.spans.tolist()], [tuple(s) for s in found.sounds.tolist()], recipe


def moving(split: str = "report", takes_each: str = "1", seed: str = "0") -> None:
    by_kind: dict[str, Score] = defaultdict(Score)
    for voice in SPLITS[split]:
        for level in (-70.0, -64.0):
            for take in moving_takes(split, voice, level=level, takes_each=int(takes_each), seed=int(seed)):
                score(take, ours, by_kind["in all"])
                score(take, ours, by_kind[take.name.split(" ", 2)[2].split(", ")[0]])
    for kind, scored in by_kind.items():
        print(scored.line(kind), flush=True)
        if "-v" in sys.argv:
            print("   " + "\n   ".join(scored.hurt))


def main() -> None:
    if "moving" in sys.argv:
        moving(*[word for word in sys.argv[1:] if word not in ("-v", "moving")])
        return
    split, *numbers = [word for word in sys.argv[1:] if word != "-v"] or ["report"]
    most, seed = [*map(int, numbers), *(400, 0)[len(numbers) :]]
    for voice in SPLITS[split]:
        by_level: dict[str, Score] = defaultdict(Score)
        for take in takes(split, voice, most=most, seed=seed):
            score(take, ours, by_level["in all"])
            score(take, ours, by_level[take.name.split(" ", 2)[2]])
        for level in sorted(by_level):
            print(by_level[level].line(f"{voice} {level}"), flush=True)
            if "-v" in sys.argv:
                print("   " + "\n   ".join(by_level[level].hurt))


if __name__ == "__main__":
    main()
