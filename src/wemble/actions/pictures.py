"""Pictures of sound: tiles of the pyramid, finer ones reduced on demand, the finest the samples themselves."""

from __future__ import annotations

from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from wemble.actions.library import Library
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import end_of, job_span, start_of
from wemble.core.signal.levels import ms_to_frames
from wemble.core.signal.pyramid import STEP, TILE_BINS, bin_frames, min_max
from wemble.core.signal.spectra import TILE_COLUMNS, spectral_columns
from wemble.errors import InvalidInput
from wemble.store.files import read_level

_BEFORE_A_HIT_MS = 60.0


def tile(library: Library, source_id: str, frames_per_bin: int, index: int) -> bytes:
    """Return `TILE_BINS` bins from bin ``index · TILE_BINS`` on.

    ``frames_per_bin`` 1 gives samples, float32 (frames, channels); else lowest and highest, float16
    (bins, channels, 2). Levels are the level-1 bin times or divided by powers of `STEP`.

    Raises
    ------
    InvalidInput
        For a level that there is not.
    """
    source = library.source(source_id)
    width = bin_frames(source.rate_hz)
    first = index * TILE_BINS
    if index < 0 or first * frames_per_bin >= source.frames:
        raise InvalidInput(f"there is no tile {index} at {frames_per_bin} frames a bin")
    if frames_per_bin >= width:
        return read_level(library.home.source(source_id), frames_per_bin, source.channels, first, TILE_BINS)
    if frames_per_bin not in finer_levels(source.rate_hz):
        raise InvalidInput(f"there is no level of {frames_per_bin} frames a bin")
    start = first * frames_per_bin
    frames = min(TILE_BINS * frames_per_bin, source.frames - start)
    samples = library.reader.read(source_id, source.rate_hz, start, frames)
    if frames_per_bin == 1:
        return np.ascontiguousarray(samples.T).tobytes()
    bins = min_max(np.ascontiguousarray(samples), frames_per_bin=frames_per_bin)
    return np.ascontiguousarray(bins.transpose(1, 0, 2), dtype=np.float16).tobytes()


def job_picture(library: Library, revision_id: int, columns: int) -> bytes:
    """Return a small picture of a whole job: uint8 (columns,), the largest sample in each part, in 255ths of the loudest."""
    return library.job_pictures.get((revision_id, columns), partial(_job_picture, library, revision_id, columns))


