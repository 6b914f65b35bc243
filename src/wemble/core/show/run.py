"""The run of a show: a pure function of its plan and of what the operator pressed when, in whole frames.

What a run does between two moments at which something changes is a *stretch*: gains follow their curves, voices read on. The
interface has the same machine (``frontend/src/show/run.ts``), so that a performance needs no server; tests hold the two
equal, in their logs and in their samples. So whatever is computed here is computed in that order, in double precision.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wemble.core.show.plan import CURVE_STEPS, PLAIN, UNHEARD_DB, PlannedCue, PlannedLoop, ShowPlan
from wemble.core.signal.levels import from_db

PressKind = Literal[
    "go", "let_go", "fade_this", "stop_all", "pause", "go_on", "back", "skip", "stand_at", "set_loop", "broke_off"
]
_AT_END = ("after_end", "after_echo")
UNHEARD = float(from_db(UNHEARD_DB))
LONGEST_S = 4 * 3600
"""No show without anybody goes on for longer."""


@dataclass(frozen=True, slots=True)
class Press:
    """What the operator did at a frame. ``cue`` is the place in the running order of what it is about, none for the newest.

    ``broke_off`` is no press: the page went away, and everything stands still from that frame on.
    """

    frame: int
    kind: PressKind
    cue: int | None = None
    start: int = 0
    end: int = 0
    passes: int = 0


@dataclass(frozen=True, slots=True)
class LogEntry:
    """What happened at a frame: to which cue, and to which of its events."""

    frame: int
    what: str
    cue: int | None = None
    event: int | None = None


@dataclass(slots=True)
class Ramp:
    """A gain on its way from one value to another over some frames."""

    before: float
    after: float
    start: int
    length: int
    table: NDArray[np.float64]

    def at(self, frames: NDArray[np.int64]) -> NDArray[np.float64]:
        """Return the gain at frames."""
        k = frames - self.start
        inside = k < self.length
        gains = np.full(len(frames), self.after)
        if inside.any():
            if self.after >= self.before:
                gains[inside] = self.before + (self.after - self.before) * along(self.table, k[inside], self.length)
            else:
                back = along(self.table, self.length - 1 - k[inside], self.length)
                gains[inside] = self.after + (self.before - self.after) * back
        return gains

    def now(self, frame: int) -> float:
        """Return the gain of the frame before this one, from which another ramp goes on."""
        return float(self.at(np.array([frame - 1]))[0]) if frame > self.start else self.before


def along(table: NDArray[np.float64], k: NDArray[np.int64], length: int) -> NDArray[np.float64]:
    """Return a curve at frames ``k`` of ``length``, read from its table in straight lines."""
    x = (k + 0.5) * CURVE_STEPS / length
    i = np.floor(x).astype(np.int64)
    return np.asarray(table[i] + (table[i + 1] - table[i]) * (x - i))


@dataclass(frozen=True, slots=True)
class Piece:
    """A run of a body: from place ``at`` of what is played on, frames of the body from ``frame``, so many of them.

    The last frames of a pass are crossed with what lies before ``into``, where the next pass begins.
    """

    at: int
    frame: int
    length: int
    into: int | None = None


@dataclass(slots=True)
class Sounding:
    """A sound that was fired, at a frame of the run."""

    cue: int
    planned: PlannedCue
    start: int
    ramp: Ramp
    pieces: list[Piece]
    loop: PlannedLoop | None
    pass_number: int = 1
    let_go: bool = False
    last: bool = False
    stop_at: int | None = None
    then: tuple[int, int] | None = None
    with_echo: bool = False
    fired: set[int] = field(default_factory=set)

    @property
    def crossed(self) -> int:
        """How many frames of a pass's end are crossed with what lies before the next one's start."""
        return len(self.planned.loop.goes) if self.planned.loop else 0

    @property
    def decides_at(self) -> int | None:
        """The frame of the run at which it is decided whether this pass is the last; none if it is."""
        if self.last:
            return None
        piece = self.pieces[-1]
        return self.start + piece.at + piece.length - self.crossed

    @property
    def ends_at(self) -> int | None:
        """The frame of the run at which its last voice has ended; none while that is open."""
        piece = self.pieces[-1]
        played = self.start + piece.at + piece.length + self.planned.longest_delay if self.last else None
        ends = [one for one in (played, self.stop_at) if one is not None]
        return min(ends, default=None)

    @property
    def follows_at(self) -> int | None:
        """The frame of the run from which what comes after its end counts; none while that is open."""
        piece = self.pieces[-1]
        delay = self.planned.longest_delay if self.with_echo else self.planned.own_delay
        own = self.start + piece.at + piece.length + delay if self.last else None
        ends = [one for one in (own, self.stop_at) if one is not None]
        return min(ends, default=None)

    def next_event(self) -> tuple[int, int] | None:
        """Return (frame of the run, number) of the event that comes next in what is decided."""
        found: tuple[int, int] | None = None
        for number, event in enumerate(self.planned.events):
            if number in self.fired:
                continue
            for piece in self.pieces:
                whole = piece.length + (1 if self.last and piece is self.pieces[-1] else 0)
                if piece.frame <= event.frame < piece.frame + whole:
                    at = self.start + piece.at + event.frame - piece.frame
                    found = min(found, (at, number)) if found else (at, number)
                    break
        return found

    def decide(self) -> None:
        """Append the next pass, or what lies behind the loop."""
        assert self.loop is not None and self.decides_at is not None
        read_up_to = self.decides_at - self.start - self.planned.longest_delay
        self.pieces = [one for one in self.pieces[:-1] if one.at + one.length > read_up_to] + self.pieces[-1:]
        piece = self.pieces[-1]
        end = piece.at + piece.length
        over = self.let_go or (self.loop.passes > 0 and self.pass_number >= self.loop.passes)
        if over:
            self.last = True
            rest = self.planned.frames - (piece.frame + piece.length)
            self.pieces.append(Piece(end, piece.frame + piece.length, rest))
            return
        self.pieces[-1] = Piece(piece.at, piece.frame, piece.length, self.loop.start)
        self.pieces.append(Piece(end, self.loop.start, self.loop.end - self.loop.start))
        self.pass_number += 1

    def time_left(self, now: int) -> int | None:
        """Return how many frames are left, passes to come counted; none while that depends on letting go."""
        ends = [end for end in (self._plays_until(), self.stop_at) if end is not None]
        return max(min(ends) - now, 0) if ends else None

    def _plays_until(self) -> int | None:
        """Return the frame of the run at which its last voice will have ended, if nobody stops it."""
        piece = self.pieces[-1]
        end, out = piece.at + piece.length, piece.frame + piece.length
        if self.loop is not None and not self.last and not self.let_go:
            if self.loop.passes == 0:
                return None
            if more := max(self.loop.passes - self.pass_number, 0):
                end, out = end + more * (self.loop.end - self.loop.start), self.loop.end
        rest = 0 if self.last else self.planned.frames - out
        return self.start + end + rest + self.planned.longest_delay


@dataclass(frozen=True, slots=True)
class Stretch:
    """Frames ``[start, end)`` of the output in which nothing changes; ``now`` is the run's own frame, none while paused."""

    start: int
    end: int
    now: int | None


