"""From the bin to the sample: where exactly a sound stands out of its floor.

Reads samples only within a few hundredths of a second of each edge.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.certainty import HOP_MS, INSIDE, NOTHING, OUTSIDE, Scores
from wemble.core.edges.envelope import Envelope, counts_in, runs
from wemble.core.edges.floor import Floor
from wemble.core.edges.noise import STAYS, Noise
from wemble.core.edges.silence import Spans
from wemble.core.signal.levels import (
    SILENCE_DB,
    Floats,
    Samples,
    from_db,
    moving_rms,
    ms_to_frames,
    power_around,
    to_db,
    upper_band,
)
from wemble.core.signal.prediction import prediction_error_filter
from wemble.core.signal.reader import Read as Read

"""Reads (start, frames) of one source as float32 (channels, frames), zeros outside."""

WINDOW_MS = 10.0
_REACH_MS = 120.0
_CONTEXT_MS = 30.0
_WARM_UP_MS = 12.0
"""Longer than half a window, the predictor and what the upper band's filter remembers."""
_DIP_MS = 9.0
_SURE_DIP_MS = 60.0
_NEAR_OUT_MS, _NEAR_IN_MS = 75.0, 30.0
_LASTING_MS = 12.0
_AUDIBLE_OVER_DB = 3.0
_SURPRISING_OVER_DB = 2.0
_SURPRISING_OVER_TOP_DB = 0.3
_NEVER_DB = 200.0
_QUIET_PIECES = 40
_QUIET_PIECE_MS = 150.0


@dataclass(frozen=True, slots=True)
class BandFloors:
    """The floor at sample precision, in the full and the upper band, and what its 10 ms RMS hardly ever passes.

    ``predictor`` is the floor's prediction error filter: it makes the floor white, and so as steady as noise can be.
    A source that was measured before there was one has none: nothing surprises it, and only what lasts is sure.
    """

    full_db: float
    upper_db: float
    full_top_db: float
    upper_top_db: float
    predictor: tuple[float, ...] = (1.0,)
    surprising_db: float = 0.0

    @classmethod
    def at(cls, level_db: float) -> BandFloors:
        """Return floors that a sound leaves exactly where it passes a level, with nothing else to tell it by."""
        under = level_db - _AUDIBLE_OVER_DB
        return cls(under, _NEVER_DB, level_db, _NEVER_DB, surprising_db=_NEVER_DB)

    def lifted(self, full_db: float, upper_db: float) -> BandFloors:
        """Return the floors where the noise lies higher by so much, in the full and the upper band."""
        if not full_db and not upper_db:
            return self
        return BandFloors(
            self.full_db + full_db,
            self.upper_db + upper_db,
            self.full_top_db + full_db,
            self.upper_top_db + upper_db,
            self.predictor,
            self.surprising_db + max(full_db, upper_db),
        )

    @property
    def full_audible_db(self) -> float:
        """A sound as loud as the floor adds 3 dB to it; a restless floor asks for more."""
        return max(self.full_db + _AUDIBLE_OVER_DB, self.full_top_db)

    @property
    def upper_audible_db(self) -> float:
        """The same in the upper band."""
        return max(self.upper_db + _AUDIBLE_OVER_DB, self.upper_top_db)


