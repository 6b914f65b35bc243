"""A voice of a cue at another pitch, its length kept: rendered once into a recording of its own, never while a show runs."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import python_stretch
import soxr

from wemble.actions.importing.made_source import PITCH_SHIFTED, Built, copy_digest, keep_source
from wemble.actions.library import Library
from wemble.actions.revisions import check_newest, edit_newest
from wemble.actions.sources.decode import described
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.edit.clips import Edited
from wemble.core.edit.cues import set_voices
from wemble.core.edit.model import Job, SourceUse
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput
from wemble.formats.decode import Probe
from wemble.store.files import FileReader, Home, SourceWriter, copy_path

LONGEST_S = 1_200
"""The library shifts a recording as a whole, in memory (our choice)."""
_BLOCK = 1 << 16
_LIBRARY = "soxr and Signalsmith Stretch (python-stretch 0.3.1)"


def start_shifting(library: Library, job_id: str, revision_id: int, cue_id: str, voice: int, semitones: float) -> str:
    """Start shifting the pitch of a voice, and return the task; when it is through, the voice has it as one edit.

    Raises `InvalidInput` for no voice, no sound, or a recording too long to be shifted.
    """
    check_newest(library, job_id, revision_id)
    job = library.job_at(revision_id)
    cue = job.cue(cue_id)
    if cue.clip_id is None or not 0 <= voice < len(cue.voices):
        raise InvalidInput("choose the sound whose pitch is shifted")
    if semitones == 0.0 or not -24.0 <= semitones <= 24.0:
        raise InvalidInput("a pitch is shifted by up to 24 semitones, up or down; 0 is the sound as it is")
    source = job.source(job.clip(cue.clip_id).source_id)
    if source.frames > LONGEST_S * source.rate_hz:
        raise InvalidInput(
            f"“{source.name}” is longer than {LONGEST_S // 60} minutes: import the part that is needed by itself"
        )

    def done(built: Built) -> dict[str, object]:
        row = built.source
        name = f"{source.name}, {semitones:+g} semitones"
        use = SourceUse(row.id, name, row.rate_hz, row.channels, row.frames, derived_from=source.id)
        with library.database.write() as db:
            keep_source(library, db, built, job.rate_hz)
            answer = edit_newest(
                library, job_id, "shift the pitch", lambda newest: _shifted(newest, cue_id, voice, semitones, use)
            )
        return {"source_id": row.id, "revision": answer.revision}

    request = {"revision": revision_id, "shift": [cue_id, voice, semitones]}
    args = (library.home.root, source.id, source.rate_hz, source.channels, source.frames, semitones)
    return start_task(library, job_id, "convert", f"shifting {source.name}", request, shift_pitch, args, done)


def _shifted(job: Job, cue_id: str, voice: int, semitones: float, use: SourceUse) -> Edited:
    voices = list(job.cue(cue_id).voices)
    if voice >= len(voices):
        return Edited(job, ("the copy whose pitch was shifted is gone",))
    voices[voice] = replace(voices[voice], semitones=semitones, shifted_source_id=use.id)
    return set_voices(replace(job, sources={use.id: use, **job.sources}), cue_id, tuple(voices))


def shift_pitch(
    report: Report, work: Path, root: Path, source_id: str, rate_hz: int, channels: int, frames: int, semitones: float
) -> Built:
    """Shift the pitch of a whole recording; as many frames come out as go in, the same bits each time. Runs in a worker."""
    home = Home(root)
    home.check_space(3 * frames * channels * 4)
    reader = FileReader(home, {source_id: channels})
    report(0.0, "reading")
    whole = np.ascontiguousarray(reader.read(source_id, rate_hz, 0, frames))
    reader.close()
    report(0.1, "shifting the pitch")
    shifted = shifted_by(whole, rate_hz, semitones)
    folder = work / "source"
    folder.mkdir()
    with SourceWriter(folder, rate_hz=rate_hz, channels=channels) as writer:
        for at in range(0, frames, _BLOCK):
            writer.write(np.ascontiguousarray(shifted[:, at : at + _BLOCK].T))
            report(0.8 + 0.2 * at / frames, "storing")
        bins = writer.finish()
    digest = copy_digest(copy_path(folder, rate_hz))
    found = Probe(PITCH_SHIFTED, f"{_LIBRARY}, {semitones:+g} semitones", rate_hz, channels, writer.frames)
    row = described(folder, digest, found, writer, bins)
    return Built(row, folder)


def shifted_by(samples: Samples, rate_hz: int, semitones: float) -> Samples:
    """Return samples (channels, frames) at another pitch, float32, as many frames as there were.

    They are played slower or faster, which is exact in pitch, and then stretched back: shifting in one go was up to 22 cents off
    for low tones (measured with `bench/show.py`), this way it is under one.
    """
    ratio = 2.0 ** (semitones / 12.0)
    played = soxr.resample(np.ascontiguousarray(samples.T), rate_hz * ratio, rate_hz, quality="HQ")
    played = np.ascontiguousarray(played.T, dtype=np.float32)
    stretch = python_stretch.Signalsmith.Stretch()
    stretch.preset(samples.shape[0], rate_hz)
    stretch.setTimeFactor(played.shape[1] / samples.shape[1])
    stretched = np.asarray(stretch.process(played), np.float32)[:, : samples.shape[1]]
    missing = samples.shape[1] - stretched.shape[1]
    return np.pad(stretched, ((0, 0), (0, missing))) if missing else stretched
