"""One-shots made by construction, over the range that people bring, with what can be known of each beside it.

    python bench/made_hits.py [look|held|SEED] [--count 240] [-v]

Bodies (struck, plucked, noise, beating, two-slope rooms) that rise in 0 to 150 ms behind noise of several colours 20 to 80 dB
down, with what goes wrong: an offset, hum, rumble, a click before the hit, a flam, a second hit, clipped peaks, a file that
starts inside the attack, the noise that MP3 coding spreads ahead of an attack. ``look`` may be looked at while tuning;
every other seed is looked at once and then used up.

**The limit**: the first frame at which a detector that knows the clean sound and the noise's spectrum would decide (13 dB of
energy over whitened noise so far). No method can be sure earlier. Late and early are counted from the first frame that
stands out (twice the noise's RMS, within 60 dB of the peak) and from the limit, whichever is kinder. A hit is over at the
last 10 ms in which the clean sound is 3 dB over the noise.

Printed: errors, what is wrong and sure, what is flagged, and how far the stated confidence can be believed.
"""

from __future__ import annotations

import argparse
import io
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy import signal

from drum_corpus import first_heard, last_heard
from speech_corpus import room_tone
from wemble.core.edges.onset import Hit, find_hit
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.signal.levels import ms_to_frames

Sound = NDArray[np.float64]
SEEDS = {"look": 1, "held": 20261126}
NOISES = ("white", "pink", "red_hum", "dusk", "hiss_hum", "fan", "brown_hum")
SURE_DB = 13.0
LATE_MS, CUT_MS = 1.0, 20.0
PARTIALS = (1.0, 1.59, 2.14, 2.3, 2.65, 2.92, 3.5, 4.06)
"""Ratios of the modes of a round membrane (Rossing, *The Physics of Musical Instruments*, from memory)."""


@dataclass(frozen=True)
class MadeHit:
    """A hit in noise: what is heard, the first frame that stands out, the limit, the last frame; whether something is wrong
    with it, and whether that should be told."""

    name: str
    rate_hz: int
    samples: NDArray[np.float32]
    stands_out: int
    limit: int
    last: int
    over_noise_db: float
    spoiled: bool
    doubt_is_right: bool


def struck(rng: np.random.Generator, t: Sound) -> Sound:
    base, decay = rng.uniform(50, 900), rng.uniform(4, 40)
    parts = [
        np.sin(2 * np.pi * base * r * t + rng.uniform(0, 6)) * np.exp(-t * decay * r ** rng.uniform(0.3, 1.2)) / r
        for r in PARTIALS
    ]
    return np.sum(parts, axis=0)


def beating(rng: np.random.Generator, t: Sound) -> Sound:
    base, apart, decay = rng.uniform(200, 2000), rng.uniform(1.5, 9.0), rng.uniform(2, 9)
    return (np.sin(2 * np.pi * base * t) + rng.uniform(0.5, 1) * np.sin(2 * np.pi * (base + apart) * t)) * np.exp(
        -t * decay
    )


def plucked(rng: np.random.Generator, t: Sound) -> Sound:
    base, decay = rng.uniform(80, 600), rng.uniform(2, 12)
    parts = [np.sin(2 * np.pi * base * n * t) * np.exp(-t * decay * (1 + 0.4 * n)) / n for n in range(1, 14)]
    return np.sum(parts, axis=0)


def of_noise(rng: np.random.Generator, t: Sound) -> Sound:
    rate = 1.0 / (t[1] - t[0])
    low = rng.uniform(150, 4000)
    sos = signal.butter(2, [low, min(low * rng.uniform(2, 6), 0.45 * rate)], "bandpass", fs=rate, output="sos")
    return np.asarray(signal.sosfilt(sos, rng.standard_normal(len(t))) * np.exp(-t * rng.uniform(5, 60)))


