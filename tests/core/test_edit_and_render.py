"""Edits as pure functions and the renderer: what any sequence of edits must leave true."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edit import clips as edits
from wemble.core.edit import edges
from wemble.core.edit.changes import applied, difference, reversed_changes
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Fade, Job, Lane, Side, SourceUse
from wemble.core.edit.placement import (
    end_of,
    in_time_order,
    job_span,
    placed,
    start_of,
    to_job_frames,
    to_source_frames,
)
from wemble.core.edit.settle import settled
from wemble.core.edit.treatment import Sounds, apply_treatment, closed_up_frames, targets
from wemble.core.edit.validity import check_validity
from wemble.core.render import RenderPlan
from wemble.core.signal.levels import from_db
from wemble.core.signal.reader import ArrayReader

MakeDesk = Callable[..., tuple[Job, ArrayReader]]
SPANS = ((2_000, 9_000), (15_000, 21_000), (21_500, 40_000))
SOUNDS = ((3_000, 8_000), (16_000, 20_000), (22_000, 39_000))
FOUND = Sounds(SPANS, SOUNDS, -60.0, -45.0)
steady = settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])


def short_fade(side: Side, edge: int, sound: int) -> int:
    return min(480, abs(sound - edge))


def treated(job: Job, kind: str, amount: float = 0.0, found: Sounds = FOUND, target: str | None = None) -> Job:
    tone = SourceUse("s1", "tone", 48_000, 2, 30_000, derived_from="s0") if kind == "room_tone" else None
    treatment = Treatment(kind, amount)  # type: ignore[arg-type]
    return apply_treatment(
        job, target or targets(job)[0], found, Recipe(), treatment, fade_for=short_fade, tone=tone
    ).job


def render(job: Job, reader: ArrayReader, start: int = 0, frames: int | None = None) -> np.ndarray:
    return RenderPlan(job).render(start, job_span(job)[1] - start if frames is None else frames, reader)


@given(
    st.integers(0, 10**9), st.sampled_from([8_000, 44_100, 48_000, 96_000]), st.sampled_from([44_100, 48_000, 192_000])
)
def test_places_tile_and_come_back(frame: int, source_rate: int, job_rate: int) -> None:
    there = to_job_frames(frame, source_rate_hz=source_rate, job_rate_hz=job_rate)
    assert 0 <= there * source_rate - frame * job_rate < source_rate
    back = to_source_frames(there, source_rate_hz=source_rate, job_rate_hz=job_rate)
    if job_rate >= source_rate:
        assert back == frame


@pytest.mark.parametrize(
    ("kind", "amount"),
    [("cut", 0), ("turn_down", 12), ("room_tone", 0), ("close_up", 0.05), ("split", 0), ("keep_quiet", 0)],
)
@steady
@given(data=st.data())
def test_render_has_the_same_bits_from_any_start_in_any_blocks(
    desk: MakeDesk, kind: str, amount: float, data: st.DataObject
) -> None:
    job, reader = desk(48_000, 30_000)
    job = treated(job, kind, amount)
    whole = render(job, reader)
    start = data.draw(st.integers(0, whole.shape[1] - 1))
    block = data.draw(st.integers(100, 50_000))
    parts = [part for _, part in RenderPlan(job).blocks(start, whole.shape[1], block, reader)]
    assert np.array_equal(np.concatenate(parts, axis=1), whole[:, start:])


def test_render_is_the_sum_of_its_clips(desk: MakeDesk) -> None:
    job, reader = desk(48_000, 30_000)
    job = treated(job, "cut")
    alone = [replace(job, clips={clip.id: clip}) for clip in job.clips.values()]
    frames = job_span(job)[1]
    total = sum(render(one, reader, 0, frames).astype(np.float64) for one in alone)
    assert np.abs(render(job, reader) - total).max() < 1e-6  # −120 dB


def test_splitting_changes_no_sample_and_turning_down_keeps_the_sounds(desk: MakeDesk) -> None:
    job, reader = desk(48_000)
    before = render(job, reader)
    assert np.array_equal(render(treated(job, "split"), reader), before)
    assert np.abs(render(treated(job, "turn_down", 0.0), reader) - before).max() < 1e-7
    quieter = render(treated(job, "turn_down", 20.0), reader)
    for start, end in SOUNDS:
        assert np.array_equal(quieter[:, start:end], before[:, start:end])
    assert np.allclose(quieter[:, 10_000:14_000], before[:, 10_000:14_000] * from_db(-20), atol=1e-6)


@st.composite
def takes(draw: st.DrawFn) -> tuple[Sounds, int]:
    """Return phrases with rooms, and breaths in some of the gaps between them, of a source; and its length."""
    at, spans, sounds, dropped = draw(st.integers(0, 9_000)), [], [], []
    for _ in range(draw(st.integers(2, 6))):
        length, gap = draw(st.integers(500, 9_000)), draw(st.integers(40, 30_000))
        sounds.append((at, at + length))
        if draw(st.booleans()):
            breath = at + length + draw(st.integers(0, gap // 2))
            dropped.append((breath, breath + max(gap // 3, 1)))
        at += length + gap
    ends = [0, *(frame for sound in sounds for frame in sound), at]
    for n, (start, end) in enumerate(sounds):
        low = max([ends[2 * n], *(b for _, b in dropped if b <= start)])
        high = min([ends[2 * n + 3], *(a for a, _ in dropped if a >= end)])
        room = draw(st.integers(0, 4_000)), draw(st.integers(0, 8_000))
        spans.append((max(start - room[0], (low + start) // 2), min(end + room[1], (high + end) // 2)))
    return Sounds(tuple(spans), tuple(sounds), -60.0, -45.0, dropped=tuple(dropped)), at


@steady
@given(takes(), st.floats(0.0, 0.6), st.sampled_from([44_100, 48_000]), st.booleans(), st.data())
def test_what_is_closed_up_keeps_its_promise_and_opens_again(
    take: tuple[Sounds, int], longest_s: float, rate: int, has_tone: bool, data: st.DataObject
) -> None:
    found, frames = take
    job = Job("test", rate_hz=48_000, channels=1)
    for number, length in enumerate((frames, 30_000)):
        job = edits.add_source(job, SourceUse(f"s{number}", f"source {number}", rate, 1, length)).job
    tone = SourceUse("tone", "tone", rate, 1, 2 * rate, derived_from="s0") if has_tone else None
    target, later = targets(job)[0], in_time_order(job)[-1]
    treatment, promised = (
        Treatment("close_up", longest_s),
        closed_up_frames(job, target, found, Recipe(), longest_s, tone),
    )
    closed = apply_treatment(job, target, found, Recipe(), treatment, fade_for=short_fade, tone=tone).job
    pieces = [clip for clip in in_time_order(closed) if clip.finding_id]
    assert all(end_of(closed, left) == start_of(closed, right) for left, right in pairwise(pieces))
    assert end_of(closed, pieces[-1]) - start_of(closed, pieces[0]) == promised
    whole = to_job_frames(frames, source_rate_hz=rate, job_rate_hz=48_000)
    assert start_of(job, later) - start_of(closed, closed.clips[later.id]) == whole - promised
    spoken = [clip for clip in pieces if clip.source_id == "s0"]
    assert [(clip.sound_start_frame, clip.sound_end_frame) for clip in spoken] == list(found.sounds)
    for clip in spoken:
        assert not any(a < clip.tail_frame and clip.head_frame < b for a, b in found.dropped), "a breath came back"
    for left, right in pairwise(spoken):
        gap = right.sound_start_frame - left.sound_end_frame
        pause = placed(closed, right, right.sound_start_frame) - placed(closed, left, left.sound_end_frame)
        wanted = to_job_frames(min(gap, round(longest_s * rate)), source_rate_hz=rate, job_rate_hz=48_000)
        assert pause <= wanted + 2
        breath = any(a < right.sound_start_frame and b > left.sound_end_frame for a, b in found.dropped)
        assert breath or pause >= wanted - 2
        assert not (breath and has_tone) or pause >= wanted - 260  # less than half a crossfade is not worth any tone

    clip, side = data.draw(st.sampled_from(spoken)), data.draw(st.sampled_from(["head", "tail"]))
    to = data.draw(st.integers(0, frames))
    opened = edges.move_edge(closed, clip.id, side, to).job
    check_validity(settled(closed, Edited(opened)).job)
    pieces = [one for one in in_time_order(opened) if one.finding_id]
    grown = end_of(opened, pieces[-1]) - start_of(opened, pieces[0]) - promised
    if (start_of(closed, clip) if side == "head" else end_of(closed, clip)) in dict(closed.findings["f4"].closed):
        assert start_of(opened, opened.clips[later.id]) == start_of(closed, closed.clips[later.id]) + grown
        assert all(end_of(opened, left) == start_of(opened, right) for left, right in pairwise(pieces))
    for state in (closed, opened):
        again = apply_treatment(state, "f4", found, Recipe(), Treatment(), fade_for=short_fade).job
        assert start_of(again, again.clips[later.id]) == start_of(job, later)
        assert {one.origin_frame for one in again.clips.values() if one.finding_id} == {0}


def test_finding_again_keeps_corrections_names_and_ids(desk: MakeDesk) -> None:
    job, _ = desk(48_000)
    job = treated(job, "cut")
    first, second, _ = in_time_order(job)
    job = edges.move_edge(job, first.id, "tail", 12_345).job
    job = edges.set_fade(job, (second.id,), "head", Fade(300, "linear", 0.0, "own")).job
    job = edits.rename_clip(job, second.id, "Kept name").job
    moved = Sounds(((1_500, 9_500), (14_500, 21_200), (21_600, 41_000)), SOUNDS, -60.0, -50.0)
    again = treated(job, "turn_down", 12.0, moved)
    assert again.clips[first.id].tail_frame == 12_345 and again.clips[first.id].head_frame == 1_500
    assert again.clips[second.id].name == "Kept name"
    back = treated(again, "cut", 0.0, moved)
    assert back.clips[second.id].fade_in == Fade(300, "linear", 0.0, "own")
    assert back.clips[first.id].tail_frame == 12_345 and len(back.findings) == 1


@given(
    st.lists(st.tuples(st.integers(0, 2), st.sampled_from(["head", "tail"]), st.integers(-5_000, 60_000)), max_size=12),
    st.booleans(),
)
@steady
def test_any_edits_undone_give_the_first_state_and_clips_never_overlap(
    desk: MakeDesk, moves: list[tuple[int, Side, int]], contiguous: bool
) -> None:
    job, _ = desk(48_000)
    states = [job, treated(job, "turn_down" if contiguous else "cut")]
    for number, side, frame in moves:
        clip = in_time_order(states[-1])[number]
        states.append(edges.move_edge(states[-1], clip.id, side, frame).job)
        states.append(
            edges.set_fade(states[-1], (clip.id,), side, Fade(abs(frame) + 1, origin="own")).job
            if not contiguous
            else states[-1]
        )
    steps = [difference(before, after) for before, after in pairwise(states)]
    undone = states[-1]
    for step in reversed(steps):
        undone = applied(undone, reversed_changes(step))
    assert undone == job
    redone = job
    for step in steps:
        redone = applied(redone, step)
    assert redone == states[-1]
    for state in states:
        for left, right in pairwise(in_time_order(state)):
            assert end_of(state, left) <= start_of(state, right)
        for clip in state.clips.values():
            lengths = [fade.length_frames for fade in (clip.fade_in, clip.fade_out) if fade]
            assert clip.frames > 0 and sum(lengths) <= clip.frames


def test_limits_are_said(desk: MakeDesk) -> None:
    job, _ = desk(48_000)
    job = treated(job, "cut")
    first = in_time_order(job)[0]
    assert "“source 0 2” begins there" in edges.move_edge(job, first.id, "tail", 47_000).notes[0]
    assert "no more" in edges.move_edge(job, first.id, "head", -1).notes[0]
    assert "one frame" in edges.move_edge(job, first.id, "head", 47_000).notes[0]
    assert "other fade" in edges.set_fade(job, (first.id,), "head", Fade(47_000, origin="own")).notes[0]


def test_ten_thousand_clips_change_one(desk: MakeDesk) -> None:
    job, _ = desk(48_000)
    many = {f"x{n}": Clip(f"x{n}", "l1", "s0", "x", 0, 10, 100 * n) for n in range(10_000)}
    job = replace(job, clips=many)
    changes = difference(job, edits.set_gain(job, ("x77",), -3.0).job)
    assert [change.entity_id for change in changes] == ["x77"]


@settings(max_examples=30)
@given(st.sampled_from([24_000, 44_100, 96_000]), st.integers(0, 20_000), st.data())
def test_a_level_line_lies_over_its_own_samples_at_any_rate(rate: int, origin: int, data: st.DataObject) -> None:
    """A line is drawn on the source's frames; the job plays them at its own rate, from wherever they lie.

    The curve is held against scipy's of Fritsch and Butland.
    """
    points = sorted({data.draw(st.integers(100, 9_900)) for _ in range(3)} | {100})
    line = tuple((frame, round(data.draw(st.floats(-24.0, 6.0)), 3)) for frame in points)
    clip = Clip("c1", "L", "s0", "c", 0, 10_000, origin, line=line)
    job = Job(
        "t",
        rate_hz=48_000,
        channels=1,
        sources={"s0": SourceUse("s0", "s0", rate, 1, 10_000)},
        lanes={"L": Lane("L", "L", 0)},
        clips={"c1": clip},
    )
    held = ArrayReader({("s0", 48_000): np.ones((1, 10_000 * 48_000 // rate + 2), np.float32)})
    start, end = start_of(job, clip), end_of(job, clip)
    heard = RenderPlan(job).render(start, end - start, held)[0]
    at_frames = (np.arange(start, end) - origin) * rate / 48_000
    x, y = zip(*line, strict=True)
    expected = PchipInterpolator(x, y)(np.clip(at_frames, x[0], x[-1])) if len(x) > 1 else np.full(len(heard), y[0])
    assert np.allclose(20 * np.log10(heard), expected, atol=0.02)


WAYS: tuple[tuple[Sounds, str], ...] = (
    (Sounds(SPANS, SOUNDS, -60.0, -50.0), "cut"),
    (Sounds(((900, 40_800),), ((SOUNDS[0][0], SOUNDS[2][1]),), -60.0, -50.0), "cut"),  # the whole programme
    (Sounds(SPANS, SOUNDS, -60.0, -50.0), "turn_down"),
    (Sounds(((1_500, 21_200), SPANS[2]), ((SOUNDS[0][0], SOUNDS[1][1]), SOUNDS[2]), -60.0, -50.0), "cut"),
)  # fmt: skip


@given(
    st.lists(
        st.tuples(st.integers(0, 3), st.integers(0, 2), st.sampled_from(["head", "tail"]), st.integers(-1_500, 1_500)),
        min_size=1, max_size=8,
    )
)  # fmt: skip
@steady
def test_found_in_any_way_again_each_corrected_edge_stays_and_no_clip_is_too_short(
    walk: list[tuple[int, int, Side, int]],
) -> None:
    """A correction stays with its sound: nothing that was found elsewhere begins where a neighbour ends because of it."""
    # At 8 kHz, where phrases are seconds: an edge is found elsewhere by less.
    job = edits.add_source(Job("x"), SourceUse("s0", "source 0", 8_000, 1, 48_000)).job
    hand: dict[tuple[Side, int], int] = {}
    for way, number, side, by in walk:
        found, kind = WAYS[way]
        job = treated(job, kind, 12.0 if kind == "turn_down" else 0.0, found)
        spoken = [clip for clip in in_time_order(job) if clip.sound_span]
        least = min(end - start for start, end in (*SPANS, *found.spans))
        assert all(clip.frames >= min(least, 1_920) for clip in spoken)
        edges_now = {
            (one, edge) for clip in spoken for one, edge in (("head", clip.head_frame), ("tail", clip.tail_frame))
        }
        for (one, sound_edge), at in hand.items():
            holders = [c for c in spoken if c.sound_span and c.sound_span[one == "tail"] == sound_edge]
            assert not holders or (one, at) in edges_now, (one, at, edges_now)
        untouched = {edge for span in found.spans for edge in span} | set(hand.values())
        assert {edge for _, edge in edges_now} <= untouched
        clip = spoken[number % len(spoken)]
        span = clip.sound_span or (0, 0)
        to = (span[0] - 300 if side == "head" else span[1] + 300) + by // 8
        job = edges.move_edge(job, clip.id, side, to).job
        moved = job.clips[clip.id]
        hand[side, span[0] if side == "head" else span[1]] = moved.head_frame if side == "head" else moved.tail_frame
