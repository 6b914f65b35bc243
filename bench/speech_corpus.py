"""Takes of real speech over room tone, with the truth beside them.

The recordings come from Debian's packages and are fetched on first use into ``bench/.data`` (never committed). A
seeded script puts phrases at known places over room tone at a known level, with breaths and mouse clicks between.

Three splits, which share no voice, no noise colour, no breath and no seed. ``tune`` may be looked at; ``report`` is
for the figures; ``fresh`` was made after everything was settled, from recordings at 8 kHz.
"""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import av
import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy import ndimage, signal

DATA = Path(__file__).parent / ".data"
PACKAGES = {
    "en": "asterisk-core-sounds-en-g722",
    "es": "asterisk-core-sounds-es-g722",
    "fr": "asterisk-core-sounds-fr-g722",
    "it": "asterisk-core-sounds-it-g722",
    "ru": "asterisk-core-sounds-ru-g722",
    "alsa": "alsa-utils",
    "it-menardi": "asterisk-prompt-it-menardi-wav",
    "letters": "klettres-data",
}
LETTERS = tuple(f"letters/usr/share/klettres/{language}" for language in ("de", "fr", "nds", "pt_BR", "uk"))
"""Of the letters and syllables only speakers whose own room is not heard in the noise that is added."""
SPLITS = {
    "tune": ("en", "es", "fr"),
    "report": ("it", "ru", "alsa", "espeak"),
    "fresh": ("it-menardi",),
    "held": LETTERS,
}
NOISES = {
    "tune": ("white", "pink", "red_hum"),
    "report": ("brown_hum", "fan"),
    "fresh": ("dusk", "hiss_hum"),
    "held": ("hiss_hum", "fan", "pink"),
}
LEVELS_DB = (-60.0, -55.0, -50.0, -45.0)
ESPEAK_LINES = (
    "The ferry leaves from the upper slipway.", "Mind the wet steps.", "Fish and fresh bread after six.",
    "Half past seven, if the fog lifts.", "She sells the tickets herself.", "Please hold the rope.",
    "Every third boat stops at the north shore.", "This is the last crossing tonight.",
    "Shhh, the horn sounds twice.", "Twelve steps down to the slip.",
)  # fmt: skip
WINDOW_S = 0.010
ALONE_S = 0.100


@dataclass(frozen=True)
class Take:
    """A take and what is true of it. Spans are half-open, in frames."""

    name: str
    rate_hz: int
    samples: NDArray[np.float32]
    clean: NDArray[np.float32]
    noise: NDArray[np.float32]
    phrases: list[tuple[int, int]]
    audible: NDArray[np.bool_]
    disturbances: list[tuple[str, int, int]] = field(default_factory=list)
    disturbing: NDArray[np.bool_] | None = None


def fetch(voice: str) -> Path:
    """Return the folder with a voice's recordings, fetched from Debian on first use."""
    named = voice.split("/")[0]
    package, folder = PACKAGES[named], DATA / named
    if not folder.exists():
        DATA.mkdir(exist_ok=True)
        subprocess.run(["apt-get", "download", package], cwd=DATA, check=True, capture_output=True)
        deb = next(DATA.glob(package + "_*.deb"))
        subprocess.run(["dpkg", "-x", deb, folder], check=True)
    return DATA / voice


def prompts(voice: str) -> Iterator[tuple[int, NDArray[np.float32]]]:
    """Yield (rate, mono samples) of every spoken prompt of 0.4 to 12 s."""
    if voice == "espeak":
        yield from _espeak()
        return
    folder = fetch(voice)
    if voice == "alsa":
        files = sorted(path for path in folder.rglob("*.wav") if path.name != "Noise.wav")
    else:
        files = sorted(
            path
            for path in folder.rglob("*.*")
            if path.suffix in {".g722", ".wav", ".ogg"}
            and path.parent.name not in {"silence", "letters", "digits", "phonetic"}
        )
    for path in files:
        if path.stat().st_size < 400:
            continue  # a few of the packages' files hold nothing
        if path.suffix != ".g722":
            samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
            mono = samples[:, 0]
        else:
            with av.open(str(path)) as container:
                parts = [frame.to_ndarray().ravel() for frame in container.decode(audio=0)]
            rate, mono = 16_000, np.concatenate(parts).astype(np.float32) / 32768.0
        if 0.4 * rate <= len(mono) <= 12 * rate and np.abs(mono).max() > 0.05:
            yield rate, mono