class ShowRun:
    """A show that runs: its clock, what stands next, what sounds, what waits, and the log."""

    def __init__(self, plan: ShowPlan):
        self.plan = plan
        self.frame = 0
        self.lost = 0
        self.standing: int | None = self._go_from(0)
        self.sounding: list[Sounding] = []
        self.waiting: list[tuple[int, int, int]] = []
        self.log: list[LogEntry] = []
        self.paused = False
        self.frozen = False
        self.loops: dict[int, PlannedLoop] = {}
        self._tables = {key: np.array(values) for key, values in plan.curves.items()}
        self.master = Ramp(1.0, 1.0, 0, 0, self._tables[PLAIN])
        self._fired = 0
        self._last_go: int | None = None

    @property
    def now(self) -> int:
        """The run's own frame: that of the output less what it stood still."""
        return self.frame - self.lost

    def press(self, press: Press) -> None:
        """Do what the operator pressed, at the frame at which the run is."""
        match press.kind:
            case "go":
                self._go()
            case "let_go":
                found = self._newest(press.cue, lambda one: not one.last and not one.let_go)
                if found:
                    found.let_go = True
                self._note("let go" if found else "nothing to let go", found.cue if found else press.cue)
            case "fade_this":
                found = self._newest(press.cue, lambda one: one.stop_at is None)
                if found:
                    self._fade(found, 0.0, self.plan.fade_frames, PLAIN, stops=True)
                self._note("fade this one" if found else "nothing to fade", found.cue if found else press.cue)
            case "stop_all":
                self.waiting.clear()
                for one in self.sounding:
                    one.then = None
                    self._fade(one, 0.0, self.plan.stop_frames, PLAIN, stops=True)
                self._note("stop everything")
            case "pause":
                if not self.paused:
                    self.paused = True
                    self._turn_master(0.0)
                    self._note("pause")
            case "go_on":
                self._go_on()
            case "broke_off":
                self.paused = self.frozen = True
                self.master = Ramp(0.0, 0.0, self.frame, 0, self._tables[PLAIN])
                self._note("broke off")
            case "back" | "skip" | "stand_at":
                self._stand(press)
            case "set_loop":
                self._set_loop(press)

    def stretches(self, end: int) -> Iterator[Stretch]:
        """Go on to a frame of the output, and yield each stretch before what changes behind it is done."""
        while True:
            self._do_what_is_due()
            if self.frame >= end:
                return
            stop = min(end, self._next_change())
            yield Stretch(self.frame, stop, None if self.frozen else self.now)
            if self.frozen:
                self.lost += stop - self.frame
            self.frame = stop
            if self.paused and not self.frozen and self.frame >= self.master.start + self.master.length:
                self.frozen = True

    def go_to(self, frame: int) -> None:
        """Go on to a frame of the output without a sample."""
        for _ in self.stretches(frame):
            pass

    def _next_change(self) -> int:
        """Return the frame of the output at which something changes next."""
        if self.frozen:
            return 1 << 62
        due = [at for one in self.sounding for at in (one.decides_at, one.ends_at) if at is not None]
        due += [at for one in self.sounding if one.then is not None and (at := one.follows_at) is not None]
        due += [event[0] for one in self.sounding if (event := one.next_event())]
        due += [self.waiting[0][0]] if self.waiting else []
        out = [max(at, self.now + 1) + self.lost for at in due]
        if self.paused:
            out.append(self.master.start + self.master.length)
        return min(out, default=1 << 62)

    def _do_what_is_due(self) -> None:
        if self.frozen:
            return
        again = True
        while again:
            again = False
            for one in self.sounding:
                while (at := one.decides_at) is not None and at <= self.now:
                    one.decide()
                while (event := one.next_event()) is not None and event[0] <= self.now:
                    one.fired.add(event[1])
                    self._note("event", one.cue, event[1])
            for one in list(self.sounding):
                if one.then is not None and (follows := one.follows_at) is not None and follows <= self.now:
                    self._wait(one.then[0], follows + one.then[1])
                    one.then = None
                if (ends := one.ends_at) is not None and ends <= self.now:
                    self.sounding.remove(one)
                    self._note("ended", one.cue)
            while self.waiting and self.waiting[0][0] <= self.now:
                _, _, cue = self.waiting.pop(0)
                self._fire(cue)
                again = True

    def _go(self) -> None:
        again = self._last_go is not None and self.frame - self._last_go < self.plan.once_frames
        if again:
            self._note("GO counted once")
            return
        self._last_go = self.frame
        if self.paused:
            self._go_on()
        if self.standing is None:
            self._note("nothing stands next")
            return
        cue = self.standing
        self.standing = self._go_from(cue + 1)
        self._note("GO", cue)
        self._fire(cue)

    def _go_on(self) -> None:
        if self.paused:
            self.paused = self.frozen = False
            self._turn_master(1.0)
            self._note("go on")

    def _turn_master(self, to: float) -> None:
        was = self.master.now(self.frame)
        self.master = Ramp(was, to, self.frame, self.plan.pause_frames, self._tables[PLAIN])

    def _fire(self, cue: int) -> None:
        planned = self.plan.cues[cue]
        then = self._follower(cue)
        ends = 0
        if planned.problem:
            self._note("cannot run", cue)
        elif planned.kind == "sound":
            self._note("fired", cue)
            then = self._sound(cue, planned, then)
        elif planned.kind in ("fade", "stop"):
            self._note("fired", cue)
            self._fade_cue(cue, planned)
            ends = planned.length
        else:
            self._note("fired", cue)
        if then is not None:
            follower = self.plan.cues[then]
            self._wait(then, self.now + follower.wait + (ends if follower.start in _AT_END else 0))

    def _sound(self, cue: int, planned: PlannedCue, then: int | None) -> int | None:
        """Let a cue sound; return what follows from its start, keeping what follows from its end."""
        gain = 0.0 if planned.silent else 1.0
        loop = self.loops.get(cue, planned.loop)
        whole = loop is None
        first = planned.frames if loop is None else loop.end
        one = Sounding(
            cue, planned, self.now, Ramp(gain, gain, self.now, 0, self._tables[PLAIN]), [Piece(0, 0, first)], loop
        )
        one.last = whole
        self.sounding.append(one)
        if then is None or self.plan.cues[then].start not in _AT_END:
            return then
        one.with_echo = self.plan.cues[then].start == "after_echo"
        one.then = (then, self.plan.cues[then].wait)
        return None

    def _fade_cue(self, cue: int, planned: PlannedCue) -> None:
        targets = [one for one in self.sounding if planned.everything or one.cue == planned.target]
        for one in targets:
            self._fade(one, planned.gain, planned.length, planned.curve, stops=planned.stops)
        if not targets:
            self._note("nothing to fade", cue)

    def _fade(self, one: Sounding, gain: float, length: int, curve: str, *, stops: bool) -> None:
        if one.stop_at is not None and not (stops and self.now + length < one.stop_at):
            return
        one.ramp = Ramp(one.ramp.now(self.now), gain, self.now, length, self._tables[curve])
        if stops:
            one.stop_at = self.now + length

    def _stand(self, press: Press) -> None:
        if press.kind == "stand_at":
            if press.cue is not None and 0 <= press.cue < len(self.plan.cues):
                self.standing = press.cue
        elif press.kind == "skip":
            self.standing = None if self.standing is None else self._go_from(self.standing + 1)
        else:
            before = len(self.plan.cues) if self.standing is None else self.standing
            earlier = [n for n in range(before) if self.plan.cues[n].start == "go"]
            self.standing = earlier[-1] if earlier else self.standing
        self._note("stands", self.standing)

    def _set_loop(self, press: Press) -> None:
        """Change a loop from its next pass on, as far as its body reaches."""
        if press.cue is None or not 0 <= press.cue < len(self.plan.cues):
            return
        planned = self.plan.cues[press.cue]
        if planned.loop is None:
            return
        crossed = len(planned.loop.goes)
        lead = min((self.plan.bodies[voice.body].lead for voice in planned.voices), default=0)
        shortest = max(2 * crossed, self.plan.shortest_loop)
        start = min(max(press.start, crossed - lead, 0), planned.frames - shortest)
        end = min(max(press.end, start + shortest), planned.frames)
        loop = PlannedLoop(start, end, press.passes, planned.loop.goes, planned.loop.comes)
        self.loops[press.cue] = loop
        for one in self.sounding:
            if one.cue == press.cue:
                one.loop = loop
        self._note("loop changed", press.cue)

    def _follower(self, cue: int) -> int | None:
        after = cue + 1
        return after if after < len(self.plan.cues) and self.plan.cues[after].start != "go" else None

    def _wait(self, cue: int, due: int) -> None:
        self._fired += 1
        self.waiting.append((due, self._fired, cue))
        self.waiting.sort()

    def _newest(self, cue: int | None, holds: Callable[[Sounding], bool]) -> Sounding | None:
        found = [one for one in self.sounding if (cue is None or one.cue == cue) and holds(one)]
        return found[-1] if found else None

    def _go_from(self, place: int) -> int | None:
        return next((n for n in range(place, len(self.plan.cues)) if self.plan.cues[n].start == "go" or n == 0), None)

    def _note(self, what: str, cue: int | None = None, event: int | None = None) -> None:
        self.log.append(LogEntry(self.frame, what, cue, event))


def run_log(plan: ShowPlan, presses: Sequence[Press], until: int) -> list[LogEntry]:
    """Return what happens up to a frame when the operator presses this, without a sample."""
    run = ShowRun(plan)
    for press in presses:
        run.go_to(min(press.frame, until))
        if press.frame <= until:
            run.press(press)
    run.go_to(until)
    return run.log


def run_to_rest(plan: ShowPlan, presses: Sequence[Press]) -> ShowRun:
    """Return a run as these presses leave it: all that ends by itself has ended, or `LONGEST_S` have passed.

    What then still sounds is a loop that nobody lets go. The presses hold no pause.
    """
    run = ShowRun(plan)
    for press in presses:
        run.go_to(press.frame)
        run.press(press)
    while run.frame < LONGEST_S * plan.rate_hz:
        due = [at for at, _, _ in run.waiting]
        for one in run.sounding:
            decided = one.loop is not None and (one.loop.passes > 0 or one.let_go)
            due += [at for at in (one.ends_at, one.decides_at if decided else None) if at is not None]
        if not due:
            break
        run.go_to(max(*due, run.frame + 1))
    return run
