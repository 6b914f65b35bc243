"""How a job is sent."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from typing import Any, Literal

from wemble.core.deliver.kinds import Deliverable, FileKind, MapKind
from wemble.core.deliver.tags import Tags
from wemble.core.render.limiter import LimiterSettings
from wemble.errors import InvalidInput
from wemble.formats.encode import rate_for

LOWEST_RATE_HZ, HIGHEST_RATE_HZ = 8_000, 384_000

SOFTEST_LUFS, LOUDEST_LUFS = -50.0, -5.0
"""Between them loudness is asked for (our choice)."""


@dataclass(frozen=True, slots=True)
class Request:
    """How to send: one file, one a clip, or one a section, of what kind, under which names.

    ``channels`` and ``rate_hz`` of 0 keep those of the job, and of one-shots those of each source, whose depth goes with
    ``as_source``. Without a ``pattern`` names are the brief's usual ones, told apart where that takes more. ``clip_ids``
    are the only clips sent; empty means all. With one-shots goes a map, of the samples cut, or whole with start offsets.
    Without ``tags`` a file says nothing of itself. With ``chapters`` the section marks are written into the file, where its
    format has a place for them, and beside it as WebVTT and JSON. A ``limiter`` is the last step before the encoder;
    its ceiling, and ``loudness_lufs``, are those of the file, as it is decoded again.
    """

    kind: FileKind | Literal["as_source"] = "wav_24"
    what: Deliverable = "each_clip"
    pattern: str = ""
    kbps: int = 192
    channels: int = 0
    rate_hz: int = 0
    replace_this: str = ""
    replace_by: str = ""
    with_map: MapKind = "none"
    clip_ids: tuple[str, ...] = ()
    tags: Tags | None = None
    chapters: bool = False
    shortest_chapter_s: float = 10.0
    limiter: LimiterSettings | None = None
    loudness_lufs: float | None = None

    def __post_init__(self) -> None:
        if self.kind == "as_source" and self.what != "one_shots":
            raise InvalidInput("only one-shots can keep the format of their source; choose a format")
        if self.channels not in (0, 1, 2):
            raise InvalidInput(f"files can keep the job's channels, or have 1 or 2, not {self.channels}")
        if self.rate_hz and not LOWEST_RATE_HZ <= self.rate_hz <= HIGHEST_RATE_HZ:
            raise InvalidInput(
                f"a rate lies between {LOWEST_RATE_HZ:,} and {HIGHEST_RATE_HZ:,} Hz, not {self.rate_hz:,}"
            )
        if self.loudness_lufs is not None and not SOFTEST_LUFS <= self.loudness_lufs <= LOUDEST_LUFS:
            raise InvalidInput(
                f"a file can be sent at {SOFTEST_LUFS:g} to {LOUDEST_LUFS:g} LUFS, not at {self.loudness_lufs:g}"
            )
        if self.what == "one_shots" and self.loudness_lufs is not None:
            raise InvalidInput("one-shots keep their levels; their loudness is not measured")
        if self.clip_ids and self.what not in ("each_clip", "one_shots"):
            raise InvalidInput(
                "some clips by themselves can be sent as one file each; one file holds all that is heard"
            )

    @property
    def file_kind(self) -> FileKind:
        """The kind of every file, where there is one for all."""
        return "wav_24" if self.kind == "as_source" else self.kind

    @property
    def sound(self) -> dict[str, Any]:
        """What of it decides the samples of one file, as JSON holds it."""
        row = asdict(self)
        kept = {key: row[key] for key in ("kind", "kbps", "channels", "rate_hz", "limiter", "loudness_lufs")}
        return dict(json.loads(json.dumps(kept)))

    def channels_of(self, job_channels: int) -> int:
        """Return how many channels a file has."""
        return self.channels or job_channels

    def rate_of(self, rendered_hz: int) -> int:
        """Return the rate of a file of what is rendered at another."""
        return rate_for(self.file_kind, self.rate_hz or rendered_hz)