def lingering(rng: np.random.Generator, t: Sound) -> Sound:
    """A loud part that is soon over, and a soft one, perhaps beating, that dies away slowly into the noise."""
    soft = 10 ** (rng.uniform(-45, -15) / 20)
    slow = (
        beating(rng, t)
        if rng.random() < 0.5
        else np.sin(2 * np.pi * rng.uniform(100, 3000) * t) * np.exp(-t * rng.uniform(0.8, 4))
    )
    return struck(rng, t) * np.exp(-t * rng.uniform(5, 30)) + soft * slow


BODIES: tuple[Callable[[np.random.Generator, Sound], Sound], ...] = (struck, beating, plucked, of_noise, lingering)


def in_a_room(body: Sound, rate: int, rng: np.random.Generator) -> Sound:
    """Return a body with a room around it whose decay has two slopes."""
    frames = int(rng.uniform(0.2, 0.9) * rate)
    t = np.arange(frames) / rate
    tail = rng.standard_normal(frames) * (np.exp(-t * 40) + 0.1 * np.exp(-t * rng.uniform(5, 12)))
    tail[: int(rng.uniform(0.001, 0.02) * rate)] = 0
    wet = signal.fftconvolve(body, tail)[: len(body)]
    return np.asarray(body + wet * rng.uniform(0.02, 0.3) * np.abs(body).max() / max(np.abs(wet).max(), 1e-9))


def made(rng: np.random.Generator) -> MadeHit:
    """Return one hit."""
    rate = int(rng.choice([44_100, 48_000, 96_000]))
    length_s = rng.choice([rng.uniform(0.25, 2.5), rng.uniform(2.5, 6.0)], p=[0.85, 0.15])
    t = np.arange(int(length_s * rate)) / rate
    body_of = BODIES[rng.integers(len(BODIES))]
    body = body_of(rng, t)
    rise_ms = float(
        rng.choice(
            [0.0, 0.3, 1.0, rng.uniform(1, 10), rng.uniform(10, 40), rng.uniform(40, 150)],
            p=[0.25, 0.15, 0.15, 0.25, 0.12, 0.08],
        )
    )
    rise = np.minimum(t / max(rise_ms / 1000, 1e-9), 1.0)
    body *= rise ** rng.uniform(0.7, 3.0)
    words = [body_of.__name__.replace("of_", ""), f"rise {rise_ms:.1f} ms"]
    if rng.random() < 0.3:
        body = in_a_room(body, rate, rng)
        words.append("room")
    fade = int(0.02 * rate)
    body[-fade:] *= np.linspace(1, 0, fade)
    body *= rng.uniform(0.05, 0.9) / np.abs(body).max()
    snr = float(rng.uniform(20, 80))
    lead = 0 if rng.random() < 0.08 else int(rng.uniform(0.005, 0.35) * rate)
    clean = np.concatenate([np.zeros(lead), body, np.zeros(int(rng.uniform(0.2, 0.8) * rate))])
    n10 = round(0.010 * rate)
    loudest = np.sqrt(np.maximum(signal.fftconvolve(clean**2, np.ones(n10) / n10, "same"), 0)).max()
    kind = NOISES[rng.integers(len(NOISES))]
    noise = room_tone(kind, len(clean), rate, float(20 * np.log10(loudest) - snr), rng).astype(np.float64)
    words += [kind, f"{snr:.0f} dB", f"lead {1000 * lead / rate:.0f} ms"]
    return _spoiled(rng, clean, noise, rate, lead, snr, words)


