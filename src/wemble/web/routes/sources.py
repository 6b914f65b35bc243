"""What there is to know of a source."""

from __future__ import annotations

from wemble.actions import pictures
from wemble.core.signal.pyramid import TILE_BINS, bin_frames
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "GET", "/sources/<source_id>", answer=models.SourceInfo)
def source(source_id: str) -> models.SourceInfo:
    """Describe a source."""
    row = library().source(source_id)
    return models.SourceInfo(
        id=row.id,
        kind=row.kind,
        rate_hz=row.rate_hz,
        channels=row.channels,
        frames=row.frames,
        bin_frames=bin_frames(row.rate_hz),
        levels=pictures.levels(row.rate_hz, row.frames),
        tile_bins=TILE_BINS,
        peak=row.peak,
        floor_db=round(row.floors.floor.level_db, 1),
        floor_confidence=row.floors.floor.confidence,
        notes=list(row.notes),
    )