def band_levels_db(samples: Samples, rate_hz: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the 10 ms RMS around every frame, loudest channel, in dB: (full band, upper band), each (frames,)."""
    window = max(round(WINDOW_MS * rate_hz / 1000.0), 1)
    full = moving_rms(samples, window).max(axis=0)
    upper = moving_rms(upper_band(samples, rate_hz), window).max(axis=0)
    return to_db(full), to_db(upper)


def whitened_level_db(samples: Samples, predictor: tuple[float, ...], rate_hz: int) -> NDArray[np.float64]:
    """Return the 10 ms RMS of the prediction error around every frame, loudest channel, in dB, (frames,)."""
    return to_db(moving_rms(_unforetold(samples, predictor), ms_to_frames(WINDOW_MS, rate_hz)).max(axis=0))


def _unforetold(samples: Samples, predictor: tuple[float, ...]) -> Floats:
    """Return the prediction error, (channels, frames); before the first frame there is silence."""
    frames = samples.shape[1]
    return np.stack([np.convolve(predictor, channel)[:frames] for channel in samples])


def measure_band_floors(read: Read, envelope: Envelope, floor: Floor, noise: Noise = STAYS) -> BandFloors:
    """Measure the floors on pieces of quiet spread over the source; at most `_QUIET_PIECES` of them are read.

    Without a quiet piece of 150 ms the floors of the envelope stand in, with an upper band far below.
    """
    rate_hz = envelope.rate_hz
    quiet = runs(
        (envelope.steadied_db < max(floor.level_db + 3.0, floor.level_top_db))
        & (envelope.steadied_upper_db < max(floor.upper_db + 3.0, floor.upper_top_db))
    )
    length = envelope.bins(_QUIET_PIECE_MS)
    places = quiet[quiet[:, 1] - quiet[:, 0] >= length + 4]
    if not len(places) or floor.level_db <= SILENCE_DB:
        level, top = floor.level_db, floor.level_top_db
        return BandFloors(level, level - 20.0, top, level - 17.0, (1.0,), level + _AUDIBLE_OVER_DB)
    chosen = places[np.linspace(0, len(places) - 1, min(len(places), _QUIET_PIECES)).round().astype(int)]
    middles = ((chosen[:, 0] + chosen[:, 1] - length) // 2 * envelope.bin_frames).tolist()
    pieces = [read(middle, length * envelope.bin_frames) for middle in middles]
    lifts = [noise.lift_at(middle + length * envelope.bin_frames // 2) for middle in middles]
    skip = ms_to_frames(_CONTEXT_MS, rate_hz)
    inside = slice(skip, -skip)
    lifted = list(zip(pieces, lifts, strict=True))
    levels = [band_levels_db(piece, rate_hz) for piece in pieces]
    full_db, full_top_db = _mean_and_top([full[inside] - by for (full, _), (by, _) in zip(levels, lifts, strict=True)])
    upper_db, upper_top_db = _mean_and_top([up[inside] - by for (_, up), (_, by) in zip(levels, lifts, strict=True)])
    steadied = (from_db(-by) * channel.astype(np.float64) for piece, (by, _) in lifted for channel in piece)
    predictor = tuple(prediction_error_filter(steadied).tolist())
    white_db, white_top_db = _mean_and_top(
        [whitened_level_db(piece, predictor, rate_hz)[inside] - max(by) for piece, by in lifted]
    )
    surprising_db = max(white_db + _SURPRISING_OVER_DB, white_top_db + _SURPRISING_OVER_TOP_DB)
    return BandFloors(full_db, upper_db, full_top_db, upper_top_db, predictor, surprising_db)


def refine_sounds(
    read: Read,
    sounds: Spans,
    *,
    dropped: Spans,
    rate_hz: int,
    frames: int,
    floors_at: Callable[[int], BandFloors],
    report: Callable[[float], None] = lambda part: None,
) -> tuple[Spans, Scores]:
    """Return the sounds with both ends moved to where they stand out of the floor, and how far the level does so around them.

    A start goes back as long as the sound stands out, over dips of at most 9 ms, and over dips of at most 60 ms to
    what *surely* does (`_standing`); it goes forward if nothing stands out surely where the bin began. An end likewise,
    mirrored. Neither moves more than 120 ms nor into what was dropped; sounds stay apart and in order.

    Parameters
    ----------
    sounds, dropped : int64 (n, 2)
        In source frames, at bin precision, sounds in order.
    floors_at
        Gives the floors at a frame of the source.

    Returns
    -------
    sounds : int64 (n, 2)
    over_db : float32 (n, 2, OUTSIDE + INSIDE)
        Around each start and each end, as for `sound_scores`.
    """
    reach = round(_REACH_MS * rate_hz / 1000.0)
    before, after = np.sort(dropped[:, 1]), np.sort(dropped[:, 0])
    out = sounds.copy()
    over_db = np.empty((len(sounds), 2, OUTSIDE + INSIDE), np.float32)
    for at, (start, end) in enumerate(sounds.tolist()):
        lowest = max(start - reach, int(out[at - 1, 1]) if at else 0, _last_under(before, start))
        highest = min(
            end + reach, int(sounds[at + 1, 0]) if at + 1 < len(sounds) else frames, _first_over(after, end, frames)
        )
        begins = _audible(read, start, lowest, min(start + reach, end), rate_hz, floors_at(start))
        out[at, 0], over_db[at, 0] = begins
        latest = max(end - reach, int(out[at, 0]) + 1)
        out[at, 1], over_db[at, 1] = _audible(read, end, latest, highest, rate_hz, floors_at(end), mirrored=True)
        report((at + 1) / len(sounds))
    return out, over_db


def apart(sounds: Spans, *, rate_hz: int) -> int:
    """Return where to break a row of sounds in two, near its middle, so that no edge of one half could reach the other's.

    That is the number of sounds in the first half; all of them, where no gap is wide enough.
    """
    wide = np.flatnonzero(sounds[1:, 0] - sounds[:-1, 1] >= 2 * round(_REACH_MS * rate_hz / 1000.0)) + 1
    return int(wide[np.argmin(np.abs(2 * wide - len(sounds)))]) if len(wide) else len(sounds)


def to_the_level(read: Read, sounds: Spans, level_db: float, *, rate_hz: int) -> Spans:
    """Return the sounds from their first sample that passes a level to their last.

    A level over 10 ms rises before an attack does: this takes back up to that much at either end, and no more.
    """
    window, least = ms_to_frames(WINDOW_MS, rate_hz), from_db(level_db)
    out = sounds.copy()
    for at, (start, end) in enumerate(sounds.tolist()):
        reach = min(window, end - start)
        first = np.flatnonzero(np.abs(read(start, reach)).max(axis=0) >= least)
        last = np.flatnonzero(np.abs(read(end - reach, reach)).max(axis=0) >= least)
        if len(first) and len(last) and start + first[0] < end - reach + last[-1]:
            out[at] = start + first[0], end - reach + last[-1] + 1
    return out


def _standing(
    read: Read, low: int, high: int, rate_hz: int, floors: BandFloors
) -> tuple[NDArray[np.int64], NDArray[np.bool_], Floats]:
    """Return the runs in ``[low, high)`` that stand out, relative to ``low``; which of them surely do; and by how many dB, every
    `HOP_MS`.

    Sure is what lasts, and what the floor's own predictor is surprised by: a rumble that swells by chance passes
    the level, but it stays as predictable as it was.
    """
    context, window = ms_to_frames(_WARM_UP_MS, rate_hz), ms_to_frames(WINDOW_MS, rate_hz)
    samples = np.ascontiguousarray(read(low - context, high - low + 2 * context))

    def power(band: Floats) -> Floats:
        return power_around(band, window, context, band.shape[1] - context)

    full, upper = power(samples), power(upper_band(samples, rate_hz))
    stands_out = (full >= _as_power(floors.full_audible_db)) | (upper >= _as_power(floors.upper_audible_db))
    could_from = _as_power(floors.full_db + _AUDIBLE_OVER_DB), _as_power(floors.upper_db + _AUDIBLE_OVER_DB)
    could = (full >= could_from[0]) | (upper >= could_from[1])
    surprising = np.zeros_like(could)
    hop = ms_to_frames(HOP_MS, rate_hz)
    times = np.maximum(
        full[::hop] / _as_power(floors.full_audible_db), upper[::hop] / _as_power(floors.upper_audible_db)
    )
    if could.any():  # what is not even as loud as the floor is not asked whether it surprises
        first, last = int(np.argmax(could)), len(could) - int(np.argmax(could[::-1]))
        white = power(_unforetold(samples[:, first : last + 2 * context], floors.predictor))
        surprising[first:last] = white >= _as_power(floors.surprising_db)
        inner = slice(-(-first // hop) * hop, last, hop)
        could_times = np.maximum(full[inner] / could_from[0], upper[inner] / could_from[1])
        surprises = np.minimum(white[inner.start - first :: hop] / _as_power(floors.surprising_db), could_times)
        steps = slice(inner.start // hop, inner.start // hop + len(surprises))
        times[steps] = np.maximum(times[steps], surprises)
    standing = runs(stands_out | (surprising & could))
    lasts = standing[:, 1] - standing[:, 0] >= _LASTING_MS * rate_hz / 1000.0
    return standing, lasts | (counts_in(surprising, standing) > 0), 10.0 * np.log10(np.maximum(times, 1e-6))


def _audible(
    read: Read, at: int, low: int, high: int, rate_hz: int, floors: BandFloors, *, mirrored: bool = False
) -> tuple[int, Scores]:
    """Return where the sound that is under way at a frame begins in ``[low, high)``; ``mirrored``, where it ends. With it, how
    far the level stands out around that, from outside to inside.

    That is looked for nearby; only where the answer may lie beyond what was looked at, in all of it.
    """
    if high <= low:
        return at, _around(np.zeros(0), 0)
    out, inside = ms_to_frames(_NEAR_OUT_MS, rate_hz), ms_to_frames(_NEAR_IN_MS, rate_hz)
    before, after = (inside, out) if mirrored else (out, inside)
    for first, last in ((max(low, at - before), min(high, at + after)), (low, high)):
        standing, sure, over_db = _standing(read, first, last, rate_hz, floors)
        if mirrored:
            standing, sure, over_db = (last - first) - standing[::-1, ::-1], sure[::-1], over_db[::-1]
        within = last - at if mirrored else at - first
        edge = _outermost(standing, sure, within, rate_hz)
        begun = bool((sure & (standing[:, 1] > within)).any())
        nothing_beyond = last == high if mirrored else first == low
        if begun and (nothing_beyond or (standing[0, 0] > 0 and 1000.0 * edge / rate_hz > _SURE_DIP_MS)):
            break
    around = _around(over_db, round(edge / ms_to_frames(HOP_MS, rate_hz)))
    return last - edge if mirrored else first + edge, around


def _around(over_db: Floats, at: int) -> Scores:
    """Return what lies around a step, from `OUTSIDE` before it to `INSIDE` behind: nothing where it was not looked at outside."""
    out = np.full(OUTSIDE + INSIDE, NOTHING)
    first, last = max(at - OUTSIDE, 0), min(at + INSIDE, len(over_db))
    out[first - at + OUTSIDE : last - at + OUTSIDE] = over_db[first:last]
    out[max(last - at, 0) + OUTSIDE :] = over_db[last - 1] if last > at else 0.0
    return out


def _as_power(level_db: float) -> float:
    return float(10.0 ** (level_db / 10.0))


def _last_under(values: NDArray[np.int64], start: int) -> int:
    at = int(np.searchsorted(values, start, "right"))
    return int(values[at - 1]) if at else 0


def _first_over(values: NDArray[np.int64], end: int, frames: int) -> int:
    at = int(np.searchsorted(values, end, "left"))
    return int(values[at]) if at < len(values) else frames


def _outermost(standing: NDArray[np.int64], sure: NDArray[np.bool_], start: int, rate_hz: int) -> int:
    """Return where the sound that is under way at ``start`` began; ``start`` itself if nothing stands out."""
    ahead = standing[:, 1] > start
    candidates = np.flatnonzero(ahead & sure) if (ahead & sure).any() else np.flatnonzero(ahead)
    if not len(candidates):
        return start
    first = int(candidates[0])
    head = int(standing[first, 0])
    for at in range(first - 1, -1, -1):
        dip_ms = 1000.0 * (head - int(standing[at, 1])) / rate_hz
        if dip_ms > _SURE_DIP_MS:
            break
        if sure[at] or dip_ms <= _DIP_MS:
            head = int(standing[at, 0])
    return head


def _mean_and_top(levels: list[NDArray[np.float64]]) -> tuple[float, float]:
    together = np.concatenate(levels)
    mean = 10.0 * np.log10(np.mean(np.power(10.0, together / 10.0)))
    return float(mean), float(np.percentile(together, 99.8))
