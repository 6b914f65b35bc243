"""How well loop seams are found: on pads, textures and grooves, each looped three times where the best candidate says.

    python bench/loop_accuracy.py [-v]

A seam is audible where the check of `wemble.core.check.click` says so at the passes (2 or more times the local
residual), or where the level steps by 3 dB more than at either
end in the source itself. Beside it the ends as they were asked for, without search
and without a crossfade.
"""

from __future__ import annotations

import sys

import numpy as np
import soundfile

from drum_corpus import recordings
from wemble.core.check.click import seam_figure
from wemble.core.shape.seams import find_seams, looped_end, usual_place

KINDS = {"pads": ("ambi_*", "bass_*"), "textures": ("vinyl_hiss*", "guit_*", "misc_*"), "grooves": ("loop_*",)}


def figure(samples: np.ndarray, rate: int, start: int, end: int, crossfade: int) -> tuple[float, float]:
    """Return click figure and level step at the first pass."""
    around = min(rate // 20, (end - start) // 2)
    before = samples[:, :end].copy()
    if crossfade:
        before[:, -crossfade:] = looped_end(samples, start, end, crossfade)
    heard = np.concatenate([before[:, -around:], samples[:, start : start + around]], axis=1)
    known = (samples[:, end - around : end + around], samples[:, max(start - around, 0) : start + around])
    own = max(abs(step(samples, at, around)) for at in (start, end))
    return seam_figure(heard, around, known, rate_hz=rate), max(abs(step(heard, around, around)) - own, 0.0)


def step(samples: np.ndarray, at: int, around: int) -> float:
    levels = [
        np.mean(part.astype(float) ** 2) + 1e-12
        for part in (samples[:, max(at - around, 0) : at], samples[:, at : at + around])
    ]
    return float(10 * np.log10(levels[1] / levels[0]))


def main() -> None:
    for kind, patterns in KINDS.items():
        good, plain, total, candidates = 0, 0, 0, []
        for path in sorted(p for pattern in patterns for p in recordings().rglob(pattern + ".flac")):
            samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
            samples = np.ascontiguousarray(samples.T)
            if samples.shape[1] < 0.5 * rate:
                continue
            best = find_seams(samples, rate)[0]
            click, jump = figure(samples, rate, best.start_frame, best.end_frame, best.crossfade_frames)
            start, end = usual_place(samples, rate)
            plain_click, plain_step = figure(samples, rate, start, end, 0)
            fine = click < 2.0 and jump < 3.0
            good, plain, total = good + fine, plain + (plain_click < 2.0 and abs(plain_step) < 3.0), total + 1
            candidates.append(best.crossfade_frames * 1000 / rate)
            if "-v" in sys.argv and not fine:
                print("  ", path.stem, f"click {click:.1f}, step {jump:+.1f} dB", best)
        print(
            f"{kind}: {good} of {total} seams not heard (as asked, without search: {plain});"
            f" crossfades median {np.median(candidates):.0f} ms, longest {max(candidates):.0f} ms"
        )


if __name__ == "__main__":
    main()
