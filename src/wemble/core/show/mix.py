"""A show run offline: the samples of a performance, for given moments of GO, let go and the rest."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from wemble.core.show.plan import PlannedCue, ShowPlan
from wemble.core.show.run import Press, ShowRun, Sounding
from wemble.core.signal.levels import Samples

ReadBody = Callable[[int, int, int], Samples]
"""Body, first frame counted from its lead, frames: float32 (channels, frames), zeros outside."""

MIX_FRAMES = 1 << 15


class OfflineShow:
    """A run with its samples, block by block."""

    def __init__(self, plan: ShowPlan, read: ReadBody):
        self.run = ShowRun(plan)
        self._plan = plan
        self._read = read

    def perform(self, presses: Sequence[Press], until: int) -> Iterator[tuple[int, Samples]]:
        """Yield (first frame, float32 samples (channels, frames)) up to a frame of the output."""
        for press in presses:
            if press.frame > until:
                break
            yield from self._go_on(press.frame)
            self.run.press(press)
        yield from self._go_on(until)

    def _go_on(self, until: int) -> Iterator[tuple[int, Samples]]:
        while self.run.frame < until:
            start = self.run.frame
            end = min(start + MIX_FRAMES, until)
            total = np.zeros((self._plan.channels, end - start), np.float64)
            for stretch in self.run.stretches(end):
                if stretch.now is not None:
                    self._mix(total[:, stretch.start - start : stretch.end - start], stretch.start, stretch.now)
            yield start, total.astype(np.float32)

    def _mix(self, window: NDArray[np.float64], start: int, now: int) -> None:
        """Add what sounds in a stretch of the output that begins at a frame of the run."""
        frames = window.shape[1]
        master = self.run.master.at(np.arange(start, start + frames))
        for one in self.run.sounding:
            fader = one.ramp.at(np.arange(now, now + frames))
            for voice in one.planned.voices:
                at = now - one.start - voice.delay
                samples = voice_samples(one, voice.body, at, frames, self._plan, self._read)
                if samples is None:
                    continue
                gains = fader if not one.planned.line else fader * line_gains(one.planned, at, frames)
                for channel, gain in enumerate(voice.gains):
                    window[channel] += samples[channel] * (gain * gains)
        window *= master


def line_gains(planned: PlannedCue, at: int, frames: int) -> NDArray[np.float64]:
    """Return the gains of a looped cue's level line from a place of what is played on."""
    line = np.array(planned.line)
    x = np.maximum(np.arange(at, at + frames), 0) / planned.line_step
    i = np.minimum(np.floor(x).astype(np.int64), len(line) - 2)
    return np.asarray(line[i] + (line[i + 1] - line[i]) * np.minimum(x - i, 1.0))


def voice_samples(
    one: Sounding, body: int, at: int, frames: int, plan: ShowPlan, read: ReadBody
) -> NDArray[np.float64] | None:
    """Return float64 (channels, frames) of what a voice reads from a place of what is played on; none if that is nothing.

    The end of a pass is crossed with what lies before the start of the next.
    """
    out: NDArray[np.float64] | None = None
    lead, loop = plan.bodies[body].lead, one.planned.loop
    for piece in one.pieces:
        low, high = max(at, piece.at), min(at + frames, piece.at + piece.length)
        if low >= high:
            continue
        samples = read(body, lead + piece.frame + low - piece.at, high - low).astype(np.float64)
        if piece.into is not None and loop is not None and loop.goes:
            crossed = len(loop.goes)
            first = piece.at + piece.length - crossed
            a, b = max(low, first), min(high, first + crossed)
            if a < b:
                other = read(body, lead + piece.into - crossed + a - first, b - a).astype(np.float64)
                goes, comes = np.array(loop.goes)[a - first : b - first], np.array(loop.comes)[a - first : b - first]
                part = samples[:, a - low : b - low]
                samples[:, a - low : b - low] = part * goes + other * comes
        if out is None:
            out = np.zeros((plan.channels, frames), np.float64)
        out[:, low - at : high - at] = samples
    return out
