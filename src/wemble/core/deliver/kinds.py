"""What can be delivered: how many files, of which kind, with which map. The names are those of the interface."""

from __future__ import annotations

from typing import Literal

What = Literal["one", "each_clip", "each_section"]
"""One file; one for each clip with a sound in it; one for each section between marks."""

Deliverable = What | Literal["one_shots"]
"""The files above, or one-shots: each clip at its own source's rate, with its microphone's name."""

FileKind = Literal[
    "wav_16", "wav_24", "wav_float", "aiff_16", "aiff_24", "flac_16", "flac_24", "mp3", "ogg", "opus", "m4a"
]
MapKind = Literal["none", "cut", "offset"]
"""No map; a map of the samples as they are cut; a map of whole samples with start offsets."""
