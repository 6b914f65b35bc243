"""Verdicts of every edge of a job, computed once for each edge and its surroundings."""

from __future__ import annotations

from dataclasses import dataclass

from wemble.actions.finding import reads
from wemble.actions.library import Library
from wemble.core.check.edges import Verdict, edge_of, edge_verdicts
from wemble.core.edit.model import Clip, Job, Side
from wemble.core.edit.placement import in_time_order

_SIDES: tuple[Side, Side] = ("head", "tail")


@dataclass(frozen=True, slots=True)
class ClipVerdicts:
    """All verdicts of a clip's two edges, the gravest first."""

    clip_id: str
    verdicts: tuple[Verdict, ...]

    @property
    def doubtful(self) -> bool:
        """Whether anything asks to be looked at."""
        return any(verdict.state != "fine" for verdict in self.verdicts)


def verdicts(library: Library, revision_id: int) -> list[ClipVerdicts]:
    """Return the verdicts of every clip that speaks, in time order."""
    job = library.job_at(revision_id)
    into = {join.right_clip_id for join in job.joins.values()}
    out_of = {join.left_clip_id for join in job.joins.values()}
    joined = {"head": into, "tail": out_of}
    return [
        ClipVerdicts(
            clip.id, tuple(v for side in _SIDES for v in _edge(library, job, clip, side, clip.id in joined[side]))
        )
        for clip in in_time_order(job)
        if clip.finding_id is not None and clip.speaks
    ]


def _edge(library: Library, job: Job, clip: Clip, side: Side, joined: bool) -> list[Verdict]:
    edge = edge_of(clip, side, joined=joined, source_frames=job.source(clip.source_id).frames)

    def compute() -> list[Verdict]:
        source = library.source(clip.source_id)
        return edge_verdicts(
            reads(library, clip.source_id),
            edge,
            rate_hz=source.rate_hz,
            floors=source.floors.bands,
            under_peak_db=_under_peak_db(library, clip),
        )

    return library.edge_verdicts.get((clip.source_id, edge), compute)


def _under_peak_db(library: Library, clip: Clip) -> float | None:
    """Return how much quieter a clip's sound is than the loudest of its source, from the envelope."""
    if clip.sound_start_frame is None or clip.sound_end_frame is None:
        return None
    measured = library.measured(clip.source_id)
    part = measured.envelope.part(clip.sound_start_frame, clip.sound_end_frame)
    return measured.floor.peak_db - float(part.level_db.max(initial=measured.floor.level_db))