def _job_picture(library: Library, revision_id: int, columns: int) -> bytes:
    job = library.job_at(revision_id)
    start, end = job_span(job)
    sizes = np.zeros(columns)
    per_column = max(end - start, 1) / columns
    for clip in job.clips.values():
        first, last = ((at - start) / per_column for at in (start_of(job, clip), end_of(job, clip)))
        at = np.arange(max(int(first), 0), min(int(np.ceil(last)), columns))
        if len(at):
            level, width = _coarse_level(library, clip.source_id, clip.frames // max(len(at), 1))
            edges = clip.head_frame + np.clip((np.append(at, at[-1] + 1) - first) / (last - first), 0, 1) * clip.frames
            bins = np.clip((edges // width).astype(int), 0, len(level) - 1)
            largest = [level[a : max(b, a + 1)].max() for a, b in pairwise(bins.tolist())]
            sizes[at] = np.maximum(sizes[at], np.array(largest) * 10.0 ** (clip.gain_db / 20.0))
    return np.round(sizes / max(float(sizes.max(initial=0.0)), 1e-9) * 255.0).astype(np.uint8).tobytes()


def _coarse_level(library: Library, source_id: str, frames_per_column: int) -> tuple[NDArray[np.float32], int]:
    """Return the largest sample of each bin of the coarsest level that still has a bin a column, and the bin's width."""
    source = library.source(source_id)
    stored = [width for width in levels(source.rate_hz, source.frames) if width >= bin_frames(source.rate_hz)]
    width = max((width for width in stored if width <= frames_per_column), default=stored[0])
    raw = read_level(library.home.source(source_id), width, source.channels, 0, -(-source.frames // width))
    bins = np.abs(np.frombuffer(raw, np.float16).reshape(-1, source.channels * 2).astype(np.float32))
    return np.asarray(bins.max(axis=1), np.float32), width


def heads(library: Library, revision_id: int, columns: int) -> tuple[list[tuple[str, int]], bytes]:
    """Return (clip id, source frame at which its picture begins), and the pictures, for the head wall.

    A file that is one hit is pictured from where it was searched, so that another setting needs no other picture; a hit
    of a take from a little before its head. Bytes: int8 (clips, columns, 2), lowest and highest of each millisecond in
    127ths of the largest of the pictured part; zeros behind its end.
    """
    job = library.job_at(revision_id)
    begins = [(clip.id, _pictured_from(library, job, clip)) for clip in job.clips.values() if clip.speaks]
    out = np.zeros((len(begins), columns, 2), np.int8)
    for row, (clip_id, start) in enumerate(begins):
        source_id = job.clip(clip_id).source_id
        out[row] = library.head_pictures.get(
            (source_id, start, columns), partial(_head, library, source_id, start, columns)
        )
    return begins, out.tobytes()


def _pictured_from(library: Library, job: Job, clip: Clip) -> int:
    finding = job.findings.get(clip.finding_id or "")
    if finding is None:
        return clip.head_frame
    if isinstance(finding.recipe, HitRecipe) and not finding.recipe.many:
        return finding.head_frame
    return max(clip.head_frame - ms_to_frames(_BEFORE_A_HIT_MS, library.source(clip.source_id).rate_hz), 0)


def _head(library: Library, source_id: str, start: int, columns: int) -> NDArray[np.int8]:
    rate = library.source(source_id).rate_hz
    width = max(round(rate / 1000), 1)
    samples = library.reader.read(source_id, rate, start, columns * width)
    picture = min_max(samples, frames_per_bin=width)
    low, high = picture[..., 0].min(axis=0), picture[..., 1].max(axis=0)
    size = max(float(np.abs(samples).max(initial=0.0)), 1e-9)
    return np.asarray(np.round(np.stack([low, high], axis=-1) / size * 127.0), np.int8)


def spectral_tile(library: Library, source_id: str, frames_per_column: int, index: int) -> bytes:
    """Return `TILE_COLUMNS` columns of the spectral picture, uint8 (columns, bands), the lowest band first.

    Raises `InvalidInput` for a level that there is not.
    """
    source = library.source(source_id)
    if frames_per_column not in levels(source.rate_hz, source.frames):
        raise InvalidInput(f"there is no level of {frames_per_column} frames a column")
    last = -(-source.frames // frames_per_column)
    columns = min(TILE_COLUMNS, last - index * TILE_COLUMNS)
    if index < 0 or columns < 1:
        raise InvalidInput(f"there is no tile {index} at {frames_per_column} frames a column")
    return spectral_columns(
        lambda start, frames: library.reader.read(source_id, source.rate_hz, start, frames),
        rate_hz=source.rate_hz,
        frames_per_column=frames_per_column,
        first_column=index * TILE_COLUMNS,
        columns=columns,
    ).tobytes()


def levels(rate_hz: int, frames: int) -> list[int]:
    """Return every level of a source, in frames a bin, the samples first."""
    stored = [bin_frames(rate_hz)]
    while -(-frames // stored[-1]) > STEP:
        stored.append(stored[-1] * STEP)
    return [*finer_levels(rate_hz), *stored]


def finer_levels(rate_hz: int) -> list[int]:
    """Return the levels below level 1, the samples first.

    Examples
    --------
    >>> finer_levels(48_000)
    [1, 4, 16, 64]
    """
    levels = [1]
    width = bin_frames(rate_hz)
    while width % STEP == 0 and width // STEP > 1:
        width //= STEP
        levels.append(width)
    return sorted(set(levels))