def _spoiled(
    rng: np.random.Generator, clean: Sound, noise: Sound, rate: int, lead: int, snr: float, words: list[str]
) -> MadeHit:
    """Put the hit into its noise, with what goes wrong in about a third of them."""
    wrong, extra, doubtful = rng.random(), np.zeros(len(clean)), False
    noise = noise.copy()
    peak, described = np.abs(clean).max(), len(words)
    t = np.arange(len(clean)) / rate
    if wrong < 0.05:
        extra += rng.uniform(-0.05, 0.05)
        words.append("offset")
    elif wrong < 0.10:
        noise += 10 ** (rng.uniform(-60, -35) / 20) * peak * np.sin(2 * np.pi * rng.choice([50, 60, 100]) * t)
        words.append("hum")
    elif wrong < 0.14:
        noise += (
            10 ** (rng.uniform(-50, -30) / 20) * peak * np.sin(2 * np.pi * rng.uniform(4, 18) * t + rng.uniform(0, 6))
        )
        words.append("rumble")
    elif wrong < 0.18 and lead > 0.12 * rate:
        extra[lead - int(rng.uniform(0.03, 0.11) * rate)] += rng.uniform(0.05, 0.4) * peak
        words.append("click before")
        doubtful = True
    elif wrong < 0.22:
        apart = int(rng.uniform(0.015, 0.045) * rate)
        grace = np.concatenate([clean[apart:], np.zeros(apart)]) * rng.uniform(0.1, 0.4) if lead > apart else 0 * clean
        clean = clean + grace
        words.append("flam")
    elif wrong < 0.25:
        at = lead + int(rng.uniform(0.3, 0.6) * (len(clean) - lead))
        extra[at:] += rng.uniform(0.3, 1.0) * clean[lead : lead + len(clean) - at]
        words.append("two hits")
        doubtful = True
    elif wrong < 0.28:
        words.append("clipped")
        doubtful = True
    elif wrong < 0.31 and lead:
        cut = lead + int(rng.uniform(0.002, 0.01) * rate)
        clean, noise, extra = clean[cut:], noise[cut:], extra[cut:]
        words.append("starts in the attack")
        doubtful = True
    heard = (clean + noise + extra).astype(np.float32)
    if "clipped" in words:
        heard = np.clip(heard, -0.5 * peak, 0.5 * peak)
        clean = np.clip(clean, -0.5 * peak, 0.5 * peak)
    if 0.31 <= wrong < 0.36 and rate <= 48_000:
        kbps = float(rng.choice([0.85, 0.7, 0.55]))
        held = io.BytesIO()
        soundfile.write(
            held,
            np.clip(heard, -1, 1),
            rate,
            format="MP3",
            subtype="MPEG_LAYER_III",
            bitrate_mode="CONSTANT",
            compression_level=kbps,
        )
        held.seek(0)
        heard = soundfile.read(held, dtype="float32")[0][: len(heard)]
        words.append("coded")
    if "two hits" in words:
        clean = clean + extra
    quiet = noise if np.any(noise) else noise + 1e-9
    stands_out, last = (
        find(clean.astype(np.float32), quiet.astype(np.float32), rate) for find in (first_heard, last_heard)
    )
    return MadeHit(
        ", ".join(words), rate, heard[None], stands_out, max(limit(clean, quiet, rate), stands_out), last,
        snr, len(words) > described, doubtful,
    )  # fmt: skip


