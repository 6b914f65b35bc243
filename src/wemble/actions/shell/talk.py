"""What the shell does with a conversation: a file for each speaker."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from functools import partial
from pathlib import Path
from typing import Any

from wemble.actions.shell.files import Opened, opened_file
from wemble.actions.work.executor import Report, part_of
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.speaker import find_said, propose_for_speaker
from wemble.core.signal.bleed import Heard, heard_of_each_other
from wemble.errors import InvalidInput


def find_speakers(paths: Sequence[Path], recipe: Recipe | None, report: Report) -> list[dict[str, Any]]:
    """Return of each lane what is kept because it is the one that speaks, rooms included, in frames of its file.

    The lanes start together. Raises `InvalidInput` for fewer than two.
    """
    if len(paths) < 2:
        raise InvalidInput("who speaks shows only between lanes: name the file of every speaker")
    if missing := [path for path in paths if not path.is_file()]:
        raise InvalidInput(f"{missing[0]}: there is no such file")
    with ExitStack() as stack:
        lanes: list[Opened] = []
        for number, path in enumerate(paths):
            reading = part_of(report, 0.6 * number / len(paths), 0.6 * (number + 1) / len(paths))
            rate_hz = lanes[0].source.rate_hz if lanes else 0
            lanes.append(stack.enter_context(opened_file(path, reading, rate_hz=rate_hz)))
        rows = []
        for path, lane, heard in zip(paths, lanes, _heard(lanes, part_of(report, 0.6, 1.0)), strict=True):
            floor = lane.source.floors.floor
            said = find_said(lane.measured.envelope, floor, heard, recipe or propose_for_speaker(floor))
            rows.append(
                {
                    "file": str(path),
                    "sample_rate_hz": lane.source.rate_hz,
                    "frames": lane.source.frames,
                    "spans": said.found.spans.tolist(),
                }
            )
        return rows


def _heard(lanes: Sequence[Opened], report: Report) -> list[Heard]:
    rate_hz = lanes[0].source.rate_hz
    return heard_of_each_other(
        [partial(lane.reader.read, lane.source.id, rate_hz) for lane in lanes],
        max(-(-lane.source.frames * rate_hz // lane.source.rate_hz) for lane in lanes),
        rate_hz,
        [lane.source.floors.floor.sound_db for lane in lanes],
        lambda part: report(part, "listening to what the lanes hear of each other"),
    )
