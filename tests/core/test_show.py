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
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.conftest import RATE, enveloped

from wemble.core.check.show import is_filled, show_faults
from wemble.core.deliver.running_order import order_as_csv, order_as_page
from wemble.core.edit import cues
from wemble.core.edit.clips import add_source, put_under, set_line
from wemble.core.edit.cues import CueSettings
from wemble.core.edit.model import CueVoice, Echo, Fade, Job, SourceUse, set_clips
from wemble.core.edit.validity import check_validity
from wemble.core.show.mix import OfflineShow, ReadBody
from wemble.core.show.plan import (
    PlannedBody,
    PlannedCue,
    PlannedEvent,
    PlannedLoop,
    PlannedVoice,
    ShowPlan,
    body_renderer,
    compile_show,
    curve_table,
)
from wemble.core.show.run import Press, PressKind, ShowRun, run_log
from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.reader import ArrayReader
from wemble.errors import InvalidInput

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
        start = rng.choice(["go", "go", "with", "after_start", "after_end", "after_echo"])
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
            line = tuple(rng.uniform(0.0, 1.0) for _ in range(rng.randint(2, 9))) if loop and rng.random() < 0.5 else ()
            cue = replace(
                cue, frames=frames, silent=rng.random() < 0.2, voices=tuple(voices), loop=loop, events=events, line=line,
                line_step=rng.choice([1, 7, 40]),
            )  # fmt: skip
        elif kind in ("fade", "stop"):
            target = rng.randint(0, n)
            cue = replace(
                cue, target=target, everything=rng.random() < 0.2, gain=0.0 if kind == "stop" else rng.choice([0.0, 0.3, 1.0]),
                length=rng.choice([0, 60, 300]), curve=rng.choice(list(CURVES)), stops=kind == "stop" or rng.random() < 0.5,
                problem="" if rng.random() < 0.9 else "acts on nothing",
            )  # fmt: skip
        planned.append(cue)
    return ShowPlan(LOW_HZ, 2, tuple(planned), tuple(bodies), CURVES, 200, 150, 20, 32, BLOCK, 10)


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


def read_noise(plan: ShowPlan) -> ReadBody:
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
    show = OfflineShow(plan, read_noise(plan))
    return np.concatenate([samples for _, samples in show.perform(presses, until)], axis=1), show.run


def digest(samples: Samples) -> int:
    """Return FNV-1a of the float32 bits, frame by frame, in halves: the sum over whole words would not know a sign."""
    value = 2166136261
    for half in np.ascontiguousarray(samples.T).view(np.uint16).ravel().tolist():
        value = ((value ^ half) * 16777619) & 0xFFFFFFFF
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


@settings(max_examples=150)
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


@settings(max_examples=60)
@given(st.integers(0, 1 << 30))
def test_time_left_is_what_is_left(seed: int) -> None:
    rng = random.Random(seed)
    plan = a_show(rng)
    run = ShowRun(plan)
    for press in pressed(rng, plan, 800):
        run.go_to(press.frame)
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
                run.go_to(run.frame + 1)
    for one, left in said:
        assert left is None or one.ends_at == now + left


def crossing(**seconds: float) -> tuple[Job, dict[str, str], ArrayReader]:
    """Return a show of sounds of so many seconds, each a cue; the cues by name; and what reads them."""
    job, held = Job("The Night Crossing", "show"), {}
    for name, length in seconds.items():
        held[(name, RATE)] = np.full((2, round(length * RATE)), 0.25, np.float32)
        job = add_source(job, SourceUse(name, name, RATE, 2, round(length * RATE))).job
    job = cues.cues_of_clips(job, tuple(job.clips)).job
    check_validity(job)
    return job, {cue.name: cue.id for cue in job.cues.values()}, ArrayReader(held)


