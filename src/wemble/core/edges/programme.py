"""The programme of a recording: from where the music begins to where its last ring-out meets the floor.

Unlike finding sound and silence, which parts one phrase from the next, this looks for one span: stops inside it are its own.

1. The *air* is what is quiet at the recording's ends. Its power is measured in six bands of each channel, and how much that
   wavers: a rumble wavers for long, hiss hardly at all.
2. From outside to inside, the sound's own power is what the bands have over the air's, each over as long as its noise needs
   to be steady, and nothing where it may be the noise alone.
3. The programme begins where that power is as large as the air's, in the full or the upper band: there the sound is as
   loud as its floor. It ends in the same way, looked at from behind.
4. What dies away steadily is followed further: a band that its noise hides goes on as it fell before, and the end is where
   a line through the whole meets the floor. The last moment that passes a floor comes late, as noise lifts it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal, special

from wemble.core.edges.certainty import paced_within
from wemble.core.edges.envelope import Envelope, runs
from wemble.core.edges.refine import Read
from wemble.core.edges.steady import steady_rise
from wemble.core.signal.levels import Floats, Samples, ms_to_frames

Powers = NDArray[np.float64]

_BLOCK_MS = 1.0
_QUIETEST_MS = 150.0
_QUIET_OVER_DB = 5.0
_LEAST_AIR_MS = 100.0
_MOST_AIR_S = 6.0
_AGREE_DB = 1.5
_STANDS_OUT_DB = 6.0
_SURE_MS = 50.0
_INSIDE_S, _OUTSIDE_S = 3.0, 8.0
_BAND_EDGES_HZ = (120.0, 300.0, 700.0, 2000.0, 6000.0)
_FIRST_UPPER_BAND = 4
_WINDOWS_MS = (10.0, 14.0, 20.0, 28.0, 40.0, 56.0, 80.0, 112.0, 160.0)
_STEADY, _STEADY_WHOLE = 1.5, 1.2
_HARDLY_EVER, _CORRELATED = 1e-7, 1.5
_EARLIEST_BLOCKS, _MORE_THAN_NOISE = 5, 2.0
_RISE_BLOCKS, _RISES_DB, _AT_ONCE_DB, _JUMPS_DB, _GOES_ON = 20, 1.5, 15.0, 11.0, 0.38
_ALONE_S = 1.0
_CLEAR_BEFORE_MS, _CLEAR_WITHIN_MS = 20.0, 20.0
_SETTLING_BLOCKS = 30
_PIECE_BLOCKS, _LEAST_PIECES, _LOUDEST_PIECE = 100, 5, 3.0
_EDGE_BLOCKS = 80
_SHORTEST_BLOCKS = 2 * _EDGE_BLOCKS
_END_LEAST, _UNSTEADY_END_LEAST = 0.7, 0.85
"""At its end a sound is followed a little under its floor, rather than cut."""
_DIES_AWAY_S = 0.1
"""What is near its floor for less ends at once."""
_LINE_WINDOW_MS, _LINE_DB, _LEAST_LINE_BLOCKS, _MOST_LINE_BLOCKS = 40.0, 12.0, 100, 2000
_STEADY_WITHIN_DB, _BAND_STEADY_WITHIN_DB, _CONTINUED_DB = 0.7, 1.0, 10.0
_MISSED_MS, _MISSED_PART = 200.0, 0.5
_WELL_HEARD, _OVERLAP_BLOCKS, _LEAST_OVERLAP_BLOCKS, _OVERLAPS = 8.0, 1500, 50, (0.6, 1.2)
_RESTLESS, _SLOW_IF_RESTLESS_S = 1.8, 0.15
_LONGEST_PACE_S = 2.0
_UNSURE, _CLEAR, _SLOW_S, _SHORT_S, _FAR_S = 0.4, 4.0, 0.6, 0.3, 1.0
_CLICK_S, _PARTED_S = 0.1, 0.04
"""As the level over 50 ms has them: a click of a few ms, and a pause of a tenth of a second."""
_CLEARLY, _CLEARLY_MS, _HARDLY_IF_RESTLESS_S = 6.0, 200.0, 0.2
_NO_AIR = 10.0 ** (-40.0 / 10.0)
"""No air is as loud as that (our choice)."""
_LEAST_FLOOR_DB = -96.0
_LEAST_FLOOR = 10.0 ** (_LEAST_FLOOR_DB / 10.0)
"""Quieter than the steps of 16 bits nothing counts: a mix may have digital silence at its ends."""


@dataclass(frozen=True, slots=True)
class Programme:
    """Where the programme starts and ends, in source frames, without rooms; how sure that is, 0…1, and why not.

    ``floor_db`` is the level of the noise at the ends. ``start_within`` and ``end_within`` hold them with nine in ten; ``pace_ms``
    is how long the sound takes to leave its floor at either.
    """

    start_frame: int
    end_frame: int
    floor_db: float
    start_confidence: float
    end_confidence: float
    start_reason: str = ""
    end_reason: str = ""
    start_within: tuple[int, int] = (0, 0)
    end_within: tuple[int, int] = (0, 0)
    pace_ms: tuple[float, float] = (0.0, 0.0)


def find_programme(
    read: Read, whole: Envelope, *, head_frame: int = 0, tail_frame: int | None = None
) -> Programme | None:
    """Find the programme inside ``[head_frame, tail_frame)`` of a source; none where nothing stands out."""
    tail_frame = whole.frames if tail_frame is None else tail_frame
    envelope = whole.part(head_frame, tail_frame)
    first = head_frame // whole.bin_frames * whole.bin_frames
    air = _air(envelope)
    heard = _heard(envelope, air)
    if not len(heard):
        return None
    rate, inside, outside = whole.rate_hz, round(_INSIDE_S * whole.rate_hz), round(_OUTSIDE_S * whole.rate_hz)
    near_start, near_end = first + int(heard[0, 0]) * whole.bin_frames, first + int(heard[-1, 1]) * whole.bin_frames
    before, behind = _noise(read, envelope, air, first)
    least = _SHORTEST_BLOCKS * _block(rate)  # of a click, or a file of some milliseconds: what is not there is silence
    low = max(near_start - outside, head_frame)
    high = max(min(near_start + inside, near_end), low + least)
    begun = _begins(read(low, high - low), rate, before)
    start = min(low + _block(rate) * begun.block, tail_frame - 1)
    high = min(near_end + outside, tail_frame)
    low = min(max(near_end - inside, near_start), high - least)
    ended = _ends(read(low, high - low)[:, ::-1], rate, behind)
    end = high - _block(rate) * ended.block
    length_s = heard * envelope.bin_s
    start_reason = _doubt(air.before * envelope.bin_s, length_s, "starts", "before the rest", click_s=_CLICK_S)
    end_reason = _doubt(air.behind * envelope.bin_s, -length_s[::-1, ::-1], "ends", "behind the rest")
    restless = bool(behind.by_itself[-2] > _RESTLESS)
    end_reason = end_reason or _dies_away_slowly(ended, restless=restless)
    end = max(min(end, tail_frame), start + 1)
    inside, outside = paced_within("programme_start", begun.pace_ms, rate)
    start_within = max(start - outside, head_frame), min(start + inside, end)
    inside, outside = paced_within("programme_end", ended.pace_ms, rate)
    end_within = max(end - inside, start), min(end + outside, tail_frame)
    return Programme(
        start,
        end,
        round(air.level_db, 2),
        _UNSURE if start_reason else 1.0,
        _UNSURE if end_reason else 1.0,
        start_reason,
        end_reason,
        start_within,
        end_within,
        (begun.pace_ms, ended.pace_ms),
    )


def _doubt(air_s: float, heard_s: Floats, verb: str, where: str, click_s: float = 0.0) -> str:
    """Return why an end of the programme may be elsewhere; ``heard_s`` are the runs heard, from that end on, in seconds. What is
    no longer than ``click_s`` counts by itself, however close: a mouth that opens, before a word."""
    if air_s < _LEAST_AIR_MS / 1000.0:
        return f"the recording {verb} inside the sound, or just where it {verb}"
    first, then = heard_s[0], heard_s[1] if len(heard_s) > 1 else heard_s[0]
    lasts_s, apart_s = first[1] - first[0], then[0] - first[1]
    if (lasts_s < _SHORT_S and apart_s > _FAR_S) or (lasts_s < click_s and apart_s > _PARTED_S):
        return f"something short lies {apart_s:.1f} s {where}"
    return ""


def _dies_away_slowly(ended: _Begun, *, restless: bool) -> str:
    """Return why an end may be elsewhere, whose last beats may be hidden by a restless floor or are near any."""
    near_s, hardly_s = ended.near_s, ended.hardly_s if restless else 0.0
    slow_s = _SLOW_IF_RESTLESS_S if restless else _SLOW_S
    if ended.steady or (near_s <= slow_s and hardly_s <= _HARDLY_IF_RESTLESS_S):
        return ""
    return f"it dies away slowly: {max(near_s, hardly_s):.1f} s of it are hardly louder than the floor"


def sharp_start(read: Read, start_frame: int, from_frame: int, rate_hz: int) -> int:
    """Return the frame at which a sound that was found to start here first stands clear of what lies before it.

    Where a cue is to speak on GO, some milliseconds of nothing are heard as late; the programme's start leans to the early
    side. A sound that swells keeps its start.
    """
    before, ahead = ms_to_frames(_CLEAR_BEFORE_MS, rate_hz), ms_to_frames(_CLEAR_WITHIN_MS, rate_hz)
    low = max(start_frame - before, from_frame)
    quiet = read(low - before, before)
    least = max(2.0 * float(np.abs(quiet).max(initial=0.0)), _LEAST_FLOOR**0.5)
    heard = np.flatnonzero(np.abs(read(low, start_frame - low + ahead)).max(axis=0) >= least)
    return low + int(heard[0]) if len(heard) else start_frame


def falls_for_good(envelope: Envelope, programme: Programme, under_db: float) -> int:
    """Return the source frame from which on a programme stays so far under its own loudness: there another may start."""
    part = envelope.part(programme.start_frame, programme.end_frame)
    mean_db = 10.0 * np.log10(max(float(np.mean(part.power, dtype=np.float64)), 1e-20))
    loud = np.flatnonzero(part.sustained_db >= mean_db - under_db)
    first = programme.start_frame // envelope.bin_frames * envelope.bin_frames
    falls = first + (int(loud[-1]) + 1) * envelope.bin_frames if len(loud) else programme.end_frame
    return min(falls, programme.end_frame)


@dataclass(frozen=True, slots=True)
class _Air:
    """How many bins are quiet at either end, and how loud they are in the two bands of the envelope, in dB."""

    before: int
    behind: int
    level_db: float
    upper_db: float


def _air(envelope: Envelope) -> _Air:
    power = envelope.power.astype(np.float64)
    smooth = ndimage.uniform_filter1d(power, max(envelope.bins(_QUIETEST_MS), 1), mode="nearest")
    held = ndimage.uniform_filter1d(power, max(envelope.bins(_SURE_MS), 1), mode="nearest")
    if smooth.min() > _NO_AIR:
        return _Air(0, 0, _LEAST_FLOOR_DB, _LEAST_FLOOR_DB)
    loud = np.flatnonzero(held > max(smooth.min(), _LEAST_FLOOR) * 10 ** (_QUIET_OVER_DB / 10))
    if not len(loud):
        return _Air(len(held), len(held), _mean_db(envelope.power), _mean_db(envelope.upper_power))
    before, behind = int(loud[0]), len(held) - int(loud[-1]) - 1
    inside = np.concatenate([np.arange(before * 4 // 5), np.arange(len(held) - behind // 2, len(held))])
    if not len(inside):
        inside = np.array([int(np.argmin(smooth))])
    return _Air(before, behind, _mean_db(envelope.power[inside]), _mean_db(envelope.upper_power[inside]))


def _mean_db(power: Floats) -> float:
    mean = float(np.mean(power, dtype=np.float64)) if len(power) else 0.0
    return float(10.0 * np.log10(max(mean, _LEAST_FLOOR)))


def _heard(envelope: Envelope, air: _Air) -> NDArray[np.int64]:
    """Return the runs of bins that surely stand out of the air."""
    width = max(envelope.bins(_SURE_MS), 1)
    upper = ndimage.uniform_filter1d(envelope.upper_power, width, mode="nearest")
    over = (envelope.sustained_db > air.level_db + _STANDS_OUT_DB) | (
        upper > 10.0 ** ((air.upper_db + _STANDS_OUT_DB) / 10.0)
    )
    return runs(over)


@dataclass(frozen=True, slots=True, eq=False)
class _Noise:
    """The air: its power in each band and channel, (bands, channels); and of each band the window in ms over which it is
    steady, and how far it goes beyond its power by itself over that window and over 10 ms, as a factor."""

    power: Powers
    window_ms: Powers
    by_itself: Powers
    short_by_itself: Powers


def _noise(read: Read, envelope: Envelope, air: _Air, first: int) -> tuple[_Noise, _Noise]:
    """Return the noise at the start and at the end: that of both, where they agree."""
    rate, width = envelope.rate_hz, envelope.bin_frames
    most, least = round(_MOST_AIR_S * rate), ms_to_frames(_LEAST_AIR_MS, rate)
    head, tail = min(air.before * 4 // 5 * width, most), min(air.behind // 2 * width, most)
    ends = [(first, head), (first + envelope.frames - tail, tail)]
    quietest = first + int(np.argmin(envelope.sustained_db)) * width
    chosen = [end for end in ends if end[1] >= least] or [(quietest, least)]
    powers = [_without_sounds(_band_powers(read(at, frames), rate)[:, :, _SETTLING_BLOCKS:]) for at, frames in chosen]
    means = [np.maximum(one.mean(axis=2), _LEAST_FLOOR / 10.0) for one in powers]
    apart_db = np.abs(10.0 * np.log10(means[0][-2] / means[-1][-2])).max()
    if len(chosen) == 1 or apart_db < _AGREE_DB:
        both = _wavers(powers, means, np.min(means, axis=0))
        return both, both
    one, other = (_wavers([alone], [mean], mean) for alone, mean in zip(powers, means, strict=True))
    return one, other


def _without_sounds(powers: Powers) -> Powers:
    """Return the air without the pieces in which a band is far louder than in most: a soft pickup, a last beat of a fade."""
    bands, channels, blocks = powers.shape
    pieces = blocks // _PIECE_BLOCKS
    if pieces < _LEAST_PIECES:
        return powers
    parts = powers[:, :, : pieces * _PIECE_BLOCKS].reshape(bands, channels, pieces, _PIECE_BLOCKS)
    tops = _averaged(parts, _WINDOWS_MS[0]).max(axis=3)
    usual = np.median(tops, axis=2, keepdims=True)
    return parts[:, :, (tops <= _LOUDEST_PIECE * usual).all(axis=(0, 1))].reshape(bands, channels, -1)


def _wavers(powers: list[Powers], means: list[Powers], power: Powers) -> _Noise:
    """Return how noise wavers: channels, and the two ends of a recording, are taken together."""
    window, by_itself = np.full(len(power), _WINDOWS_MS[-1]), np.zeros(len(power))
    usual = short_by_itself = by_itself
    steady = np.array([*[_STEADY] * (len(power) - 2), _STEADY_WHOLE, _STEADY_WHOLE])
    for one in _WINDOWS_MS:
        over = [_averaged(part, one) / mean[:, :, None] for part, mean in zip(powers, means, strict=True)]
        variance = np.mean([part.var(axis=(1, 2)) for part in over], axis=0)
        usual = variance if one == _WINDOWS_MS[0] else usual
        variance = np.maximum(variance, _CORRELATED * usual * _WINDOWS_MS[0] / one)
        most = np.maximum(_most_by_itself(variance), np.max([part.max(axis=(1, 2)) for part in over], axis=0))
        short_by_itself = most if one == _WINDOWS_MS[0] else short_by_itself
        takes = (by_itself == 0.0) & ((most <= steady) | (one == _WINDOWS_MS[-1]))
        window[takes], by_itself[takes] = one, most[takes]
    return _Noise(power, window, by_itself, short_by_itself)


def _most_by_itself(variance: Powers) -> Powers:
    """Return what noise of mean 1 and this variance hardly ever goes beyond: its power has a gamma distribution."""
    shape = 1.0 / np.maximum(variance, 1e-6)
    return np.asarray(special.gammainccinv(shape, _HARDLY_EVER) / shape)


def _block(rate_hz: int) -> int:
    return max(ms_to_frames(_BLOCK_MS, rate_hz), 1)


def _band_powers(samples: Samples, rate_hz: int) -> Powers:
    """Return the power of every millisecond in each band, and in the full and the upper band: float64 (bands + 2, channels,
    blocks).

    The filters run from the first sample on, so that nothing of a sound is there before it begins.
    """
    block = _block(rate_hz)
    blocks = samples.shape[1] // block
    whole = samples[:, : blocks * block].astype(np.float64)
    *bands, above = _band_filters(rate_hz)

    def filtered(sos: Powers) -> Powers:
        return np.asarray(
            signal.sosfilt(sos, whole, axis=1, zi=signal.sosfilt_zi(sos)[:, None, :] * whole[None, :, :1])[0]
        )

    heard = [*(filtered(sos) for sos in bands), whole, filtered(above)]
    return np.stack([np.square(one).reshape(len(samples), blocks, block).mean(axis=2) for one in heard])


@lru_cache
def _band_filters(rate_hz: int) -> tuple[Powers, ...]:
    edges = [hz for hz in _BAND_EDGES_HZ if hz < 0.45 * rate_hz]
    low = signal.butter(2, edges[0], "lowpass", fs=rate_hz, output="sos")
    between = [signal.butter(2, pair, "bandpass", fs=rate_hz, output="sos") for pair in pairwise(edges)]
    high = signal.butter(2, edges[-1], "highpass", fs=rate_hz, output="sos")
    upper_hz = min(_BAND_EDGES_HZ[_FIRST_UPPER_BAND - 1], 0.45 * rate_hz)
    above = signal.butter(4, upper_hz, "highpass", fs=rate_hz, output="sos")
    return (low, *between, high, above)


@dataclass(frozen=True, slots=True)
class _Begun:
    """The block in which a sound begins, how long it takes to come 6 dB over its floor at all, in seconds, and the block from
    which 200 ms of it are clear: a restless floor may hide a beat until then.

    Whether it begins ``at_once``, or rises so steadily that its block is that of a line through it.
    """

    block: int
    near_s: float
    clear_block: int
    at_once: bool = False
    steady: bool = False

    @property
    def pace_ms(self) -> float:
        """How long the sound takes to leave its floor: what does so at once takes no longer than its level is measured over."""
        return (
            _WINDOWS_MS[0] if self.at_once else 1000.0 * min(max(self.near_s, _WINDOWS_MS[0] / 1000.0), _LONGEST_PACE_S)
        )

    @property
    def hardly_s(self) -> float:
        """How long it takes to be clear of its floor, in seconds."""
        return (self.clear_block - self.block) * _BLOCK_MS / 1000.0


def _begins(samples: Samples, rate_hz: int, noise: _Noise) -> _Begun:
    """Return the first block in which the sound is as loud as its floor, in any channel, in the full or the upper band."""
    powers = _band_powers(samples, rate_hz)
    return _begun(powers, *_own(powers, noise), noise)


def _ends(samples: Samples, rate_hz: int, noise: _Noise) -> _Begun:
    """Return the same of an end, looked at from behind."""
    powers = _band_powers(samples, rate_hz)
    sure, own = _own(powers, noise)
    begun = _begun(powers, sure, own, noise, _END_LEAST)
    if begun.near_s <= _DIES_AWAY_S:
        return begun
    loud = _in_floors(_continued(own, powers, noise), noise, _overlap(powers, noise))
    first = _first_lasting(loud >= _UNSTEADY_END_LEAST)
    if begun.at_once:  # a long stretch sees it sooner by a part of itself: only what is farther out is something else
        return begun if begun.block - first <= _WINDOWS_MS[-1] / _BLOCK_MS else replace(begun, block=first)
    line = steady_rise(
        _db(_averaged(loud, _LINE_WINDOW_MS)), _first_lasting(loud >= _END_LEAST),
        by_db=_LINE_DB, least=_LEAST_LINE_BLOCKS, most=_MOST_LINE_BLOCKS, spread_db=_STEADY_WITHIN_DB,
    )  # fmt: skip
    if line is None:
        return replace(begun, block=first)
    return replace(begun, block=max(round(line.meets(-line.spread_db)), 0), steady=True)


def _begun(powers: Powers, sure: Powers, own: Powers, noise: _Noise, least: float = 1.0) -> _Begun:
    """Return the first block in which a sound's own power is ``least`` floors.

    What begins at once is seen too early by a long stretch: there its surely heard rise is followed back instead.
    """
    loud = _in_floors(own, noise)
    begun = _first_lasting(loud >= least)
    louder = _first(loud[begun:] >= _CLEAR)
    clear = begun + _first(_averaged(loud[begun:], _CLEARLY_MS) >= _CLEARLY)
    later = _after_the_rise(powers[:, :, begun:], sure[:, :, begun:], noise)
    return _Begun(begun + later, louder * _BLOCK_MS / 1000.0, clear, at_once=later > 0)


def _first(flags: NDArray[np.bool_]) -> int:
    """Return the first true block; how many there are, if none is true."""
    return int(np.argmax(flags)) if flags.any() else len(flags)


def _after_the_rise(powers: Powers, sure: Powers, noise: _Noise) -> int:
    """Return how many blocks later a sound begins than a long stretch would have it: none, if in between there is more than
    the noise already, as where it swells."""
    heard = 10.0 * np.log10(np.maximum(_in_floors(sure, noise), 1e-9))
    after = int(np.argmax(heard >= 0.0))
    risen = heard[after : after + _RISE_BLOCKS].max() - heard[after]
    if heard[after] < 0.0 or risen < _RISES_DB:
        return 0
    between = powers[-2:, :, : max(after - _EARLIEST_BLOCKS, 0)]
    most = np.maximum(noise.by_itself[-2:, None], _MORE_THAN_NOISE)
    if between.shape[2] and (between.mean(axis=2) / noise.power[-2:] > most).any():
        return 0
    first = heard[after : after + _RISE_BLOCKS // 2].max() - heard[after]
    # What swells is first surely heard where the noise lets go of it, and goes on rising.
    if heard[after] >= _JUMPS_DB or first >= _AT_ONCE_DB or risen - first < _GOES_ON * risen:
        return after
    return max(after - round(float(heard[after] / risen) * _RISE_BLOCKS), 0)


def _first_lasting(flags: NDArray[np.bool_]) -> int:
    """Return the first block from which on no second goes by without a sound: what is farther out is the noise's own."""
    if len(flags) > _EDGE_BLOCKS:
        flags[:_EDGE_BLOCKS] &= flags[_EDGE_BLOCKS]  # a mean over less than its window wavers more
    at = np.flatnonzero(flags)
    if not len(at):
        return 0
    apart = np.flatnonzero(np.diff(at) > _ALONE_S * 1000.0 / _BLOCK_MS)
    return int(at[apart[-1] + 1]) if len(apart) else int(at[0])


