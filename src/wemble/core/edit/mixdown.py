"""A mix laid on a lane of its own; what it was mixed of stays, muted."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job, Lane, SourceUse
from wemble.core.edit.placement import audible_lanes


def lay_mix(job: Job, mix: SourceUse) -> Edited:
    """Lay a mix that begins with the job on a new lane above the others, and mute the lanes that it was mixed of."""
    mixed = audible_lanes(job)
    lane = Lane(f"l{job.next_number}", mix.name, 0, role="mix")
    clip = Clip(f"c{job.next_number + 1}", lane.id, mix.id, mix.name, 0, mix.frames, 0)
    lanes = {
        key: replace(one, position=one.position + 1, muted=one.muted or key in mixed, solo=False)
        for key, one in job.lanes.items()
    }
    return Edited(
        replace(
            job,
            next_number=job.next_number + 2,
            sources={**job.sources, mix.id: mix},
            lanes={**lanes, lane.id: lane},
            clips={**job.clips, clip.id: clip},
        )
    )
