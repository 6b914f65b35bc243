"""Mic sets made by construction: one hit, heard by three microphones of one recorder, with the truth beside them.

    python bench/made_sets.py [look|held|SEED] [--count 60] [-v]

A close microphone, one at some metres and one in the room: each hears the hit later by its way through the air, softer, with
more of a room around it and a noise of its own. The moment that counts is the first at which any of them can hear it:
late is counted from the earliest limit (see `made_hits.py`), early from the earliest frame that stands out.
"""

from __future__ import annotations

import argparse

import numpy as np

from drum_corpus import first_heard
from made_hits import BODIES, NOISES, SEEDS, in_a_room, limit
from speech_corpus import room_tone
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.kit.mic_set import Heard, find_in_set

AIR_MS_A_M = 1000.0 / 343.0


def made(rng: np.random.Generator) -> tuple[str, list[Heard], int, int]:
    """Return what a set is, its files, the first frame that stands out in any, and the earliest limit."""
    rate = int(rng.choice([44_100, 48_000, 96_000]))
    t = np.arange(int(rng.uniform(0.4, 2.5) * rate)) / rate
    body_of = BODIES[rng.integers(len(BODIES))]
    rise_ms = float(rng.choice([0.0, 0.3, 1.0, rng.uniform(1, 8), rng.uniform(8, 30)], p=[0.3, 0.2, 0.2, 0.2, 0.1]))
    body = body_of(rng, t) * np.minimum(t / max(rise_ms / 1000, 1e-9), 1.0) ** rng.uniform(0.7, 3.0)
    fade = int(0.02 * rate)
    body[-fade:] *= np.linspace(1, 0, fade)
    body *= rng.uniform(0.1, 0.9) / np.abs(body).max()
    lead, after = int(rng.uniform(0.03, 0.3) * rate), int(0.4 * rate)
    metres = (0.0, rng.uniform(0.4, 1.5), rng.uniform(1.5, 4.0))
    gains = (0.0, rng.uniform(-20, -3), rng.uniform(-32, -8))
    heard, stands, limits, words = [], [], [], [body_of.__name__, f"rise {rise_ms:.1f} ms"]
    for metre, gain in zip(metres, gains, strict=True):
        later = round(metre * AIR_MS_A_M * rate / 1000)
        sound = in_a_room(body, rate, rng) if metre else body
        clean = np.concatenate([np.zeros(lead + later), sound * 10 ** (gain / 20), np.zeros(after)])[
            : lead + len(t) + after
        ]
        loudest = np.sqrt(np.mean(clean[lead + later : lead + later + round(0.02 * rate)] ** 2))
        down, kind = float(rng.uniform(30, 70)), NOISES[rng.integers(len(NOISES))]
        noise = room_tone(kind, len(clean), rate, float(20 * np.log10(max(loudest, 1e-6)) - down), rng).astype(
            np.float64
        )
        words.append(f"{metre:.1f} m {gain:.0f} dB {kind} {down:.0f} dB down")
        stands.append(first_heard(clean.astype(np.float32), noise.astype(np.float32), rate))
        limits.append(max(limit(clean, noise, rate), stands[-1]))
        heard.append(Heard((clean + noise).astype(np.float32)[None], rate))
    order = rng.permutation(3)
    return ", ".join(words), [heard[n] for n in order], min(stands), min(limits)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("split", nargs="?", default="look")
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("-v", "--verbose", action="store_true")
    given = parser.parse_args()
    rng = np.random.default_rng(SEEDS.get(given.split) or int(given.split))
    errors, sure = [], []
    for _ in range(given.count):
        name, heard, stands_out, first_limit = made(rng)
        hit = (found := find_in_set(heard, HitRecipe())).hits[found.decided_by]
        ms = 1000.0 / heard[0].rate_hz
        late, early = (hit.onset_frame - first_limit) * ms, (hit.onset_frame - stands_out) * ms
        errors.append(late if late > 0 else min(early, 0.0))
        sure.append(hit.confidence >= DOUBTFUL)
        if given.verbose and abs(errors[-1]) > 0.5:
            print(f"   {errors[-1]:+.2f} ms, {hit.confidence:.2f} {hit.reason}; {name}")
    size, late_and_sure = np.abs(errors), [e for e, s in zip(errors, sure, strict=True) if e > 0.5 and s]
    print(
        f"{given.count} sets: common start median {np.median(size):.3f} ms, 95 % {np.percentile(size, 95):.2f}, worst {size.max():.2f}"
    )
    print(
        f"late by > 0.5 ms: {sum(e > 0.5 for e in errors)}, sure {len(late_and_sure)}; flagged {100 * (1 - np.mean(sure)):.0f} %"
    )


if __name__ == "__main__":
    main()
