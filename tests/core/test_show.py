"""A show's run: what must hold whatever is pressed, and that the interface's machine is the same one.

``frontend/src/show/traces.gen.json`` holds random shows, what is pressed, and what comes of it here; ``run.test.ts`` runs them
there. Whoever changes the run on purpose writes them anew with ``python -m tests.core.test_show``.
"""

from __future__ import annotations

import json
import random
from dataclasses import asdict, replace
from itertools import pairwise
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from wemble.core.show.mix import OfflineShow
from wemble.core.show.plan import (
    PlannedBody,
    PlannedCue,
    PlannedEvent,
    PlannedLoop,
    PlannedVoice,
    ShowPlan,
    curve_table,
)
from wemble.core.show.run import Press, PressKind, ShowRun
from wemble.core.signal.levels import Samples

TRACES = Path(__file__).parents[2] / "frontend" / "src" / "show" / "traces.gen.json"
LOW_HZ, BLOCK = 1_000, 64
CURVES = {key: curve_table(shape, bend) for key, shape, bend in (("s 0", "s", 0.0), ("log", "logarithmic", 0.3))}
PRESSES: tuple[PressKind, ...] = ("go",) * 8 + (
    "let_go", "let_go", "fade_this", "stop_all", "pause", "go_on", "go_on", "back", "skip", "stand_at", "set_loop", "set_loop",
    "broke_off",
)  # fmt: skip


def a_show(rng: random.Random) -> ShowPlan:
    """Return a show of short sounds, loops, fades, stops and notes, started in every way."""
    planned, bodies = [], []
    for n in range(rng.randint(2, 9)):
        kind = rng.choice(["sound", "sound", "sound", "fade", "stop", "note"])
        start = rng.choice(["go", "go", "with", "after_start", "after_end"])
        cue = PlannedCue(
            f"q{n}", str(n + 1), f"cue {n}", kind, start, rng.choice([0, 0, rng.randint(1, 400)]), "", "", ""
        )  # type: ignore[arg-type]
        if kind == "sound":
            frames, crossed = rng.randint(120, 900), rng.choice([0, 0, 16])
            loop, lead = None, 0
            if rng.random() < 0.5:
                at = rng.randint(0, frames - 100)
                end = rng.randint(at + 60, frames)
                lead = max(crossed - at, 0)
                comes = tuple(float((k + 0.5) / max(crossed, 1)) for k in range(crossed))
                loop = PlannedLoop(at, end, rng.choice([0, 0, 1, 2, 5]), tuple(1.0 - one for one in comes), comes)
            bodies.append(PlannedBody(f"b{n}", n, "", lead, frames))
            voices = [
                PlannedVoice(
                    len(bodies) - 1,
                    0 if k == 0 else rng.randint(1, 300),
                    (rng.uniform(0.1, 1.0), rng.uniform(0.1, 1.0)),
                )
                for k in range(rng.choice([1, 1, 2, 3]))
            ]
            events = tuple(PlannedEvent(f"e{k}", rng.randint(0, frames), "", "") for k in range(rng.randint(0, 4)))
            cue = replace(cue, frames=frames, silent=rng.random() < 0.2, voices=tuple(voices), loop=loop, events=events)
        elif kind in ("fade", "stop"):
            target = rng.randint(0, n)
            cue = replace(
                cue, target=target, everything=rng.random() < 0.2, gain=0.0 if kind == "stop" else rng.choice([0.0, 0.3, 1.0]),
                length=rng.choice([0, 60, 300]), curve=rng.choice(list(CURVES)), stops=kind == "stop" or rng.random() < 0.5,
                problem="" if rng.random() < 0.9 else "acts on nothing",
            )  # fmt: skip
        planned.append(cue)
    return ShowPlan(LOW_HZ, 2, tuple(planned), tuple(bodies), CURVES, 200, 150, 20, 32, BLOCK)


def pressed(rng: random.Random, plan: ShowPlan, until: int) -> list[Press]:
    """Return what somebody presses who does not know what the keys are for."""
    frames = sorted(rng.randrange(until) for _ in range(rng.randint(3, 25)))
    out = []
    for frame in frames:
        cue = rng.choice([None, rng.randrange(len(plan.cues))])
        out.append(Press(frame, rng.choice(PRESSES), cue, rng.randint(0, 500), rng.randint(0, 900), rng.randint(0, 4)))
    return out


def noise(body: int, frame: int, channel: int) -> int:
    """Return a sample of a body, in 1/32768: a hash that any language computes alike."""
    return ((frame * 7919 + channel * 104729 + body * 1299709) % 65521) - 32760


