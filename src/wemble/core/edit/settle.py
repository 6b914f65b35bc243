"""What hangs on clips, put right after every edit: crossfades whose clips no longer meet go, marks stay with their sound, cues too."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.arrange import abuts
from wemble.core.edit.changes import not_the_same
from wemble.core.edit.clips import Edited
from wemble.core.edit.cues import settle_cues
from wemble.core.edit.marks import reattach_marks
from wemble.core.edit.model import FARTHEST_FRAME, Job, Join
from wemble.core.edit.placement import end_of, start_of
from wemble.errors import InvalidInput


def settled(before: Job, edited: Edited) -> Edited:
    """Return what an edit of ``before`` leaves, its crossfades, marks and cues in order, and the notes with what that changed.

    A crossfade whose clips no longer meet is removed and told; one that is longer than a clip of it now is shortens to that.
    `InvalidInput` if the edit put something years away from the start, as copies of copies of a long stretch do.
    """
    after = edited.job
    _check_places(before, after)
    touched = [join for join in after.joins.values() if not _is_untouched(before, after, join)]
    gone = {join.id for join in touched if not abuts(after, join) or not _longest(after, join)}
    fitted = {join.id: _fitted(after, join) for join in touched if join.id not in gone}
    notes = edited.notes
    if touched:
        joins = {key: fitted.get(key, join) for key, join in after.joins.items() if key not in gone}
        after = replace(after, joins=joins)
    if gone:
        notes += (f"{len(gone)} crossfade{'s' if len(gone) > 1 else ''} removed: the clips no longer meet",)
    return replace(edited, job=settle_cues(before, reattach_marks(before, after)), notes=notes)


def _check_places(before: Job, after: Job) -> None:
    clips = [clip.origin_frame for clip in not_the_same(before.clips, after.clips).values()]
    marks = [mark.end_frame or mark.frame for mark in not_the_same(before.marks, after.marks).values()]
    if any(abs(frame) >= FARTHEST_FRAME for frame in (*clips, *marks)):
        raise InvalidInput("that would lie years away from the start of the job; move things closer together first")


def _is_untouched(before: Job, after: Job, join: Join) -> bool:
    ends = (join.left_clip_id, join.right_clip_id)
    return join is before.joins.get(join.id) and all(after.clips.get(end) is before.clips.get(end) for end in ends)


def _longest(job: Job, join: Join) -> int:
    """Return the job frames of the shorter of a crossfade's clips."""
    clips = (job.clip(join.left_clip_id), job.clip(join.right_clip_id))
    return min(end_of(job, clip) - start_of(job, clip) for clip in clips)


def _fitted(job: Job, join: Join) -> Join:
    longest = _longest(job, join)
    if join.length_frames <= longest:
        return join
    lead = None if join.lead_frames is None else join.lead_frames * longest // join.length_frames
    return replace(join, length_frames=longest, lead_frames=lead)
