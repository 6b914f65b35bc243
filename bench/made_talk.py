"""Made conversations: real voices at known places, each heard by every microphone.

    python bench/made_talk.py [tune|report|fresh] [conversations] [seed]

A conversation has two or three voices, a lane each. Phrases take turns; a tenth of them talk over the one before; soft
backchannels, breaths and keyboards lie in between. Every voice is heard on the other lanes 15 to 35 dB down, after the
time that sound takes there, coloured by a room; in half of the conversations people lean to and fro, by up to 15 cm.
What each voice says alone, and each lane's noise, are known.

Figures, a lane: bleed left is the energy of the others on what is kept, over that on the whole lane, at least `ASIDE_S`
away from what is said, breathed or typed there and not in a pause shorter than the shortest gap; a phrase is hurt if more
than 5 ms are lost of what can be heard of it over the noise and over the others; overlapped talk is what two voices can
be heard of at once; flagged is what is called doubtful.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

import speech_corpus
from speech_corpus import SPLITS, prompts, room_tone
from wemble.core.edges.envelope import envelope
from wemble.core.edges.floor import measure_floor
from wemble.core.edges.recipe import DOUBTFUL
from wemble.core.edges.speaker import Said, doubt, find_said, own_sound, propose_for_speaker
from wemble.core.signal.bleed import heard_of_each_other
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import cut

ASIDE_S = 0.35
RATE_HZ = 48_000
_HEARD_OVER_DB = -6.0  # 10 ms of speech this much under what the others leak are masked
Array = NDArray[np.float32]


@dataclass
class Talk:
    """One conversation: what was recorded on each lane, and what is true of it."""

    name: str
    lanes: list[Array]
    clean: list[Array]
    leaked: list[Array]
    noise: list[Array]
    extra: list[Array]
    phrases: list[list[tuple[int, int, str]]]


def _voice(voice: str) -> list[Array]:
    return [
        signal.resample_poly(samples, RATE_HZ, rate).astype(np.float32) / np.float32(np.sqrt(np.mean(samples**2)))
        for rate, samples in prompts(voice)
        if len(samples) <= 9 * rate
    ]


def _room(rng: np.random.Generator, distance_m: float, level_db: float) -> Array:
    """Return what a room makes of a voice on another's microphone: late, coloured, and so many dB down."""
    decay_s = rng.uniform(0.15, 0.5)
    frames = int(min(decay_s, 0.45) * RATE_HZ)
    t = np.arange(frames) / RATE_HZ
    tail = rng.standard_normal(frames) * 10 ** (-3 * t / decay_s)
    tail = signal.sosfilt(signal.butter(1, rng.uniform(2000, 6000), fs=RATE_HZ, output="sos"), tail)
    tail *= rng.uniform(0.3, 1.0) / np.sqrt(np.sum(tail**2))
    tail[0] += 1.0
    for _ in range(4):
        tail[int(rng.uniform(0.001, 0.02) * RATE_HZ)] += rng.uniform(-0.5, 0.5)
    delay = np.zeros(round(distance_m / 343.0 * RATE_HZ))
    return (10 ** (level_db / 20) * np.concatenate([delay, tail]) / np.sqrt(np.sum(tail**2))).astype(np.float32)


def _through(said: Array, path: Array, leans: bool, rng: np.random.Generator) -> Array:
    """Return what comes by a path; where people lean it changes to another and back, a few times a minute."""
    heard = signal.fftconvolve(said, path)[: len(said)]
    if leans:
        moved = np.roll(path, round(rng.uniform(-0.15, 0.15) / 343.0 * RATE_HZ))
        moved = moved + 0.2 * np.std(path) * rng.standard_normal(len(path)) * (np.abs(path) > 0)
        part = 0.5 + 0.5 * np.sin(2 * np.pi * np.arange(len(said)) / RATE_HZ / rng.uniform(15, 60) + rng.uniform(0, 6))
        heard = heard * (1 - part) + signal.fftconvolve(said, moved)[: len(said)] * part
    return heard.astype(np.float32)


def _keys(rng: np.random.Generator, frames: int) -> Array:
    out = np.zeros(frames, np.float32)
    at = 0
    while at < frames - RATE_HZ // 5:
        one = speech_corpus.click(RATE_HZ, rng)
        out[at : at + len(one)] += one * 0.7
        at += int(rng.uniform(0.09, 0.22) * RATE_HZ)
    return out


def talks(split: str, count: int, seed: int) -> Iterator[Talk]:
    """Yield conversations of one split's voices, of about a minute and a half each."""
    rng = np.random.default_rng([seed, sum(map(ord, split))])
    voices = {voice: _voice(voice) for voice in SPLITS[split]}
    if len(voices) == 1:  # one speaker in two halves, a little higher and lower
        (name, one), *_ = voices.items()
        voices = {
            f"{name} low": [signal.resample_poly(x, 21, 20).astype(np.float32) for x in one[::2]],
            f"{name} high": [signal.resample_poly(x, 19, 20).astype(np.float32) for x in one[1::2]],
        }
    for number in range(count):
        people = min(int(rng.integers(2, 4)), len(voices))
        chosen = list(rng.choice(sorted(voices), people, replace=False))
        yield _talk(f"{split} {number} {'+'.join(chosen)}", [voices[name] for name in chosen], rng)


