"""A conversation from a file a speaker to one mix, on *Low Water 7*, whose lines, loudness and bleed are known."""

from __future__ import annotations

import os
from dataclasses import asdict, replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from tests.pictures import png_of

from wemble.actions.artwork import keep_picture
from wemble.actions.delivery.export import start_export, start_trial
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.job_list import next_like
from wemble.actions.job_settings import keep as keep_setting
from wemble.actions.lanes.aligning import start_aligning
from wemble.actions.lanes.mixdown import MixSettings, start_mixdown
from wemble.actions.lanes.pieces import keep_piece, kept_pieces
from wemble.actions.lanes.talk import talk_plan
from wemble.actions.lanes.voices import UNMEASURED, start_measuring, voices_of
from wemble.actions.library import Library
from wemble.actions.removal import empty_bin, remove_job
from wemble.actions.revisions import create_job, open_job, redo, undo
from wemble.actions.saved_jobs import start_open, start_save
from wemble.actions.searching import own_sound, sound_search
from wemble.actions.work.tasks import cancel_task, wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.model import Job
from wemble.core.edit.placement import job_span, placed
from wemble.core.edit.talk import said
from wemble.core.edit.treatment import targets
from wemble.core.edit.voices import Voice, even_out
from wemble.core.render.limiter import LimiterSettings
from wemble.core.render.plan import audible_lanes
from wemble.core.signal.levels import from_db
from wemble.demo.conversation import RATE_HZ, low_water, placed_lines
from wemble.demo.talk_script import COUNT_IN, EPISODE, LINES
from wemble.errors import InvalidInput, NotFound


def through(library: Library, task_id: str) -> dict[str, object]:
    task = wait_for(library, task_id)
    assert task.state == "done", task.error
    return task.result or {}


@pytest.fixture
def conversation(library: Library, tmp_path: Path) -> str:
    """Make a job of the two recordings."""
    job_id = create_job(library, "Low Water 7", "podcast")
    for who, samples in low_water().items():
        path = tmp_path / f"{who.capitalize()}.wav"
        soundfile.write(path, samples, RATE_HZ, subtype="PCM_24")
        through(library, start_import(library, job_id, path, path.name))
    return job_id


