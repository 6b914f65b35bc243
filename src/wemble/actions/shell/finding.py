"""What ``wemble find`` does: the edges in files, in their own frames."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any

from wemble.actions.shell.opening import found_in, opened_file, unheard
from wemble.actions.shell.placing import shown_name
from wemble.actions.sources.decode import display_name
from wemble.actions.work.executor import Report, part_of
from wemble.core.edges.certainty import why
from wemble.core.edges.hit_doubts import is_coded
from wemble.core.edges.hits import find_hits, measure_take
from wemble.core.edges.onset import Hit, find_hit
from wemble.core.edges.programme import find_programme
from wemble.core.edges.recipe import HitRecipe, Recipe
from wemble.core.edges.search import as_found, noise_spans, propose
from wemble.core.edges.silence import Found
from wemble.core.kit.mic_set import Heard, find_in_set
from wemble.core.kit.strikes import files_of_hits, read_name
from wemble.core.shape.seams import Bars, find_seams
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput
from wemble.store.rows import SourceRow


def find_sound(path: Path, recipe: Recipe | None, report: Report = unheard) -> dict[str, Any]:
    """Return what is found in a file, in its own frames: spans with rooms, sounds without."""
    with opened_file(path, report) as opened:
        settings = recipe or propose(opened.source.floors.floor)
        found = found_in(opened, settings)
        floor = opened.source.floors.floor
        return {
            "file": str(path),
            "sample_rate_hz": opened.source.rate_hz,
            "frames": opened.source.frames,
            "spans": found.spans.tolist(),
            "sounds": found.sounds.tolist(),
            "edges": _edges(found, opened.source.rate_hz),
            "noise": noise_spans(opened.measured),
            "floor_db": round(floor.level_db, 2),
            "threshold_db": round(settings.threshold_dbfs(floor), 2),
        }


def find_whole(path: Path, recipe: Recipe | None, report: Report = unheard) -> dict[str, Any]:
    """Return the programme of a file, without rooms, in its own frames; none where nothing stands out of the floor.

    With a recipe also the span that it keeps, rooms included.
    """
    with opened_file(path, report) as opened:
        found = find_programme(opened.read, opened.measured.envelope)
        if found is None:
            raise InvalidInput("nothing in this file stands out of its floor; there is no programme to find")
        source = opened.source
        row = {
            "file": str(path),
            "sample_rate_hz": source.rate_hz,
            "frames": source.frames,
            "start_frame": found.start_frame,
            "start_lo_frame": found.start_within[0],
            "start_hi_frame": found.start_within[1],
            "end_frame": found.end_frame,
            "end_lo_frame": found.end_within[0],
            "end_hi_frame": found.end_within[1],
            "floor_db": found.floor_db,
            "start_confidence": found.start_confidence,
            "end_confidence": found.end_confidence,
            "reason": "; ".join(reason for reason in (found.start_reason, found.end_reason) if reason),
        }
        if recipe is not None:
            kept = as_found(found, recipe, rate_hz=source.rate_hz, head_frame=0, tail_frame=source.frames)
            row["span"] = kept.spans[0].tolist()
        return row


def find_onset(path: Path, recipe: HitRecipe | None = None) -> dict[str, Any]:
    """Return where a one-shot speaks and is over, in its own frames, with the confidence and its reason."""
    with opened_file(path) as opened:
        source = opened.source
        hit = find_hit(
            opened.read(0, source.frames), source.rate_hz, recipe or HitRecipe(), coded=is_coded(source.kind)
        )
        return _hit_row(path, source, hit)


def find_onsets_of_sets(paths: Sequence[Path], pattern: str, recipe: HitRecipe | None = None) -> list[dict[str, Any]]:
    """Return the same for files that are microphones of shared hits: one onset and one end a set, by the file's name.

    Raises
    ------
    InvalidInput
        If the pattern is wrong, or what sets two files apart cannot be explained.
    """
    rows: dict[Path, dict[str, Any]] = {}
    read = {path: read_name(display_name(shown_name(path)), pattern) for path in paths}
    named = {path: strike for path, strike in read.items() if strike is not None}
    for members in [*files_of_hits(named), *([path] for path in paths if path not in named)]:
        with ExitStack() as stack:
            opened = [stack.enter_context(opened_file(path)) for path in members]
            heard = [Heard(o.read(0, o.source.frames), o.source.rate_hz, coded=is_coded(o.source.kind)) for o in opened]
            found = find_in_set(heard, recipe or HitRecipe())
            for path, one, hit, lag in zip(members, opened, found.hits, found.lags_s, strict=True):
                row = _hit_row(path, one.source, hit)
                rows[path] = row | {"lag_s": round(lag, 7), "decided_by": str(members[found.decided_by])}
    return [rows[path] for path in paths]


def find_all_hits(path: Path, recipe: HitRecipe | None = None, report: Report = unheard) -> dict[str, Any]:
    """Return every hit of a take, in its own frames."""
    with opened_file(path, part_of(report, 0.0, 0.5)) as opened:
        source, read = opened.source, opened.read

        def reported(start: int, frames: int) -> Samples:
            report(0.5 + 0.45 * min(max(start, 0) / source.frames, 1.0), "finding")
            return read(start, frames)

        take = measure_take(reported, source.frames, source.rate_hz, coded=is_coded(source.kind))
        found = find_hits(take, recipe or HitRecipe(many=True))
        return {"file": str(path), "sample_rate_hz": source.rate_hz, "hits": [asdict(hit) for hit in found.hits]}


def find_loops(
    path: Path, near: tuple[int, int] | None, bpm: Fraction | None = None, count: int | None = None
) -> dict[str, Any]:
    """Return the candidates for a seamless loop, the best first, in the file's own frames; at a tempo of whole bars."""
    with opened_file(path) as opened:
        source = opened.source
        bars = None if bpm is None else Bars.at(bpm, source.rate_hz, count=count)
        candidates = find_seams(opened.read(0, source.frames), source.rate_hz, near=near, bars=bars)
        rows = [
            {
                "start_frame": seam.start_frame,
                "end_frame": seam.end_frame,
                "crossfade_frames": seam.crossfade_frames,
                "score": round(seam.score, 3),
            }
            for seam in candidates
        ]
        return {"file": str(path), "sample_rate_hz": source.rate_hz, "loops": rows}


