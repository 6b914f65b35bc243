"""What each lane has of its own: measured once for the recordings as they lie, kept beside the sources."""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace
from functools import partial
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.edges.speaker import OwnSound, own_sound
from wemble.core.edit.hearing import as_heard
from wemble.core.edit.model import Clip, Job, Lane
from wemble.core.edit.placement import job_span
from wemble.core.edit.treatment import base_of
from wemble.core.render import RenderPlan
from wemble.core.signal.bleed import heard_of_each_other
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput, NotFound
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, move_into_place
from wemble.store.heard import read_heard, write_heard

UNHEARD = "lanes_unheard"


def as_recorded(job: Job) -> Job:
    """Return a job as its lanes were recorded: before every recipe, without gains, fades, lines and mutes."""
    before = as_heard(job, "original")
    clips = {
        key: replace(clip, gain_db=0.0, fade_in=None, fade_out=None, line=())
        for key, clip in before.clips.items()
        if before.is_recorded(clip)
    }
    lanes = {key: Lane(lane.id, lane.name, lane.position) for key, lane in before.lanes.items()}
    return replace(before, clips=clips, lanes=lanes, joins={}, marks={})


def lanes_with_recordings(job: Job) -> list[str]:
    """Return the lanes that could hear each other, from top to bottom."""
    return _order(as_recorded(job))


def own_sound_of(library: Library, job: Job, target_id: str) -> OwnSound:
    """Return a target made ready for finding what is said on its lane; kept, as a draft asks for it again and again.

    Raises
    ------
    NotFound
        With the code `UNHEARD`, until `start_listening` has been through.
    InvalidInput
        If the target was no speaker's recording, but made from them, or put in front of the talk or behind it.
    """
    base, recorded = base_of(job, target_id), as_recorded(job)
    key = _key(recorded)
    of_recording = f"before {target_id}" if target_id in job.findings else target_id
    if of_recording not in recorded.clips:
        raise InvalidInput(
            f"“{base.name}” is no recording of one speaker: keep anything over the threshold there, or search the recordings"
        )

    def make() -> OwnSound:
        folder = library.home.heard / key
        if not folder.is_dir():
            raise NotFound("what the lanes hear of each other has not been measured yet", code=UNHEARD)
        heard = read_heard(folder, _order(recorded).index(base.lane_id))
        part = library.measured(base.source_id).envelope.part(base.head_frame, base.tail_frame)
        clip = recorded.clips[of_recording]
        begins_s = (clip.origin_frame - job_span(recorded)[0]) / job.rate_hz
        first = base.head_frame // part.bin_frames * part.bin_frames
        return own_sound(part, heard, starts_s=begins_s + first / part.rate_hz)

    return library.own_sounds.get((key, base.lane_id, base.source_id, base.head_frame, base.tail_frame), make)


def start_listening(library: Library, job_id: str, revision_id: int) -> str:
    """Start measuring what the lanes hear of each other, and return the task: the one that does so already, if one does.

    Raises `InvalidInput` if there are not two lanes with recordings.
    """
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
        running = [task for task in records.list_tasks(db, job_id) if task.id in library.running]
    recorded = as_recorded(library.job_at(revision_id))
    key = _key(recorded)
    if (same := next((task for task in running if task.request.get("lanes") == key), None)) is not None:
        return same.id
    if len(_order(recorded)) < 2:
        raise InvalidInput("who speaks shows only between lanes: give each speaker's recording a lane of its own")
    levels = [_speech_db(library, recorded, lane_id) for lane_id in _order(recorded)]
    args = (library.home.root, recorded, levels)
    request = {"revision": revision_id, "lanes": key}
    return start_task(
        library, row.id, "check", "listening to the lanes", request, _listen, args, lambda done: {}, behind=True
    )


def _listen(report: Report, work: Path, root: Path, recorded: Job, speech_db: list[float]) -> None:
    """Measure, and move what was measured into place. Runs in a worker."""
    home = Home(root)
    reader = FileReader(home, {source.id: source.channels for source in recorded.sources.values()})
    first, end = job_span(recorded)
    plans = [RenderPlan(replace(recorded, clips=_on(recorded, lane_id))) for lane_id in _order(recorded)]

    def read(plan: RenderPlan, start: int, frames: int) -> Samples:
        return plan.render(first + start, frames, reader)

    heard = heard_of_each_other(
        [partial(read, plan) for plan in plans],
        end - first,
        recorded.rate_hz,
        speech_db,
        lambda part: report(0.98 * part, "listening to what the lanes hear of each other"),
    )
    folder = work / "heard"
    write_heard(folder, heard)
    home.heard.mkdir(exist_ok=True)
    move_into_place(folder, home.heard / _key(recorded))
    reader.close()


def _order(recorded: Job) -> list[str]:
    """Return the lanes with recordings, from top to bottom."""
    lanes = {clip.lane_id for clip in recorded.clips.values()}
    return sorted(lanes, key=lambda lane_id: (recorded.lanes[lane_id].position, lane_id))


def _on(recorded: Job, lane_id: str) -> dict[str, Clip]:
    return {key: clip for key, clip in recorded.clips.items() if clip.lane_id == lane_id}


def _key(recorded: Job) -> str:
    """Return a name for what lies on the lanes, and where: all of it may be moved together."""
    first = job_span(recorded)[0]
    lanes = [
        sorted(
            (c.source_id, c.head_frame, c.tail_frame, c.origin_frame - first) for c in _on(recorded, lane_id).values()
        )
        for lane_id in _order(recorded)
    ]
    return hashlib.sha256(json.dumps([recorded.rate_hz, recorded.channels, lanes]).encode()).hexdigest()[:32]


def _speech_db(library: Library, recorded: Job, lane_id: str) -> float:
    """Return how loud a lane's own speech is: that of its longest recording."""
    longest = max(_on(recorded, lane_id).values(), key=lambda clip: (clip.frames, clip.id))
    return library.measured(longest.source_id).floor.sound_db