def read_noise(plan: ShowPlan) -> object:
    """Return what reads the bodies; it fails for what lies outside."""

    def read(body: int, start: int, frames: int) -> Samples:
        whole = plan.bodies[body].lead + plan.bodies[body].frames
        assert start >= 0 and start + frames <= whole, "nothing plays beyond its source"
        at = np.arange(start, start + frames)
        return np.array(
            [(((at * 7919 + c * 104729 + body * 1299709) % 65521) - 32760) / 32768 for c in range(plan.channels)],
            np.float32,
        )

    return read


def heard(plan: ShowPlan, presses: list[Press], until: int) -> tuple[Samples, ShowRun]:
    """Return all samples of a run."""
    show = OfflineShow(plan, read_noise(plan))  # type: ignore[arg-type]
    return np.concatenate([samples for _, samples in show.perform(presses, until)], axis=1), show.run


def digest(samples: Samples) -> int:
    """Return FNV-1a of the float32 bits, frame by frame."""
    value = 2166136261
    for word in np.ascontiguousarray(samples.T).view(np.uint32).ravel().tolist():
        value = ((value ^ word) * 16777619) & 0xFFFFFFFF
    return value


def traces() -> str:
    """Return random shows, what is pressed, and what comes of it."""
    out = []
    for seed in range(24):
        rng = random.Random(seed)
        plan, until = a_show(rng), 3_000
        presses = pressed(rng, plan, until)
        samples, run = heard(plan, presses, until)
        left = [[one.cue, one.time_left(run.now)] for one in run.sounding]
        shown = {key: value for key, value in asdict(plan).items() if key != "curves"}
        out.append({"plan": shown, "presses": [asdict(p) for p in presses], "until": until,
                    "log": [list(asdict(e).values()) for e in run.log], "left": left, "digest": digest(samples)})  # fmt: skip
    return json.dumps({"curves": CURVES, "traces": out}, separators=(",", ":")) + "\n"


def test_the_interface_is_tested_against_the_run_as_it_is() -> None:
    assert TRACES.read_text() == traces(), "python -m tests.core.test_show"


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 1 << 30))
def test_whatever_is_pressed(seed: int) -> None:
    rng = random.Random(seed)
    plan, until = a_show(rng), 2_500
    presses = pressed(rng, plan, until)
    samples, run = heard(plan, presses, until)
    again = ShowRun(plan)
    gains: dict[int, list[tuple[int, float]]] = {}
    kept = []  # so that no number is used again
    for press in [*presses, Press(until, "go_on")]:
        while again.frame < press.frame:  # in blocks of any size
            for stretch in again.stretches(min(again.frame + rng.randint(1, 200), press.frame)):
                for one in again.sounding if stretch.now is not None else ():
                    kept.append(one)
                    values = one.ramp.at(np.arange(stretch.now, stretch.now + stretch.end - stretch.start))  # type: ignore[operator]
                    gains.setdefault(id(one), []).extend(
                        zip(range(stretch.now, 1 << 40), values.tolist(), strict=False)
                    )  # type: ignore[arg-type]
        if press.frame < until:
            again.press(press)
    assert again.log[: len(run.log)] == run.log
    # Gains are continuous but where a cut is asked: their steepest curve over their shortest length bounds each step.
    steepest = max(float(np.diff(table).max()) * 1024 for table in CURVES.values())
    for levels in gains.values():
        for (at, one), (then, other) in pairwise(levels):
            cut = any(c.kind in ("fade", "stop") and c.length == 0 for c in plan.cues)
            assert cut or then != at + 1 or abs(other - one) <= steepest / 60 + 1e-9
    for number, cue in enumerate(plan.cues):
        fired = sum(entry.what == "fired" and entry.cue == number for entry in run.log)
        for event in range(len(cue.events)):
            assert sum(e.what == "event" and e.cue == number and e.event == event for e in run.log) <= fired
    assert [entry.frame for entry in run.log] == sorted(entry.frame for entry in run.log)
    assert np.isfinite(samples).all()


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 1 << 30))
def test_time_left_is_what_is_left(seed: int) -> None:
    rng = random.Random(seed)
    plan = a_show(rng)
    run = ShowRun(plan)
    for press in pressed(rng, plan, 800):
        for _ in run.stretches(press.frame):
            pass
        if press.kind not in ("pause", "broke_off"):
            run.press(press)
    run.waiting.clear()  # what still comes may stop what sounds
    for one in run.sounding:
        one.then = None
    said = [(one, one.time_left(run.now)) for one in run.sounding]
    now = run.now
    for one, left in said:
        if left is not None:
            while one in run.sounding and run.now < now + left + 10:
                for _ in run.stretches(run.frame + 1):
                    pass
    for one, left in said:
        assert left is None or one.ends_at == now + left


if __name__ == "__main__":
    TRACES.write_text(traces())