def moments(job: Job, reader: ArrayReader, presses: list[Press], until_s: float) -> list[tuple[float, str, str]]:
    """Return what happened, in seconds and by name."""
    plan = compile_show(job, reader)
    log = run_log(plan, presses, round(until_s * RATE))
    return [(e.frame / RATE, e.what, plan.cues[e.cue].name if e.cue is not None else "") for e in log]


def at(seconds: float) -> int:
    return round(seconds * RATE)


def test_what_is_as_loud_as_the_sound_behind_it_is_no_air() -> None:
    rain = np.random.default_rng(3).standard_normal((2, 4 * RATE)).astype(np.float32)
    job, by, reader = crossing(Rain=30)
    clip = replace(job.clip(job.cue(by["Rain"]).clip_id or ""), sound_start_frame=at(2))
    job = set_clips(job, clip)
    for under_db in range(1, 80, 5):
        levels = enveloped(np.concatenate([from_db(-under_db) * rain[:, : at(2)], rain[:, at(2) :]], axis=1), RATE)
        assert is_filled(clip, levels) == (under_db < 20)
    assert not is_filled(replace(clip, head_frame=at(2) - 100), levels)
    assert "2000 ms of air" in show_faults(job, compile_show(job, reader), {})[0].text
    assert show_faults(job, compile_show(job, reader), {}, {clip.id}) == []


def test_a_river_loops_until_let_go_and_the_horn_follows_its_own_ending() -> None:
    job, by, reader = crossing(River=220, Horn=3)
    with pytest.raises(InvalidInput, match="10 ms or more"):
        cues.loop_of_cue(job, by["River"], at(20), at(20) + 2, 0)
    job = cues.loop_of_cue(job, by["River"], at(20), at(200), 0).job
    loop = cues.loop_of(job, job.cue(by["River"]).clip_id)
    assert loop is not None
    tiny = replace(job, marks={loop.id: replace(loop, end_frame=at(20) + 2, crossfade_frames=0)})
    faults = [fault.text for fault in show_faults(tiny, compile_show(tiny, reader), {})]
    assert any("does not loop" in text for text in faults)
    kept = [fault.text for fault in show_faults(job, compile_show(job, reader), {})]
    assert kept == ["still loops at the end of the show: let it go, fade it, or stop it"]
    job = cues.set_cue(job, (by["Horn"],), CueSettings(start="after_end", wait_frames=RATE)).job
    found = moments(job, reader, [Press(0, "go"), Press(at(600), "let_go")], 800)
    assert (760.0, "ended", "River") in found and (761.0, "fired", "Horn") in found


def test_walking_music_counts_the_passes_to_come_and_another_count_holds_from_the_next_pass() -> None:
    job, by, reader = crossing(Song=40, Walk=48)
    clip = job.clip(job.cue(by["Walk"]).clip_id or "")
    job = set_clips(job, replace(clip, head_frame=at(21.3)))
    job = cues.loop_of_cue(job, by["Walk"], 0, at(12), 4).job
    job = cues.add_cue(job, "fade", by["Song"], "Song out", target_id=by["Song"]).job
    out = next(cue.id for cue in job.cues.values() if cue.name == "Song out")
    job = cues.set_cue(job, (out,), CueSettings(length_frames=at(3), stops=True)).job
    job = cues.set_cue(job, (by["Walk"],), CueSettings(start="after_start", wait_frames=at(3))).job
    plan = compile_show(job, reader)
    run = ShowRun(plan)
    for press in (Press(0, "go"), Press(at(5), "go")):
        run.go_to(press.frame)
        run.press(press)
    run.go_to(at(8) + 1)
    (walk,) = run.sounding
    assert walk.time_left(run.now) == at(62.7) - 1
    run.go_to(at(8 + 24))
    assert walk.pass_number == 3 and walk.time_left(run.now) == at(38.7)
    run.press(Press(run.frame, "set_loop", 2, 0, at(12), 5))
    assert walk.time_left(run.now) == at(38.7 + 12)
    run.press(
        Press(run.frame, "set_loop", 2, 0, at(11), 4)
    )  # the edge: this pass keeps its end, the last one is shorter
    assert walk.time_left(run.now) == at(38.7 - 1 + 1)
    ended = moments(job, reader, [Press(0, "go"), Press(at(5), "go"), Press(at(20), "set_loop", 2, 0, at(12), 5)], 100)
    assert (8 + 74.7, "ended", "Walk") in ended


