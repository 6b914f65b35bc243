"""Automatic fades for a whole job, on and off."""

from __future__ import annotations

from dataclasses import replace

from wemble.actions.library import Library
from wemble.core.check.edges import automatic_fade_frames, edge_of
from wemble.core.edges.recipe import Recipe
from wemble.core.edit.clips import Edited
from wemble.core.edit.edges import drop_automatic_fades, no_longer
from wemble.core.edit.fresh_edges import fresh_edges
from wemble.core.edit.model import Clip, Fade, Job, Side, set_clips
from wemble.core.edit.placement import continued_edges
from wemble.core.edit.review import crossfade_lengths
from wemble.core.signal.levels import ms_to_frames

_SIDES: tuple[Side, Side] = ("head", "tail")


def set_automatic_fades(library: Library, job: Job, on: bool) -> Edited:
    """Remove the automatic fades, or give one to every cut edge that has no fade of its own."""
    job = replace(job, auto_fades=on)
    return Edited(_with_fades(library, job) if on else drop_automatic_fades(job))


def with_fresh_fades(library: Library, before: Job, after: Job) -> Job:
    """Return a job in which the edges that an edit made have automatic fades, if the job's edges get them."""
    if not after.auto_fades:
        return after
    for clip_id, side in sorted(fresh_edges(before, after)):
        after = set_clips(after, _with_fade(library, after, after.clip(clip_id), side))
    return after


def _with_fades(library: Library, job: Job) -> Job:
    seamless = {*crossfade_lengths(job), *continued_edges(job)}
    faded = []
    for clip in job.clips.values():
        if clip.speaks:
            for side in _SIDES:
                if (clip.id, side) not in seamless:
                    clip = _with_fade(library, job, clip, side)
            faded.append(clip)
    return set_clips(job, *faded)


def _with_fade(library: Library, job: Job, clip: Clip, side: Side) -> Clip:
    source = job.source(clip.source_id)
    edge = edge_of(clip, side, joined=False, source_frames=source.frames)
    if edge.fade is not None or (clip.finding_id is None and edge.outside_frames == 0):
        return clip
    finding = job.findings.get(clip.finding_id or "")
    recipe = finding.recipe if finding else Recipe()
    asked = Fade(ms_to_frames(recipe.fade_ms, source.rate_hz), recipe.fade_shape)
    if not asked.length_frames:
        return clip
    frames = automatic_fade_frames(library.reads(clip.source_id), edge, asked, rate_hz=source.rate_hz)
    other = clip.fade_out if side == "head" else clip.fade_in
    room = clip.frames - (other.length_frames if other else 0)
    fade = no_longer(replace(asked, length_frames=frames), room) if frames else None
    return replace(clip, fade_in=fade) if side == "head" else replace(clip, fade_out=fade)
