"""How well a hit's start and end are found, on real hits behind known noise: the figures, kit by kit.

    python bench/onset_accuracy.py [report|tune|fresh] [-v]

- error: |onset found − first frame that stands out of the noise|; late: after it, by more than 0.5 ms
- tail cut: the end found, without room, lies before the last 10 ms in which the clean sound is 3 dB over the floor
- flagged: confidence under one half; every error over 2 ms should be among them
"""

from __future__ import annotations

import sys

import numpy as np

from drum_corpus import KITS, shots
from wemble.core.edges.onset import find_hit
from wemble.core.edges.recipe import HitRecipe
from wemble.core.signal.levels import ms_to_frames


def main() -> None:
    split = sys.argv[1] if len(sys.argv) > 1 and sys.argv[1] in KITS else "report"
    recipe = HitRecipe()
    for kit in KITS[split]:
        errors, tails, flagged, unflagged, bad = [], [], 0, 0, []
        for one in shots(split, kit):
            hit = find_hit(one.samples, one.rate_hz, recipe)
            error = (hit.onset_frame - one.onset) * 1000 / one.rate_hz
            end = hit.end_frame + ms_to_frames(recipe.keep_ms, one.rate_hz)
            tail = (end - one.last) * 1000 / one.rate_hz
            errors.append(error)
            tails.append(tail)
            flagged += hit.doubtful
            unflagged += abs(error) > 2 and not hit.doubtful
            if abs(error) > 0.8 or tail < 0:
                bad.append(f"{one.name}: onset {error:+.2f} ms, tail {tail:+.0f} ms, {hit.confidence:.2f} {hit.reason}")
        e, t = np.array(errors), np.array(tails)
        size = np.abs(e)
        print(
            f"{split} {kit:<6}{len(e):4d} hits  error median {np.median(size):.3f} ms, 95 % {np.percentile(size, 95):.2f},"
            f" worst {size.max():.1f}  late {np.sum(e > 0.5)}  tails cut {np.sum(t < 0)},"
            f" kept beyond: median {np.median(t):.0f} ms  flagged {flagged}, over 2 ms and not flagged {unflagged}"
        )
        if "-v" in sys.argv:
            print("   " + "\n   ".join(bad))


if __name__ == "__main__":
    main()