def _edges(found: Found, rate_hz: int) -> list[dict[str, dict[str, Any]]]:
    """Return both edges of every sound: where each lies, between which frames with nine in ten, how likely it is that no more
    is cut than may be, and what keeps it from being known better."""
    edges = []
    for (start, end), (first, last, end_first, end_last), (sure, end_sure) in zip(
        found.sounds.tolist(), found.within.tolist(), found.confidence.tolist(), strict=True
    ):
        head = _edge(
            start, first, last, sure, why(*((a - b) * 1000.0 / rate_hz for a, b in ((start, first), (last, start))))
        )
        tail = _edge(
            end, end_first, end_last, end_sure,
            why(*((a - b) * 1000.0 / rate_hz for a, b in ((end_last, end), (end, end_first)))),
        )  # fmt: skip
        edges.append({"start": head, "end": tail})
    return edges


def _edge(frame: int, lo: int, hi: int, confidence: float, reason: str) -> dict[str, Any]:
    return {"frame": frame, "lo_frame": lo, "hi_frame": hi, "confidence": round(confidence, 3), "reason": reason}


def _hit_row(path: Path, source: SourceRow, hit: Hit) -> dict[str, Any]:
    return {
        "file": str(path),
        "sample_rate_hz": source.rate_hz,
        "onset_frame": hit.onset_frame,
        "onset_lo_frame": hit.onset_within[0],
        "onset_hi_frame": hit.onset_within[1],
        "end_frame": hit.end_frame,
        "end_lo_frame": hit.end_within[0],
        "end_hi_frame": hit.end_within[1],
        "confidence": round(hit.confidence, 2),
        "reason": hit.reason,
        "end_confidence": round(hit.end_confidence, 2),
        "end_reason": hit.end_reason,
    }
