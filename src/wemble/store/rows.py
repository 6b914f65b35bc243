"""What a row of the database is in Python: sources, uploads, long work. `store.records` reads and writes them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from wemble.core.edges.floor import Floor
from wemble.core.edges.noise import STAYS, Noise
from wemble.core.edges.refine import BandFloors

TaskKind = Literal["import", "convert", "export", "check", "demo"]
TaskState = Literal["waiting", "running", "done", "failed", "cancelled", "interrupted"]


@dataclass(frozen=True, slots=True)
class Floors:
    """The floors of a source, at bin and at sample precision, and how its noise moves over them."""

    floor: Floor
    bands: BandFloors
    noise: Noise = STAYS

    def at(self, frame: int) -> BandFloors:
        """Return the floors at sample precision, at a frame."""
        return self.bands.lifted(*self.noise.lift_at(frame))


@dataclass(frozen=True, slots=True)
class SourceRow:
    """A source as it lies on disk."""

    id: str
    file_sha256: str
    decoder: str
    kind: str
    rate_hz: int
    channels: int
    frames: int
    peak: float
    floors: Floors
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class UploadRow:
    """A file on its way in; how much of it is there is the length of its part file."""

    id: str
    job_id: str
    name: str
    size_bytes: int


@dataclass(frozen=True, slots=True)
class TaskRow:
    """A piece of long work."""

    id: str
    job_id: str
    kind: TaskKind
    title: str
    state: TaskState
    progress: float
    doing: str
    request: dict[str, Any]
    result: dict[str, Any] | None
    error: dict[str, Any] | None
    created_at: float
    deleted_at: float | None = None
