"""Edits, finding and sending on real files: revisions, undo across a restart, conflicts, and what files hold."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
import soundfile
from tests.conftest import RATE, phrases

from wemble.actions import recipes, restart, revisions
from wemble.actions.delivery import export
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.editing import edits
from wemble.actions.editing.edits import perform
from wemble.actions.library import Library
from wemble.actions.revisions import open_job
from wemble.actions.searching import long_search, sound_search
from wemble.actions.verdicts import verdicts
from wemble.actions.work.tasks import cancel_task, wait_for
from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edges.refine import apart
from wemble.core.edit.changes import applied
from wemble.core.edit.model import Job
from wemble.core.edit.treatment import base_of, targets
from wemble.errors import Conflict, InvalidInput, NotFound

BringIn = Callable[..., tuple[str, object]]


def found(library: Library, job_id: str, treatment: Treatment = Treatment(), **numbers: float) -> revisions.Answer:  # noqa: B008
    opened = revisions.open_job(library, job_id)
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    fields = {name: getattr(recipe, name) for name in Recipe.__dataclass_fields__} | numbers
    return sound_search.apply(library, job_id, opened.revision, [], Recipe(**fields), treatment)  # type: ignore[arg-type]


def test_undo_and_redo_go_on_after_a_restart(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)
    states = [revisions.open_job(library, job_id)]
    found(library, job_id)
    states.append(revisions.open_job(library, job_id))
    clip = next(iter(states[-1].job.clips.values()))
    for number in range(3):
        base = states[-1].revision
        edits.perform(library, job_id, base, "rename_clip", clip_id=clip.id, name=f"take {number}")
        states.append(revisions.open_job(library, job_id))
    home = library.home.root
    library.close()
    again_opened = Library(home, workers=0)
    for before in reversed(states[:-1]):
        now = revisions.open_job(again_opened, job_id)
        revisions.undo(again_opened, job_id, now.revision)
        assert revisions.open_job(again_opened, job_id).job == before.job
    for after in states[1:]:
        now = revisions.open_job(again_opened, job_id)
        revisions.redo(again_opened, job_id, now.revision)
        assert revisions.open_job(again_opened, job_id).job == after.job
    with pytest.raises(InvalidInput, match="nothing to redo"):
        revisions.redo(again_opened, job_id, states[-1].revision)
    again_opened.close()


def test_what_is_searched_ahead_in_a_worker_is_what_apply_would_have_found(
    library: Library, bring_in: BringIn, take: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id, _ = bring_in(take)
    opened = revisions.open_job(library, job_id)
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    assert long_search.start_search(library, job_id, opened.revision, [], recipe, Treatment()) is None, "it is short"
    monkeypatch.setattr(long_search, "LONG_S", 0.5)
    task_id = long_search.start_search(library, job_id, opened.revision, [], recipe, Treatment())
    assert task_id is not None and wait_for(library, task_id).state == "done"
    assert long_search.start_search(library, job_id, opened.revision, [], recipe, Treatment()) is None, "it is known"
    (base,) = (base_of(opened.job, target) for target in targets(opened.job))
    ahead = sound_search._searched(library, base, recipe)
    fades = library.found_fades.get(sound_search.fades_key(base, recipe), dict)
    library.found_sounds.drop(sound_search.search_key(base, recipe))
    library.found_fades.drop(sound_search.fades_key(base, recipe))
    here = sound_search._searched(library, base, recipe)
    assert 0 < apart(here.sounds, rate_hz=48_000) < len(here.sounds), "two workers had a half each"
    assert ahead is not here and (ahead.spans == here.spans).all() and (ahead.sounds == here.sounds).all()
    measure = sound_search._fades(library, base, recipe)
    pairs = [
        zip(span, sound, strict=True) for span, sound in zip(here.spans.tolist(), here.sounds.tolist(), strict=True)
    ]
    edges = [edge for heads, tails in pairs for edge in (("head", *heads), ("tail", *tails))]
    assert fades == {edge: measure(*edge) for edge in edges} and any(fades.values())


def test_a_mute_is_no_step_of_undo_and_stays(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)

    def do(kind: str, **fields: Any) -> revisions.Answer:
        return edits.perform(library, job_id, revisions.open_job(library, job_id).revision, kind, **fields)

    def state() -> tuple[str | None, str | None, bool, bool, float]:
        now = revisions.open_job(library, job_id)
        (lane,), (clip,) = now.job.lanes.values(), now.job.clips.values()
        return now.undo_label, now.redo_label, lane.muted, lane.solo, clip.gain_db

    def step(go: Callable[..., revisions.Answer]) -> None:
        before = revisions.open_job(library, job_id)
        answer = go(library, job_id, before.revision)
        assert applied(before.job, answer.changes) == revisions.open_job(library, job_id).job

    opened = revisions.open_job(library, job_id)
    (lane_id,), (clip_id,) = opened.job.lanes, opened.job.clips
    imported = opened.undo_label
    do("set_lane", lane_id=lane_id, settings={"muted": True})
    assert state() == (imported, None, True, False, 0.0)
    do("set_gain", clip_ids=(clip_id,), gain_db=-3.0)
    do("set_lane", lane_id=lane_id, settings={"muted": False})
    do("set_lane", lane_id=lane_id, settings={"solo": True})
    do("set_gain", clip_ids=(clip_id,), gain_db=-6.0)
    assert state() == ("gain", None, False, True, -6.0)
    step(revisions.undo)
    assert state() == ("gain", "gain", False, True, -3.0)
    do("set_lane", lane_id=lane_id, settings={"solo": False})
    step(revisions.undo)
    assert state() == (imported, "gain", False, False, 0.0)
    step(revisions.redo)
    step(revisions.redo)
    assert state() == ("gain", None, False, False, -6.0)


def test_nudges_of_a_moment_are_one_undo_and_a_stale_edit_is_refused(
    library: Library, bring_in: BringIn, take: Path
) -> None:
    job_id, _ = bring_in(take)
    answer = found(library, job_id)
    before = revisions.open_job(library, job_id).job
    clip = next(iter(before.clips.values()))
    stale = answer.revision
    for step in range(1, 6):
        move = {"clip_id": clip.id, "side": "head", "source_frame": clip.head_frame + step}
        answer = edits.perform(library, job_id, answer.revision, "move_edge", **move)
    assert revisions.open_job(library, job_id).job.clips[clip.id].head_frame == clip.head_frame + 5
    revisions.undo(library, job_id, answer.revision)
    assert revisions.open_job(library, job_id).job == before
    revisions.redo(library, job_id, stale)
    with pytest.raises(Conflict) as caught:
        edits.perform(library, job_id, stale, "rename_job", name="never")
    assert caught.value.details["revision"] == answer.revision


@pytest.mark.parametrize(
    "treatment",
    [
        Treatment("cut"),
        Treatment("turn_down", 12),
        Treatment("room_tone"),
        Treatment("close_up", 0.3),
        Treatment("split"),
    ],
)
def test_finds_every_phrase_again_with_every_treatment_and_one_undo(
    library: Library, bring_in: BringIn, take: Path, treatment: Treatment
) -> None:
    job_id, _ = bring_in(take)
    found(library, job_id)
    first = revisions.open_job(library, job_id)
    clip = sorted(first.job.clips.values(), key=lambda c: c.head_frame)[1]
    edits.perform(
        library, job_id, first.revision, "move_edge", clip_id=clip.id, side="tail", source_frame=clip.tail_frame - 777
    )
    corrected = revisions.open_job(library, job_id)
    library.job_at(corrected.revision)
    found(library, job_id, treatment, room_before_ms=70.0, shortest_gap_ms=400.0)
    now = revisions.open_job(library, job_id)
    spoken = [c for c in now.job.clips.values() if c.speaks]
    assert len(spoken) == 3 and not any(row.doubtful for row in verdicts(library, now.revision))
    if treatment.kind != "close_up":
        assert now.job.clips[clip.id].tail_frame == clip.tail_frame - 777
    revisions.undo(library, job_id, now.revision)
    assert revisions.open_job(library, job_id).job == corrected.job
    plan = library.plan_at(now.revision)
    rendered = plan.render(0, plan.end_frame, library.reader)[0]
    quiet = np.abs(rendered[round(1.7 * RATE) : round(2.3 * RATE)]).max() if treatment.kind != "close_up" else 0.0
    limits = {"cut": 0.0, "turn_down": 0.002, "room_tone": 0.01, "split": 0.01, "close_up": 0.0}
    assert quiet <= limits[treatment.kind]


def test_what_is_accepted_in_one_walk_is_one_undo(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)
    found(library, job_id)
    before = revisions.open_job(library, job_id)
    all_clips = tuple(before.job.clips)
    for walk, clips, decision in (("one", all_clips, "accepted"), ("two", all_clips[:1], None)):
        for clip_id in clips:
            fields = {"clip_id": clip_id, "side": "head", "decision": decision, "walk": walk}
            edits.perform(library, job_id, revisions.open_job(library, job_id).revision, "review_edge", **fields)
    walked = revisions.open_job(library, job_id)
    first_undone = revisions.undo(library, job_id, walked.revision)
    accepted = revisions.open_job(library, job_id).job
    assert all(clip.head_review for clip in accepted.clips.values()) and len(accepted.clips) > 2
    revisions.undo(library, job_id, first_undone.revision)
    assert revisions.open_job(library, job_id).job == before.job
    again = revisions.redo(library, job_id, before.revision)
    assert revisions.open_job(library, job_id).job == accepted
    revisions.redo(library, job_id, again.revision)
    assert revisions.open_job(library, job_id).job == walked.job


def test_edges_that_a_hand_makes_have_automatic_fades_while_they_are_on(
    library: Library, bring_in: BringIn, take: Path
) -> None:
    job_id, _ = bring_in(take)

    def do(kind: str, **fields: object) -> Job:
        edits.perform(library, job_id, revisions.open_job(library, job_id).revision, kind, **fields)
        return revisions.open_job(library, job_id).job

    (clip,) = revisions.open_job(library, job_id).job.clips.values()
    assert clip.fade_in is None and clip.fade_out is None  # the recording's own ends
    job = do("move_edge", clip_id=clip.id, side="head", source_frame=20_000)
    faded = job.clips[clip.id].fade_in
    assert faded is not None and faded.origin == "auto" and job.clips[clip.id].fade_out is None
    job = do("split", clip_ids=(clip.id,), at_frame=70_000)
    left, right = sorted(job.clips.values(), key=lambda one: one.head_frame)
    assert left.fade_out is None and right.fade_in is None  # the sound goes on
    job = do("clear_span", start_frame=90_000, end_frame=95_000)
    pieces = sorted(job.clips.values(), key=lambda one: one.head_frame)
    edges = [(one.fade_in is not None, one.fade_out is not None) for one in pieces]
    assert edges == [(True, False), (False, True), (True, False)]
    job = do("set_fade", clip_ids=(pieces[1].id,), side="tail", length_frames=0, shape="s")
    job = do("move_edge", clip_id=pieces[1].id, side="tail", source_frame=pieces[1].tail_frame - 500)
    assert job.clips[pieces[1].id].fade_out is None  # somebody took it away
    sounds = do("programme_from_sound").marks.values()
    bounds = {mark.kind: mark.frame for mark in sounds}
    assert 20_000 <= bounds["start"] < 60_000 and bounds["end"] > 3 * RATE  # phrases(…) speaks from 0.75 s on
    do("set_automatic_fades", on=False)
    job = do("move_edge", clip_id=pieces[2].id, side="tail", source_frame=pieces[2].tail_frame - 900)
    assert all(one.fade_in is None and one.fade_out is None for one in job.clips.values())


def test_nothing_found_and_no_room_tone_say_what_to_do(library: Library, bring_in: BringIn, tmp_path: Path) -> None:
    loud = tmp_path / "loud.wav"
    soundfile.write(loud, phrases(2.0)[int(0.75 * RATE) : int(1.25 * RATE)], RATE)
    job_id, _ = bring_in(loud)
    with pytest.raises(InvalidInput, match="lower it"):
        found(library, job_id, threshold_db=0.0, threshold_from="full_scale")
    with pytest.raises(InvalidInput, match="room tone"):
        found(library, job_id, Treatment("room_tone"), threshold_db=-70.0, threshold_from="full_scale")


def send(library: Library, job_id: str, **fields: object) -> tuple[dict[str, object], Path]:
    revision = revisions.open_job(library, job_id).revision
    task = wait_for(library, export.start_export(library, job_id, revision, Request(**fields)))  # type: ignore[arg-type]
    assert task.state == "done", task.error
    return task.result, Path(task.result["folder"])


@pytest.mark.parametrize(
    ("kind", "tolerance"),
    [
        ("wav_16", 1.5 / 32768),
        ("wav_24", 1.5 / 2**23),
        ("wav_float", 0),
        ("flac_16", 1.5 / 32768),
        ("flac_24", 1.5 / 2**23),
    ],
)
def test_files_hold_what_is_heard(library: Library, bring_in: BringIn, take: Path, kind: str, tolerance: float) -> None:
    job_id, _ = bring_in(take)
    answer = found(library, job_id, Treatment("turn_down", 12))
    result, folder = send(library, job_id, kind=kind, what="one", pattern="{job}")
    samples, rate = soundfile.read(folder / result["files"][0], dtype="float32", always_2d=True)
    heard = library.plan_at(answer.revision).render(0, len(samples), library.reader)
    assert rate == RATE and np.abs(samples.T - heard).max() <= tolerance * 1.001


def test_an_mp3_is_constant_of_the_rate_asked_and_as_long_as_it_should_be(
    library: Library, bring_in: BringIn, take: Path
) -> None:
    job_id, _ = bring_in(take)
    found(library, job_id)
    result, folder = send(library, job_id, kind="mp3", what="one", pattern="{job}", channels=2)
    path = folder / result["files"][0]
    with av.open(str(path)) as container:  # another library than the one that wrote it
        stream = container.streams.audio[0]
        sizes = [packet.size * 8 * RATE / 1152 / 1000 for packet in container.demux(stream) if packet.size]
    # ISO/IEC 11172-3: a frame of 144 · bit rate / rate bytes, padded by one
    assert {round(kbps) for kbps in sizes[1:]} == {192}
    job = revisions.open_job(library, job_id).job
    expected = export.files_to_send(job, "one")[0]
    with av.open(str(path)) as container:
        frames = sum(frame.samples for frame in container.decode(audio=0))
    assert frames == soundfile.info(path).frames == expected.end - expected.start
    assert soundfile.info(path).channels == 2


def test_phrases_are_named_zipped_and_stop_on_collisions(library: Library, bring_in: BringIn, take: Path) -> None:
    job_id, _ = bring_in(take)
    found(library, job_id)
    result, folder = send(library, job_id, pattern="{number:2} {job}")
    assert result["files"] == ["01 test.wav", "02 test.wav", "03 test.wav"]
    assert zipfile.ZipFile(folder / "all.zip").namelist() == result["files"]
    revision = revisions.open_job(library, job_id).revision
    with pytest.raises(InvalidInput, match=r"add \{number\}"):
        export.start_export(library, job_id, revision, Request(pattern="{job}"))
    with pytest.raises(InvalidInput, match=r"no field \{speaker\}"):
        preview(library, revision, Request(pattern="{speaker}"))
    assert not any(library.home.scratch.iterdir())


def test_long_work_is_cancelled_without_a_trace_and_started_again(
    library: Library, bring_in: BringIn, tmp_path: Path
) -> None:
    long = tmp_path / "long.wav"
    soundfile.write(long, np.tile(phrases(60.0), (10, 1)), RATE)
    job_id, _ = bring_in(long)
    revision = revisions.open_job(library, job_id).revision
    task_id = export.start_export(library, job_id, revision, Request(kind="flac_24", what="one", pattern="a"))
    cancel_task(library, task_id)
    assert wait_for(library, task_id).state == "cancelled"
    assert not any(library.home.exports.iterdir()) and not any(library.home.scratch.iterdir())
    assert wait_for(library, restart.start_again(library, task_id)).state == "done"


def test_recipes_are_kept_by_name(library: Library) -> None:
    recipes.save(library, " booth  close ", Recipe(room_before_ms=33.0))
    recipes.save(library, "booth close", Recipe(room_before_ms=44.0))
    assert recipes.named(library, "booth close").room_before_ms == 44.0
    with pytest.raises(NotFound, match="saved ones are: booth close"):
        recipes.named(library, "other")
    recipes.save(library, "boat shed", HitRecipe(shortest_gap_ms=120.0, many=True))
    assert recipes.named_for_hits(library, "boat shed") == HitRecipe(shortest_gap_ms=120.0, many=True)
    with pytest.raises(InvalidInput, match="for hits"):
        recipes.named(library, "boat shed")
    with pytest.raises(InvalidInput, match="not for hits"):
        recipes.named_for_hits(library, "booth close")


LAID_BARE = {
    "two splits and the piece between them deleted": lambda do, split: do("remove_clips", clip_ids=[split[1]], close="no"),
    "and closed up": lambda do, split: do("remove_clips", clip_ids=[split[0]], close="all"),
    "a piece moved": lambda do, split: do("move_clips", clip_ids=[split[1]], by_frames=5 * RATE, to_lane_id=None),
    "pieces on lanes of their own": lambda do, split: do("lane_each", clip_ids=list(split)),
    "selected time deleted": lambda do, split: do("clear_span", start_frame=RATE, end_frame=RATE + 5_000, lane_ids=[], close="no"),
}  # fmt: skip


@pytest.mark.parametrize("act", LAID_BARE)
def test_an_edge_that_an_edit_lays_bare_has_its_fade(
    act: str, library: Library, bring_in: BringIn, tmp_path: Path
) -> None:
    """Cut in the middle of a loud tone: without a fade each of these edges clicks."""
    t = np.arange(3 * RATE) / RATE
    soundfile.write(tmp_path / "tone.wav", 0.3 * np.sin(2 * np.pi * 997 * t), RATE)
    job_id, _ = bring_in(tmp_path / "tone.wav")

    def do(kind: str, **fields: object) -> Job:
        perform(library, job_id, open_job(library, job_id).revision, kind, **fields)
        return open_job(library, job_id).job

    do("set_automatic_fades", on=True)
    for at in (RATE, RATE + 5_000):
        do("split", clip_ids=list(open_job(library, job_id).job.clips), at_frame=at)
    pieces = [clip.id for clip in sorted(open_job(library, job_id).job.clips.values(), key=lambda one: one.head_frame)]
    job = LAID_BARE[act](do, pieces)
    bare = [
        (clip.name, side)
        for clip in job.clips.values()
        for side, fade, at in (("head", clip.fade_in, clip.head_frame), ("tail", clip.fade_out, clip.tail_frame))
        if fade is None and at not in (0, 3 * RATE) and not any(
            other is not clip and {other.head_frame, other.tail_frame} & {at} and other.lane_id == clip.lane_id
            and other.origin_frame == clip.origin_frame for other in job.clips.values()
        )
    ]  # fmt: skip
    assert not bare
    clicks = [
        v for row in verdicts(library, open_job(library, job_id).revision) for v in row.verdicts if v.check == "click"
    ]
    assert clicks and all(v.state == "fine" for v in clicks)


@pytest.mark.parametrize("order", [(-70.0, -45.0, -100.0), (-100.0, -70.0, -45.0), (-45.0, -100.0, -70.0)])
def test_recordings_of_three_rooms_are_found_in_one_go_each_over_its_own_noise(
    library: Library, bring_in: BringIn, tmp_path: Path, order: tuple[float, ...]
) -> None:
    job_id = revisions.create_job(library, "rooms")
    t = np.arange(16 * RATE) / RATE
    voice = 0.1 * np.sin(2 * np.pi * 140 * t) * ((t % 2.0 > 0.7) & (t % 2.0 < 1.3))
    for number, level_db in enumerate(order):
        hiss = 10 ** (level_db / 20) * np.random.default_rng(number).standard_normal(len(t))
        path = tmp_path / f"{number}.wav"
        soundfile.write(path, voice + hiss, RATE, subtype="FLOAT")
        bring_in(path, job_id)
    opened = revisions.open_job(library, job_id)
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    drafts = sound_search.draft(library, opened.revision, [], recipe)
    assert [len(one.sounds) // 2 for one in drafts] == [8, 8, 8]
    assert [round(one.floor_db) for one in drafts] == [round(level_db) for level_db in order]


def test_room_tone_of_a_room_that_moves_stays_itself_and_no_edge_is_cut(
    library: Library, bring_in: BringIn, tmp_path: Path
) -> None:
    """What is made of a recording does not take its moves along, and a check asks for the noise of its own moment."""
    t = np.arange(40 * RATE) / RATE
    voice = 0.1 * np.sin(2 * np.pi * 140 * t) * ((t % 2.0 > 0.7) & (t % 2.0 < 1.3))
    hiss = 10 ** ((-75 + 20 * t / 40) / 20) * np.random.default_rng(3).standard_normal(len(t))
    path = tmp_path / "drifts.wav"
    soundfile.write(path, voice + hiss, RATE, subtype="FLOAT")
    job_id, _ = bring_in(path)
    found(library, job_id, Treatment("room_tone"))
    opened = revisions.open_job(library, job_id)
    sources = opened.job.sources.items()
    assert {use.derived_from is None: library.source(key).floors.noise.moves for key, use in sources} == {
        True: True, False: False,
    }  # fmt: skip
    rows = verdicts(library, opened.revision)
    assert len(rows) >= 20 and not any(row.doubtful for row in rows)