def test_an_engine_is_faded_up_heard_at_once_and_left_unheard_only_with_a_word() -> None:
    job, by, reader = crossing(Engine=16, Horn=3)
    job = cues.loop_of_cue(job, by["Engine"], at(2), at(14), 0).job
    job = cues.fade_up(job, by["Engine"], at(4)).job
    plan = compile_show(job, reader)
    assert [(one.level_db, one.frame < at(0.3)) for one in plan.cues[1].passed] == [(-40.0, True), (-20.0, False)]
    samples = np.concatenate(
        [block for _, block in OfflineShow(plan, _bodies(job, reader)).perform([Press(0, "go")], at(5))], axis=1
    )
    assert (
        samples[0, 0] == pytest.approx(0.0, abs=1e-6)
        and samples[0, plan.cues[1].passed[0].frame] == pytest.approx(0.25 * 0.01, rel=1e-3)
        and samples[0, at(4.5)] == 0.25
    )
    job = cues.add_cue(job, "fade", None, "Engine down", target_id=by["Engine"]).job
    down = next(cue.id for cue in job.cues.values() if cue.name == "Engine down")
    job = cues.set_cue(job, (down,), CueSettings(stops=False, length_frames=at(5))).job
    falls = next(cue for cue in compile_show(job, reader).cues if cue.id == down)
    assert falls.before == 1.0 and [one.level_db for one in falls.passed] == [-20.0, -40.0]
    up = plan.cues[1].passed[0].frame / at(4)  # down is the mirror image of up
    assert falls.passed[1].frame / at(5) == pytest.approx(1.0 - up, abs=1e-4)
    texts = [fault.text for fault in show_faults(job, compile_show(job, reader), {})]
    assert any("unheard: let the fade stop it" in text for text in texts) and any(
        "at the end of the show, unheard" in text for text in texts
    )
    job = cues.set_cue(job, (down,), CueSettings(stops=True)).job
    assert show_faults(job, compile_show(job, reader), {}) == []
    missing = compile_show(job, reader, missing=frozenset({"Engine"}))
    assert "put another under it" in missing.cues[0].problem
    assert [f.text for f in show_faults(job, missing, {}) if f.stops] and "cannot run" in {
        e.what for e in run_log(missing, [Press(0, "go")], 9)
    }
    early = cues.move_cues(job, (down,), by["Engine"]).job
    assert any(
        "comes later in the running order" in f.text for f in show_faults(early, compile_show(early, reader), {})
    )


