"""Mixes with air at both ends, made of recorded music behind known noise: how well their programme is found.

    python bench/made_mixes.py [tune|report|fresh] [mixes, default 40] [seed] [-v]

The splits share no recording and no noise. A mix begins at once, or with a pickup 15 to 35 dB softer; it stops dead, fades
out over 2 to 12 s, rings out in a hall of 1 to 5 s or leaves echoes; some have a stop of 1.5 to 2.5 s inside. Before and
behind it lie 0.3 to 20 s of noise 50 to 75 dB under full scale, under all of it. True is the first and the last frame at which
10 ms of the clean sound, in the full or the upper band, are as loud as the noise.

**The limit** is the first and the last frame at which they are as loud as 10 ms of the noise by itself hardly ever are (one in a
thousand): what comes before or after is no louder than the noise's own swells. Late starts and cut ends are counted from there as
well, early starts and late ends from the truth. Where a sound sinks by some decibels a second, the frame at which it meets its floor
says little: **what can be told** lies between the limit and the first or last frame at which the clean sound is 1 dB under the noise,
the least difference in level that is heard (common practice, from memory).
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal

from drum_corpus import recordings
from speech_corpus import room_tone
from wemble.core.edges.envelope import envelope
from wemble.core.edges.programme import Programme, find_programme
from wemble.core.edges.recipe import DOUBTFUL
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import cut

MUSIC = {"tune": ("loop", "guit"), "report": ("ambi", "bass", "mehackit"), "fresh": ("made",)}
NOISES = {"tune": ("white", "pink", "red_hum"), "report": ("fan", "brown_hum"), "fresh": ("dusk", "hiss_hum")}
SEEDS = {"tune": 1, "report": 2701, "fresh": 2702}
STARTS = ("at once", "soft pickup", "swell")
ENDS = ("dead stop", "fade", "hall", "echo", "last note")
WINDOW_S = 0.010
LATE_MS, CUT_MS = 5.0, 50.0
HARDLY_EVER = 0.999
DECIBEL = 10**0.1
Stereo = NDArray[np.float64]


@dataclass(frozen=True)
class Mix:
    """A mix, float32 (2, frames), and in frames its programme, the limit of what could be told of it, and where it is a decibel
    under its floor."""

    name: str
    rate_hz: int
    samples: NDArray[np.float32]
    start: int
    end: int
    start_limit: int
    end_limit: int
    start_under: int
    end_under: int


def mixes(split: str, count: int, seed: int) -> Iterator[Mix]:
    """Make mixes of a split."""
    rng = np.random.default_rng(seed)
    for number in range(count):
        yield made(split, number, rng)


def made(split: str, number: int, rng: np.random.Generator) -> Mix:
    rate = int(rng.choice([44_100, 48_000, 96_000], p=[0.45, 0.45, 0.1]))
    music = _music(split, rate, rng.uniform(12, 40), rng)
    start, end = STARTS[number % len(STARTS)], ENDS[(number // 2) % len(ENDS)]
    words = [start, end]
    music = _begun(music, start, rate, rng)
    if rng.random() < 0.3:
        at, stop = int(rng.uniform(0.3, 0.7) * music.shape[1]), int(rng.uniform(1.5, 2.5) * rate)
        music = np.concatenate([music[:, :at], np.zeros((2, stop)), music[:, at:]], axis=1)
        words.append("stop")
    music = _ended(music, end, rate, rng)
    level_db = float(rng.uniform(-75, -50))
    kind = str(rng.choice(NOISES[split]))
    before, behind = (int(rng.choice([rng.uniform(0.3, 1.5), rng.uniform(1.5, 20)]) * rate) for _ in range(2))
    clean = np.concatenate([np.zeros((2, before)), music, np.zeros((2, behind))], axis=1)
    noise = np.stack([room_tone(kind, clean.shape[1], rate, level_db, rng) for _ in range(2)])
    heard, limit, under = (np.flatnonzero(one)[[0, -1]] for one in _audible(clean, noise, rate))
    name = f"{number}: {', '.join(words)}, {kind} {level_db:.0f} dB, air {before / rate:.1f} and {behind / rate:.1f} s"
    bounds = (int(frame) + at for one in (heard, limit, under) for at, frame in enumerate(one))
    return Mix(name, rate, (clean + noise).astype(np.float32), *bounds)


def _audible(clean: Stereo, noise: NDArray[np.float32], rate: int) -> NDArray[np.bool_]:
    """Return where 10 ms of the clean sound are as loud as the noise, as loud as it hardly ever is by itself, and a decibel under
    the noise: (3, frames)."""
    sos = signal.butter(2, 2000, "highpass", fs=rate, output="sos")
    audible = np.zeros((3, clean.shape[1]), np.bool_)
    for sound, under in ((clean, noise), (signal.sosfiltfilt(sos, clean), signal.sosfiltfilt(sos, noise))):
        loud, floor = _mean_power(sound, rate), _mean_power(under.astype(np.float64), rate)
        mean, swell = floor.mean(axis=1), np.quantile(floor[:, :: rate // 1000], HARDLY_EVER, axis=1)
        for n, least in enumerate((mean, swell, mean / DECIBEL)):
            audible[n] |= (loud >= least[:, None]).any(axis=0)
    return audible


def _mean_power(sound: Stereo, rate: int) -> Stereo:
    width = round(WINDOW_S * rate)
    power = np.cumsum(np.pad(np.square(sound), ((0, 0), (width // 2 + 1, width - width // 2))), axis=1)
    return (power[:, width:] - power[:, :-width])[:, : sound.shape[1]] / width


def _music(split: str, rate: int, seconds: float, rng: np.random.Generator) -> Stereo:
    """Lay recordings over each other until there is so much music; peaks at −1 to −6 dB."""
    frames = int(seconds * rate)
    out = np.zeros((2, frames))
    if split == "fresh":
        _lay_notes(out, rate, rng)
    else:
        paths = [p for kind in MUSIC[split] for p in sorted(recordings().rglob(f"{kind}_*.flac"))]
        for path in rng.choice(np.array(paths, object), int(rng.integers(1, 4)), replace=False):
            samples, own = soundfile.read(path, always_2d=True)
            sound = soxr.resample(samples, own, rate).T * rng.uniform(0.3, 1.0)
            sound = np.broadcast_to(sound, (2, sound.shape[1])) if len(sound) == 1 else sound
            out += np.tile(sound, (1, frames // sound.shape[1] + 1))[:, :frames]
    heard = np.flatnonzero(np.abs(out).max(axis=0) > 0.1 * np.abs(out).max())
    out = out[:, heard[0] :]
    return out * 10 ** (-rng.uniform(1, 6) / 20) / np.abs(out).max()


def _lay_notes(out: Stereo, rate: int, rng: np.random.Generator) -> None:
    """Plucked and bowed notes of a made-up scale, each partial with a decay of its own."""
    scale = 110.0 * 2 ** (np.cumsum(rng.choice([1, 2, 2, 3], 14)) / 12)
    beat = rng.uniform(0.25, 0.9)
    for n in range(int(out.shape[1] / rate / beat)):
        at = int(n * beat * rate)
        t = np.arange(min(int(3.0 * rate), out.shape[1] - at)) / rate
        hz, rise = float(rng.choice(scale)), float(rng.choice([0.002, 0.05]))
        note = sum(
            np.sin(2 * np.pi * hz * k * t + rng.uniform(0, 6)) * np.exp(-t * rng.uniform(0.8, 3) * k) / k
            for k in range(1, 7)
        )
        out[:, at : at + len(t)] += rng.uniform(0.3, 1.0, (2, 1)) * note * np.minimum(t / rise, 1.0)


def _begun(music: Stereo, start: str, rate: int, rng: np.random.Generator) -> Stereo:
    if start == "at once":
        return music
    over = int(rng.uniform(0.4, 2.0) * rate)
    gain = np.ones(music.shape[1])
    if start == "soft pickup":
        gain[:over] = 10 ** (-rng.uniform(15, 35) / 20)
        step = min(rate // 10, len(gain) - over)
        gain[over : over + step] = np.geomspace(gain[0], 1.0, step)
    else:
        gain[:over] = (np.arange(over) / over) ** rng.uniform(1, 3)
    return music * gain


def _ended(music: Stereo, end: str, rate: int, rng: np.random.Generator) -> Stereo:
    frames = music.shape[1]
    if end == "dead stop":
        return music
    if end == "fade":
        over = min(int(rng.uniform(2, 12) * rate), frames - rate)
        u = (np.arange(over) + 0.5) / over
        shape = (np.cos(np.pi * u) + 1) / 2 if rng.random() < 0.5 else 10 ** (-90 * u / 20)
        music = music.copy()
        music[:, -over:] *= shape
        return music
    if end == "hall":
        t60 = float(rng.uniform(1, 5))
        t = np.arange(int(1.3 * t60 * rate)) / rate
        hall = rng.standard_normal((2, len(t))) * 10 ** (-3 * t / t60) * 0.03 * np.sqrt(48_000 / rate)
        wet = np.stack([signal.fftconvolve(music[c], hall[c]) for c in range(2)])
        wet[:, :frames] += music
        return wet / max(np.abs(wet).max(), 1.0)
    if end == "echo":
        delay, back = int(rng.uniform(0.2, 0.6) * rate), float(rng.uniform(0.3, 0.6))
        times = int(np.log(1e-4) / np.log(back)) + 1
        out = np.pad(music, ((0, 0), (0, times * delay)))
        for n in range(1, times + 1):
            out[:, n * delay : n * delay + frames] += 0.7 * back**n * music
        return out / max(np.abs(out).max(), 1.0)
    hold = int(0.3 * rate)  # a last note that dies away by itself
    t = np.arange(int(rng.uniform(3, 8) * rate)) / rate
    hz = float(rng.choice([82.4, 110.0, 146.8, 220.0]))
    note = sum(np.sin(2 * np.pi * hz * k * t) * np.exp(-t * (0.9 + 0.5 * k)) / k for k in range(1, 9))
    return np.concatenate([music, np.zeros((2, hold)), np.tile(0.4 * note, (2, 1))], axis=1)


def found_in(mix: Mix) -> Programme:
    """Return what is found of a mix."""
    width = bin_frames(mix.rate_hz)
    bins = reduce_samples(mix.samples, frames_per_bin=width, before=np.zeros((2, 1), np.float32))
    levels = envelope(bins, rate_hz=mix.rate_hz, bin_frames=width, frames=mix.samples.shape[1])
    found = find_programme(partial(cut, mix.samples), levels)
    assert found is not None, mix.name
    return found


@dataclass(frozen=True)
class Outcome:
    """How far a programme was missed, in ms: later than true, from the limit late at its start and cut at its end, and later than
    can be told."""

    name: str
    found: Programme
    start_ms: float
    end_ms: float
    late_ms: float
    cut_ms: float
    start_told_ms: float
    end_told_ms: float

    @classmethod
    def of(cls, mix: Mix, found: Programme) -> Outcome:
        """Hold what was found against what is true."""
        ms = 1000.0 / mix.rate_hz
        start, end = found.start_frame, found.end_frame
        return cls(
            mix.name, found, (start - mix.start) * ms, (end - mix.end) * ms,
            (start - max(mix.start_limit, mix.start)) * ms, (min(mix.end_limit, mix.end) - end) * ms,
            (start - max(min(start, max(mix.start_limit, mix.start)), mix.start_under)) * ms,
            (end - min(max(end, min(mix.end_limit, mix.end)), mix.end_under)) * ms,
        )  # fmt: skip

    @property
    def sure(self) -> bool:
        """Whether it says that nobody need look."""
        return min(self.found.start_confidence, self.found.end_confidence) >= DOUBTFUL

    @property
    def wrong(self) -> bool:
        """Whether it is off by more than anybody would leave alone."""
        return self.late_ms > LATE_MS or self.start_ms < -100 or self.cut_ms > CUT_MS or self.end_ms > 500


def main() -> None:
    """Print errors at either end, and what was wrong and sure."""
    words = [word for word in sys.argv[1:] if word != "-v"]
    split = words[0] if words else "tune"
    count, seed = int(words[1]) if len(words) > 1 else 40, int(words[2]) if len(words) > 2 else SEEDS[split]
    outcomes = [Outcome.of(mix, found_in(mix)) for mix in mixes(split, count, seed)]
    if "-v" in sys.argv:
        for one in outcomes:
            told = "" if one.sure else f"  [{one.found.start_reason or '-'} | {one.found.end_reason or '-'}]"
            mark = "!! " if one.sure and one.wrong else ""
            print(f"{one.start_ms:8.1f} {one.end_ms:8.1f} ms  cut {one.cut_ms:6.1f} ms  {mark}{one.name}{told}")
    print(f"{split} {seed}, {count} mixes")
    late, cut = sum(one.start_ms > LATE_MS for one in outcomes), sum(one.end_ms < -CUT_MS for one in outcomes)
    starts, ends = np.abs([one.start_ms for one in outcomes]), np.abs([one.end_ms for one in outcomes])
    steps = [abs(one.start_ms) for one in outcomes if "swell" not in one.name]
    sure_ends = [abs(one.end_ms) for one in outcomes if one.found.end_confidence >= DOUBTFUL]
    start_told, end_told = (
        np.abs([getattr(one, name) for one in outcomes]) for name in ("start_told_ms", "end_told_ms")
    )
    for title, sizes in (
        ("start", starts),
        ("of those that do not swell in", steps),
        ("start, from what can be told", start_told),
        ("end", ends),
        ("of those that it is sure of", sure_ends),
        ("end, from what can be told", end_told),
    ):
        print(f"{title}: median {np.median(sizes):.1f} ms, 95 % {np.percentile(sizes, 95):.1f} ms of {len(sizes)}")
    print(f"late by > {LATE_MS:g} ms: {late}, from the limit {sum(one.late_ms > LATE_MS for one in outcomes)}")
    beyond = [one for one in outcomes if one.cut_ms > CUT_MS]
    sure = [one for one in beyond if one.found.end_confidence >= DOUBTFUL]
    print(f"cut by > {CUT_MS:g} ms: {cut}, from the limit {len(beyond)}, of these sure {len(sure)}")
    print(
        f"flagged {sum(not one.sure for one in outcomes)}, wrong and sure {sum(one.sure and one.wrong for one in outcomes)}"
    )


if __name__ == "__main__":
    main()
