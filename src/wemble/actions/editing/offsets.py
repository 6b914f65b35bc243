"""Taking a constant offset out of recordings: each becomes a recording of its own, and the one that came in stays."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from wemble.actions.importing.made_source import OFFSET_TAKEN_OUT, Built, copy_digest, keep_made
from wemble.actions.library import Library, new_id
from wemble.actions.sources.decode import described
from wemble.core.edit.clips import Edited
from wemble.core.edit.kit import recorded_as
from wemble.core.edit.model import Job, SourceUse
from wemble.core.signal.levels import Samples
from wemble.core.signal.offset import LEAST_OFFSET_DB, constant_offset
from wemble.formats.decode import Probe
from wemble.store.files import SourceWriter, copy_path
from wemble.store.rows import SourceRow

BLOCK_FRAMES = 1 << 18


def take_out_offset(library: Library, job: Job, clip_ids: tuple[str, ...]) -> Edited:
    """Take the constant offset out of the recordings of these clips, for all clips that use them. Without ids: of all."""
    asked = [job.clip(key) for key in clip_ids] or list(job.clips.values())
    chosen = [key for key in dict.fromkeys(c.source_id for c in asked) if job.source(key).derived_from is None]
    largest, freed = 0.0, 0
    for old in chosen:
        source = library.source(old)
        offset = constant_offset(_blocks(library, source), source.rate_hz)
        if not offset.any():
            continue
        new = _without(library, job, source, offset.astype(np.float32))
        job = recorded_as(job, old, SourceUse(new.id, job.source(old).name, new.rate_hz, new.channels, new.frames))
        largest, freed = max(largest, float(np.abs(offset).max())), freed + 1
    if not freed:
        return Edited(job, (f"no recording has an offset over {LEAST_OFFSET_DB:g} dB".replace("-", "−"),))
    db = f"{20.0 * np.log10(largest):.1f} dB".replace("-", "−")
    return Edited(job, (f"offset taken out of {freed} of {len(chosen)} recordings, up to {db}",))


def _blocks(library: Library, source: SourceRow) -> Iterator[Samples]:
    read = library.reads(source.id)
    for at in range(0, source.frames, BLOCK_FRAMES):
        yield read(at, min(BLOCK_FRAMES, source.frames - at))


def _without(library: Library, job: Job, source: SourceRow, offset: Samples) -> SourceRow:
    """Make a recording less its offset, and keep it like any other."""
    folder = library.home.scratch / f"offset-{new_id()}"
    folder.mkdir()
    with SourceWriter(folder, rate_hz=source.rate_hz, channels=source.channels) as writer:
        for block in _blocks(library, source):
            writer.write((block - offset[:, None]).T)
        bins = writer.finish()
    digest = copy_digest(copy_path(folder, source.rate_hz))
    probe = Probe(source.kind, f"{source.decoder}{OFFSET_TAKEN_OUT}", source.rate_hz, source.channels, source.frames)
    row = described(folder, digest, probe, writer, bins)
    keep_made(library, Built(row, folder), job.rate_hz)
    return row
