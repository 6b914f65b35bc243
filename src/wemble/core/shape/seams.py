"""Loop seams: where the end of a loop can go over into its start without being heard.

A sustain loop ``[start, end)`` of a sample plays on from its end at its start. Its seam is good where both lie on zero
crossings that go the same way in surroundings that are alike; a crossfade before the end, with what lies before the
start, does the rest and never touches the attack. A whole-file loop is turned instead, so that its seam lies where
the audio was continuous.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wemble.core.check.click import seam_figure
from wemble.core.shape.crossfade import correlation, crossfade_gains
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.errors import InvalidInput

WINDOW_MS = 25.0
CROSSFADES_MS = (0.0, 5.0, 10.0, 20.0, 40.0, 80.0, 160.0, 320.0)
ATTACK_MS = 60.0
_SEARCH_PART = 0.1
_LEAST_SEARCH_MS = 30.0
_MOST_SEARCH_MS = 400.0
_STARTS = 48
_APART_MS = 2.0
_APART_PART = 16
_CANDIDATES = 12
_STEP_MS = 50.0
_STEP_DB = 3.0
_DRIFT_MS = 400.0
_DRIFT_DB = 1.0
"""Just noticeable of a steady sound (common practice)."""
_MOVED_DB = 2.0
"""So much closer in level two ends must be to be worth moving one of them by the length of the loop."""
_CLICK = 2.0
_DEAR_MS = 100.0
_UNEVEN = 0.04
_ENDS_AT_ONCE = 512
_MOST_BARS, _STARTS_IN_A_BAR = 64, 64


@dataclass(frozen=True, slots=True)
class Seam:
    """A candidate: ``[start, end)`` in frames of the source, the crossfade before the end, and how well it goes over.

    ``alike`` −1…1 is the correlation around both ends; ``click`` times the local residual; ``step_db`` the change of
    level at once, beyond that of the source itself at either end, where a beat may begin; ``drift_db`` that of the level
    around, beyond how much it wanders inside the loop. ``score`` is the worst of the three, each over its threshold, so that
    1 is where it begins to be heard.
    """

    start_frame: int
    end_frame: int
    crossfade_frames: int
    alike: float
    click: float
    step_db: float
    drift_db: float = 0.0

    @property
    def score(self) -> float:
        """How much can be heard: under 1 nothing."""
        return max(self.click / _CLICK, self._level)

    @property
    def level_db(self) -> float | None:
        """How far the level is off, if that is what is heard most of all."""
        if self.score < 1.0 or self._level < self.click / _CLICK:
            return None
        return max(self.step_db, self.drift_db, key=abs)

    @property
    def _level(self) -> float:
        return max(abs(self.step_db) / _STEP_DB, abs(self.drift_db) / _DRIFT_DB)


@dataclass(frozen=True, slots=True)
class Bars:
    """Loops of whole bars only: how long a bar is, as a fraction of frames, and how many there shall be (none: any number)."""

    bar_frames: Fraction
    count: int | None = None

    @classmethod
    def at(cls, bpm: Fraction, rate_hz: int, *, beats_a_bar: int = 4, count: int | None = None) -> Bars:
        """Return bars at a tempo. Raises `InvalidInput` for a tempo or a number that is not over 0."""
        if bpm <= 0 or beats_a_bar < 1 or (count is not None and count < 1):
            raise InvalidInput("a tempo and a number of bars must be over 0")
        return cls(Fraction(60 * rate_hz * beats_a_bar) / bpm, count)

    def frames(self, count: int) -> int:
        """Return so many bars in whole frames: rounded once, never by adding rounded ones."""
        return round(count * self.bar_frames)

    def hold(self, frames: int) -> bool:
        """Say whether so many frames are whole bars."""
        return abs(frames - self.frames(max(round(frames / self.bar_frames), 1))) <= 1


def find_seams(
    samples: Samples,
    rate_hz: int,
    *,
    near: tuple[int, int] | None = None,
    crossfade_frames: int | None = None,
    bars: Bars | None = None,
) -> list[Seam]:
    """Return candidates for a sustain loop, the best first.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    near : (start, end), optional
        About where the loop is wanted; without it, behind the attack and before the release.
    crossfade_frames : int, optional
        The crossfade of every candidate, as far as it fits; without it, the shortest that is not heard.

    bars : Bars, optional
        Only loops of whole bars, to the nearest frame; of as many as lie in ``near``, or of any number.

    Raises
    ------
    InvalidInput
        If ``near`` is no span of the samples, the whole is too short for a loop, or no whole bar fits.

    References
    ----------
    Common practice: zero crossings going the same way, ranked by normalised correlation, then a short crossfade.
    """
    frames = samples.shape[1]
    window = min(ms_to_frames(WINDOW_MS, rate_hz), frames // 8)
    if window < 8:
        raise InvalidInput("this is too short to loop; at least 5 ms are needed")
    start, end = usual_place(samples, rate_hz) if near is None else near
    if not 0 <= start < end <= frames:
        raise InvalidInput(f"a loop must lie inside the {frames:,} frames of its source and end after it starts")
    reach = int(
        np.clip(
            _SEARCH_PART * (end - start),
            ms_to_frames(_LEAST_SEARCH_MS, rate_hz),
            ms_to_frames(_MOST_SEARCH_MS, rate_hz),
        )
    )
    reach = max(min(reach, (end - start) // 3), 2)
    apart = max(ms_to_frames(_APART_MS, rate_hz), reach // _APART_PART)
    if bars is not None:
        ranked = _of_whole_bars(samples, near, reach, bars, window)
        return _best_of(samples, ranked, apart, rate_hz, crossfade_frames, bars)
    starts = crossings(samples, max(start - reach, 1), min(start + reach, frames - 1))
    ends = crossings(samples, max(end - reach, 1), min(end + reach, frames - 1))
    if not len(starts) or not len(ends):
        starts, ends = np.array([start]), np.array([min(end, frames - 1)])
    chosen = starts[np.argsort(np.abs(starts - start), kind="stable")[:_STARTS]]
    return _best_of(samples, _ranked(samples, chosen, ends, window), apart, rate_hz, crossfade_frames, bars)


def _best_of(
    samples: Samples,
    ranked: Iterable[tuple[float, int, int]],
    apart: int,
    rate_hz: int,
    crossfade_frames: int | None,
    bars: Bars | None,
) -> list[Seam]:
    """Return the first of ranked loops that lie apart, judged, those that are not heard first."""
    seams: list[Seam] = []
    for alike, s, e in ranked:
        if all(abs(s - o.start_frame) + abs(e - o.end_frame) > apart for o in seams):
            seams.append(crossed(samples, s, e, rate_hz, alike=alike, crossfade_frames=crossfade_frames, bars=bars))
        if len(seams) == _CANDIDATES:
            break
    return sorted(
        seams,
        key=lambda seam: (seam.score >= 1.0, seam.score + seam.crossfade_frames / ms_to_frames(_DEAR_MS, rate_hz)),
    )


def _of_whole_bars(
    samples: Samples, near: tuple[int, int] | None, reach: int, bars: Bars, window: int
) -> list[tuple[float, int, int]]:
    """Return (correlation, start, end) of loops of whole bars, the most alike first."""
    frames = samples.shape[1]
    if bars.count is not None:
        counts = [bars.count]
    elif near is not None:
        counts = [max(round((near[1] - near[0]) / bars.bar_frames), 1)]
    else:
        counts = list(range(1, min(int(frames / bars.bar_frames), _MOST_BARS) + 1))
    low, high = (1, bars.frames(1)) if near is None else (near[0] - reach, near[0] + reach)
    starts = crossings(samples, max(low, 1), min(high, frames - 1))
    starts = starts[:: max(len(starts) // _STARTS_IN_A_BAR, 1)]
    pairs = [(int(start), int(start) + bars.frames(n)) for n in counts for start in starts]
    chosen = np.array([pair for pair in pairs if pair[1] < frames], np.int64).reshape(-1, 2)
    if not len(chosen):
        raise InvalidInput("no whole bar fits here; look at the tempo, or ask for fewer bars")
    padded = np.pad(samples, ((0, 0), (window, window)))
    around_start, around_end = (_around(padded, places, window) for places in chosen.T)
    sizes = [np.square(around).sum(axis=1) + 1e-12 for around in (around_start, around_end)]
    alike = (around_start * around_end).sum(axis=1) / np.sqrt(sizes[0] * sizes[1])
    return [(float(alike[n]), int(chosen[n, 0]), int(chosen[n, 1])) for n in np.argsort(-alike, kind="stable")]


def crossings(samples: Samples, low: int, high: int) -> NDArray[np.int64]:
    """Return the frames in ``[low, high)`` at which the sum of the channels rises through zero.

    Of each crossing's two frames the one is taken at which the sum of magnitudes over the channels is least.
    """
    low, high = max(low, 1), min(high, samples.shape[1])
    mixed = samples[:, low - 1 : high].sum(axis=0, dtype=np.float64)
    rising = np.flatnonzero((mixed[:-1] < 0.0) & (mixed[1:] >= 0.0)) + low
    size = np.abs(samples).sum(axis=0)
    return np.asarray(np.where(size[rising - 1] < size[rising], rising - 1, rising), np.int64)


def crossed(
    samples: Samples,
    start: int,
    end: int,
    rate_hz: int,
    *,
    alike: float | None = None,
    crossfade_frames: int | None = None,
    bars: Bars | None = None,
) -> Seam:
    """Return the seam of one loop, with the crossfade that is asked for, or the shortest that is not heard.

    A crossfade needs as much audio before the start, and is at most half the loop.
    """
    if alike is None:
        alike = _alike(samples, start, end, min(ms_to_frames(WINDOW_MS, rate_hz), samples.shape[1] // 8))
    most = min(start, (end - start) // 2)
    lengths = [ms_to_frames(ms, rate_hz) for ms in CROSSFADES_MS] if crossfade_frames is None else [crossfade_frames]
    on_beat = bars is not None and bars.hold(end - start)
    best: Seam | None = None
    for length in dict.fromkeys(min(length, most) for length in lengths):
        seam = _judged(samples, start, end, length, rate_hz, alike, on_beat)
        if best is None or seam.score < 0.8 * best.score:
            best = seam
        if seam.score < 0.9:
            break
    assert best is not None
    return best


def looped_end(samples: Samples, start: int, end: int, crossfade_frames: int) -> Samples:
    """Return the last ``crossfade_frames`` before a loop's end, crossed with what lies before its start.

    The law is matched: the correlation of both sides is measured, and the power kept.

    Returns
    -------
    float32 array, shape (channels, crossfade_frames)
    """
    goes_of, comes_of = samples[:, end - crossfade_frames : end], samples[:, start - crossfade_frames : start]
    goes, comes = crossfade_gains(crossfade_frames, "matched", correlation=correlation(goes_of, comes_of))
    return np.asarray(goes_of * goes + comes_of * comes, np.float32)


def _judged(samples: Samples, start: int, end: int, length: int, rate_hz: int, alike: float, on_beat: bool) -> Seam:
    around = min(ms_to_frames(_STEP_MS, rate_hz), (end - start) // 2)
    before = samples[:, max(end - around - length, 0) : end].copy()
    if length:
        before[:, -length:] = looped_end(samples, start, end, length)
    after = samples[:, start : start + around]
    known = (
        samples[:, max(end - around - length, 0) : end + around],
        samples[:, max(start - around, 0) : start + around],
    )
    own = max(abs(_step_db(samples[:, max(at - around, 0) : at], samples[:, at : at + around])) for at in (start, end))
    step = _step_db(before[:, -around:], after)
    beyond = float(np.sign(step)) * max(abs(step) - own, 0.0)
    click = seam_figure(np.concatenate([before, after], axis=1), before.shape[1], known, rate_hz=rate_hz)
    drift = _drift_db(samples, start, end, before[:, -length:] if length else None, rate_hz, on_beat)
    return Seam(start, end, length, float(alike), float(click), beyond, drift)


def _drift_db(
    samples: Samples, start: int, end: int, crossed_end: Samples | None, rate_hz: int, on_beat: bool
) -> float:
    """Return how much louder a loop begins than it ends, over parts long enough to hear a level.

    On the beat the next bar may begin louder than the last one ended: then it counts how the sound itself would go on.
    """
    part = min(ms_to_frames(_DRIFT_MS, rate_hz), (end - start) // 4)
    closes = samples[:, end - part : end].copy()
    if crossed_end is not None:
        crossed = min(crossed_end.shape[1], part)
        closes[:, -crossed:] = crossed_end[:, -crossed:]
    begins = samples[:, start : start + part]
    drift = _step_db(closes, begins)
    if on_beat and end + part <= samples.shape[1]:  # what would come next is as loud as what comes instead
        drift = min(drift, _step_db(samples[:, end : end + part], begins), key=abs)
    return drift


def _step_db(before: Samples, after: Samples) -> float:
    return float(10.0 * np.log10((_power(after) + 1e-12) / (_power(before) + 1e-12)))


def _power(samples: Samples) -> float:
    return float(np.mean(np.square(samples, dtype=np.float64))) if samples.size else 0.0


def usual_place(samples: Samples, rate_hz: int) -> tuple[int, int]:
    """Return about where a loop fits: from where the level is even after the attack to before it falls for good, and where
    it is the same at both ends if it wanders."""
    frames = samples.shape[1]
    block = max(ms_to_frames(20.0, rate_hz), 1)
    blocks = max(frames // block, 1)
    shaped = samples[:, : blocks * block].reshape(samples.shape[0], blocks, -1)
    level = ndimage.median_filter(np.square(shaped, dtype=np.float64).mean(axis=2).max(axis=0), 5, mode="nearest")
    loud = np.flatnonzero(level >= 0.25 * np.median(level[level >= np.percentile(level, 50)]))
    first, last = (int(loud[0]) * block, (int(loud[-1]) + 1) * block) if len(loud) else (0, frames)
    attack = first + int(np.argmax(level[loud[0] : loud[0] + 25])) * block if len(loud) else 0
    start = max(attack + ms_to_frames(ATTACK_MS, rate_hz), first + (last - first) // 4)
    end = last - (last - first) // 8
    if end - start < frames // 8:
        return frames // 4, frames - frames // 8
    power = np.square(shaped, dtype=np.float64).mean(axis=(0, 2))
    earliest = attack + ms_to_frames(ATTACK_MS, rate_hz)
    return _evened(
        power, round(_DRIFT_MS / 20.0), (earliest // block, start // block, end // block, last // block), block
    )


def _evened(power: NDArray[np.float64], part: int, places: tuple[int, int, int, int], block: int) -> tuple[int, int]:
    """Return start and end in frames, in whole blocks of this power, moved by up to a quarter of the loop to where the parts
    behind the one and before the other are as loud as each other."""
    earliest, start, end, last = places
    length = end - start
    if length < 4 * part:
        return start * block, end * block
    sums = np.concatenate([[0.0], np.cumsum(power)])
    starts = np.arange(max(start - length // 4, earliest), start + length // 4 + 1)
    ends = np.arange(end - length // 4, min(end + length // 4, last) + 1)
    begins, closes = sums[starts + part] - sums[starts], sums[ends] - sums[ends - part]
    uneven = np.abs(10.0 * np.log10((begins[:, None] + 1e-12) / (closes[None] + 1e-12)))
    moved = (np.abs(starts - start)[:, None] + np.abs(ends - end)[None]) / length
    best_start, best_end = divmod(int(np.argmin(uneven + _MOVED_DB * moved)), len(ends))
    return int(starts[best_start]) * block, int(ends[best_end]) * block


def _ranked(
    samples: Samples, starts: NDArray[np.int64], ends: NDArray[np.int64], window: int
) -> Iterator[tuple[float, int, int]]:
    """Yield (correlation, less a little for every dB of another level; start; end) of every pair, the best first."""
    frames = samples.shape[1]
    padded = np.pad(samples, ((0, 0), (window, window)))
    around_starts = _around(padded, starts, window)
    of_starts = np.square(around_starts).sum(axis=1, keepdims=True) + 1e-12
    values = np.empty((len(starts), len(ends)))
    for at in range(0, len(ends), _ENDS_AT_ONCE):
        around_ends = _around(padded, ends[at : at + _ENDS_AT_ONCE], window)
        of_ends = np.square(around_ends).sum(axis=1) + 1e-12
        alike = (around_starts @ around_ends.T) / np.sqrt(of_starts * of_ends)
        values[:, at : at + _ENDS_AT_ONCE] = alike - _UNEVEN * np.abs(10.0 * np.log10(of_ends / of_starts))
    values[(ends[None] - starts[:, None] <= 2 * window) | (ends[None] >= frames)] = -np.inf
    for best in np.argsort(-values, axis=None, kind="stable"):
        start, end = divmod(int(best), len(ends))
        if values[start, end] == -np.inf:
            return
        yield float(values[start, end]), int(starts[start]), int(ends[end])


def _around(padded: Samples, places: NDArray[np.int64], window: int) -> Samples:
    """Return the samples around places, all channels of each in one row: (places, channels · 2 · window)."""
    views = np.lib.stride_tricks.sliding_window_view(padded, 2 * window, axis=1)[:, places]
    return views.transpose(1, 0, 2).reshape(len(places), -1)


def _alike(samples: Samples, start: int, end: int, window: int) -> float:
    alike, _, _ = next(_ranked(samples, np.array([start]), np.array([end]), window), (0.0, start, end))
    return alike
