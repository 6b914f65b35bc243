"""How well recordings that did not start together are lined up: made conversations with a known lag and a clock that is off.

python bench/alignment_accuracy.py [tune|report|fresh] [conversations] [seed] [times: each is repeated, for an hour 40]
"""

from __future__ import annotations

import sys
import time

import numpy as np
import soxr

import made_talk
from made_talk import RATE_HZ, Array
from wemble.core.edges.alignment import align
from wemble.core.edges.envelope import Envelope, envelope
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import Read, cut
from wemble.errors import InvalidInput


def _levels(samples: Array) -> Envelope:
    width = bin_frames(RATE_HZ)
    bins = reduce_samples(samples[None], frames_per_bin=width, before=np.zeros((1, 1), np.float32))
    return envelope(bins, rate_hz=RATE_HZ, bin_frames=width, frames=len(samples))


def _read(samples: Array) -> Read:
    return lambda start, frames: cut(samples[None], start, frames)


def main() -> None:
    """Print the error at the start, in the middle and at the end of each conversation, and of the drift."""
    split, count, seed, times = (sys.argv[1:] + ["tune", "8", "11", "1"][len(sys.argv) - 1 :])[:4]
    rng = np.random.default_rng(int(seed))
    worst_ms, worst_ppm, refused = 0.0, 0.0, 0
    for talk in made_talk.talks(split, int(count), int(seed)):
        first, second = (np.tile(lane, int(times)) for lane in talk.lanes[:2])
        late_s, ppm = rng.uniform(-20, 20), rng.uniform(-80, 80)
        second = soxr.resample(second, RATE_HZ, RATE_HZ * (1 + ppm * 1e-6), "VHQ")
        frames = round(abs(late_s) * RATE_HZ)
        first, second = (first, second[frames:]) if late_s > 0 else (first[frames:], second)
        true_s = frames / RATE_HZ / (1 + ppm * 1e-6) if late_s > 0 else -frames / RATE_HZ
        began = time.perf_counter()
        try:
            found = align(_read(first), _read(second), (_levels(first), _levels(second)), RATE_HZ)
        except InvalidInput as error:
            refused += 1
            print(f"{talk.name}: {error.message}")
            continue
        length_s = len(second) / RATE_HZ
        errors_ms = [
            1000 * (found.lag_s + t * (1 - found.drift_ppm * 1e-6) - true_s - t / (1 + ppm * 1e-6))
            for t in (0.0, length_s / 2, length_s)
        ]
        worst_ms = max(worst_ms, *map(abs, errors_ms))
        worst_ppm = max(worst_ppm, abs(found.drift_ppm - ppm))
        print(
            f"{talk.name:<24} lag {true_s:8.3f} s, clock {ppm:6.1f} ppm: off by "
            f"{', '.join(f'{ms:.2f}' for ms in errors_ms)} ms, {found.drift_ppm - ppm:+.2f} ppm; "
            f"{found.agreeing} of {found.blocks} places agree; {time.perf_counter() - began:.1f} s"
        )
    print(f"worst {worst_ms:.2f} ms, {worst_ppm:.2f} ppm, refused {refused} of {count}")


if __name__ == "__main__":
    main()