def _talk(name: str, voices: list[list[Array]], rng: np.random.Generator) -> Talk:
    people, frames = len(voices), int(rng.uniform(70, 110) * RATE_HZ)
    clean = [np.zeros(frames, np.float32) for _ in voices]
    extra = [np.zeros(frames, np.float32) for _ in voices]
    phrases: list[list[tuple[int, int, str]]] = [[] for _ in voices]
    levels_db = rng.uniform(-32, -20, people)
    at, who = int(rng.uniform(0.8, 2.0) * RATE_HZ), 0
    while True:
        for _ in range(int(rng.integers(1, 4))):
            phrase = voices[who][rng.integers(len(voices[who]))]
            level = levels_db[who] + rng.uniform(-4, 3)
            if at + len(phrase) + RATE_HZ > frames:
                break
            clean[who][at : at + len(phrase)] += phrase * np.float32(10 ** (level / 20))
            phrases[who].append((at, at + len(phrase), "phrase"))
            other = int((who + rng.integers(1, people)) % people)
            if rng.random() < 0.25 and len(phrase) > 1.5 * RATE_HZ:
                soft = voices[other][rng.integers(len(voices[other]))][: int(rng.uniform(0.3, 0.6) * RATE_HZ)]
                fade = np.minimum(1.0, np.arange(len(soft), 0, -1) / (0.05 * RATE_HZ))
                place = at + int(rng.uniform(0.2, 0.6) * len(phrase))
                soft = soft * fade * 10 ** ((levels_db[other] - rng.uniform(6, 14)) / 20)
                if not any(a < place + len(soft) and place < b for a, b, _ in phrases[other]):
                    clean[other][place : place + len(soft)] += soft.astype(np.float32)
                    phrases[other].append((place, place + len(soft), "backchannel"))
            if rng.random() < 0.3:
                place = int(at + rng.uniform(0, len(phrase)))
                what = (
                    speech_corpus.breath("tune", RATE_HZ, rng) * 0.3
                    if rng.random() < 0.6
                    else _keys(rng, int(rng.uniform(0.5, 2) * RATE_HZ))
                )
                end = min(place + len(what), frames)
                extra[other][place:end] += what[: end - place]
            at += len(phrase) + int(rng.uniform(0.15, 0.9) * RATE_HZ)
        else:
            if rng.random() < 0.25:  # the next one begins before this one is through
                at -= int(rng.uniform(0.5, 1.6) * RATE_HZ)
            who = int((who + rng.integers(1, people)) % people)
            at = max(at, max((b for _, b, _ in phrases[who]), default=0) + RATE_HZ // 10)
            continue
        break
    leaked, noise, lanes = [], [], []
    leans = rng.random() < 0.5
    apart_m = {frozenset((a, b)): rng.uniform(0.6, 3.0) for a in range(people) for b in range(a)}
    for lane in range(people):
        heard = np.zeros(frames, np.float32)
        for other in range(people):
            if other != lane:
                distance = apart_m[frozenset((lane, other))]
                path = _room(rng, distance, rng.uniform(-35, -15) + levels_db[lane] - levels_db[other])
                heard += _through(clean[other] + extra[other], path, leans, rng)
        kind = str(rng.choice(["white", "pink", "fan", "hiss_hum"]))
        tone = room_tone(kind, frames, RATE_HZ, levels_db[lane] - rng.uniform(32, 48), rng)
        leaked.append(heard)
        noise.append(tone)
        lanes.append(clean[lane] + extra[lane] + heard + tone)
    return Talk(name, lanes, clean, leaked, noise, extra, phrases)


def said_on(talk: Talk) -> list[Said]:
    """Return what is found on each lane."""
    width, frames = bin_frames(RATE_HZ), len(talk.lanes[0])
    measured = []
    for samples in talk.lanes:
        bins = reduce_samples(samples[None], frames_per_bin=width, before=np.zeros((1, 1), np.float32))
        levels = envelope(bins, rate_hz=RATE_HZ, bin_frames=width, frames=frames)
        measured.append((levels, measure_floor(levels)))
    reads = [lambda start, n, x=samples[None]: cut(x, start, n) for samples in talk.lanes]
    heard = heard_of_each_other(reads, frames, RATE_HZ, [floor.sound_db for _, floor in measured])
    return [
        find_said(own_sound(levels, one), floor, propose_for_speaker(floor))
        for (levels, floor), one in zip(measured, heard, strict=True)
    ]


def _level(x: Array) -> NDArray[np.float64]:
    n = RATE_HZ // 100
    return np.maximum(signal.fftconvolve(x.astype(np.float64) ** 2, np.ones(n) / n, "same"), 1e-20)


def _mask(spans: NDArray[np.int64], frames: int) -> NDArray[np.bool_]:
    out = np.zeros(frames, np.bool_)
    for start, end in spans.tolist():
        out[start:end] = True
    return out


@dataclass
class Score:
    phrases: int = 0
    hurt: int = 0
    soft: int = 0
    soft_hurt: int = 0
    bleed: float = 0.0
    bleed_kept: float = 0.0
    bleed_all: float = 0.0
    bleed_all_kept: float = 0.0
    overlap_s: float = 0.0
    overlap_kept_s: float = 0.0
    sounds: int = 0
    flagged: int = 0
    strange_and_sure: int = 0


def score(talk: Talk, into: Score, *, verbose: bool) -> None:
    """Add the figures of one conversation."""
    frames = len(talk.lanes[0])
    heard = []
    for clean, leaked, noise in zip(talk.clean, talk.leaked, talk.noise, strict=True):
        level = _level(clean)
        masked = _level(leaked) * 10 ** (_HEARD_OVER_DB / 10)
        heard.append((level >= np.mean(noise.astype(float) ** 2)) & (level >= masked) & (level > 1e-12))
    found = said_on(talk)
    kept = [_mask(one.found.spans, frames) for one in found]
    for lane, phrases in enumerate(talk.phrases):
        near = np.zeros(frames, np.bool_)
        own = heard[lane] | (_level(talk.extra[lane]) >= np.mean(talk.noise[lane].astype(float) ** 2))
        for a, b in np.flatnonzero(np.diff(np.concatenate([[0], own.astype(np.int8), [0]]))).reshape(-1, 2).tolist():
            near[max(a - int(ASIDE_S * RATE_HZ), 0) : b + int(ASIDE_S * RATE_HZ)] = True
        energy = talk.leaked[lane].astype(float) ** 2
        into.bleed += float(energy[~near].sum())
        into.bleed_kept += float(energy[~near & kept[lane]].sum())
        into.bleed_all += float(energy[~heard[lane]].sum())
        into.bleed_all_kept += float(energy[~heard[lane] & kept[lane]].sum())
        for a, b, what in phrases:
            lost = 1000 * np.count_nonzero(heard[lane][a:b] & ~kept[lane][a:b]) / RATE_HZ
            if what == "phrase":
                into.phrases += 1
                into.hurt += lost > 5
            else:
                into.soft += 1
                into.soft_hurt += lost > 5
            if lost > 5 and verbose:
                where = np.flatnonzero(heard[lane][a:b] & ~kept[lane][a:b])[[0, -1]] + a
                print(
                    f"  {talk.name} lane {lane} {what} {a / RATE_HZ:.2f} to {b / RATE_HZ:.2f} s loses {lost:.0f} ms, {where / RATE_HZ}"
                )
        for (a, b), margin_db in zip(found[lane].found.sounds.tolist(), found[lane].margins_db.tolist(), strict=True):
            confidence, _ = doubt(margin_db)
            into.sounds += 1
            into.flagged += confidence < DOUBTFUL
            into.strange_and_sure += confidence >= DOUBTFUL and not own[a:b].any()
        if verbose:
            extra = np.flatnonzero(np.diff(np.concatenate([[0], (kept[lane] & ~near).astype(np.int8), [0]])))
            for a, b in extra.reshape(-1, 2).tolist():
                if b - a > 0.05 * RATE_HZ:
                    print(f"  {talk.name} lane {lane} keeps {1000 * (b - a) / RATE_HZ:.0f} ms at {a / RATE_HZ:.2f} s")
    count = sum(mask.astype(np.int8) for mask in heard)
    for lane in range(len(talk.lanes)):
        both = (count > 1) & heard[lane]
        into.overlap_s += both.sum() / RATE_HZ
        into.overlap_kept_s += (both & kept[lane]).sum() / RATE_HZ


def main() -> None:
    """Print the figures of a split, by pair of voices and together."""
    words = [word for word in sys.argv[1:] if word != "-v"]
    split, count, seed = (words + ["tune", "8", "1"][len(words) :])[:3]
    total = Score()
    for talk in talks(split, int(count), int(seed)):
        one = Score()
        score(talk, one, verbose="-v" in sys.argv)
        print(line(talk.name, one))
        for name in vars(total):
            setattr(total, name, getattr(total, name) + getattr(one, name))
    print(line("all", total))


def line(name: str, one: Score) -> str:
    """Return a score in one line."""
    return (
        f"{name:<28} bleed gone {100 * (1 - one.bleed_kept / max(one.bleed, 1e-12)):.2f} % "
        f"(with rooms {100 * (1 - one.bleed_all_kept / max(one.bleed_all, 1e-12)):.1f} %)  phrases hurt {one.hurt}/{one.phrases}"
        f"  backchannels hurt {one.soft_hurt}/{one.soft}"
        f"  overlap kept {100 * one.overlap_kept_s / max(one.overlap_s, 1e-9):.2f} % of {one.overlap_s:.1f} s"
        f"  flagged {one.flagged}/{one.sounds}, not its own and sure {one.strange_and_sure}"
    )


if __name__ == "__main__":
    main()