def _continued(own: Powers, powers: Powers, noise: _Noise) -> Powers:
    """Return a sound's own power with each band that rises steadily out of its noise continued into it, as far as 10 dB, unless
    there is too little for it to be there."""
    continued = own.copy()
    for band, channel in np.ndindex(len(own) - 2, own.shape[1]):
        floor = noise.power[band, channel]
        mean = _averaged(powers[band, channel], float(noise.window_ms[band]))
        first = _first_lasting(mean > floor * noise.by_itself[band])
        line = steady_rise(
            _db(np.maximum(mean - floor, 1e-3 * floor)), first,
            by_db=_LINE_DB, least=_LEAST_LINE_BLOCKS, most=_MOST_LINE_BLOCKS, spread_db=_BAND_STEADY_WITHIN_DB,
        )  # fmt: skip
        if first and line is not None:
            level_db = line.at(np.arange(first))
            hidden = level_db > line.at(first) - _CONTINUED_DB
            expected = np.where(hidden, 10.0 ** (level_db / 10.0), 0.0)
            wavers = floor * (noise.by_itself[band] - 1.0) * (noise.window_ms[band] / _MISSED_MS) ** 0.5
            gone = _gone(powers[band, channel, :first] - floor, expected, float(_MISSED_PART * wavers))
            continued[band, channel, gone:first] = expected[gone:]
            continued[band, channel, :gone] = 0.0
    return continued


