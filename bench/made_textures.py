"""Loops of textures made by construction: how far the level is off over the seam that is proposed first, and what is said.

    python bench/made_textures.py [look|held|SEED] [--count 40] [-v]

Wind, rain, surf, room and machines: noise of several colours and bands whose level wanders by 0 to 12 dB over 0.5 to 8 s,
some with drops or a motor on top. The level is compared over the last and the first 0.4 s of the loop, as it is rendered.
"""

from __future__ import annotations

import argparse

import numpy as np
from scipy import ndimage, signal

from made_hits import SEEDS
from wemble.core.shape.seams import find_seams, looped_end

RATE = 48_000
HEARD_S = 0.4


def made(rng: np.random.Generator) -> tuple[str, np.ndarray]:
    """Return what a texture is, and its samples, float32 (1, frames)."""
    frames = int(rng.uniform(4, 20) * RATE)
    low = float(rng.choice([20, 80, 300, 1000]))
    sos = signal.butter(2, [low, min(low * rng.uniform(4, 40), 0.45 * RATE)], "bandpass", fs=RATE, output="sos")
    sound = signal.sosfilt(sos, rng.standard_normal(frames))
    depth, over_s = float(rng.uniform(0, 12)), float(rng.uniform(0.5, 8))
    wander = ndimage.gaussian_filter1d(rng.standard_normal(frames // 480 + 2), over_s * 100 / 4, mode="wrap")
    wander *= depth / 2 / max(np.std(wander), 1e-9)
    sound = sound * 10 ** (np.interp(np.arange(frames) / 480, np.arange(len(wander)), wander) / 20)
    words = [f"{low:.0f} Hz", f"wanders {depth:.1f} dB over {over_s:.1f} s"]
    if rng.random() < 0.3:
        drops = (rng.random(frames) < rng.uniform(2, 30) / RATE) * rng.uniform(1, 6, frames) * sound.std()
        sound += signal.lfilter([1], [1, -0.995], drops)
        words.append("drops")
    elif rng.random() < 0.3:
        sound += sound.std() * np.sin(2 * np.pi * rng.uniform(40, 200) * np.arange(frames) / RATE)
        words.append("motor")
    return ", ".join(words), (0.2 * sound / np.abs(sound).max())[None].astype(np.float32)


def off_db(samples: np.ndarray, start: int, end: int, crossfade: int) -> float:
    """Return how much louder the loop begins again than it ended."""
    part = min(int(HEARD_S * RATE), (end - start) // 4)
    ends = samples[:, end - part : end].copy()
    if crossfade:
        ends[:, -min(crossfade, part) :] = looped_end(samples, start, end, crossfade)[:, -part:]
    begins = samples[:, start : start + part]
    return float(10 * np.log10(np.mean(begins.astype(float) ** 2) / np.mean(ends.astype(float) ** 2)))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("split", nargs="?", default="look")
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("-v", "--verbose", action="store_true")
    given = parser.parse_args()
    rng = np.random.default_rng(SEEDS.get(given.split) or int(given.split))
    off, audible = [], []
    for _ in range(given.count):
        name, samples = made(rng)
        best = find_seams(samples, RATE)[0]
        off.append(abs(off_db(samples, best.start_frame, best.end_frame, best.crossfade_frames)))
        audible.append(best.score >= 1.0)
        if given.verbose and off[-1] > 1.0:
            print(f"   {off[-1]:.1f} dB, {'said' if audible[-1] else 'NOT SAID'}; score {best.score:.2f}; {name}")
    untold = [o for o, said in zip(off, audible, strict=True) if o > 1.0 and not said]
    print(
        f"{given.count} textures: off by {np.median(off):.2f} dB in the median, {np.percentile(off, 95):.1f} at 95 %, worst {max(off):.1f}"
    )
    print(
        f"more than 1 dB: {sum(o > 1.0 for o in off)}, of which not said: {len(untold)}, worst {max(untold, default=0):.1f} dB"
    )
    print(
        f"said to be heard: {sum(audible)}, of which within 1 dB: {sum(s and o <= 1.0 for o, s in zip(off, audible, strict=True))}"
    )


if __name__ == "__main__":
    main()
