"""The plan of a show at a revision, what is wrong with it, and the bodies that its voices read, block by block."""

from __future__ import annotations

from dataclasses import dataclass

from wemble.actions.library import Library
from wemble.actions.show.rehearsing import known_peaks, missing_sources
from wemble.actions.verdicts import verdicts
from wemble.core.check.show import ShowFault, is_filled, peak_faults, show_faults
from wemble.core.edges.programme import find_programme, sharp_start
from wemble.core.edit.cues import in_running_order
from wemble.core.edit.placement import source_frame_from
from wemble.core.render import RenderPlan
from wemble.core.show.plan import RunSettings, ShowPlan, body_renderer, compile_show
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput, NotFound


@dataclass(frozen=True, slots=True)
class Show:
    """A show at a revision: its plan, and everything that will go wrong, a cue each."""

    plan: ShowPlan
    faults: list[ShowFault]


def plan_at(library: Library, revision_id: int, settings: RunSettings) -> ShowPlan:
    """Return the plan of a show, kept while it is asked for. Cues whose recording is gone say so."""
    job = library.job_at(revision_id)
    gone = missing_sources(library.home, job)

    def make() -> ShowPlan:
        for source in job.sources.values():
            library.reader.know(source.id, source.channels)
        return compile_show(job, library.reader, settings, gone)

    return library.shows.get((revision_id, settings, gone), make)


def show_at(library: Library, revision_id: int, settings: RunSettings) -> Show:
    """Return a show with its checks; peaks where a rehearsal of this revision found some."""
    job, plan = library.job_at(revision_id), plan_at(library, revision_id, settings)
    known = {cue.clip_id for cue, planned in zip(in_running_order(job), plan.cues, strict=True) if not planned.problem}
    clips = [job.clip(key) for key in known if key is not None]
    filled = {clip.id for clip in clips if is_filled(clip, library.measured(clip.source_id).envelope)}
    faults = show_faults(job, plan, _cut_tails(library, revision_id) if known else {}, filled)
    peaks = known_peaks(library, revision_id)
    return Show(plan, [*faults, *peak_faults(peaks or [], plan.rate_hz)])


@dataclass(frozen=True, slots=True)
class Pause:
    """A pause in a recording, in its frames: where the ring-out before it ends, and where the sound behind it starts."""

    first_end: int
    second_start: int


def pause_at(library: Library, revision_id: int, cue_id: str, job_frame: int) -> Pause:
    """Return the pause of a cue at a job frame: both of its ends found from the sound. Raises `InvalidInput` if there is none."""
    job = library.job_at(revision_id)
    cue = job.cue(cue_id)
    if cue.clip_id is None:
        raise InvalidInput(f"“{cue.name}” has no sound; put a recording under it first")
    clip = job.clip(cue.clip_id)
    here = source_frame_from(job, clip, job_frame)
    if not clip.head_frame < here < clip.tail_frame:
        raise InvalidInput(f"put the cursor into a pause of “{cue.name}”")
    read, levels = library.reads(clip.source_id), library.measured(clip.source_id).envelope
    before = find_programme(read, levels, head_frame=clip.head_frame, tail_frame=here)
    behind = find_programme(read, levels, head_frame=here, tail_frame=clip.tail_frame)
    if before is None or behind is None:
        side = "before" if before is None else "behind"
        raise InvalidInput(f"there is no sound {side} the cursor: put it into a pause between two sounds")
    rate = job.source(clip.source_id).rate_hz
    return Pause(min(before.end_frame, here), sharp_start(read, max(behind.start_frame, here), here, rate))


def body_block(library: Library, revision_id: int, key: str, block: int) -> Samples:
    """Return a block of a body, float32 (channels, frames); the last is shorter. Raises `NotFound` behind it."""

    def make() -> tuple[RenderPlan, int, int]:
        job, plan = library.job_at(revision_id), plan_at(library, revision_id, RunSettings())
        body = next((one for one in plan.bodies if one.key == key), None)
        if body is None:
            raise NotFound("this part of the show has changed; load it again")
        return body_renderer(job, in_running_order(job)[body.cue], body), body.lead + body.frames, plan.block_frames

    renderer, whole, block_frames = library.show_bodies.get((revision_id, key), make)
    start = block * block_frames
    if not 0 <= start < whole:
        raise NotFound("a cue has no sound there")
    return renderer.render(start, min(block_frames, whole - start), library.reader)


def _cut_tails(library: Library, revision_id: int) -> dict[str, float]:
    return {
        row.clip_id: verdict.figure
        for row in verdicts(library, revision_id)
        for verdict in row.verdicts
        if verdict.check == "tail" and verdict.state != "fine"
    }
