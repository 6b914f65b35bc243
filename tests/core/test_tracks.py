"""Tracks, disc arithmetic and on-air points: what must hold whatever is done to them."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wemble.core.check.disc import disc_faults
from wemble.core.deliver.disc import SAMPLES_A_FRAME, check_ean, cue_sheet_of, disc_tracks
from wemble.core.edit import on_air
from wemble.core.edit.clips import Edited
from wemble.core.edit.edges import move_edges
from wemble.core.edit.marks import move_mark, place_of
from wemble.core.edit.model import Clip, Job, Lane, SourceUse
from wemble.core.edit.placement import start_of
from wemble.core.edit.settle import settled
from wemble.core.edit.tracks import (
    describe_track,
    disc_place,
    make_tracks,
    move_track,
    order_tracks,
    put_on_disc_frames,
    run_on,
    set_gaps,
    snap_to_clips,
    tracks_of,
)
from wemble.core.edit.validity import check_validity
from wemble.errors import InvalidInput

RATES = (44_100, 48_000, 96_000)


def release(lengths_s: list[float], rate: int) -> Job:
    """Return a job of pieces with 3 s of recording before and behind each."""
    sources, clips, at = {}, {}, 0
    for n, length in enumerate(lengths_s):
        source_rate = RATES[n % 3]
        frames = round(length * source_rate)
        sources[f"s{n}"] = SourceUse(f"s{n}", f"piece {n}", source_rate, 2, frames + 6 * source_rate)
        clips[f"c{n}"] = Clip(f"c{n}", "l", f"s{n}", f"piece {n}", 3 * source_rate, 3 * source_rate + frames, at)
        at += round((length + 7.3) * rate)
    return Job("r", "release", rate, 2, 100, lanes={"l": Lane("l", "Music", 0)}, sources=sources, clips=clips)


def act(job: Job, kind: str, which: int, amount: float) -> Job:
    """Do one of the things that are done to tracks; what is refused leaves the job as it is."""
    tracks = tracks_of(job)
    track = tracks[which % len(tracks)]
    frames = round(amount * job.rate_hz)
    ids = tuple(one.mark.id for one in tracks)
    acts = {
        "gap": lambda: set_gaps(job, (track.mark.id,), abs(frames)),
        "move": lambda: move_track(job, track.mark.id, frames),
        "run_on": lambda: run_on(job, track.mark.id, abs(frames)),
        "boundary": lambda: move_mark(job, track.mark.id, track.start + frames // 8),
        "order": lambda: order_tracks(job, ids[which % len(ids) :] + ids[: which % len(ids)]),
        "frames": lambda: put_on_disc_frames(job),
        "snap": lambda: snap_to_clips(job),
        "trim": lambda: move_edges(job, (next(iter(job.clips)),), "tail", frames // 4),
    }
    try:
        edited: Edited = acts[kind]()
    except InvalidInput:
        return job
    return settled(job, edited).job


KINDS = ("gap", "move", "run_on", "boundary", "order", "frames", "snap", "trim")


@settings(max_examples=60)
@given(
    lengths=st.lists(st.floats(4.5, 20.0), min_size=2, max_size=6), rate=st.sampled_from(RATES),
    gap_s=st.sampled_from([None, 0.0, 2.0, 3.4]),
    acts=st.lists(st.tuples(st.sampled_from(KINDS), st.integers(0, 9), st.floats(-2.0, 2.0)), max_size=8),
)  # fmt: skip
def test_whatever_is_done_tracks_stay_in_order_and_their_marks_on_their_sound(
    lengths: list[float], rate: int, gap_s: float | None, acts: list[tuple[str, int, float]]
) -> None:
    job = make_tracks(release(lengths, rate), None if gap_s is None else round(gap_s * rate)).job
    for kind, which, amount in acts:
        before = {t.mark.id: (t.mark.clip_id, t.mark.frame) for t in tracks_of(job) if t.mark.clip_id}
        gaps = [t.gap for t in tracks_of(job)]
        shared = {t.mark.id for t in tracks_of(job) if t.shared}
        job = act(job, kind, which, amount)
        check_validity(job)
        tracks = tracks_of(job)
        assert [t.number for t in tracks] == list(range(1, len(lengths) + 1))
        assert all(a.start <= b.start and a.end <= b.start for a, b in pairwise(tracks))
        if kind in ("gap", "move", "order", "trim"):  # music is moved: a mark keeps its frame of its sound
            assert {t.mark.id: (t.mark.clip_id, t.mark.frame) for t in tracks if t.mark.clip_id} == before
        if kind in ("gap", "move", "frames"):
            assert shared <= {t.mark.id for t in tracks if t.shared}
        if kind in ("gap", "move"):
            moved = which % len(tracks)
            assert [t.gap for n, t in enumerate(tracks) if n != moved] == [g for n, g in enumerate(gaps) if n != moved]
    was = {t.mark.id: (t.start, t.end) for t in tracks_of(job)}
    job = put_on_disc_frames(job).job
    faults = disc_faults(job, capacity_s=1e9)
    assert not [fault.text for fault in faults if "off a disc frame" in fault.text]
    for track in tracks_of(job):
        start, end = was[track.mark.id]
        assert max(abs(track.start - start), abs(track.end - end)) * 75 < job.rate_hz + 75
    on_disc = disc_tracks(job)
    assert all(
        one.start % SAMPLES_A_FRAME == one.end % SAMPLES_A_FRAME == one.gap % SAMPLES_A_FRAME == 0 for one in on_disc
    )
    assert all(a.end + b.gap == b.start for a, b in pairwise(on_disc))
    assert all(44_100 * t.start == rate * one.start for t, one in zip(tracks_of(job), on_disc, strict=True))


def test_gaps_overlaps_and_order_are_what_was_asked() -> None:
    """*Slack Tide* as its composer wants it: 2 s, one gap of 3.4, two that overlap by 5 and share their boundary."""
    job = make_tracks(release([20.0, 30.0, 25.0, 40.0, 15.0], 48_000), 2 * 48_000).job
    assert [round(t.gap / 48_000, 4) for t in tracks_of(job)] == [2.0, 2.0, 2.0, 2.0, 2.0]
    ids = [t.mark.id for t in tracks_of(job)]
    job = set_gaps(job, (ids[1],), round(3.4 * 48_000)).job
    job = run_on(job, ids[3], 5 * 48_000).job
    third, fourth = tracks_of(job)[2:4]
    assert fourth.shared and third.end == fourth.start and third.end - third.start == 20 * 48_000
    left, right = job.clips["c2"], job.clips["c3"]
    assert left.fade_out is not None and right.fade_in is not None
    assert (left.fade_out.length_frames, right.fade_in.length_frames) == (5 * 96_000, 5 * 44_100)
    places = [t.start for t in tracks_of(job)]
    job = move_track(job, ids[1], 48_000).job
    assert [t.start - was for t, was in zip(tracks_of(job), places, strict=True)] == [0, *[48_000] * 4]
    job = order_tracks(job, (ids[2], ids[3], ids[0], ids[1], ids[4])).job
    tracks = tracks_of(job)
    assert [t.mark.id for t in tracks] == [ids[2], ids[3], ids[0], ids[1], ids[4]]
    assert tracks[0].start == 2 * 48_000 and tracks[1].shared and start_of(job, job.clips["c2"]) == 2 * 48_000
    with pytest.raises(InvalidInput, match="ISRC"):
        describe_track(job, ids[0], isrc="QZ-A1B-26")
    assert tracks_of(describe_track(job, ids[0], isrc="qz-a1b-26-00001").job)[2].mark.isrc == "QZA1B2600001"


def test_faults_name_their_track_and_their_figure() -> None:
    job = make_tracks(release([20.0, 3.0, 25.0], 44_100), 44_100).job
    ids = [t.mark.id for t in tracks_of(job)]
    job = describe_track(describe_track(job, ids[0], isrc="QZA1B2600001").job, ids[2], isrc="QZA1B2600001").job
    job = move_mark(job, ids[0], place_of(job, job.marks[ids[0]]) + 44_100 + 5).job
    texts = [fault.text for fault in disc_faults(job, capacity_s=40.0)]
    for told in (
        "“piece 1” is 3.000 s long",
        "used twice",
        "1.00 s of it lie outside",
        "over the capacity",
        "off a disc frame",
    ):
        assert any(told in text for text in texts), (told, texts)
    assert disc_faults(Job("x"), capacity_s=1.0)[0].stops


def test_disc_places_are_whole_numbers_and_codes_are_checked() -> None:
    """IEC 60908: 588 samples a disc frame (memory); GS1: 4006381333931 is a valid EAN-13 (memory)."""
    assert [disc_place(n * 588, 44_100) for n in (0, 1, 4500)] == [(0, 0), (1, 0), (4500, 0)]
    check_ean("4006381333931")
    for wrong in ("4006381333932", "400638133393", "40063813339310", "400638133393X"):
        with pytest.raises(InvalidInput):
            check_ean(wrong)
    with pytest.raises(InvalidInput, match="1 to 99"):
        cue_sheet_of([], "a.wav")


def test_on_air_points_follow_their_sound_and_give_way_to_a_hand() -> None:
    """*Lantern Song* after a promo: begins 0.840, singing 14.200, hook 48.0 to 63.5, next 2:03.100 (our example)."""
    rate = 48_000
    sources = {key: SourceUse(key, key, rate, 2, round(s * rate)) for key, s in (("song", 130.0), ("promo", 24.0))}
    clips = {
        "promo": Clip("promo", "l", "promo", "Promo", 0, 24 * rate, 0),
        "song": Clip("song", "l", "song", "Lantern Song", 0, 130 * rate, 100 * rate),
    }
    job = Job("air", "release", rate, 2, 10, lanes={"l": Lane("l", "Air", 0)}, sources=sources, clips=clips)
    at = {"begins": 0.840, "singing": 14.2, "next": 123.1}
    for point, seconds in at.items():
        job = on_air.set_point(job, "song", point, round((100 + seconds) * rate)).job  # type: ignore[arg-type]
    job = on_air.set_point(job, "song", "hook", 148 * rate, round(163.5 * rate)).job
    job = on_air.set_point(job, "promo", "overlap", round(17.5 * rate)).job
    proposed = on_air.propose_points(job, "song", on_air.Proposed(5, 6 * rate, 129 * rate))
    assert on_air.points_of(proposed, "song")["begins"].frame == round(0.84 * rate), "a hand's point gave way"
    assert on_air.points_of(proposed, "song")["ends"].frame == 129 * rate
    trimmed = settled(job, move_edges(job, ("song",), "head", rate // 2)).job
    timers = dict(on_air.timers(trimmed, trimmed.clips["song"], rate_hz=44_100))
    assert timers["INTe"] == round(13.7 * 44_100) and timers["EOD "] == round(122.6 * 44_100)
    assert timers["HOKe"] - timers["HOKs"] == round(15.5 * 44_100)
    given = on_air.hand_over(job, "promo", "song")
    assert given.overlap_frames == round(6.5 * rate) and given.starts_frame == round(17.5 * rate)
    heard = on_air.heard_handing_over(job, "promo", "song")
    assert start_of(heard, heard.clips["song"]) == round(17.5 * rate)
    with pytest.raises(InvalidInput):
        on_air.set_point(job, "song", "singing", 0)
    assert on_air.points_of(replace(job, marks={}), "song") == {}
