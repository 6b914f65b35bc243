"""Every edit of the table, in random orders: the job stays one that could be, undo restores it, and no outcome moves unseen.

The outcomes are held still in ``pinned_edits.json``: whoever changes an edit on purpose looks at what moved, then writes
them anew with ``python -m tests.actions.test_pinned_edits``.
"""

from __future__ import annotations

import inspect
import json
import random
import sys
import zlib
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from wemble.actions.editing.edits import TABLE
from wemble.core.check.hits import hit_verdicts
from wemble.core.deliver.shots import alone, joined, key_places, shot_fields, shot_loops, shots
from wemble.core.deliver.words import files_to_send, points_in, range_in_words, sentence
from wemble.core.edges.recipe import TREATMENTS, Recipe, Treatment
from wemble.core.edit import edges
from wemble.core.edit.arrange import LaneSettings
from wemble.core.edit.changes import applied, difference, reversed_changes
from wemble.core.edit.clips import Edited
from wemble.core.edit.cues import CueSettings
from wemble.core.edit.model import Clip, CueVoice, Echo, Grid, Job, Lane, SourceUse
from wemble.core.edit.placement import end_of, start_of
from wemble.core.edit.review import crossfade_lengths, decision_of
from wemble.core.edit.settle import settled
from wemble.core.edit.treatment import Sounds, apply_treatment, base_of, reverted, targets
from wemble.core.edit.validity import check_validity
from wemble.core.kit.strikes import Strike
from wemble.core.render import RenderPlan
from wemble.core.shape.curves import SHAPES
from wemble.core.signal.reader import cut
from wemble.errors import WembleError

PINNED = Path(__file__).with_name("pinned_edits.json")
SEEDS = range(60)
EDITS = 40
RATES = (48_000, 44_100, 96_000)
KINDS = [kind for kind in TABLE if not kind.measures]


CUE_SETTINGS = (
    CueSettings(number="4.5"),
    CueSettings(number="x"),
    CueSettings(name="Horn", start="after_end", wait_frames=48_000),
    CueSettings(passes=0, silent=True, group="Dock", page="12", note="wait for the lamp"),
    CueSettings(level_db=-12.0, length_frames=96_000, shape="linear", stops=True),
    CueSettings(to_nothing=True, target_id="all"),
    CueSettings(level_db=300.0),
)


def first_job() -> Job:
    """Return a job of three recordings at three rates on two lanes, one of them a hit of a kit."""
    sources = {f"s{n}": SourceUse(f"s{n}", f"take {n}", rate, 1 + n % 2, 6 * rate + n) for n, rate in enumerate(RATES)}
    for n, rate in enumerate(RATES):
        sources[f"t{n}"] = SourceUse(f"t{n}", "room tone", rate, 1, 2 * rate, derived_from=f"s{n}")
    clips = {
        f"c{n}": Clip(f"c{n}", f"l{min(n, 1)}", f"s{n}", f"take {n}", 0, 6 * rate + n, n * 400_000)
        for n, rate in enumerate(RATES)
    }
    clips["c2"] = replace(
        clips["c2"],
        strike=Strike("snare", 38, "soft", "near", 1),
        confidence=0.4,
        reason="rises slowly",
        sound_start_frame=9_000,
        sound_end_frame=200_000,
    )
    lanes = {"l0": Lane("l0", "lane 1", 0), "l1": Lane("l1", "lane 2", 1)}
    return Job("pinned", "drums", 48_000, 2, 100, True, None, sources, lanes, clips)


