"""What a file says of itself: title, who made it, and the like."""

from __future__ import annotations

from dataclasses import dataclass, fields

from wemble.errors import InvalidInput

LONGEST_TAG = 2_000
HIGHEST_NUMBER = 65_535
"""What an MP4 file has room for (its ``trkn`` atom, 16 bits each)."""


@dataclass(frozen=True, slots=True)
class Tags:
    """Tags of a file; empty ones are left out. ``cover`` names a picture that was given (`Home.pictures`).

    ``id3_minor`` is the version of ID3v2 for MP3, WAV and AIFF: 3 is read by more, 4 keeps text as UTF-8.
    """

    title: str = ""
    artist: str = ""
    album: str = ""
    number: str = ""
    year: str = ""
    genre: str = ""
    comment: str = ""
    cover: str = ""
    id3_minor: int = 4
    isrc: str = ""
    barcode: str = ""

    def __post_init__(self) -> None:
        if self.id3_minor not in (3, 4):
            raise InvalidInput(f"ID3v2 is written as version 3 or 4, not {self.id3_minor}")
        for one in fields(self):
            value = getattr(self, one.name)
            if isinstance(value, str) and (
                len(value) > LONGEST_TAG or any(ord(c) < 32 and c not in "\n\t" for c in value)
            ):
                raise InvalidInput(f"the tag “{one.name}” must be plain text of at most {LONGEST_TAG:,} characters")
        digits = [part for part in self.number.split("/") if part.isdecimal()]
        if any(int(part) > HIGHEST_NUMBER for part in digits):
            raise InvalidInput(f"a track number goes up to {HIGHEST_NUMBER:,}, this one is {self.number}; correct it")

    @property
    def empty(self) -> bool:
        """Whether there is nothing to write."""
        return not any(getattr(self, one.name) for one in fields(self) if one.name != "id3_minor")