def test_a_song_is_split_at_a_pause_and_every_event_keeps_its_moment() -> None:
    job, by, _ = crossing(Lantern=126, Horn=3)
    song = by["Lantern"]
    for seconds, name in ((118.0, "Lamps"), (75.8, "Door"), (10.0, "Haze")):
        job = cues.add_event(job, song, at(seconds), name).job
    with pytest.raises(InvalidInput) as asked:
        cues.split_cue(job, song, at(74.3), at(75.8))
    assert asked.value.code == "which_side" and "Door" in asked.value.message and "Lamps" not in asked.value.message
    kept_first = cues.split_cue(job, song, at(74.3), at(75.8), "first").job
    assert [(mark.name, mark.frame) for mark in cues.events_of(kept_first, kept_first.cue(song))] == [
        ("Haze", at(10)),
        ("Door", at(74.3)),
    ]
    job = cues.split_cue(job, song, at(74.3), at(75.8), "second").job
    check_validity(job)
    first, second, horn = cues.in_running_order(job)
    assert (first.number, second.number, horn.number) == ("1", "1.5", "2") and first.group == second.group == "Lantern"
    assert second.start == "go" and job.clip(first.clip_id or "").tail_frame == at(74.3)
    assert job.clip(second.clip_id or "").head_frame == at(75.8)
    assert job.clip(second.clip_id or "").sound[0] == at(75.8) and job.clip(first.clip_id or "").sound[1] == at(74.3)
    times = {mark.name: (mark.frame - job.clip(mark.clip_id or "").head_frame) / RATE for mark in job.marks.values()}
    assert times == {"Lamps": pytest.approx(42.2), "Door": 0.0, "Haze": pytest.approx(10.0)}
    door = next(mark.id for mark in job.marks.values() if mark.name == "Door")
    back = cues.move_event(job, door, first.id)
    assert back.notes and back.job.marks[door].frame == at(75.8), "in the same recording it keeps its moment"
    elsewhere = cues.move_event(job, door, horn.id).job  # another recording: the same time since the start
    assert elsewhere.marks[door].frame == 0
    longer = cues.set_event(job, door, frame=at(126)).job
    shorter = set_clips(longer, replace(longer.clip(second.clip_id or ""), tail_frame=at(125)))
    assert any(
        "“Door” lies 1.000 s past its end" in f.text
        for f in show_faults(
            shorter,
            compile_show(
                shorter,
                ArrayReader(
                    {
                        ("Lantern", RATE): np.zeros((2, at(126)), np.float32),
                        ("Horn", RATE): np.zeros((2, at(3)), np.float32),
                    }
                ),
            ),
            {},
        )
    )
    assert "Door" in order_as_csv(job) and "1.5" in order_as_page(job)


def _bodies(job: Job, reader: ArrayReader) -> ReadBody:
    plan, order = compile_show(job, reader), cues.in_running_order(job)
    renderers = [body_renderer(job, order[body.cue], body) for body in plan.bodies]
    return lambda body, start, frames: renderers[body].render(start, frames, reader)


def test_copies_echoes_and_a_level_line_are_what_they_say() -> None:
    job, by, _ = crossing(River=4, Horn=1)
    river, clip_id = by["River"], job.cue(by["River"]).clip_id or ""
    noise_of = np.random.default_rng(3).uniform(-0.2, 0.2, (2, at(4))).astype(np.float32)
    reader = ArrayReader({("River", RATE): noise_of, ("Horn", RATE): np.zeros((2, RATE), np.float32)})
    job = set_line(job, clip_id, ((0, 0.0), (at(2), -6.0), (at(4), 0.0))).job
    job = set_clips(job, replace(job.clip(clip_id), fade_in=Fade(480, "s", origin="own")))
    job = cues.set_voices(
        job, river, (CueVoice(), CueVoice(at(1), -6.0, -9.0, False, echo=Echo(at(0.5), 0.5, -6.0)))
    ).job
    plan = compile_show(job, reader)
    got = np.concatenate(
        [block for _, block in OfflineShow(plan, _bodies(job, reader)).perform([Press(0, "go")], at(12))], axis=1
    )
    body = body_renderer(job, job.cue(river), plan.bodies[0]).render(0, at(4), reader).astype(np.float64)
    assert abs(20 * np.log10(np.abs(body[0, at(2)] / noise_of[0, at(2)])) + 6.0) < 0.01
    wanted = np.zeros((2, at(12)))
    wanted[:, : at(4)] += body
    level = np.array([10 ** (-6 / 20), 10 ** (-9 / 20)])
    repeats = [(at(1), level)]
    gain, k = 10 ** (-6 / 20), 1
    while gain > 0.001:
        repeats.append((at(1) + k * at(0.5), level * gain))
        gain, k = gain * 0.5, k + 1
    for delay, gains in repeats:
        wanted[:, delay : delay + at(4)] += body * gains[:, None]
    assert np.abs(got - wanted).max() < 1e-6
    assert run_log(plan, [Press(0, "go")], at(12))[-1].frame == at(4) + repeats[-1][0], "the echo rings past the end"


