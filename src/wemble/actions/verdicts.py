"""Verdicts of every edge of a job, computed once for each edge and its surroundings."""

from __future__ import annotations

from dataclasses import dataclass

from wemble.actions.library import Library
from wemble.core.briefs import record
from wemble.core.check.edges import Verdict, edge_of, edge_verdicts, gravest_first, sentence, within_verdict
from wemble.core.check.hits import HIT_CHECKS, doubt_verdict, hit_verdicts
from wemble.core.check.join import join_verdicts
from wemble.core.check.programme import Found, end_verdict, outside_verdict
from wemble.core.check.table import Check
from wemble.core.edges.recipe import Recipe
from wemble.core.edit.marks import programme
from wemble.core.edit.model import Clip, Decision, Job, Join, Side
from wemble.core.edit.placement import continued_edges, in_time_order, laid_over, turned_clips
from wemble.core.edit.review import crossfade_lengths, decision_of
from wemble.core.render.plan import audible_lanes

OWN_CHECKS: frozenset[Check] = frozenset({"click", "air"})
"""What is asked of the edges of what a lane has of its own."""
FADED_CHECKS: frozenset[Check] = frozenset({"attack", "tail"})
"""What a fade over an overlap does on purpose."""
_SIDES: tuple[Side, Side] = ("head", "tail")


@dataclass(frozen=True, slots=True)
class ClipVerdicts:
    """All verdicts of a clip's two edges, the gravest of each first, and what a walk said of each edge as it is now."""

    clip_id: str
    verdicts: tuple[Verdict, ...]
    head_decision: Decision | None = None
    tail_decision: Decision | None = None

    @property
    def doubtful(self) -> bool:
        """Whether anything asks to be looked at."""
        return any(verdict.state != "fine" for verdict in self.verdicts)


def verdicts(library: Library, revision_id: int) -> list[ClipVerdicts]:
    """Return the verdicts of every clip that speaks, in time order."""
    job = library.job_at(revision_id)
    crossfades = crossfade_lengths(job)
    seamless = {*crossfades, *continued_edges(job)}
    joins = _own_joins(library, revision_id, job)
    over = laid_over(job)
    turned = turned_clips(job)  # their outer edges meet where the sound was continuous: only their crossfade is judged
    return [
        ClipVerdicts(
            clip.id,
            (
                *(
                    verdict
                    for side in _SIDES
                    if clip.id not in turned
                    for verdict in gravest_first(_edge(library, job, clip, side, (clip.id, side) in seamless))
                    if (clip.id, side) not in over or verdict.check not in FADED_CHECKS
                ),
                *joins.get(clip.id, ()),
            ),
            decision_of(clip, "head", crossfades),
            decision_of(clip, "tail", crossfades),
        )
        for clip in in_time_order(job)
        if clip.speaks
    ]


def count_to_look_at(library: Library, revision_id: int) -> int:
    """Return how many clips ask to be looked at: the one figure for start page, list and cards."""
    return sum(row.doubtful for row in verdicts(library, revision_id))


def _own_joins(library: Library, revision_id: int, job: Job) -> dict[str, list[Verdict]]:
    """Return the verdict of every join that a hand made, by the clip that goes. Those of a treatment are not listed."""
    found: dict[str, list[Verdict]] = {}
    for join in job.joins.values():
        left, right = job.clip(join.left_clip_id), job.clip(join.right_clip_id)
        if left.finding_id is None or left.finding_id != right.finding_id:

            def compute(join: Join = join) -> list[Verdict]:
                return join_verdicts(job, join, library.plan_at(revision_id), library.reader)

            found[left.id] = library.edge_verdicts.get((left, right, join), compute)
    return found


@dataclass(frozen=True, slots=True)
class ProgrammeDoubt:
    """Something about the programme as a whole, and where to look."""

    text: str
    job_frame: int
    clip_id: str | None


def programme_doubts(library: Library, revision_id: int) -> list[ProgrammeDoubt]:
    """Return what is wrong with the programme's bounds: a tail cut by its end, sound outside."""
    job = library.job_at(revision_id)
    if programme(job) is None:
        return []
    floors = {source.id: library.measured(source.id).floor.level_db for source in job.sources.values()}
    heard = audible_lanes(job)
    found = [end_verdict(job, library.plan_at(revision_id), library.reader, floors)]
    for clip in in_time_order(job):
        if clip.lane_id in heard:
            measured = library.measured(clip.source_id)
            found.append(outside_verdict(job, clip, measured.envelope, measured.floor))
    return [
        ProgrammeDoubt(_in_words(job, one), one.job_frame, one.clip_id)
        for one in found
        if one is not None and one.state != "fine"
    ]


def _in_words(job: Job, found: Found) -> str:
    words = sentence(found.check, found.state, found.figure)
    return f"“{job.clips[found.clip_id].name}”: {words}" if found.clip_id else words


def _edge(library: Library, job: Job, clip: Clip, side: Side, joined: bool) -> list[Verdict]:
    edge = edge_of(clip, side, joined=joined, source_frames=job.source(clip.source_id).frames)
    if clip.finding_id is None and edge.outside_frames == 0:  # the end of a recording that has not been cut
        return [] if clip.confidence is None else hit_verdicts(clip, job.source(clip.source_id).rate_hz, side)

    rate_hz = job.source(clip.source_id).rate_hz
    within = [] if joined else within_verdict(clip, side, rate_hz)  # what lies beyond a join is heard in it

    def compute() -> list[Verdict]:
        source = library.source(clip.source_id)
        return edge_verdicts(
            library.reads(clip.source_id),
            edge,
            rate_hz=rate_hz,
            floors=source.floors.at(edge.frame),
            under_peak_db=None if clip.confidence is not None else _under_peak_db(library, clip),
        )

    counts = record(job.brief).checks
    found = [one for one in library.edge_verdicts.get((clip.source_id, edge), compute) if one.check in counts]
    if clip.confidence is None:
        return [*found, *within]
    if _of_programme(job, clip):
        confidence, reason = (
            (clip.confidence, clip.reason) if side == "head" else (clip.end_confidence, clip.end_reason)
        )
        return [doubt_verdict(side, "start" if side == "head" else "end", confidence, reason), *found, *within]
    if _is_own(job, clip):  # beside its edges the others are heard: level says nothing there
        whose = [doubt_verdict("head", "whose", clip.confidence, clip.reason)] if side == "head" else []
        return [*whose, *(verdict for verdict in found if verdict.check in OWN_CHECKS)]
    of_hits = [verdict for verdict in found if verdict.check in HIT_CHECKS[side]]
    return [*hit_verdicts(clip, rate_hz, side), *of_hits, *within]


def _is_own(job: Job, clip: Clip) -> bool:
    """Say whether a clip was kept because it is its lane's own."""
    finding = job.findings.get(clip.finding_id or "")
    return finding is not None and isinstance(finding.recipe, Recipe) and finding.recipe.own_only


def _of_programme(job: Job, clip: Clip) -> bool:
    """Say whether a clip is the programme of a recording."""
    finding = job.findings.get(clip.finding_id or "")
    return finding is not None and isinstance(finding.recipe, Recipe) and finding.recipe.reach == "programme"


def _under_peak_db(library: Library, clip: Clip) -> float | None:
    """Return how much quieter a clip's sound is than the loudest of its source, from the envelope."""
    if clip.sound_start_frame is None or clip.sound_end_frame is None:
        return None
    measured = library.measured(clip.source_id)
    part = measured.envelope.part(clip.sound_start_frame, clip.sound_end_frame)
    return measured.floor.peak_db - float(part.level_db.max(initial=measured.floor.level_db))
