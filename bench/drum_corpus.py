"""Real hits behind known noise at known times, with the truth beside them.

The recordings come from Debian's package of samples, fetched on first use into ``bench/.data`` (never committed).
``tune`` may be looked at; ``report`` has other kits, other noise and another seed and is only for the figures;
``fresh`` was made after everything was settled: the drums of a General MIDI sound font, other noise, another seed.
"""

from __future__ import annotations

import struct
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy import signal

from speech_corpus import DATA, room_tone

PACKAGE, FONT = "sonic-pi-samples", "timgm6mb-soundfont"
KITS = {"tune": ("drum", "elec", "perc", "tabla"), "report": ("bd", "sn"), "fresh": ("font",)}
NOISES = {"tune": ("white", "pink", "red_hum"), "report": ("fan", "brown_hum", "white"), "fresh": ("dusk", "hiss_hum")}
DRUM_WORDS = (
    "kick",
    "snare",
    "tom",
    "clap",
    "cowbell",
    "conga",
    "bongo",
    "timbale",
    "agogo",
    "clave",
    "block",
    "stick",
    "rim",
    "tambourin",
)
SNRS_DB = (30.0, 40.0, 50.0, 60.0, 70.0)
NO_HIT = ("drum_roll", "perc_swash", "perc_swoosh", "perc_till", "elec_cymbal")
"""A roll is many hits; the others swell over 50 ms or more, and have no attack."""


@dataclass(frozen=True)
class Shot:
    """A hit in noise. ``onset`` and ``last`` are the first and last frame at which the clean sound stands out."""

    name: str
    rate_hz: int
    samples: NDArray[np.float32]
    clean: NDArray[np.float32]
    onset: int
    last: int


def recordings(package: str = PACKAGE) -> Path:
    """Return the folder with a package's recordings, fetched from Debian on first use."""
    folder = DATA / ("drums" if package == PACKAGE else package)
    if not folder.exists():
        DATA.mkdir(exist_ok=True)
        subprocess.run(["apt-get", "download", package], cwd=DATA, check=True, capture_output=True)
        subprocess.run(["dpkg", "-x", next(DATA.glob(package + "_*.deb")), folder], check=True)
    return folder


def of_the_font() -> Iterator[tuple[str, int, NDArray[np.float32]]]:
    """Yield (name, rate, samples) of the drums in a sound font: RIFF, 46 bytes a sample header (SoundFont 2.04; memory)."""
    data = next(recordings(FONT).rglob("*.sf2")).read_bytes()
    at = data.index(b"smpl") + 8
    headers = data.index(b"shdr")
    size = struct.unpack_from("<I", data, headers + 4)[0]
    for n in range(size // 46 - 1):
        name, start, end, _, _, rate = struct.unpack_from("<20sIIIII", data, headers + 8 + 46 * n)
        word = name.split(b"\0")[0].decode("latin-1").strip()
        if any(part in word.lower() for part in DRUM_WORDS) and end - start > rate // 20:
            samples = np.frombuffer(data, "<i2", end - start, at + 2 * start).astype(np.float32) / 32768.0
            if np.abs(samples).max() > 0.05:
                yield word, rate, samples


def one_shots(kit: str) -> Iterator[tuple[str, int, NDArray[np.float32]]]:
    """Yield (name, rate, mono samples) of a kit's hits."""
    if kit == "font":
        yield from of_the_font()
        return
    for path in sorted(recordings().rglob(f"{kit}_*.flac")):
        if path.stem not in NO_HIT:
            samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
            yield path.stem, rate, samples[:, 0]


def shots(split: str, kit: str, times: int = 5) -> Iterator[Shot]:
    """Yield every hit of a kit behind 0 to 400 ms of noise, at every level in turn."""
    seed = {"tune": 7, "report": 31337, "fresh": 271828}[split] + sum(map(ord, kit))
    rng = np.random.default_rng(seed)
    for number, (name, rate, hit) in enumerate(one_shots(kit)):
        for n in range(times):
            snr = SNRS_DB[(number + n) % len(SNRS_DB)]
            kind = NOISES[split][(number + n) % len(NOISES[split])]
            lead = 0.0 if rng.random() < 0.1 else rng.uniform(0.0, 0.4)
            yield shot(f"{name} {kind} {snr:g} dB", hit, rate, kind, snr, lead, rng.uniform(0.3, 0.8), rng)


def shot(name: str, hit: NDArray[np.float32], rate: int, kind: str, snr: float, lead_s: float, after_s: float,
         rng: np.random.Generator) -> Shot:  # fmt: skip
    """Put a hit behind noise; the level of a hit is its loudest 10 ms."""
    lead = int(lead_s * rate)
    clean = np.concatenate([np.zeros(lead), hit, np.zeros(int(after_s * rate))]).astype(np.float32)
    level = 20 * np.log10(_rms(clean, rate).max())
    noise = room_tone(kind, len(clean), rate, level - snr, rng)
    onset, last = first_heard(clean, noise, rate), last_heard(clean, noise, rate)
    return Shot(f"{name} {lead_s * 1000:.0f} ms", rate, (clean + noise)[None], clean, onset, last)


def first_heard(clean: NDArray[np.float32], noise: NDArray[np.float32], rate: int) -> int:
    """Return the first frame at which the clean sound reaches twice the noise's RMS, which passes 95 % of its samples,
    in the full or the upper band, and is within 60 dB of its own peak."""
    sos = signal.butter(4, 2000, "highpass", fs=rate, output="sos")
    first = []
    for band, floor in ((clean, noise), (signal.sosfilt(sos, clean), signal.sosfilt(sos, noise))):
        over = np.flatnonzero(np.abs(band) >= max(2.0 * np.sqrt(np.mean(floor**2)), 1e-3 * np.abs(clean).max()))
        first += over[:1].tolist()
    return min(first)


def last_heard(clean: NDArray[np.float32], noise: NDArray[np.float32], rate: int) -> int:
    """Return the last frame at which the 10 ms RMS of the clean sound lies 3 dB over the noise's."""
    return int(np.flatnonzero(_rms(clean, rate) >= np.sqrt(2.0 * np.mean(noise.astype(float) ** 2)))[-1])


def _rms(x: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    n = round(0.010 * rate)
    return np.sqrt(np.maximum(signal.fftconvolve(x.astype(float) ** 2, np.ones(n) / n, "same"), 1e-20))