def test_the_end_of_a_cue_is_its_own_and_its_echo_s_by_choice_and_a_line_goes_on_through_the_passes() -> None:
    job, by, _ = crossing(River=4, Horn=1)
    river, clip_id = by["River"], job.cue(by["River"]).clip_id or ""
    job = cues.set_voices(job, river, (CueVoice(), CueVoice(at(1), -6.0, -6.0, echo=Echo(at(0.5), 0.5, -6.0)))).job
    steady = ArrayReader(
        {("River", RATE): np.full((2, at(4)), 0.25, np.float32), ("Horn", RATE): np.zeros((2, RATE), np.float32)}
    )
    for start, own in (("after_end", 4.0), ("after_echo", None)):
        told = cues.set_cue(job, (by["Horn"],), CueSettings(start=start, wait_frames=RATE)).job  # type: ignore[arg-type]
        found = {(what, who): when for when, what, who in moments(told, steady, [Press(0, "go")], 30)}
        ended = found["ended", "River"] if own is None else own
        assert found["fired", "Horn"] == pytest.approx(ended + 1.0) and found["ended", "River"] > 8.0
    # A line over 4 s of a loop of 1 s: each pass is softer than the last, and behind the line it stays where it was.
    job = set_line(cues.loop_of_cue(job, river, at(1), at(2), 0).job, clip_id, ((0, 0.0), (at(4), -12.0))).job
    job = cues.set_voices(job, river, (CueVoice(),)).job
    plan = compile_show(job, steady)
    show = OfflineShow(plan, _bodies(job, steady)).perform([Press(0, "go")], at(7))
    got = np.concatenate([block for _, block in show], axis=1)[0]
    levels = [20 * np.log10(got[at(second)] / 0.25) for second in (0, 1, 2, 3, 3.99, 5, 6.5)]
    expected = np.interp([0, 1, 2, 3, 3.99, 5, 6.5], [0, 4], [0, -12])
    assert levels == pytest.approx(list(expected), abs=0.05)


def test_another_recording_under_a_cue_keeps_its_points_and_lists_what_falls_past_its_end() -> None:
    job, by, _ = crossing(Song=20, Short=12)
    job = cues.add_event(job, by["Song"], at(5), "Lamps").job
    job = cues.add_event(job, by["Song"], at(18), "Curtain").job
    edited = put_under(job, (job.cue(by["Song"]).clip_id or "",), "Short")
    assert any("past the new end: Curtain" in note for note in edited.notes)
    kept = cues.events_of(edited.job, edited.job.cue(by["Song"]))
    assert [(mark.name, mark.frame) for mark in kept] == [("Lamps", at(5)), ("Curtain", at(18))]


@given(
    st.lists(st.tuples(st.sampled_from(["add", "move", "remove"]), st.integers(0, 30), st.integers(0, 30)), max_size=25)
)
def test_numbers_stay_with_their_cues_and_differ(acts: list[tuple[str, int, int]]) -> None:
    job, _, _ = crossing(River=2, Horn=1)
    numbers = {cue.id: cue.number for cue in job.cues.values()}
    for what, one, other in acts:
        order = cues.in_running_order(job)
        if what == "add" or not order:
            job = cues.add_cue(job, "note", order[one % len(order)].id if order else None).job
        elif what == "move":
            job = cues.move_cues(job, (order[one % len(order)].id,), order[other % len(order)].id).job
        else:
            job = cues.remove_cues(job, (order[one % len(order)].id,)).job
        check_validity(job)
        assert all(cue.number == numbers.get(cue.id, cue.number) for cue in job.cues.values())
        numbers = {cue.id: cue.number for cue in job.cues.values()}


if __name__ == "__main__":
    TRACES.write_text(traces())