def _gone(heard: Powers, expected: Powers, wavers: float) -> int:
    """Return the block outside of which a sound is not as loud as expected: over 200 ms more is missed than noise wavers by."""
    half = round(_MISSED_MS / _BLOCK_MS / 2)
    missed = np.flatnonzero(_averaged(expected - heard, _MISSED_MS)[:-half] > wavers)
    return int(missed[-1]) + half if len(missed) else 0


def _overlap(powers: Powers, noise: _Noise) -> Powers:
    """Return how much the full and the upper band have of what their bands have together, which overlap: (2, channels)."""
    bands, share = len(powers) - 2, np.ones((2, powers.shape[1]))
    for n, first in enumerate((0, _FIRST_UPPER_BAND)):
        own = powers[bands + n] - noise.power[bands + n][:, None]
        parts = powers[first:bands].sum(axis=0) - noise.power[first:bands].sum(axis=0)[:, None]
        heard = _averaged(powers[bands + n], _LINE_WINDOW_MS) > _WELL_HEARD * noise.power[bands + n][:, None]
        for channel in range(len(own)):
            loud = np.flatnonzero(heard[channel])[:_OVERLAP_BLOCKS]
            if len(loud) >= _LEAST_OVERLAP_BLOCKS:
                both = parts[channel, loud].sum()
                share[n, channel] = np.clip(own[channel, loud].sum() / max(both, 1e-20), *_OVERLAPS)
    return share