def arguments(rng: random.Random, job: Job, names: list[str]) -> dict[str, Any]:
    """Return arguments for an edit, by the names of its parameters: mostly sensible, at times far off."""
    clip = rng.choice(sorted(job.clips.values(), key=lambda one: one.id))
    frames = job.sources[clip.source_id].frames
    inside = rng.choice([clip.head_frame, clip.tail_frame, rng.randint(0, frames), clip.head_frame + clip.frames // 2])
    here = rng.choice(
        [
            start_of(job, clip),
            end_of(job, clip),
            rng.randint(0, 1_200_000),
            (start_of(job, clip) + end_of(job, clip)) // 2,
        ]
    )
    mark = rng.choice(sorted(job.marks) or ["none"])
    starts = {(one.lane_id, start_of(job, one)): one.id for one in job.clips.values()}
    pairs = [
        (one.id, starts[one.lane_id, end_of(job, one)])
        for one in job.clips.values()
        if (one.lane_id, end_of(job, one)) in starts
    ]
    length = rng.choice([0, 1, 480, 4_800, rng.randint(1, 48_000)])
    of_source = "crossfade_frames" in names  # a loop's places are the source's, others the job's
    settings = [LaneSettings(gain_db=-3.0), LaneSettings(pan=0.5), LaneSettings(muted=True), LaneSettings(solo=True)]
    cue = rng.choice(sorted(job.cues) or ["none"])
    voice = CueVoice(rng.choice([0, 4_800]), -3.0, -3.0, echo=rng.choice([None, Echo(9_600, 0.5, -6.0)]))
    split_at = clip.head_frame + clip.frames // 3, clip.head_frame + clip.frames // 2
    values: dict[str, Any] = {
        "what": rng.choice(["sound", "fade", "stop", "note"]), "after_id": rng.choice([None, cue]), "cue_id": cue,
        "target_id": rng.choice(["", "all", cue, "q9999"]), "cue_ids": (cue,), "before_id": rng.choice([None, cue]),
        "voices": rng.choice([(voice,), (CueVoice(), voice), (), (CueVoice(left_db=-3.0),)]),
        "boundary": rng.choice(["ask", "first", "second"]), "does": rng.choice(["", "lamps 40"]), "job_frame": here,
        "passes": rng.choice([0, 1, 4]),
        "first_end": split_at[0], "second_start": rng.choice(split_at),
        "clip_id": clip.id,
        "clip_ids": tuple(sorted({clip.id, *rng.sample(sorted(job.clips), min(len(job.clips), rng.randint(0, 2)))})),
        "side": rng.choice(["head", "tail"]), "source_frame": inside, "hold": rng.choice(["length", "inner"]),
        "by_frames": rng.choice([-480, 1, 4_800, rng.randint(-200_000, 200_000)]), "length_frames": length,
        "shape": rng.choice(SHAPES), "bend": rng.choice([0.0, 0.5, -1.0]),
        "points": rng.choice([(), ((0.3, 0.1), (0.7, 0.8))]), "gain_db": rng.choice([0.0, -6.0, 12.0, 300.0]),
        "line": tuple((at, rng.uniform(-20.0, 6.0)) for at in sorted({rng.randint(0, frames) for _ in range(3)})),
        "source_id": rng.choice(["s0", "s1", "s2"]), "name": rng.choice(["verse", "", "x" * 300, "a/b"]),
        "at_frame": inside if of_source else here, "to_lane_id": rng.choice([None, *sorted(job.lanes)]),
        "to_frame": here, "close": rng.choice(["no", "lane", "all"]), "lane_id": rng.choice(sorted(job.lanes)),
        "pairs": tuple(rng.sample(pairs, 1)) if pairs else (("c0", "c1"),),
        "settings": rng.choice([*settings, LaneSettings(pan=2.0)]) if "lane_id" in names else rng.choice(CUE_SETTINGS),
        "law": rng.choice(["equal_gain", "equal_power", "matched"]), "lead_frames": rng.randint(0, max(length, 1)),
        "start_frame": inside if of_source else rng.choice([here, 0, 48_000]),
        "end_frame": min(inside + 30_000, frames) if of_source else rng.choice([here, 900_000]),
        "frame": inside if "clip_id" in names and not {"name", "point"} & {*names} else here, "mark_id": mark, "mark_ids": (mark,),
        "grid": rng.choice([None, Grid(120), Grid(174, 2, 3, 4_800), Grid(0)]), "bars": rng.randint(1, 8),
        "beats_a_bar": rng.randint(2, 7), "bar": rng.randint(1, 6), "beat": rng.randint(1, 4),
        "move": rng.choice(["clip", "audio"]), "crossfade_frames": length, "ends": None,
        "lane_ids": rng.choice([(), ("l0",), tuple(sorted(job.lanes)[:2])]),
        "walk": rng.choice(["", "monday"]), "decision": rng.choice(["accepted", "sent_back", None]),
        "by_db": 12.0, "attack_s": 0.2, "release_s": 0.5, "link": rng.choice(["", "https://example.org"]),
        "picture": rng.choice(["", "0a1b", "../x"]), "gap_frames": rng.choice([None, 0, 96_000]) if names == ["gap_frames"]
        else rng.choice([0, 48_000]), "title": rng.choice([None, "Ebb"]), "performer": rng.choice([None, "Ferry House"]),
        "isrc": rng.choice([None, "QZ-A1B-26-00001", "nothing"]), "overlap_frames": rng.choice([0, 24_000, 9_000_000]),
        "point": rng.choice(["begins", "singing", "hook", "next"]),
        "longest_frames": rng.choice([0, 4_800, 48_000]), "part": rng.choice([0.0, 0.5]),
    }  # fmt: skip
    return {name: values[name] for name in names}


def treat(rng: random.Random, job: Job) -> Edited:
    """Find again with made-up sounds, with any treatment."""
    target = rng.choice(targets(job) or ["none"])
    base = base_of(job, target)
    if base.tail_frame - base.head_frame < 100:
        return Edited(job)
    ends = sorted(rng.sample(range(base.head_frame, base.tail_frame), 8))
    spans = tuple((ends[n], ends[n + 1]) for n in range(0, 8, 2))
    sounds = tuple((a + (b - a) // 4, b - (b - a) // 4) for a, b in spans)
    kind = rng.choice(TREATMENTS)
    treatment = Treatment(kind, {"turn_down": 12.0, "close_up": rng.choice([0.0, 0.05, 0.5])}.get(kind, 0.0))
    tone = job.sources[f"t{base.source_id[1:]}"] if kind == "room_tone" or rng.random() < 0.5 else None
    dropped = tuple((b, c) for (_, b), (c, _) in pairwise(spans) if rng.random() < 0.4)
    return apply_treatment(
        job,
        target,
        Sounds(spans, sounds, -60.0, -40.0, dropped=dropped),
        Recipe(),
        treatment,
        fade_for=lambda side, edge, inner: min(480, abs(inner - edge)),
        tone=tone,
    )


class Hum:
    """A reader of sources of any name and rate: a tone and noise, another for each, the same every time."""

    def __init__(self) -> None:
        self._held: dict[tuple[str, int], np.ndarray] = {}

    def read(self, source_id: str, rate_hz: int, start: int, frames: int) -> np.ndarray:
        key = (source_id, rate_hz)
        if key not in self._held:
            rng = np.random.default_rng(zlib.crc32(repr(key).encode()))
            t = np.arange(7 * rate_hz) / rate_hz
            tone = np.sin(2 * np.pi * rng.uniform(80, 900) * t)
            stereo = source_id in ("s1", "t1")
            self._held[key] = np.stack([tone, 0.5 * tone + 0.1 * rng.standard_normal(len(t))])[: 1 + stereo].astype(
                np.float32
            )
        return cut(self._held[key], start, frames)


HUM = Hum()


def played(job: Job) -> list[str]:
    """Return how loud a job is in pieces, to four figures: other processors round behind them."""
    plan, out = RenderPlan(job), []
    for start in (0, 90_000, 280_000, plan.end_frame - 20_000):
        block = plan.render(start, 20_000, HUM).astype(np.float64)
        out += [f"{size:.4g}" for size in np.abs(block).reshape(len(block), 4, -1).sum(2).ravel()]
    return out


def told(job: Job) -> list[str]:
    """Return what is said of a job where it is sent and checked, and how it sounds."""
    out = [range_in_words(job), *played(job)]
    for what in ("each_clip", "one", "each_section"):
        try:
            pieces = files_to_send(job, what)  # type: ignore[arg-type]
        except WembleError as error:
            out.append(error.message)
            continue
        out.append(sentence(pieces, job_rate_hz=48_000, file_rate_hz=48_000, channels=2, kind="WAV"))
        out += [repr(points_in(job, piece)) for piece in pieces]
    clips = shots(job)
    out += [repr(shot_fields(job, clips)), repr(key_places(job, clips))]
    out += [repr(sorted(reverted(job, target).clips)) for target in job.findings]
    lengths = crossfade_lengths(job)
    for clip in clips:
        single = alone(job, clip)
        out += [
            repr([one.id for one in joined(job, clip)]),
            repr(single.clips),
            repr(shot_loops(single)),
            repr(hit_verdicts(clip, 48_000)),
        ]
        out.append(repr([decision_of(clip, side, lengths) for side in ("head", "tail")]))  # type: ignore[arg-type]
    return out


def walked(seed: int, check: Callable[[Job, Job], None] = lambda before, after: None) -> list[str]:
    """Return what every edit of a walk came to, and a sum over what stood there then."""
    rng, job, out = random.Random(seed), first_job(), []
    for number in range(EDITS):
        if not job.clips:
            break
        kind = rng.choice(KINDS)
        names = [name for name in inspect.signature(kind.function).parameters if name != "job"]
        fields = arguments(rng, job, names)
        before, said = job, "find"
        try:
            if rng.random() < 0.12:
                edited = settled(before, treat(rng, job))
                job, said = edited.job, f"find: {'; '.join(edited.notes)}"
            else:
                said = kind.name
                edited = kind.function(job, **fields)
                edited = settled(before, edited)
                job = edited.job
                said = f"{kind.name}: {'; '.join(edited.notes)} ({kind.label_of(fields)}, {kind.merge_key_of(fields)})"
        except WembleError as error:
            said = f"{said}: {error.message}"
        check(before, job)
        more = told(job) if number % 8 == 7 else []
        out.append(f"{said} {zlib.crc32(repr((job, more)).encode()):08x}")
    return out


@pytest.mark.parametrize("seed", SEEDS)
def test_edits_keep_a_job_possible_and_undone_and_do_what_they_did(seed: int) -> None:
    def check(before: Job, after: Job) -> None:
        check_validity(after)
        assert applied(after, reversed_changes(difference(before, after))) == before

    assert walked(seed, check) == json.loads(PINNED.read_text())[str(seed)]


@pytest.mark.parametrize("seed", range(100, 110))
def test_an_edge_goes_as_far_as_was_said_before(seed: int) -> None:
    rng, states = random.Random(seed), list[Job]()
    walked(seed, lambda before, after: states.append(after))
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
    rows = (f'"{seed}": {json.dumps(walked(seed), indent=0, ensure_ascii=False)}' for seed in SEEDS)
    PINNED.write_text("{\n" + ",\n".join(rows) + "\n}\n")
    sys.stdout.write(f"{len(SEEDS)} walks written to {PINNED}\n")
