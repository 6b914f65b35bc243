"""How well the hits of a take are found: takes of real hits at known times, over bleed at −35 dB and a floor at −60 dB.

    python bench/hits_accuracy.py [report|tune|fresh|made] [seed] [-v]

Hits come every 100 to 700 ms, up to 12 dB softer than the loudest, also into the ring-out of the one before. A hit's
truth is its first frame that stands out, as that of a one-shot, of everything else around it. F-measure within 5 ms by
mir_eval; beside it librosa's onset function. ``fresh`` are the tom and the tambourine of the sound font; ``made`` are hits
of made_hits.py that rise within 10 ms, half of them with a soft beginning.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from functools import partial

import librosa
import mir_eval
import numpy as np
from numpy.typing import NDArray

from drum_corpus import first_heard, one_shots
from made_hits import BODIES, beating, of_noise, plucked, struck
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
    "made": {body.__name__: ("made", body.__name__) for body in (struck, beating, plucked, of_noise)},
}
FLOORS = {"tune": "pink", "report": "fan", "fresh": "dusk", "made": "hiss_hum"}
SEEDS = {"tune": 11, "report": 9001, "fresh": 1618, "made": 5501}
Hits = list[tuple[str, int, NDArray[np.float32]]]


def made(part: str, rng: np.random.Generator) -> Hits:
    """Return some strokes of one made-up drum or string."""
    rate, body = 48_000, next(body for body in BODIES if body.__name__ == part)
    t, drum, strokes = np.arange(int(0.8 * rate)) / rate, int(rng.integers(1 << 30)), []
    for n in range(6):
        hit = body(np.random.default_rng(drum), t)  # the same drum every time
        hit[-rate // 10 :] *= np.linspace(1.0, 0.0, rate // 10)
        hit *= np.minimum(t / max(float(rng.choice([0.0, 0.0005, 0.002, rng.uniform(0.002, 0.01)])), 1e-9), 1.0)
        if rng.random() < 0.5:
            soft = int(rng.uniform(0.001, 0.007) * rate)
            hit = np.concatenate([hit[:soft] * 10 ** (rng.uniform(-24, -12) / 20), hit])[: len(hit)]
        strokes.append((f"{part} {n}", rate, (hit / np.abs(hit).max()).astype(np.float32)))
    return strokes


def take(split: str, kit: str, part: str, number: int, seed: int) -> tuple[np.ndarray, int, np.ndarray]:
    """Return (samples (1, frames), rate, onset frames) of one take."""
    rng = np.random.default_rng(seed + 97 * number + sum(map(ord, kit + part)))
    hits = made(part, rng) if kit == "made" else [hit for hit in one_shots(kit) if part in hit[0].lower()]
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


def takes(split: str, seed: int) -> Iterator[tuple[str, np.ndarray, int, np.ndarray]]:
    for name, (kit, part) in TAKES[split].items():
        for number in range(4):
            yield f"{name} {number}", *take(split, kit, part, number, seed)


def main() -> None:
    words = [word for word in sys.argv[1:] if word != "-v"]
    split = words[0] if words else "report"
    seed = int(words[1]) if len(words) > 1 else SEEDS[split]
    everything, errors, theirs, flagged = [], [], [], []
    for name, samples, rate, truth in takes(split, seed):
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
