"""What hangs on clips, put right after every edit: crossfades whose clips no longer meet go, marks stay with their sound."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.arrange import abuts
from wemble.core.edit.clips import Edited
from wemble.core.edit.marks import reattach_marks
from wemble.core.edit.model import Job, Join


def settled(before: Job, edited: Edited) -> Edited:
    """Return what an edit of ``before`` leaves, its crossfades and marks in order, and the notes with what that changed."""
    after = edited.job

    def still_meets(join: Join) -> bool:
        ends = (join.left_clip_id, join.right_clip_id)
        untouched = join is before.joins.get(join.id) and all(after.clips.get(c) is before.clips.get(c) for c in ends)
        return untouched or abuts(after, join)

    kept = {key: join for key, join in after.joins.items() if still_meets(join)}
    gone = len(after.joins) - len(kept)
    notes = edited.notes
    if gone:
        after = replace(after, joins=kept)
        notes += (f"{gone} crossfade{'s' if gone > 1 else ''} removed: the clips no longer meet",)
    return replace(edited, job=reattach_marks(before, after), notes=notes)
