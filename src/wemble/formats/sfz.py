"""SFZ maps: which sample sounds at which key and strength, out and in.

Source: the SFZ format (memory): ``loop_end`` and ``end`` are played, ``offset`` counts in frames, key 60 is middle C, strengths
go from 0 to 127.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

_HEADERS = re.compile(r"<(\w+)>")
_OPCODE = re.compile(r"(\w+)=(.*?)(?=\s+\w+=|\s*$)")


@dataclass(frozen=True, slots=True)
class Region:
    """One sample of a map. Spans are half-open here, whatever the format makes of them; frames of the file."""

    sample: str
    key: int
    low_strength: int = 0
    high_strength: int = 127
    mic: str = ""
    start_frame: int = 0
    end_frame: int | None = None
    loop: tuple[int, int] | None = None
    turn: int = 1
    turns: int = 1
    """Of samples that alternate on one key: which one this is, from 1, of how many."""


def write_sfz(regions: Sequence[Region], *, title: str) -> str:
    """Return a map as text: a group for each microphone, a region for each sample."""
    lines = [f"// {_plain(title)}", "<control>", "default_path="]
    for mic in dict.fromkeys(region.mic for region in regions):
        lines += ["", "<group>" + (f" group_label={_plain(mic)}" if mic else "")]
        for region in (one for one in regions if one.mic == mic):
            words = [
                f"sample={region.sample}",
                f"key={region.key}",
                f"lovel={region.low_strength}",
                f"hivel={region.high_strength}",
                f"pitch_keycenter={region.key}",
            ]
            if region.turns > 1:
                words += [f"seq_length={region.turns}", f"seq_position={region.turn}"]
            if region.start_frame:
                words.append(f"offset={region.start_frame}")
            if region.end_frame is not None:
                words.append(f"end={region.end_frame - 1}")
            if region.loop is not None:
                words += ["loop_mode=loop_sustain", f"loop_start={region.loop[0]}", f"loop_end={region.loop[1] - 1}"]
            else:
                words.append("loop_mode=one_shot")
            lines.append("<region> " + " ".join(words))
    return "\n".join(lines) + "\n"


def _plain(text: str) -> str:
    """Return text in which no reader of a map sees an opcode, a header or a comment."""
    return re.sub(r"[=<>/\s]+", " ", text).strip()


def read_sfz(text: str) -> list[Region]:
    """Return the regions of a map, with what their groups say; unknown opcodes are passed over."""
    regions: list[Region] = []
    inherited: dict[str, dict[str, str]] = {"global": {}, "group": {}}
    bare = re.sub(r"//[^\n]*", "", text)
    parts = _HEADERS.split(bare)
    for header, body in zip(parts[1::2], parts[2::2], strict=True):
        opcodes = dict(_opcodes(body))
        if header in inherited:
            inherited[header] = opcodes
            if header == "global":
                inherited["group"] = {}
        elif header == "region":
            regions.append(_region({**inherited["global"], **inherited["group"], **opcodes}))
    return regions


def _opcodes(body: str) -> Iterable[tuple[str, str]]:
    for line in body.splitlines():
        for match in _OPCODE.finditer(line.strip()):
            yield match[1], match[2].strip()


def _region(said: dict[str, str]) -> Region:
    loop = None
    if said.get("loop_mode", "").startswith("loop") and "loop_start" in said:
        loop = (int(said["loop_start"]), int(said["loop_end"]) + 1)
    return Region(
        sample=said.get("sample", ""),
        key=int(said.get("key", said.get("pitch_keycenter", "60"))),
        low_strength=int(said.get("lovel", "0")),
        high_strength=int(said.get("hivel", "127")),
        mic=said.get("group_label", ""),
        start_frame=int(said.get("offset", "0")),
        end_frame=int(said["end"]) + 1 if "end" in said else None,
        loop=loop,
        turn=int(said.get("seq_position", "1")),
        turns=int(said.get("seq_length", "1")),
    )
