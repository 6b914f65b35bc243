"""Every edit of the table, in random orders: the job stays one that could be, undo restores it, and no outcome moves unseen.

The outcomes are held still in ``pinned_edits.json``: whoever changes an edit on purpose looks at what moved, then writes
them anew with ``python -m tests.actions.test_pinned_edits``.
"""

from __future__ import annotations

import json
import random
import sys
from pathlib import Path

import pytest
from tests.actions.walks import THEMES, walked

from wemble.core.edit import edges
from wemble.core.edit.changes import applied, difference, reversed_changes
from wemble.core.edit.model import Job
from wemble.core.edit.validity import check_validity

PINNED = Path(__file__).with_name("pinned_edits.json")
WALKS = [(theme, seed) for theme, one in THEMES.items() for seed in range(one.walks)]


@pytest.mark.parametrize(("theme", "seed"), WALKS)
def test_edits_keep_a_job_possible_and_undone_and_do_what_they_did(theme: str, seed: int) -> None:
    def check(before: Job, after: Job) -> None:
        check_validity(after)
        for clip in after.clips.values():
            known = ((clip.starts_within, clip.sound_start_frame), (clip.ends_within, clip.sound_end_frame))
            assert all(b is None or (at is not None and b[0] <= at <= b[1]) for b, at in known), (
                "bounds of another edge"
            )
        assert applied(after, reversed_changes(difference(before, after))) == before

    assert walked(theme, seed, check) == json.loads(PINNED.read_text())[f"{theme} {seed}"]


@pytest.mark.parametrize("seed", range(100, 110))
def test_an_edge_goes_as_far_as_was_said_before(seed: int) -> None:
    rng, states = random.Random(seed), list[Job]()
    walked("anything", seed, lambda before, after: states.append(after))
    for job in (one for one in states if one.clips):
        ids = tuple(rng.sample(sorted(job.clips), min(len(job.clips), rng.randint(1, 3))))
        side, hold = rng.choice(["head", "tail"]), rng.choice(["length", "inner"])
        reach = edges.reach_of(job, ids, side, hold)  # type: ignore[arg-type]
        for by, frame, reason in (
            (-(10**9), reach.lowest_frame, reach.lowest_reason),
            (10**9, reach.highest_frame, reach.highest_reason),
        ):
            edited = edges.move_edges(job, ids, side, by, hold)  # type: ignore[arg-type]
            clip = edited.job.clips[ids[0]]
            assert (clip.head_frame if side == "head" else clip.tail_frame) == frame
            note, first = edited.notes[0], job.clips[ids[0]].name
            assert f"at {reason}" in note or f"at “{first}”: {reason}" in note


if __name__ == "__main__":
    rows = (f'"{theme} {n}": {json.dumps(walked(theme, n), indent=0, ensure_ascii=False)}' for theme, n in WALKS)
    PINNED.write_text("{\n" + ",\n".join(rows) + "\n}\n")
    sys.stdout.write(f"{len(WALKS)} walks written to {PINNED}\n")