def _in_floors(own: Powers, noise: _Noise, overlap: Powers | None = None) -> Powers:
    """Return how loud a sound is in floors: in the channel, and in the full or the upper band, where that is most.

    In either it is what its bands have together, or what the band as a whole has over its noise.
    """
    bands = len(own) - 2
    together = [own[:bands].sum(axis=0), own[_FIRST_UPPER_BAND:bands].sum(axis=0)]
    if overlap is not None:
        together = [one * share[:, None] for one, share in zip(together, overlap, strict=True)]
    loud = [np.maximum(one, own[bands + n]) / noise.power[bands + n][:, None] for n, one in enumerate(together)]
    return np.asarray(np.max(loud, axis=(0, 1)))


def _own(powers: Powers, noise: _Noise) -> tuple[Powers, Powers]:
    """Return the sound's own power in each band and channel: what 10 ms surely have over the noise, more than it does by
    itself; and with that, where there is no such thing, what a longer stretch surely has, but no more than is there."""
    short = _averaged(powers, _WINDOWS_MS[0])
    under = noise.power[:, :, None]
    sure = np.where(short > under * noise.short_by_itself[:, None, None], short - under, 0.0)
    own = sure.copy()
    for band, channel in np.ndindex(noise.power.shape):
        floor = noise.power[band, channel]
        mean = _averaged(powers[band, channel], float(noise.window_ms[band]))
        soft = np.where(mean > floor * noise.by_itself[band], mean - floor, 0.0)
        own[band, channel] = np.maximum(own[band, channel], np.minimum(soft, short[band, channel]))
    return sure, own


def _db(power: Powers) -> Powers:
    return np.asarray(10.0 * np.log10(np.maximum(power, 1e-30)))


def _averaged(powers: Powers, window_ms: float) -> Powers:
    return np.asarray(ndimage.uniform_filter1d(powers, max(round(window_ms / _BLOCK_MS), 1), mode="nearest"))