def test_from_two_recordings_to_one_mix_and_back(library: Library, conversation: str, tmp_path: Path) -> None:
    job_id = conversation
    opened = open_job(library, job_id)
    lanes = sorted(opened.job.lanes.values(), key=lambda lane: lane.position)
    assert [lane.name for lane in lanes] == ["Host", "Guest"]
    assert job_span(opened.job)[0] == 0

    # Whose sound: nothing is guessed before the lanes were listened to.
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    assert recipe.own_only
    with pytest.raises(NotFound) as unheard:
        sound_search.draft(library, opened.revision, [], recipe)
    assert unheard.value.code == own_sound.UNHEARD
    through(library, own_sound.start_listening(library, job_id, opened.revision))
    answer = sound_search.apply(library, job_id, opened.revision, [], recipe, Treatment())
    job = library.job_at(answer.revision)
    _each_line_is_kept_on_its_lane_alone(job)
    with pytest.raises(InvalidInput, match="all lanes"):
        sound_search.apply(library, job_id, answer.revision, [], recipe, Treatment("close_up", 0.5))

    # How loud the voices are (what they were made with), and one act that evens them out.
    with pytest.raises(NotFound) as unmeasured:
        voices_of(library, job)
    assert unmeasured.value.code == UNMEASURED
    through(library, start_measuring(library, job_id, answer.revision))
    levels = {job.lane(voice.lane_id).name: voice.speech_lufs for voice in voices_of(library, job)}
    assert levels == {"Host": pytest.approx(-19.0, abs=0.5), "Guest": pytest.approx(-22.5, abs=0.5)}
    answer = perform(library, job_id, answer.revision, "even_voices")
    job = library.job_at(answer.revision)
    assert [job.lane(lane.id).gain_db for lane in lanes] == [0.0, pytest.approx(3.5, abs=0.4)]
    assert [voice.speech_lufs for voice in voices_of(library, job)] == pytest.approx([levels["Host"]] * 2, abs=0.1)

    # Who grows softer by 5 dB is evened out along time, by a line that can be drawn on; the whole stays as loud.
    slow = even_out(job, [_sinking(voice) for voice in voices_of(library, job)], along=True).job
    lines = [
        clip.line
        for clip in sorted(slow.clips.values(), key=lambda clip: clip.head_frame)
        if clip.lane_id == lanes[0].id
    ]
    assert lines[0][0][1] == pytest.approx(-2.0, abs=1.0) and lines[-1][-1][1] == pytest.approx(2.0, abs=1.0)

    # The count-in and the chatter are proposed and go; a lead of just one second is left.
    ends = talk_plan(library, answer.revision, RATE_HZ, 0.0).ends
    assert ends is not None
    assert ends.start_frame == pytest.approx(placed_lines()[len(COUNT_IN)][0], abs=0.05 * RATE_HZ)
    assert ends.end_frame == pytest.approx(placed_lines()[len(COUNT_IN) + len(EPISODE) - 1][1], abs=0.2 * RATE_HZ)
    answer = perform(
        library, job_id, answer.revision, "keep_talk",
        start_frame=ends.start_frame, end_frame=ends.end_frame, lead_frames=RATE_HZ,
    )  # fmt: skip
    assert said(library.job_at(answer.revision))[0][0] == RATE_HZ

    # Gaps are closed over both lanes: as long as was said beforehand, and nothing of either voice is shortened.
    longest = round(0.45 * RATE_HZ)
    before, plan = library.job_at(answer.revision), talk_plan(library, answer.revision, longest, 0.0)
    answer = perform(library, job_id, answer.revision, "close_gaps", longest_frames=longest)
    job = library.job_at(answer.revision)
    assert plan.gaps > 3
    assert job_span(job)[1] == plan.total_frames
    assert max(right[0] - left[1] for left, right in pairwise(said(job))) <= longest
    assert _spoken_frames(job) == _spoken_frames(before)

    # Mixed down: one lane sounds, limited; undone, two do; done again, one. Saved whole it opens elsewhere.
    settings = MixSettings("Mix", 1, LimiterSettings(-9.0))
    figures = through(library, start_mixdown(library, job_id, answer.revision, settings))
    mixed = open_job(library, job_id)
    (lane_id,) = audible_lanes(mixed.job)
    (clip,) = [clip for clip in mixed.job.clips.values() if clip.lane_id == lane_id]
    heard = library.plan_at(mixed.revision).render(0, clip.tail_frame, library.reader)
    assert from_db(-9.0) * 0.9 < np.abs(heard).max() <= from_db(-9.0)
    with pytest.raises(InvalidInput, match="no recording of one speaker"):
        sound_search.draft(library, mixed.revision, [clip.id], recipe)
    assert figures["limited_db"] == min(figures["steps_db"]) < -0.5
    back = undo(library, job_id, mixed.revision)
    assert audible_lanes(library.job_at(back.revision)) == {lane.id for lane in lanes}
    again = redo(library, job_id, back.revision)
    assert audible_lanes(library.job_at(again.revision)) == {lane_id}
    saved = through(library, start_save(library, job_id, again.revision))
    archive = library.home.exports / str(saved["folder_name"]) / saved["files"][0]  # type: ignore[index]
    other = Library(tmp_path / "elsewhere", pool=library.pool)
    new_id = create_job(other, "elsewhere", "podcast")
    through(other, start_open(other, new_id, archive, archive.name, upload_id=None))
    there = open_job(other, new_id)
    assert (other.plan_at(there.revision).render(0, clip.tail_frame, other.reader) == heard).all()
    other.close()


