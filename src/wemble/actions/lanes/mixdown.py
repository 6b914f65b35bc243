"""Mixing down: what sounds becomes one recording on a lane of its own, limited if that is asked for."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from wemble.actions.importing.made_source import MIXDOWN, Built, copy_digest, keep_source
from wemble.actions.library import Library
from wemble.actions.revisions import check_newest, edit_newest
from wemble.actions.sources.decode import described
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.edit.mixdown import lay_mix
from wemble.core.edit.model import Job, SourceUse, check_name
from wemble.core.render import RenderPlan
from wemble.core.render.limiter import Limiter, LimiterSettings
from wemble.core.render.plan import fold
from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.errors import InvalidInput
from wemble.formats.decode import Probe
from wemble.store import jobs
from wemble.store.files import FileReader, Home, SourceWriter, copy_path

BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class MixSettings:
    """How to mix down: into as many channels as the job has (0), or into 1 or 2, with a limiter or none.

    Into mono goes the mean of all channels, so that what is the same in all keeps its level.
    """

    name: str = "Mix"
    channels: int = 0
    limiter: LimiterSettings | None = None

    def __post_init__(self) -> None:
        check_name(self.name)
        if self.channels not in (0, 1, 2):
            raise InvalidInput(f"a mix can keep the job's channels, or have 1 or 2, not {self.channels}")


@dataclass(frozen=True, slots=True)
class Mixed:
    """What came of it: loudness in LUFS, true peak in dB; how far the limiter went and in how many seconds of it.

    ``steps_db`` is the lowest gain of every tenth of a second, where there was a limiter.
    """

    built: Built
    integrated_lufs: float | None
    true_peak_db: float
    limited_db: float
    limited_s: float
    steps_db: list[float]


def start_mixdown(library: Library, job_id: str, revision_id: int, settings: MixSettings) -> str:
    """Start mixing down what sounds, and return the task; when it is through, the mix is laid as one edit.

    Raises `InvalidInput` if nothing sounds.
    """
    check_newest(library, job_id, revision_id)
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
    job = library.job_at(revision_id)
    if not RenderPlan(job).end_frame:
        raise InvalidInput("there is nothing to mix down: every lane is empty or muted")

    def done(mixed: Mixed) -> dict[str, Any]:
        source = mixed.built.source
        made_of = next(iter(job.sources))
        use = SourceUse(source.id, settings.name, source.rate_hz, source.channels, source.frames, derived_from=made_of)
        with library.database.write() as db:
            keep_source(library, db, mixed.built, job.rate_hz)
            answer = edit_newest(library, job_id, "mix down", lambda newest: lay_mix(newest, use))
        figures = asdict(mixed)
        del figures["built"]
        return {**figures, "revision": answer.revision}

    request = {"revision": revision_id, **asdict(settings)}
    args = (library.home.root, job, settings)
    return start_task(library, row.id, "convert", "mixing down", request, mix_down, args, done)


def mix_down(report: Report, work: Path, root: Path, job: Job, settings: MixSettings) -> Mixed:
    """Render what sounds into a source of its own, from the start of the job. Runs in a worker."""
    home = Home(root)
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    plan, channels = RenderPlan(job), settings.channels or job.channels
    home.check_space(3 * plan.end_frame * channels * 4)
    limiter = Limiter(settings.limiter, job.rate_hz, channels) if settings.limiter else None
    meter = LoudnessMeter(job.rate_hz, channels)
    folder = work / "source"
    folder.mkdir()
    with SourceWriter(folder, rate_hz=job.rate_hz, channels=channels) as writer:
        for start, samples in plan.blocks(0, plan.end_frame, BLOCK_FRAMES, reader):
            mixed = fold(samples, channels)
            last = start + samples.shape[1] == plan.end_frame
            for block in [mixed] if limiter is None else [limiter.feed(mixed), *([limiter.finish()] if last else [])]:
                meter.feed(block)
                writer.write(block.T)
            report(0.95 * (start + samples.shape[1]) / plan.end_frame, "mixing down")
        bins = writer.finish()
    found = Probe(MIXDOWN, f"{MIXDOWN} 1", job.rate_hz, channels, writer.frames)
    source = described(folder, copy_digest(copy_path(folder, job.rate_hz)), found, writer, bins)
    reader.close()
    measured = meter.result()
    return Mixed(
        Built(source, folder),
        None if measured.integrated_lufs <= NOTHING_LUFS else round(measured.integrated_lufs, 2),
        round(measured.true_peak_db, 2),
        round(limiter.least_db, 2) if limiter else 0.0,
        round(limiter.limited_frames / job.rate_hz, 2) if limiter else 0.0,
        limiter.steps_db if limiter else [],
    )
