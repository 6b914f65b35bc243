"""How well the hits of a take are found: takes of real hits at known times, over bleed at −35 dB and a floor at −60 dB.

    python bench/hits_accuracy.py [report|tune|fresh] [-v]

Hits come every 100 to 700 ms, up to 12 dB softer than the loudest, also into the ring-out of the one before. A hit's
truth is its first frame that stands out, as that of a one-shot, of everything else around it. F-measure within 5 ms by
mir_eval; beside it librosa's onset function. ``fresh`` are the toms and tambourines of the sound font.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from functools import partial

import librosa
import mir_eval
import numpy as np

from drum_corpus import first_heard, one_shots
from speech_corpus import room_tone
from wemble.core.edges.hits import find_hits, measure_take
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.signal.reader import cut

TAKES = {
    "tune": {
        "toms": ("drum", "tom"),
        "kicks": ("drum", "bass"),
        "soft": ("elec", "kick"),
        "snares": ("drum", "snare"),
        "shaken": ("perc", "snap"),
        "tabla": ("tabla", "_t"),
    },
    "report": {"kicks": ("bd", ""), "snares": ("sn", ""), "tabla": ("tabla", "ghe"), "hats": ("drum", "cymbal_closed")},
    "fresh": {"toms": ("font", "tom"), "tambourine": ("font", "tambourin")},
}
FLOORS = {"tune": "pink", "report": "fan", "fresh": "dusk"}
SEEDS = {"tune": 11, "report": 9001, "fresh": 1618}


def take(split: str, kit: str, part: str, number: int) -> tuple[np.ndarray, int, np.ndarray]:
    """Return (samples (1, frames), rate, onset frames) of one take."""
    rng = np.random.default_rng(SEEDS[split] + 97 * number + sum(map(ord, kit + part)))
    hits = [(name, rate, hit) for name, rate, hit in one_shots(kit) if part in name.lower()]
    others = [hit for name, _, hit in one_shots("drum" if split == "tune" else "elec") if not part or part not in name]
    rate = hits[0][1]
    frames = 20 * rate
    mix = room_tone(FLOORS[split], frames, rate, -60.0, rng).astype(np.float64)
    for place in range(int(0.1 * rate), frames - rate, int(0.37 * rate)):
        hit = others[rng.integers(len(others))][: frames - place]
        mix[place : place + len(hit)] += 10 ** (-35 / 20) * hit / np.abs(hit).max()
    onsets, at = [], int(0.3 * rate)
    while at < frames - 2 * rate:
        hit = hits[rng.integers(len(hits))][2][: frames - at]
        hit = 10 ** (rng.uniform(-12, 0) / 20) / np.abs(hit).max() * hit
        first = _first(hit, mix[at : at + rate // 50], rate)
        if first is not None:  # one that never stands out of the ring-out before it is no hit to anybody
            onsets.append(at + first)
            mix[at : at + len(hit)] += hit
        at += int(rng.uniform(0.1, 0.7) * rate)
    return mix[None].astype(np.float32), rate, np.array(onsets)


def _first(hit: np.ndarray, rest: np.ndarray, rate: int) -> int | None:
    """Return the first frame at which a hit stands out of the rest; none if it never does."""
    if np.abs(hit[: len(rest)]).max() < 4.0 * np.sqrt(np.mean(rest**2)):
        return None
    return first_heard(hit[: len(rest)], rest, rate)


def takes(split: str) -> Iterator[tuple[str, np.ndarray, int, np.ndarray]]:
    for name, (kit, part) in TAKES[split].items():
        for number in range(4):
            yield f"{name} {number}", *take(split, kit, part, number)


def main() -> None:
    split = sys.argv[1] if len(sys.argv) > 1 and sys.argv[1] in TAKES else "report"
    everything, errors, theirs, flagged = [], [], [], []
    for name, samples, rate, truth in takes(split):
        measured = measure_take(partial(cut, samples), samples.shape[1], rate)
        hits = find_hits(measured, HitRecipe(many=True)).hits
        found = np.array([hit.onset_frame for hit in hits])
        flagged += [hit.confidence < DOUBTFUL for hit in hits]
        f, precision, recall = mir_eval.onset.f_measure(truth / rate, found / rate, window=0.005)
        other = librosa.onset.onset_detect(y=samples[0], sr=rate, units="time")
        theirs.append(mir_eval.onset.f_measure(truth / rate, other, window=0.005)[0])
        near = [(found[np.argmin(np.abs(found - t))] - t) * 1000 / rate for t in truth] if len(found) else []
        errors += [e for e in near if abs(e) <= 5]
        everything.append(f)
        print(
            f"{name:<10} {len(truth)} hits, {len(found)} found  F {f:.3f} (precision {precision:.3f}, recall {recall:.3f})"
        )
        if "-v" in sys.argv:
            print(
                "   missed",
                [round(t / rate, 3) for t in truth if not len(found) or np.abs(found - t).min() > 0.005 * rate][:20],
            )
            print("   extra ", [round(t / rate, 3) for t in found if np.abs(truth - t).min() > 0.005 * rate][:20])
    e = np.abs(errors)
    f_mean, f_theirs = np.mean(everything), np.mean(theirs)
    print(f"{split}: F {f_mean:.4f} (librosa {f_theirs:.3f})")
    late = int(np.sum(np.array(errors) > 0.5))
    print(f"error median {np.median(e):.3f} ms, 95 % {np.percentile(e, 95):.2f} ms, late {late} of {len(e)}")
    print(f"flagged {sum(flagged)} of {len(flagged)}")


if __name__ == "__main__":
    main()
