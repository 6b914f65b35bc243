"""The programme's marks, put around the sound that there is."""

from __future__ import annotations

from wemble.actions.library import Library
from wemble.core.edges.search import find, propose
from wemble.core.edit.clips import Edited
from wemble.core.edit.marks import set_programme
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import end_of, placed, start_of
from wemble.core.render.plan import audible_lanes
from wemble.errors import InvalidInput


def programme_from_sound(library: Library, job: Job) -> Edited:
    """Mark start and end of the programme around the first and the last sound, with the rooms that are proposed.

    Raises `InvalidInput` if no lane that can be heard has a sound on it.
    """
    heard = audible_lanes(job)
    spans = [_sound(library, job, clip) for clip in job.clips.values() if clip.lane_id in heard]
    found = [span for span in spans if span is not None]
    if not found:
        raise InvalidInput("no sound was found; import a recording, or set the marks by hand")
    return set_programme(job, min(start for start, _ in found), max(end for _, end in found))


def _sound(library: Library, job: Job, clip: Clip) -> tuple[int, int] | None:
    """Return the job frames from the first to the last sound of a clip, rooms included; none if it is quiet."""
    if clip.sound_start_frame is not None:
        return start_of(job, clip), end_of(job, clip)
    if not clip.speaks:
        return None
    measured = library.measured(clip.source_id)
    found = find(
        library.reads(clip.source_id),
        measured,
        propose(measured.floor),
        head_frame=clip.head_frame,
        tail_frame=clip.tail_frame,
    )
    if not len(found.spans):
        return None
    return placed(job, clip, int(found.spans[0, 0])), placed(job, clip, int(found.spans[-1, 1]))
