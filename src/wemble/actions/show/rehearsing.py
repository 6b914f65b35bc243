"""A show run without anybody: heard as one file with a mark at each cue, measured where its sum is over full scale."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from wemble.actions.delivery.sink import Sink
from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import EXPORT, start_task
from wemble.core.check.show import CEILING_DB, Peak, usual_presses
from wemble.core.deliver.names import safe_name
from wemble.core.edit.cues import in_running_order
from wemble.core.edit.model import Job, SourceUse
from wemble.core.show.mix import OfflineShow, ReadBody
from wemble.core.show.plan import RunSettings, ShowPlan, body_renderer, compile_show
from wemble.core.show.run import LONGEST_S, LogEntry, Press, run_to_rest
from wemble.core.signal.levels import Samples, from_db
from wemble.errors import InvalidInput
from wemble.formats.points import Point, append_points
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, copy_path, settle

_AFTER_S = 1.0
_PEAKS_APART_S = 2.0
_MOST_PEAKS = 200


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """What the operator presses, at which seconds; without a moment of GO one comes every ten seconds. ``length_s`` 0: to the end."""

    go_s: tuple[float, ...] = ()
    let_go_s: tuple[float, ...] = ()
    stop_s: float | None = None
    length_s: float = 0.0

    def __post_init__(self) -> None:
        moments = (*self.go_s, *self.let_go_s, *([] if self.stop_s is None else [self.stop_s]), self.length_s)
        if not all(0.0 <= moment <= LONGEST_S for moment in moments):
            raise InvalidInput(f"the moments of a rehearsal lie between 0 and {LONGEST_S:,} s")


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """What came of it: the file, its loudest sample, the places over full scale, what happened when, the hash of its samples."""

    files: list[str]
    folder_name: str
    frames: int
    peak_db: float
    peaks: list[Peak]
    log: list[LogEntry]
    sha256: str


def presses_of(plan: ShowPlan, rehearsal: Rehearsal) -> list[Press]:
    """Return what is pressed in a rehearsal, in order."""
    if not rehearsal.go_s:
        return usual_presses(plan)
    rate = plan.rate_hz
    pressed = [
        *(Press(round(at * rate), "go") for at in rehearsal.go_s),
        *(Press(round(at * rate), "let_go") for at in rehearsal.let_go_s),
        *([] if rehearsal.stop_s is None else [Press(round(rehearsal.stop_s * rate), "stop_all")]),
    ]
    return sorted(pressed, key=lambda press: press.frame)


def bodies_of(job: Job, plan: ShowPlan, reader: FileReader) -> ReadBody:
    """Return what reads the bodies of a show."""
    order = in_running_order(job)
    renderers = [body_renderer(job, order[body.cue], body) for body in plan.bodies]

    def read(body: int, start: int, frames: int) -> Samples:
        return renderers[body].render(start, frames, reader)

    return read


def start_rehearsal(
    library: Library, job_id: str, revision_id: int, rehearsal: Rehearsal, settings: RunSettings
) -> str:
    """Start running a show without anybody, and return the task. Raises `InvalidInput` for an empty running order."""
    job = library.job_at(revision_id)
    if not job.cues:
        raise InvalidInput("there are no cues: import sounds, or make cues of the clips")
    row = {"revision": revision_id, "rehearsal": asdict(rehearsal), "run": asdict(settings)}
    args = (library.home.root, job, rehearsal, settings, missing_sources(library.home, job))
    return start_task(library, job_id, "export", f"{job.name}, rehearsed", row, rehearse, args, asdict)


def missing_sources(home: Home, job: Job) -> frozenset[str]:
    """Return the recordings of a job whose working copy is not in the data folder any more, or not as long as it was."""
    return frozenset(key for key, source in job.sources.items() if not _is_there(home, source, job.rate_hz))


def _is_there(home: Home, source: SourceUse, rate_hz: int) -> bool:
    copy = copy_path(home.source(source.id), rate_hz)
    if not copy.is_file():
        return False
    return rate_hz != source.rate_hz or copy.stat().st_size == 4 * source.frames * source.channels


def rehearse(
    report: Report,
    work: Path,
    root: Path,
    job: Job,
    rehearsal: Rehearsal,
    settings: RunSettings,
    missing: frozenset[str],
) -> Rehearsed:
    """Run a show and write it as one 24-bit WAV with a mark at each cue. Runs in a worker."""
    home, folder = Home(root), work / EXPORT
    folder.mkdir()
    name = f"{safe_name(job.name)} rehearsal.wav"
    ran = render_show(report, home, job, rehearsal, settings, folder / name, missing)
    settle(folder)
    return Rehearsed([name], work.name, *ran)


def render_show(
    report: Report,
    home: Home,
    job: Job,
    rehearsal: Rehearsal,
    settings: RunSettings,
    path: Path,
    missing: frozenset[str],
) -> tuple[int, float, list[Peak], list[LogEntry], str]:
    """Write the offline run of a show; return frames, peak in dB, peaks over full scale, log, hash of the float samples."""
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    plan = compile_show(job, reader, settings, missing)
    presses = presses_of(plan, rehearsal)
    end = _end_of(plan, presses, rehearsal)
    show = OfflineShow(plan, bodies_of(job, plan, reader))
    digest, over = hashlib.sha256(), _Over(plan)
    home.check_space(end * plan.channels * 4)
    rate = plan.rate_hz
    with Sink(path, "wav_24", from_hz=rate, to_hz=rate, channels=plan.channels, frames=end) as sink:
        for start, samples in show.perform(presses, end):
            digest.update(np.ascontiguousarray(samples.T).tobytes())
            over.look(start, samples, lambda: tuple(plan.cues[one.cue].id for one in show.run.sounding))
            sink.write(samples, start)
            report(0.95 * start / max(end, 1), "running the show")
    fired = [entry for entry in show.run.log if entry.what == "fired" and entry.cue is not None]
    marks = [
        Point(e.frame, f"{plan.cues[e.cue or 0].number} {plan.cues[e.cue or 0].name}") for e in fired if e.frame < end
    ]
    append_points(path, marks, rate_hz=rate)
    reader.close()
    peak_db = round(float(20 * np.log10(max(sink.peak, 1e-10))), 2)
    return end, peak_db, over.peaks, show.run.log, digest.hexdigest()


def _end_of(plan: ShowPlan, presses: Sequence[Press], rehearsal: Rehearsal) -> int:
    """Return how long a rehearsal takes, in frames: as asked, else until all that ends has ended."""
    if rehearsal.length_s:
        return round(rehearsal.length_s * plan.rate_hz)
    longest = LONGEST_S * plan.rate_hz
    return min(run_to_rest(plan, presses).frame + round(_AFTER_S * plan.rate_hz), longest)


class _Over:
    """Where a run is over the ceiling, one place every so often."""

    def __init__(self, plan: ShowPlan):
        self._ceiling = float(from_db(CEILING_DB))
        self._apart = round(_PEAKS_APART_S * plan.rate_hz)
        self.peaks: list[Peak] = []

    def look(self, start: int, samples: Samples, cue_ids: Callable[[], tuple[str, ...]]) -> None:
        levels = np.abs(samples).max(axis=0)
        at = int(levels.argmax())
        if levels[at] <= self._ceiling or len(self.peaks) >= _MOST_PEAKS:
            return
        peak = Peak(start + at, round(float(20 * np.log10(levels[at])), 1), cue_ids())
        if self.peaks and peak.frame - self.peaks[-1].frame < self._apart:
            self.peaks[-1] = max(self.peaks[-1], peak, key=lambda one: one.peak_db)
        else:
            self.peaks.append(peak)


def known_peaks(library: Library, revision_id: int) -> list[Peak] | None:
    """Return what a rehearsal of a revision found over full scale; none if there was no rehearsal."""
    with library.database.read() as db:
        rows = records.list_tasks(db, jobs.get_revision(db, revision_id).job_id)
    for row in rows:
        if row.state == "done" and row.result and "rehearsal" in row.request and row.request["revision"] == revision_id:
            found: list[dict[str, Any]] = row.result["peaks"]
            return [Peak(one["frame"], one["peak_db"], tuple(one["cue_ids"])) for one in found]
    return None
