"""Puts the demo into a library, once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from wemble.actions.editing.edits import perform
from wemble.actions.importing import import_file
from wemble.actions.job_list import job_cards
from wemble.actions.lanes.pieces import keep_piece
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, edit_newest, open_job
from wemble.actions.searching import hit_search, own_sound, sound_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit import cues
from wemble.core.edit.arrange import LaneSettings, add_lane, set_lane
from wemble.core.edit.clips import Edited
from wemble.core.edit.grid import beat_frame
from wemble.core.edit.model import Clip, CueKind, Grid, Job, set_clips
from wemble.core.edit.treatment import targets
from wemble.demo import conversation, crossing, kit, pieces
from wemble.demo.take import RATE_HZ, audio_guide
from wemble.errors import WorkFailed

JOB_NAME = "Audio guide"


def add_demo(library: Library, say: Callable[[str], None]) -> None:
    """Add the demo jobs that are not there yet."""
    known = {card.name for card in job_cards(library)}
    for name, add in ADDED.items():
        if name in known:
            say(f"the demo job {name} is there already")
        else:
            add(library, name, say)


def _add_low_water(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making Low Water 7: a host and a guest at one table")
    job_id = create_job(library, name, "podcast")
    for who, samples in conversation.low_water().items():
        _import(library, job_id, f"{who.capitalize()}.wav", samples, conversation.RATE_HZ)
    revision = open_job(library, job_id).revision
    wait_for(library, own_sound.start_listening(library, job_id, revision))
    for title, frame in conversation.chapters():
        revision = perform(library, job_id, revision, "add_mark", frame=frame, name=title).revision


def _add_low_water_6(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making Low Water 6: an opening and a closing, kept to be used again")
    job_id = create_job(library, name, "podcast")
    for end, seconds in (("opening", 18.0), ("closing", 25.0)):
        _import(library, job_id, f"Low Water {end}.wav", pieces.theme(seconds), pieces.RATE_HZ)
    job = open_job(library, job_id).job
    for clip in job.clips.values():
        keep_piece(library, job, clip.id, clip.name)


def _add_audio_guide(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making the Audio guide: eight stops read in one take")
    samples, begins = audio_guide()
    job_id = create_job(library, name)
    _import(library, job_id, "Audio guide take.wav", samples, RATE_HZ)
    say("finding its phrases")
    opened = open_job(library, job_id)
    all_targets = targets(opened.job)
    recipe = sound_search.proposal(library, opened.job, all_targets)
    sound_search.apply(library, job_id, opened.revision, all_targets, recipe, Treatment())
    edit_newest(library, job_id, "name the phrases", lambda job: Edited(_named(job, begins)))


def _add_slack_tide(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making Slack Tide: a slow piece and a bell riff")
    job_id = create_job(library, name, "release")
    _import(library, job_id, "Ebb.wav", pieces.ebb(), pieces.RATE_HZ)
    _import(library, job_id, "Bell riff.wav", pieces.riff(), pieces.RATE_HZ)
    edit_newest(library, job_id, "lay out the pieces", lambda job: Edited(_two_lanes(job)))


def _add_boatyard(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making the Boatyard kit: six things, three strengths, two microphones")
    job_id = create_job(library, name, "drums")
    for file_name, samples in kit.files():
        _import(library, job_id, f"{file_name}.wav", samples, kit.RATE_HZ)
    revision = open_job(library, job_id).revision
    pattern = hit_search.read_names(library, revision, None).pattern
    perform(library, job_id, revision, "read_names", pattern=pattern)


def _add_release(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making Slack Tide, the record: five pieces with air and echoes, two of which run into each other")
    job_id = create_job(library, name, "release")
    for number, (title, _, _) in enumerate(pieces.RELEASE):
        _import(library, job_id, f"{title}.wav", pieces.release_piece(number), pieces.RELEASE_HZ)


def _add_on_air(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making Lantern Song and a promo, for the radio")
    job_id = create_job(library, name, "release")
    _import(library, job_id, "Night ferry promo.wav", pieces.promo(), pieces.RELEASE_HZ)
    _import(library, job_id, "Lantern Song.wav", pieces.lantern_song(), pieces.RELEASE_HZ)


def _add_crossing(library: Library, name: str, say: Callable[[str], None]) -> None:
    say("making The Night Crossing: a river, a horn, an engine, a song in two parts, walking music")
    job_id = create_job(library, name, "show")
    for file_name, samples in crossing.files().items():
        _import(library, job_id, f"{file_name}.wav", samples, crossing.RATE_HZ)
    edit_newest(library, job_id, "running order", lambda job: Edited(running_order(job)))


def running_order(job: Job) -> Job:
    """Return the show with twelve cues: what loops, fades, follows by itself, and what happens inside the song."""
    rate = job.rate_hz
    by_name = {cue.name: cue.id for cue in job.cues.values()}
    river, engine, song, walk = (by_name[one] for one in ("River", "Engine", "Lantern Song", "Walking music"))
    for cue_id, (start, end), passes, begins in (
        (river, crossing.RIVER_LOOP_S, 0, 0.0),
        (engine, crossing.ENGINE_LOOP_S, 0, 0.0),
        (walk, crossing.WALK_LOOP_S, 4, crossing.WALK_STARTS_S),
    ):
        clip = job.clip(job.cue(cue_id).clip_id or "")
        job = set_clips(
            job, replace(clip, head_frame=round(begins * rate), sound_start_frame=None, sound_end_frame=None)
        )
        job = cues.loop_of_cue(job, cue_id, round((start - begins) * rate), round((end - begins) * rate), passes).job
    for at_s, name, does in (
        (crossing.SECOND_STARTS_S, "Door", "door light on"),
        (118.0, "Lamps", "lamps to 40 %"),
    ):
        job = cues.add_event(job, song, round(at_s * rate), name, does).job
    ends = [round(one * rate) for one in (crossing.FIRST_ENDS_S, crossing.SECOND_STARTS_S)]
    job = cues.split_cue(job, song, ends[0], ends[1], "second").job
    job = cues.fade_up(job, engine, 4 * rate).job
    second = next(cue.id for cue in job.cues.values() if cue.name == "Lantern Song 2")

    def add(what: CueKind, after: str, name: str, **given: Any) -> None:
        nonlocal job
        before = set(job.cues)
        job = cues.add_cue(job, what, after, name, target_id=given.pop("target_id", "")).job
        (made,) = set(job.cues) - before
        job = cues.set_cue(job, (made,), cues.CueSettings(**given)).job
        by_name[name] = made

    add("note", by_name["Horn"], "Lamps on the pier", page="2", note="wait until everybody stands at the rail")
    up = next(cue.id for cue in job.cues.values() if cue.name == "Engine up")
    add("fade", up, "Engine down", target_id=engine, to_nothing=True, length_frames=5 * rate, stops=False, page="4")
    add("fade", second, "Song out", target_id=second, to_nothing=True, length_frames=3 * rate, stops=True, page="9")
    add("fade", walk, "Steps away", target_id=walk, level_db=-12.0, length_frames=4 * rate, stops=False, page="10")
    add("stop", by_name["Steps away"], "End of the crossing", length_frames=2 * rate, page="11")
    told = cues.CueSettings
    job = cues.set_cue(job, (river,), told(page="1", note="the doors open: let go when the ferry is full")).job
    job = cues.set_cue(job, (by_name["Horn"],), told(start="after_end", wait_frames=rate)).job
    job = cues.set_cue(job, (engine,), told(page="3")).job
    job = cues.set_cue(job, (song,), told(page="6", note="the singer nods")).job
    job = cues.set_cue(job, (second,), told(page="7")).job
    return cues.set_cue(job, (walk,), told(start="after_start", wait_frames=3 * rate)).job


ADDED: Mapping[str, Callable[[Library, str, Callable[[str], None]], None]] = {
    JOB_NAME: _add_audio_guide,
    "Low Water 6": _add_low_water_6,
    "Low Water 7": _add_low_water,
    "Boatyard kit": _add_boatyard,
    "Slack Tide": _add_slack_tide,
    "Slack Tide, the record": _add_release,
    "Lantern Song": _add_on_air,
    "The Night Crossing": _add_crossing,
}


def _import(library: Library, job_id: str, file_name: str, samples: NDArray[np.float32], rate_hz: int) -> None:
    path = library.home.scratch / file_name
    soundfile.write(str(path), samples, rate_hz, subtype="PCM_24")
    task = wait_for(library, import_file.start_import(library, job_id, path, path.name))
    path.unlink()
    if task.state != "done":
        raise WorkFailed(f"the demo could not be imported: {task.error}")


def _two_lanes(job: Job) -> Job:
    """Return the job with the riff on a lane of its own, its first hit on bar 8 beat 4 of 96 beats a minute."""
    first, second = sorted(job.clips.values(), key=lambda clip: clip.id)
    job = set_lane(add_lane(job, "Bells").job, first.lane_id, LaneSettings(name="Piece")).job
    bells = next(lane for lane in job.lanes.values() if lane.name == "Bells")
    grid = Grid(pieces.BPM)
    hit = beat_frame(grid, pieces.RIFF_STARTS_BEAT, rate_hz=job.rate_hz)
    first_hit = round(pieces.RIFF_AIR_S * job.rate_hz)
    riff = replace(
        second, lane_id=bells.id, origin_frame=hit - first_hit, head_frame=first_hit - job.rate_hz // 2,
        tail_frame=second.tail_frame - job.rate_hz,
    )  # fmt: skip
    return replace(set_clips(job, riff), grid=grid)


def _named(job: Job, begins: list[tuple[int, str]]) -> Job:
    """Return the job with every clip named after the phrase that begins in it; the first, if several do."""

    def name(clip: Clip) -> str:
        return next((name for frame, name in begins if clip.head_frame <= frame < clip.tail_frame), clip.name)

    return replace(job, clips={key: replace(clip, name=name(clip)) for key, clip in job.clips.items()})
