"""A conversation as a whole: what belongs to it and what does not."""

from __future__ import annotations

import pytest

from wemble.core.edit.model import Clip, Job, Lane, SourceUse
from wemble.core.edit.talk import proposed_ends


def spoken(*spans_s: tuple[float, float]) -> tuple[Job, dict[str, float]]:
    """Return a job in which somebody speaks at these seconds, and every clip equally loud."""
    rate = 48_000
    source = SourceUse("s", "take", rate, 1, 600 * rate)
    clips = {
        f"c{n}": Clip(f"c{n}", "l", "s", "", round(a * rate), round(b * rate), 0) for n, (a, b) in enumerate(spans_s)
    }
    lanes = {"l": Lane("l", "Host", 0)}
    return Job("talk", "podcast", rate, 1, sources={"s": source}, lanes=lanes, clips=clips), dict.fromkeys(clips, -20.0)


TALK = tuple((20.0 + 6.0 * n, 24.5 + 6.0 * n) for n in range(20))


@pytest.mark.parametrize(
    ("before", "behind", "kept", "doubts"),
    [
        ((), (), (20.0, 138.5), ("", "")),
        (((12.0, 13.0), (14.0, 16.5)), ((142.0, 144.0),), (20.0, 138.5), ("", "")),  # a count-in, chatter
        (((9.0, 11.0), (13.2, 14.0), (16.1, 17.0)), (), (20.0, 138.5), ("", "")),  # pauses of 2 s inside the count-in
        (((12.0, 16.5),), (), (12.0, 138.5), ("as long", "")),  # a first phrase like any other
        ((), ((141.0, 146.0), (148.5, 153.0)), (20.0, 153.0), ("", "as long")),
        (((14.0, 15.0), (16.0, 17.4)), (), (14.0, 138.5), ("no longer", "")),  # no pause that is longer than the talk's
    ],
)  # fmt: skip
def test_a_count_in_is_told_from_a_first_phrase_and_what_is_doubtful_stays(
    before: tuple[tuple[float, float], ...], behind: tuple[tuple[float, float], ...], kept: tuple[float, float],
    doubts: tuple[str, str],
) -> None:  # fmt: skip
    talk = [(a, b) for a, b in TALK if not (doubts[0] == "no longer" and 60 < a < 66)]
    job, levels = spoken(*before, *talk, *behind)
    ends = proposed_ends(job, levels)
    assert (ends.start_frame / 48_000, ends.end_frame / 48_000) == pytest.approx(kept)
    for doubt, found in zip(doubts, (ends.start_doubt, ends.end_doubt), strict=True):
        assert bool(doubt) == bool(found) and doubt in found
    soft = {key: level - 20.0 * (n < len(before)) for n, (key, level) in enumerate(levels.items())}
    if doubts[0] == "as long":  # somebody in the next room, as long as a phrase: it goes
        assert not proposed_ends(job, soft).start_doubt and proposed_ends(job, soft).start_frame == 20 * 48_000
