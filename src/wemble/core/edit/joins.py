"""Crossfades between clips that abut. They use handles, and move nothing."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.arrange import side_of_cut
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job, Join
from wemble.core.edit.placement import end_of, is_turned, start_of
from wemble.core.shape.crossfade import LAWS, Law
from wemble.errors import InvalidInput


def set_join(
    job: Job, left_id: str, right_id: str, length_frames: int, law: Law, lead_frames: int, bend: float = 0.0
) -> Edited:
    """Put a crossfade of job frames on the cut between two clips, ``lead_frames`` of it before the cut.

    An edge has one crossfade: it takes the place of any other on one of the two.

    Raises
    ------
    InvalidInput
        If the clips do not abut, if there is too little source beyond the cut (``details`` has how many frames there
        are on each side, and what fits before, around and after the cut), or if it would reach past a clip's other end.
    """
    left, right = job.clip(left_id), job.clip(right_id)
    if left.lane_id != right.lane_id or end_of(job, left) != start_of(job, right):
        raise InvalidInput(f"“{left.name}” and “{right.name}” do not meet; only clips that abut can have a crossfade")
    _check_numbers(length_frames, lead_frames, law, bend)
    _check_handles(job, left, right, length_frames, lead_frames)
    _check_inside(job, left, right, length_frames, lead_frames)
    old = next((j for j in job.joins.values() if j.left_clip_id == left_id and j.right_clip_id == right_id), None)
    number = job.next_number
    join = Join(old.id if old else f"j{number}", left_id, right_id, length_frames, law, lead_frames, bend)
    others = {k: j for k, j in job.joins.items() if j.left_clip_id != left_id and j.right_clip_id != right_id}
    return Edited(replace(job, next_number=number + (old is None), joins={**others, join.id: join}))


def check_join(job: Job, join: Join) -> None:
    """Raise `InvalidInput` for a crossfade that its cut cannot have, whatever made it."""
    turned = is_turned(job.clip(join.left_clip_id), job.clip(join.right_clip_id))
    _check_numbers(join.length_frames, join.lead, join.law, join.bend, least=0 if turned else 1)
    longest = max(
        end_of(job, job.clip(key)) - start_of(job, job.clip(key)) for key in (join.left_clip_id, join.right_clip_id)
    )
    if join.length_frames > 2 * longest:
        raise InvalidInput("a crossfade is longer than its clips")


def _check_numbers(length_frames: int, lead_frames: int, law: Law, bend: float, *, least: int = 1) -> None:
    if length_frames < least or not 0 <= lead_frames <= length_frames or law not in LAWS or not -1.0 <= bend <= 1.0:
        raise InvalidInput("a crossfade needs at least one frame, a known law and a bend between −1 and +1")


def remove_join(job: Job, left_id: str, right_id: str) -> Edited:
    """Take a crossfade away; the cut stays where it is, and the fades that the edges had come back."""
    kept = {k: j for k, j in job.joins.items() if not (j.left_clip_id == left_id and j.right_clip_id == right_id)}
    return Edited(replace(job, joins=kept))


def _check_handles(job: Job, left: Clip, right: Clip, length: int, lead: int) -> None:
    there = side_of_cut(job, left, right)
    if there["tail"] >= length - lead and there["head"] >= lead:
        return
    fits = {"before": there["head"], "around": 2 * min(there["head"], there["tail"]), "after": there["tail"]}
    best = max(fits, key=lambda place: fits[place])
    offer = (
        f"{_ms(job, fits[best])} fit {'centred on' if best == 'around' else best} the cut"
        if fits[best]
        else "no crossfade fits; move the cut first"
    )
    raise InvalidInput(
        f"a crossfade of {_ms(job, length)} needs {_ms(job, length - lead)} of “{left.name}” after the cut and "
        f"{_ms(job, lead)} of “{right.name}” before it, and there are only {_ms(job, there['tail'])} and "
        f"{_ms(job, there['head'])}. {offer[0].upper()}{offer[1:]}",
        code="too_little_handle",
        details={"left_frames": there["tail"], "right_frames": there["head"], "fits": fits, "best": best},
    )


def _check_inside(job: Job, left: Clip, right: Clip, length: int, lead: int) -> None:
    before, after = end_of(job, left) - start_of(job, left), end_of(job, right) - start_of(job, right)
    for join in job.joins.values():
        if join.right_clip_id == left.id:
            before -= join.length_frames - join.lead
        if join.left_clip_id == right.id:
            after -= join.lead
    if lead > before or length - lead > after:
        raise InvalidInput(
            f"a crossfade of {_ms(job, length)} reaches past the other end of a clip; only {_ms(job, max(before, 0))} "
            f"before and {_ms(job, max(after, 0))} after the cut are free"
        )


def _ms(job: Job, frames: int) -> str:
    return f"{1000 * frames / job.rate_hz:.4g} ms"