def test_an_opening_takes_the_place_of_the_lead_and_makes_room_for_the_voice(
    library: Library, conversation: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = create_job(library, "Episode 6", "podcast")
    t = np.arange(20 * 44_100) / 44_100
    soundfile.write(tmp_path / "music.wav", 0.05 * np.sin(2 * np.pi * 1000 * t), 44_100, subtype="PCM_24")
    through(library, start_import(library, other, tmp_path / "music.wav", "music.wav"))
    there = open_job(library, other)
    (clip,) = there.job.clips.values()
    there_answer = perform(
        library, other, there.revision, "move_edge", clip_id=clip.id, side="tail", source_frame=18 * 44_100
    )
    keep_piece(library, library.job_at(there_answer.revision), clip.id, "Opening music")
    monkeypatch.setattr("wemble.actions.removal.YOUNG_S", -1.0)
    remove_job(library, other)
    assert empty_bin(library).sources == 0, "a piece keeps its recording"
    assert [(piece.name, piece.seconds) for piece in kept_pieces(library)] == [("Opening music", 18.0)]

    job_id, revision = conversation, open_job(library, conversation).revision
    through(library, own_sound.start_listening(library, job_id, revision))
    recipe = sound_search.proposal(library, library.job_at(revision), targets(library.job_at(revision)))
    revision = sound_search.apply(library, job_id, revision, [], recipe, Treatment()).revision
    through(library, start_measuring(library, job_id, revision))
    first = said(library.job_at(revision))[0][0]
    revision = perform(library, job_id, revision, "add_mark", frame=first, name="Welcome").revision
    before = library.job_at(revision)

    answer = perform(library, job_id, revision, "place_piece", piece="Opening music", end="front")
    job = library.job_at(answer.revision)
    assert said(job)[0][0] == 18 * RATE_HZ
    (mark,) = job.marks.values()
    assert mark.frame == 18 * RATE_HZ
    shift = 18 * RATE_HZ - first
    assert all(job.clips[key].origin_frame == was.origin_frame + shift for key, was in before.clips.items())
    (music,) = [one for one in job.clips.values() if job.lane(one.lane_id).role == "opening"]
    assert (placed(job, music, music.head_frame), placed(job, music, music.tail_frame)) == (0, 18 * RATE_HZ)
    loudest = max(voice.speech_lufs or -99 for voice in voices_of(library, job))
    assert music.gain_db == pytest.approx(
        loudest - (20 * np.log10(0.05) - 3.01), abs=0.15
    )  # a sine reads 3 dB under its peak
    assert targets(job) == targets(before), "music is not searched"
    assert sound_search.draft(library, answer.revision, [], recipe), "nor need the lanes be listened to again"

    # Placed again with an overlap it replaces itself; under the voice it is turned down, on a line that can be drawn on.
    answer = perform(library, job_id, answer.revision, "place_piece", piece="Opening music", end="front", overlap_s=3.0)
    assert said(library.job_at(answer.revision))[0][0] == 15 * RATE_HZ
    answer = perform(library, job_id, answer.revision, "place_piece", piece="Opening music", end="behind")
    job = library.job_at(answer.revision)
    assert job_span(job)[1] == pytest.approx(said(job)[-1][1] + 18 * RATE_HZ, abs=RATE_HZ)
    (music,) = [one for one in job.clips.values() if job.lane(one.lane_id).role == "opening"]

    # What lanes hear of each other is freed when nobody asked for it for a month.
    (heard,) = library.home.heard.iterdir()
    empty_bin(library)
    assert heard.is_dir()
    os.utime(heard, (0, 0))
    empty_bin(library)
    assert not heard.exists()
    answer = perform(
        library, job_id, answer.revision, "duck", clip_id=music.id, by_db=15.0, attack_s=0.5, release_s=2.0
    )
    line = library.job_at(answer.revision).clips[music.id].line
    assert line[:3] == ((0, 0.0), (round(14.5 * 44_100), 0.0), (15 * 44_100, -15.0))
    assert line[-1][0] == 18 * 44_100 and line[-1][1] < -10, "it is not back up where it ends under the voice"


def test_the_next_episode_begins_with_the_last_ones_lanes_gains_and_settings(library: Library, tmp_path: Path) -> None:
    job_id = create_job(library, "Low Water 7", "podcast")
    for who in ("Host", "Guest"):
        soundfile.write(tmp_path / f"{who}.wav", np.full((100, 1), 0.1), RATE_HZ)
        through(library, start_import(library, job_id, tmp_path / f"{who}.wav", f"{who}.wav"))
    opened = open_job(library, job_id)
    guest = next(lane for lane in opened.job.lanes.values() if lane.name == "Guest")
    perform(library, job_id, opened.revision, "set_lane", lane_id=guest.id, settings={"gain_db": 3.5, "muted": True})
    keep_setting(
        library, job_id, "send", {"kind": "mp3", "tags": {"title": "Seven", "album": "Low Water", "number": "7"}}
    )
    next_id = next_like(library, job_id)
    following = open_job(library, next_id)
    assert following.job.name == "Low Water 8" and not following.job.clips and not following.job.sources
    assert following.settings["send"] == {"kind": "mp3", "tags": {"title": "", "album": "Low Water", "number": ""}}
    through(library, start_import(library, next_id, tmp_path / "Guest.wav", "Guest.wav"))
    job = open_job(library, next_id).job
    (clip,) = job.clips.values()
    assert job.lane(clip.lane_id).name == "Guest" and job.lane(clip.lane_id).gain_db == 3.5
    assert audible_lanes(job) == {lane.id for lane in job.lanes.values()}


def test_what_the_encoder_gives_back_is_known_beforehand_and_only_of_what_is_sent(
    library: Library, tmp_path: Path
) -> None:
    """The figures found out before are those found after; another edit or bit rate has none; nothing is kept of it."""
    conversation = create_job(library, "Low Water 7", "podcast")
    soundfile.write(tmp_path / "Host.wav", low_water()["host"][: 12 * RATE_HZ], RATE_HZ, subtype="PCM_24")
    through(library, start_import(library, conversation, tmp_path / "Host.wav", "Host.wav"))
    revision = open_job(library, conversation).revision
    request = Request("mp3", "one", limiter=LimiterSettings(-6.0))
    assert preview(library, revision, request).tried is None
    through(library, start_trial(library, conversation, revision, request))
    tried = preview(library, revision, request).tried
    assert tried is not None and not list(library.home.exports.iterdir())
    assert preview(library, revision, replace(request, kbps=128)).tried is None
    sent = through(library, start_export(library, conversation, revision, request))
    assert sent["heard"] == asdict(tried)
    picture = keep_picture(library, png_of(30, 20)).name
    answer = perform(library, conversation, revision, "add_mark", frame=0, name="Welcome")
    (mark,) = library.job_at(answer.revision).marks.values()
    answer = perform(library, conversation, answer.revision, "set_picture", mark_id=mark.id, picture=picture)
    assert preview(library, answer.revision, request).tried is None
    told = replace(request, chapters=True)
    sent = through(library, start_export(library, conversation, answer.revision, told))
    assert set(sent["files"]) == {
        "Low Water 7.mp3",
        "Low Water 7.vtt",
        "Low Water 7.chapters.json",
        "Low Water 7.1.png",
    }  # type: ignore[arg-type]
    (library.home.pictures / picture).unlink()
    assert any(doubt.stops and "picture" in doubt.text for doubt in preview(library, answer.revision, told).doubts)


def test_a_mixdown_that_is_stopped_leaves_nothing(library: Library, conversation: str) -> None:
    before = open_job(library, conversation).revision
    task_id = start_mixdown(library, conversation, before, MixSettings())
    cancel_task(library, task_id)
    assert wait_for(library, task_id).state == "cancelled"
    assert open_job(library, conversation).revision == before
    assert len(list(library.home.sources.iterdir())) == 2 and not list(library.home.scratch.iterdir())


def test_recordings_that_did_not_start_together_are_lined_up(library: Library, tmp_path: Path) -> None:
    """The guest's recorder was started 3.25 s before the host's, and its clock is 40 ppm fast; a stranger has nothing to say."""
    late, ppm = 3.25, 40.0
    lanes = low_water()
    host = lanes["host"][round(late * RATE_HZ) :]
    guest = soxr.resample(lanes["guest"], RATE_HZ, RATE_HZ * (1 + ppm * 1e-6), "VHQ")
    stranger = 0.1 * np.random.default_rng(1).standard_normal((60 * RATE_HZ, 1))
    job_id = create_job(library, "apart", "podcast")
    for who, samples in (("Host", host), ("Guest", guest), ("Stranger", stranger)):
        soundfile.write(tmp_path / f"{who}.wav", samples, RATE_HZ, subtype="PCM_24")
        through(library, start_import(library, job_id, tmp_path / f"{who}.wav", f"{who}.wav"))
    done = through(library, start_aligning(library, job_id, open_job(library, job_id).revision))
    job = open_job(library, job_id).job
    starts = {job.lane(clip.lane_id).name: placed(job, clip, 0) / RATE_HZ for clip in job.clips.values()}
    assert starts["Guest"] == 0.0 and starts["Host"] == pytest.approx(late, abs=0.001)
    told = " ".join(done["notes"])  # type: ignore[arg-type]
    assert "Guest” begins 3.250 s before" in told and "ppm fast" in told and "Stranger” stays" in told
    # What was said by the guest lies on the guest's lane when it was said, from end to end.
    (clip,) = [clip for clip in job.clips.values() if job.lane(clip.lane_id).name == "Guest"]
    assert job.source(clip.source_id).frames == pytest.approx(len(lanes["guest"]), abs=0.001 * RATE_HZ)
    window = slice(100 * RATE_HZ, 110 * RATE_HZ)
    heard = library.reads(clip.source_id)(window.start, 10 * RATE_HZ)[0]
    cross = np.fft.irfft(np.fft.rfft(lanes["guest"][window, 0]) * np.fft.rfft(heard).conj())
    assert abs((int(np.argmax(cross)) + RATE_HZ) % (10 * RATE_HZ) - RATE_HZ) <= 0.001 * RATE_HZ


def _sinking(voice: Voice) -> Voice:
    """Return a voice as if it sank from 2.5 dB over its loudness to 2.5 dB under it."""
    steps = np.linspace(2.5, -2.5, len(voice.curve))
    level = voice.speech_lufs or 0.0
    return replace(
        voice, curve=tuple((at, level + step) for (at, _), step in zip(voice.curve, steps.tolist(), strict=True))
    )


def _each_line_is_kept_on_its_lane_alone(job: Job) -> None:
    names = {lane.id: lane.name.lower() for lane in job.lanes.values()}
    kept = {who: np.zeros(placed_lines()[-1][1] + 3 * RATE_HZ, np.bool_) for who in names.values()}
    for clip in job.clips.values():
        kept[names[clip.lane_id]][placed(job, clip, clip.head_frame) : placed(job, clip, clip.tail_frame)] = True
    for line, (start, end) in zip(LINES, placed_lines(), strict=True):
        assert kept[line.who][start:end].mean() > 0.995, line.text
    apart = {who: np.zeros_like(mask) for who, mask in kept.items()}
    for line, (start, end) in zip(LINES, placed_lines(), strict=True):
        for who, mask in apart.items():
            mask[start:end] = mask[start:end] | (line.who != who)
    for line, (start, end) in zip(LINES, placed_lines(), strict=True):
        apart[line.who][max(start - RATE_HZ // 2, 0) : end + RATE_HZ // 2] = False
    assert all(not (kept[who] & apart[who]).any() for who in kept)


def _spoken_frames(job: Job) -> dict[str, int]:
    frames: dict[str, int] = {}
    for clip in job.clips.values():
        if clip.sound_start_frame is not None and clip.sound_end_frame is not None:
            frames[clip.lane_id] = frames.get(clip.lane_id, 0) + clip.sound_end_frame - clip.sound_start_frame
    return frames
