"""Does the level hold through a join, and does one without a crossfade click?"""

from __future__ import annotations

import numpy as np

from wemble.core.check.click import CONTEXT_MS, seam_figure
from wemble.core.check.edges import Verdict, sentence
from wemble.core.check.table import state_of
from wemble.core.edit.model import Job, Join
from wemble.core.edit.placement import end_of, is_turned
from wemble.core.render.plan import RenderPlan
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.core.signal.reader import SampleReader

LEAST_MS = 40.0
MOST_MS = 1_000.0
_LEVEL_MS = 400.0


def join_verdicts(job: Job, join: Join, plan: RenderPlan, reader: SampleReader) -> list[Verdict]:
    """Say whether the level holds through a join, and of one without a crossfade whether it clicks; the gravest first."""
    level = _level_verdict(job, join, plan, reader)
    if join.length_frames:
        return [level]
    cut, around = end_of(job, job.clip(join.left_clip_id)), ms_to_frames(CONTEXT_MS, job.rate_hz)
    heard = plan.render(cut - around, 2 * around, reader)
    figure = round(seam_figure(heard, around, [heard[:, :around], heard[:, around:]], rate_hz=job.rate_hz), 1)
    state = state_of("click", figure)
    click = Verdict("tail", "click", state, figure, sentence("click", state, figure))
    return [level, click] if state == "fine" else [click, level]


def _level_verdict(job: Job, join: Join, plan: RenderPlan, reader: SampleReader) -> Verdict:
    """Say how far the level of the middle half of a crossfade lies outside that of its two surroundings.

    Each surrounding is as long as the crossfade, 40 ms to 1 s; a level between theirs is none to speak of, as one side
    may be louder by itself. Where the old ends of a turned loop meet, both sides are to be as loud as each other, over
    0.4 s. Told at the tail of the clip that goes.
    """
    turned = is_turned(job.clip(join.left_clip_id), job.clip(join.right_clip_id))
    least, most = ms_to_frames(LEAST_MS, job.rate_hz), ms_to_frames(MOST_MS, job.rate_hz)
    around = min(max(join.length_frames, ms_to_frames(_LEVEL_MS, job.rate_hz) if turned else least), most)
    start = end_of(job, job.clip(join.left_clip_id)) - join.lead
    middle = start + join.length_frames // 2
    half = max(min(join.length_frames, most) // 4, least // 4)
    inside = _level_db(plan.render(middle - half, 2 * half, reader))
    before = _level_db(plan.render(start - around, around, reader))
    after = _level_db(plan.render(start + join.length_frames, around, reader))
    low, high = min(before, after), max(before, after)
    figure = round(max(low - inside, inside - high, high - low if turned else 0.0, 0.0), 1)
    state = state_of("join", figure)
    return Verdict("tail", "join", state, figure, sentence("join", state, figure))


def _level_db(samples: Samples) -> float:
    return float(10.0 * np.log10(max(float(np.mean(np.square(samples, dtype=np.float64))), 1e-12)))
