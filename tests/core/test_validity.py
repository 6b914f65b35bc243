"""What a job may be, at every limit: the last value that is allowed, and the first that is not."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import pytest

from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edit.model import (
    FARTHEST_FRAME,
    Clip,
    Correction,
    Cue,
    CueVoice,
    Echo,
    Fade,
    Finding,
    Grid,
    Job,
    Join,
    Lane,
    Mark,
    Review,
    SourceUse,
)
from wemble.core.edit.validity import check_validity
from wemble.core.kit.strikes import Strike
from wemble.errors import InvalidInput

FRAMES, LONG = 48_000, "x" * 400
STRIKE = Strike("snare", 38, "soft", "near", 1)
CLIP = Clip(
    "c1", "l1", "s1", "clip", 0, 24_000, 0, finding_id="f1", sound_start_frame=100, sound_end_frame=20_000,
    sync_frame=5, fade_in=Fade(100), confidence=0.5, head_review=Review("accepted", 0), strike=STRIKE, set_id="set",
)  # fmt: skip
PARTS: dict[str, Any] = {
    "job": Job("job", rate_hz=48_000, channels=2, next_number=9, grid=Grid(120)),
    "source": SourceUse("s1", "take", 48_000, 2, FRAMES),
    "lane": Lane("l1", "lane", 0),
    "clip": CLIP,
    "join": Join("j1", "c1", "c2", 480, "equal_gain", 240),
    "mark": Mark("m1", "section", "mark", 10),
    "loop": Mark("m2", "loop", "loop", 6_000, "c1", 20_000, 5_000),
    "start": Mark("m3", "start", "Start", 0),
    "correction": Correction("head", 100, 20_000, 0),
    "cue": Cue("q1", "1", 0, "sound", "Horn", clip_id="c1"),
    "fade": Cue("q2", "1.5", 1, "fade", "Horn out", target_id="q1", length_frames=480, stops=True),
    "finding": Finding("f1", "l1", "s1", "finding", 0, FRAMES, 0, HitRecipe(), Treatment(), -60.0, -50.0),
}
TOO_FAR = FARTHEST_FRAME
LIMITS: list[tuple[str, str, list[Any], list[Any]]] = [
    ("job", "rate_hz", [8_000, 192_000], [7_999, 192_001, 0]), ("job", "channels", [1, 32], [0, 33]),
    ("job", "next_number", [4, TOO_FAR - 1], [3, TOO_FAR]), ("job", "name", ["x", "x" * 200], ["", "x" * 201]),
    ("job", "grid", [Grid(120, 1, 4, TOO_FAR - 1), None], [Grid(120, 1, 4, TOO_FAR), Grid(0), Grid(TOO_FAR, TOO_FAR // 120)]),
    ("source", "frames", [FRAMES], [0, TOO_FAR]), ("source", "channels", [1, 32], [0, 33]),
    ("source", "rate_hz", [8_000, 192_000], [7_999, 192_001]), ("source", "name", ["x" * 200], ["x" * 201, " "]),
    ("lane", "position", [0, (1 << 20) - 1], [-1, 1 << 20]), ("lane", "pan", [-1.0, 1.0], [-1.01, 1.01]),
    ("lane", "gain_db", [-120.0, 40.0], [-120.1, 40.1]), ("lane", "name", ["x"], [""]),
    ("clip", "head_frame", [0, 23_899], [-1, 24_000]), ("clip", "tail_frame", [24_000], [0, FRAMES + 1]),
    ("clip", "source_id", ["s1"], ["s2"]), ("clip", "lane_id", ["l1"], ["l2"]), ("clip", "name", ["x"], [""]),
    ("clip", "gain_db", [-120.0], [41.0]), ("clip", "line", [((0, 0.0), (FRAMES, 1.0))], [((5, 0.0), (5, 1.0)), ((0, 99.0),)]),
    ("clip", "fade_in", [Fade(24_000), Fade(1)], [Fade(24_001), Fade(0), Fade(9, bend=1.1)]),
    ("clip", "fade_out", [Fade(24_000), None], [Fade(24_001)]),
    ("clip", "sound_start_frame", [0, 20_000], [-1, 20_001, None]), ("clip", "sound_end_frame", [FRAMES, 100], [99, FRAMES + 1, None]),
    ("clip", "sync_frame", [0, FRAMES, None], [-1, FRAMES + 1]), ("clip", "finding_id", [None], ["f2"]),
    ("clip", "confidence", [0.0, 1.0, None], [-0.01, 1.01]), ("clip", "reason", [LONG], [LONG + "x"]),
    ("clip", "file_name", [LONG], [LONG + "x"]), ("clip", "set_id", [LONG, None], [LONG + "x"]),
    ("clip", "head_review", [Review("accepted", TOO_FAR - 1)], [Review("accepted", TOO_FAR), Review("accepted", 0, Fade(0))]),
    ("clip", "tail_review", [None], [Review("accepted", 0, None, TOO_FAR)]),
    ("clip", "strike", [replace(STRIKE, note=127, take=(1 << 20) - 1), replace(STRIKE, name=LONG, note=0, strength=None, mic=LONG)],
     [replace(STRIKE, note=128), replace(STRIKE, note=-1), replace(STRIKE, take=1 << 20), replace(STRIKE, mic=LONG + "x"),
      replace(STRIKE, name=LONG + "x"), replace(STRIKE, strength=LONG + "x")]),
    ("join", "length_frames", [480, 48_000], [239, 0, 48_001]), ("join", "lead_frames", [0, 480, None], [-1, 481]),
    ("join", "right_clip_id", ["c2"], ["c1", "c3"]), ("join", "law", ["matched"], ["none"]), ("join", "bend", [-1.0], [1.5]),
    ("mark", "frame", [0, TOO_FAR - 1], [-1, TOO_FAR]), ("mark", "end_frame", [None], [20]), ("mark", "clip_id", [None, "c1"], ["c9"]),
    ("mark", "kind", ["end"], ["start", "loop"]), ("mark", "name", ["x"], [""]),
    ("loop", "end_frame", [16_000, FRAMES], [15_999, 6_000, None, FRAMES + 1]), ("loop", "frame", [5_000, 10_000], [4_999, 10_001, 20_000]),
    ("loop", "crossfade_frames", [0, 6_000], [-1, 6_001]), ("loop", "clip_id", ["c1", None], []),
    ("finding", "head_frame", [0, FRAMES - 1], [-1, FRAMES]), ("finding", "tail_frame", [1], [0, FRAMES + 1]),
    ("finding", "origin_frame", [1 - TOO_FAR], [-TOO_FAR]), ("finding", "source_id", ["s1"], ["s2"]),
    ("finding", "lane_id", ["l1"], ["l2"]), ("finding", "floor_db", [-400.0, 400.0], [-401.0]),
    ("finding", "threshold_db", [400.0], [401.0]), ("finding", "closed", [((0, 0),)], [((0, -1),), ((TOO_FAR, 1),), ((0, TOO_FAR),)]),
    ("finding", "recipe", [HitRecipe(decided_by=LONG), Recipe()], [HitRecipe(decided_by=LONG + "x")]), ("finding", "name", ["x"], [""]),
    ("cue", "number", ["0", "99999.5", "1.4"], ["", "x", "-1", "1e3", "nan", "1.50", "100000", "1" * 13, "٤"]),
    ("cue", "position", [0], [-1, 1, 2]), ("cue", "kind", [], ["song"]), ("cue", "start", ["after_end"], ["later"]),
    ("cue", "clip_id", ["c2", None], ["c9"]), ("cue", "passes", [0, 10_000], [-1, 10_001]), ("cue", "wait_frames", [0], [-1, TOO_FAR]),
    ("cue", "voices", [(CueVoice(28_800_000, -120.0, -120.0),), (CueVoice(left_db=1.0, linked=False),), (CueVoice(),) * 16],
     [(), (CueVoice(),) * 17, (CueVoice(left_db=1.0),), (CueVoice(-1),), (CueVoice(28_800_002),), (CueVoice(semitones=3.0),),
      (CueVoice(semitones=25.0, shifted_source_id="s1"),), (CueVoice(semitones=3.0, shifted_source_id="s9"),),
      (CueVoice(shifted_source_id="s1"),), (CueVoice(left_db=math.nan, right_db=math.nan),), (CueVoice(echo=Echo(0, 0.5, -6.0)),),
      (CueVoice(echo=Echo(480, 0.9, -6.0)),), (CueVoice(echo=Echo(480, 0.5, 1.0)),)]),
    ("cue", "note", [LONG], [LONG + "x"]), ("cue", "name", ["x"], [""]), ("cue", "group", [LONG], [LONG + "x"]),
    ("fade", "target_id", ["", "all"], ["q2", "q9"]), ("fade", "level_db", [None, -120.0, 12.0], [12.1, -120.1, math.nan]),
    ("fade", "length_frames", [0], [-1, TOO_FAR]), ("fade", "bend", [1.0], [1.1]), ("fade", "shape", ["linear"], ["round"]),
    ("fade", "clip_id", [], ["c2"]), ("fade", "number", ["2"], ["1", "1.0"]),
    ("correction", "edge_frame", [None, FRAMES], [-1, FRAMES + 1]), ("correction", "fade", [Fade(1)], [Fade(0)]),
    ("correction", "sound_end_frame", [101], [100, TOO_FAR]), ("correction", "sound_start_frame", [1 - TOO_FAR], [-TOO_FAR]),
]  # fmt: skip


def job_with(part: str, name: str, value: Any) -> Job:
    """Return a job in order in which one value is another."""
    parts = {**PARTS, part: replace(PARTS[part], **{name: value})}
    finding = replace(parts["finding"], corrections=(parts["correction"],))
    clips = {"c1": parts["clip"], "c2": Clip("c2", "l1", "s1", "next", 0, 24_000, 24_000)}
    marks = {mark.id: mark for mark in (parts["mark"], parts["loop"], parts["start"])}
    return replace(
        parts["job"],
        sources={"s1": parts["source"]},
        lanes={"l1": parts["lane"]},
        clips=clips,
        joins={} if part in ("clip", "job", "source") else {"j1": parts["join"]},
        marks=marks,
        findings={"f1": finding},
        cues={cue.id: cue for cue in (parts["cue"], parts["fade"])},
    )


@pytest.mark.parametrize(
    ("part", "name", "allowed", "refused"), LIMITS, ids=lambda one: one if isinstance(one, str) else ""
)
def test_a_job_may_reach_a_limit_and_not_pass_it(part: str, name: str, allowed: list[Any], refused: list[Any]) -> None:
    for value in allowed:
        check_validity(job_with(part, name, value))
    for value in refused:
        with pytest.raises(InvalidInput):
            check_validity(job_with(part, name, value))


def test_parts_bear_their_own_names_and_lanes_places_of_their_own() -> None:
    job = job_with("job", "channels", 2)
    check_validity(job)
    check_validity(Job("empty"))
    for wrong in (
        replace(job, clips={**job.clips, "c3": job.clips["c1"]}),
        replace(job, marks={**job.marks, "m 4": replace(PARTS["mark"], id="m 4")}),
        replace(job, lanes={**job.lanes, "l2": Lane("l2", "other", 0)}),
        replace(job, joins={"j1": PARTS["join"], "j2": replace(PARTS["join"], id="j2")}),
        replace(job, marks={**job.marks, "m4": replace(PARTS["start"], id="m4")}),
    ):
        with pytest.raises(InvalidInput):
            check_validity(wrong)