def limit(clean: Sound, noise: Sound, rate: int) -> int:
    """Return the first frame at which the clean sound has 13 dB more energy so far than white noise of the noise's level, both
    behind the filter that whitens the noise."""
    width = 1 << 10
    _, power = signal.welch(noise, rate, nperseg=min(width, len(noise)))
    shape = 1 / np.sqrt(np.maximum(power, power.max() * 1e-9))
    kernel = np.fft.irfft(shape)
    whitener = signal.minimum_phase(np.roll(kernel, len(kernel) // 2) * np.hanning(len(kernel)), half=False)
    heard, hiss = signal.lfilter(whitener, 1, clean), signal.lfilter(whitener, 1, noise)
    so_far = np.cumsum(heard**2) / np.mean(hiss**2)
    over = np.flatnonzero(so_far >= 10 ** (SURE_DB / 10))
    return int(over[0]) if len(over) else int(np.argmax(np.abs(clean)))


@dataclass(frozen=True)
class Outcome:
    """How far a hit was missed, in ms, and what was said of it."""

    made: MadeHit
    hit: Hit
    late_ms: float
    error_ms: float
    cut_ms: float


def measured(one: MadeHit, recipe: HitRecipe) -> Outcome:
    """Find a hit and hold it against what can be known."""
    hit = find_hit(one.samples, one.rate_hz, recipe, coded="coded" in one.name)
    ms = 1000.0 / one.rate_hz
    late, early = (hit.onset_frame - one.limit) * ms, (hit.onset_frame - one.stands_out) * ms
    error = late if late > 0 else min(early, 0.0)
    end = hit.end_frame + ms_to_frames(recipe.keep_ms, one.rate_hz)
    return Outcome(one, hit, late, error, (one.last - end) * ms)


def reliability(
    title: str, outcomes: list[Outcome], said: Callable[[Outcome], float], wrong: Callable[[Outcome], bool]
) -> None:
    """Print how often what was stated with a confidence was wrong."""
    print(f"{title}: stated confidence → wrong")
    for low, high in ((0.0, 0.25), (0.25, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 1.01)):
        inside = [wrong(one) for one in outcomes if low <= said(one) < high]
        if inside:
            print(f"   {low:.2f}…{min(high, 1):.2f}   {len(inside):4d} hits   {100 * np.mean(inside):5.1f} % wrong")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("split", nargs="?", default="look")
    parser.add_argument("--count", type=int, default=240)
    parser.add_argument("-v", "--verbose", action="store_true")
    given = parser.parse_args()
    seed = SEEDS.get(given.split) or int(given.split)
    rng, recipe = np.random.default_rng(seed), HitRecipe()
    outcomes = [measured(made(rng), recipe) for _ in range(given.count)]
    size = np.abs([one.error_ms for one in outcomes])
    late = [one for one in outcomes if one.late_ms > LATE_MS]
    cut = [one for one in outcomes if one.cut_ms > CUT_MS]
    sure_late = [one for one in late if one.hit.confidence >= DOUBTFUL]
    sure_cut = [one for one in cut if one.hit.end_confidence >= DOUBTFUL]
    flagged = sum(one.hit.doubtful for one in outcomes)
    percentile = np.percentile(size, 95)
    print(f"{len(outcomes)} hits, seed {seed}")
    print(f"onset: median {np.median(size):.3f} ms, 95 % {percentile:.2f} ms, worst {size.max():.1f}")
    print(f"late by > {LATE_MS:g} ms: {len(late)}, sure {len(sure_late)}")
    print(f"cut by > {CUT_MS:g} ms: {len(cut)}, sure {len(sure_cut)}")
    print(f"flagged: {100 * flagged / len(outcomes):.1f} %")
    for title, low, high in (("20 to 80", 20, 80), ("30 to 70", 30, 70)):
        sound = [one for one in outcomes if not one.made.spoiled and low <= one.made.over_noise_db <= high]
        doubted = [one for one in sound if one.hit.doubtful]
        off = sum(abs(one.error_ms) > LATE_MS or one.cut_ms > CUT_MS for one in doubted)
        print(
            f"   with nothing wrong, {title} dB over the noise: {100 * len(doubted) / len(sound):.1f} % of {len(sound)}, "
            f"{off} of these {len(doubted)} off; onset, 95 % of all {np.percentile([abs(one.error_ms) for one in sound], 95):.2f} ms"
        )
    untold = [one for one in outcomes if one.made.doubt_is_right and not (one.hit.doubtful)]
    print(
        f"clicks, second hits, clipped, started inside: {sum(one.made.doubt_is_right for one in outcomes)}, untold {len(untold)}"
    )
    reliability("start", outcomes, lambda one: one.hit.confidence, lambda one: one.late_ms > LATE_MS)
    reliability("end", outcomes, lambda one: one.hit.end_confidence, lambda one: one.cut_ms > CUT_MS)
    if given.verbose:
        for title, which in (("late and sure", sure_late), ("cut and sure", sure_cut), ("untold", untold)):
            print(title)
            for one in sorted(which, key=lambda o: -max(o.late_ms, o.cut_ms)):
                missed = f"late {one.late_ms:+.1f}, error {one.error_ms:+.1f}, cut {one.cut_ms:+.0f} ms"
                print(f"   {missed}; {one.hit.reason}, {one.hit.end_reason}; {one.made.name}")


if __name__ == "__main__":
    main()