def _espeak() -> Iterator[tuple[int, NDArray[np.float32]]]:
    folder = DATA / "espeak"
    folder.mkdir(parents=True, exist_ok=True)
    for number, line in enumerate(ESPEAK_LINES):
        for variant in ("en-gb+m3", "en-gb+f2", "en-us+m7"):
            path = folder / f"{variant}-{number}.wav"
            if not path.exists():
                subprocess.run(["espeak-ng", "-v", variant, "-s", "150", "-w", path, line], check=True)
            samples, rate = soundfile.read(path, dtype="float32")
            yield rate, samples


def room_tone(kind: str, frames: int, rate: int, level_db: float, rng: np.random.Generator) -> NDArray[np.float32]:
    """Return seeded noise of a colour at an RMS level."""
    white = rng.standard_normal(frames + rate)
    f = np.fft.rfftfreq(1 << 14, 1 / rate)
    if kind == "white":
        shape = np.ones_like(f)
    elif kind == "pink":
        shape = 1 / np.sqrt(np.maximum(f, 30))
    elif kind == "red_hum":
        shape = 1 / np.maximum(f, 90) ** 0.85 + 1e-4
    elif kind == "dusk":
        shape = 1 / np.maximum(f, 45) ** 0.7 + 5e-4
    elif kind == "hiss_hum":
        shape = 0.3 + (f / 4000.0) ** 2 / (1 + (f / 4000.0) ** 2)
    elif kind == "fan":
        shape = 1 / (1 + (f / 600.0) ** 1.5) + 0.02
    else:
        shape = 1 / np.maximum(f, 60) + 2e-5
    kernel = np.fft.irfft(shape)
    kernel = np.roll(kernel, 2048)[:4096] * np.hanning(4096)
    noise = signal.fftconvolve(white, kernel, "same")[rate // 2 : rate // 2 + frames]
    if kind.endswith("hum"):
        t = np.arange(frames) / rate
        hum_hz = 60 if kind == "red_hum" else 50
        rms = np.sqrt(np.mean(noise**2))
        noise = noise + 0.5 * rms * (np.sin(2 * np.pi * hum_hz * t) + 0.5 * np.sin(2 * np.pi * 3 * hum_hz * t + 1))
    return (noise * (10 ** (level_db / 20) / np.sqrt(np.mean(noise**2)))).astype(np.float32)


def breath(split: str, rate: int, rng: np.random.Generator) -> NDArray[np.float32]:
    """Return a breath: shaped band noise, 150 to 450 ms, as soft as hardly heard or as loud as speech."""
    frames = int(rng.uniform(0.15, 0.45) * rate)
    low, high = (
        (rng.uniform(400, 900), rng.uniform(3000, 5500))
        if split == "tune"
        else (rng.uniform(300, 1200), rng.uniform(2500, 6500))
    )
    sos = signal.butter(2, [low, min(high, rate * 0.45)], "bandpass", fs=rate, output="sos")
    noise = signal.sosfilt(sos, rng.standard_normal(frames))
    t = np.linspace(0, 1, frames)
    envelope = t ** rng.uniform(0.5, 1.5) * (1 - t) ** rng.uniform(0.5, 1.5)
    shaped = noise * envelope
    return (shaped / np.abs(shaped).max() * 10 ** (rng.uniform(-38, -8) / 20)).astype(np.float32)


def click(rate: int, rng: np.random.Generator) -> NDArray[np.float32]:
    """Return a mouse click: one or two decaying bursts of a few milliseconds."""
    t = np.arange(int(0.02 * rate)) / rate
    burst = np.exp(-t / rng.uniform(0.0005, 0.003)) * np.sin(2 * np.pi * rng.uniform(1500, 5000) * t)
    out = np.zeros(int(0.12 * rate))
    out[: len(burst)] = burst
    if rng.random() < 0.5:
        at = int(rng.uniform(0.05, 0.09) * rate)
        out[at : at + len(burst)] += 0.6 * burst
    return (out * 10 ** (rng.uniform(-34, -10) / 20)).astype(np.float32)


def _windowed_rms(x: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    return np.sqrt(np.maximum(signal.fftconvolve(x**2, np.ones(n := round(WINDOW_S * rate)) / n, "same"), 1e-20))


def _audible(
    clean: NDArray[np.float32], noise: NDArray[np.float32], rate: int, moved: NDArray[np.float64] | float = 1.0
) -> NDArray[np.bool_]:
    """10 ms RMS of the clean sound at or above the floor, in the full or the upper band; ``moved`` is the noise's gain."""
    sos = signal.butter(4, 2500, "highpass", fs=rate, output="sos")
    full = _windowed_rms(clean, rate) >= moved * np.sqrt(np.mean(noise.astype(float) ** 2))
    upper_floor = np.sqrt(np.mean(signal.sosfiltfilt(sos, noise) ** 2))
    return full | (_windowed_rms(signal.sosfiltfilt(sos, clean), rate) >= moved * upper_floor)


def takes(split: str, voice: str, *, phrases_a_take: int = 12, most: int = 400, seed: int = 0) -> Iterator[Take]:
    """Yield takes of one voice, every phrase once, levels and noises in turn; with another seed in other company."""
    material = list(prompts(voice))[:most]
    first_seed = {"tune": 101, "report": 90210, "fresh": 4711, "held": 6007}[split]
    rng = np.random.default_rng((seed or first_seed) + sum(map(ord, voice)))
    order = rng.permutation(len(material))
    for number, first in enumerate(range(0, len(order), phrases_a_take)):
        chosen = [material[i] for i in order[first : first + phrases_a_take]]
        level = LEVELS_DB[number % len(LEVELS_DB)]
        kind = NOISES[split][(number // len(LEVELS_DB)) % len(NOISES[split])]
        yield _take(f"{voice} {number} {kind} {level:g}", split, chosen, kind, level, rng)


Moves = Callable[[NDArray[np.float64]], NDArray[np.float64]]
"""How far the noise lies over its level, in dB, by the seconds since the start as a part of the whole, 0…1."""

MOVES: dict[str, Moves] = {
    "steady": lambda t: 0.0 * t,
    **{f"{step:+d} dB half way": (lambda t, step=step: step * (t > 0.5)) for step in (6, 10, 20, -6, -10, -20)},
    "up by 10 and back": lambda t: 10.0 * ((t > 0.35) & (t < 0.7)),
    "drifts by 20 dB": lambda t: 20.0 * t,
    "a machine, on and off": lambda t: 10.0 * ((6.0 * t).astype(int) % 2),
}
GATE_S = 0.15


def moving_takes(split: str, voice: str, *, level: float = -70.0, seed: int = 0, takes_each: int = 1) -> Iterator[Take]:
    """Yield takes of one voice over noise that moves in each of the ways, and behind a gate; 12 phrases each."""
    material = list(prompts(voice))
    rng = np.random.default_rng((seed or 31337) + sum(map(ord, voice)))
    for number in range(takes_each):
        for at, (how, moves) in enumerate([*MOVES.items(), ("a gate", None)]):
            chosen = [material[i] for i in rng.permutation(len(material))[:12]]
            kind = NOISES[split][(number + at) % len(NOISES[split])]
            yield _take(f"{voice} {number} {how}, {kind}", split, chosen, kind, level, rng, moves, gated=moves is None)


def _take(name, split, chosen, kind, level, rng, moves=None, gated=False) -> Take:  # type: ignore[no-untyped-def]
    rate = chosen[0][0]
    parts, phrases, disturbances, at = [], [], [], 0
    for _, prompt in chosen:
        gap = np.zeros(int(rng.uniform(0.9, 2.2) * rate), np.float32)
        if rng.random() < 0.7:
            what = "breath" if rng.random() < 0.6 else "click"
            extra = breath(split, rate, rng) if what == "breath" else click(rate, rng)
            place = int(rng.uniform(ALONE_S * rate, len(gap) - len(extra) - ALONE_S * rate))
            gap[place : place + len(extra)] += extra
            disturbances.append((what, at + place, at + place + len(extra)))
        parts += [gap, prompt]
        at += len(gap)
        phrases.append((at, at + len(prompt)))
        at += len(prompt)
    parts.append(np.zeros(rate, np.float32))
    dirty = np.concatenate(parts)
    clean = np.zeros_like(dirty)
    for start, end in phrases:
        clean[start:end] = dirty[start:end]
    noise = room_tone(kind, len(dirty), rate, level, rng)
    moved = 10.0 ** (moves(np.arange(len(dirty)) / len(dirty)) / 20.0) if moves else 1.0
    audible, heard = _audible(clean, noise, rate, moved), _audible(dirty - clean, noise, rate, moved)
    noise = (noise * moved).astype(np.float32)
    whole = dirty + noise
    if gated:
        whole *= ndimage.maximum_filter1d((audible | heard).astype(np.int8), round(2 * GATE_S * rate))
    return Take(name, rate, whole[None], clean, noise, phrases, audible, disturbances, heard)
