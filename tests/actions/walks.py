"""Walks over every edit of the table: which edits, with which arguments, and what is told of a job on the way."""

from __future__ import annotations

import inspect
import random
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np

from wemble.actions.editing.edits import TABLE
from wemble.core.check.disc import TrackHeard, disc_faults, heard_faults, sheet_faults
from wemble.core.check.hits import hit_verdicts
from wemble.core.check.show import show_faults, usual_presses
from wemble.core.deliver.chapters import as_json, as_webvtt, chapter_faults, chapters_in
from wemble.core.deliver.disc import cue_sheet_of, disc_tracks, list_as_csv, list_as_page, list_as_text
from wemble.core.deliver.running_order import order_as_csv, order_as_page
from wemble.core.deliver.shots import alone, joined, key_places, shot_fields, shot_loops, shots
from wemble.core.deliver.words import files_to_send, points_in, range_in_words, sentence
from wemble.core.edges.recipe import TREATMENTS, Recipe, Treatment
from wemble.core.edit import episode
from wemble.core.edit.aligned import Aligned, lay_aligned, lone_recordings
from wemble.core.edit.arrange import LaneSettings
from wemble.core.edit.clips import Edited
from wemble.core.edit.cues import CueSettings, cues_of_clips, events_of, in_running_order
from wemble.core.edit.hearing import HEARINGS, as_heard
from wemble.core.edit.mixdown import lay_mix
from wemble.core.edit.model import Clip, CueVoice, Echo, Grid, Job, Lane, SourceUse
from wemble.core.edit.on_air import Proposed, hand_over, heard_handing_over, propose_points, timers
from wemble.core.edit.placement import end_of, start_of
from wemble.core.edit.review import crossfade_lengths, decision_of
from wemble.core.edit.settle import settled
from wemble.core.edit.talk import gaps_to_close, proposed_ends, said
from wemble.core.edit.tracks import make_tracks, tracks_of
from wemble.core.edit.treatment import Sounds, apply_treatment, base_of, reverted, targets
from wemble.core.edit.voices import even_out, voices
from wemble.core.kit.strikes import Strike
from wemble.core.render import RenderPlan
from wemble.core.shape.curves import SHAPES
from wemble.core.show.plan import compile_show
from wemble.core.signal.reader import cut
from wemble.errors import WembleError

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
    within = tuple((a, start, end, b) for (a, b), (start, end) in zip(spans, sounds, strict=True))
    kind = rng.choice(TREATMENTS)
    treatment = Treatment(kind, {"turn_down": 12.0, "close_up": rng.choice([0.0, 0.05, 0.5])}.get(kind, 0.0))
    tone = job.sources.get(f"t{base.source_id[1:]}") if kind == "room_tone" or rng.random() < 0.5 else None
    dropped = tuple((b, c) for (_, b), (c, _) in pairwise(spans) if rng.random() < 0.4)
    return apply_treatment(
        job,
        target,
        Sounds(spans, sounds, -60.0, -40.0, dropped=dropped, within=within),
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
        for piece in pieces[:3]:
            chapters = chapters_in(job, piece)
            out += [as_json(chapters, {"0a1b": "a.png"}), as_webvtt(chapters), repr(chapter_faults(chapters, 1.0))]
    clips = shots(job)
    out += [repr(shot_fields(job, clips)), repr(key_places(clips))]
    out += [repr(sorted(reverted(job, target).clips)) for target in job.findings]
    out += [repr(as_heard(job, hearing).clips) for hearing in HEARINGS]
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
    return [*out, *told_of_disc(job), *told_of_show(job), *told_of_talk(job), *told_on_air(job)]


def told_of_disc(job: Job) -> list[str]:
    """Return what is said of a job's tracks, by the rules of the disc and after some listening that is made up."""
    tracks, on_disc = tracks_of(job), disc_tracks(job)
    rng = random.Random(len(tracks))
    heard = [
        TrackHeard(-14.0, rng.choice([-1.0, 0.0, 1.0]), rng.choice([0.0, 3.0, 3.5]), *rng.choices([0.0, 3.0, 9.0], k=2))
        for _ in tracks
    ]
    out = [repr(tracks), repr(disc_faults(job, capacity_s=10.0)), repr(on_disc)]
    out.append(repr(heard_faults(tracks, heard, ceiling_db=-1.0, rate_hz=job.rate_hz)))
    out += [list_as_text(on_disc, "Slack Tide", "Ferry House"), list_as_csv(on_disc), list_as_page(on_disc, "", "", "")]
    if on_disc:
        sheet = cue_sheet_of(on_disc, "a.wav", catalog="4006381333931")
        out += [repr(sheet), *(repr(sheet_faults(sheet, end)) for end in (None, on_disc[-1].end // 588))]
    return out


def told_of_show(job: Job) -> list[str]:
    """Return what is said of a running order, and what it is compiled to."""
    if not job.cues:
        return []
    plan = compile_show(job, HUM, missing=frozenset({"s2"}))
    faults = show_faults(job, plan, {clip.id: 4.5 for clip in list(job.clips.values())[::3]})
    presses = usual_presses(plan)
    return [order_as_csv(job), order_as_page(job), repr((plan.cues, plan.bodies)), repr(faults), repr(presses)]


def told_of_talk(job: Job) -> list[str]:
    """Return what is said of a conversation: who speaks when, what could be closed, how loud each is."""
    out = [repr(said(job)), *(repr(gaps_to_close(job, most, part)) for most, part in ((0, 0.0), (4_800, 0.3)))]
    for ask in (proposed_ends, lone_recordings):
        try:
            out.append(repr(ask(job)))  # type: ignore[operator]
        except WembleError as error:
            out.append(error.message)
    return [*out, repr(voices(job, POWERS))]


def told_on_air(job: Job) -> list[str]:
    """Return the timers of every clip, and how each hands over to the next."""
    clips = sorted(job.clips.values(), key=lambda one: one.id)[:6]
    out = [repr(timers(job, clip, rate_hz=44_100)) for clip in clips]
    pairs = [(left.id, right.id) for left, right in pairwise(clips)]
    return [*out, *(repr((hand_over(job, *pair), heard_handing_over(job, *pair).clips)) for pair in pairs)]


def as_tracks(job: Job, rng: random.Random) -> Job:
    """Return the job with a track of each piece."""
    return make_tracks(job, rng.choice([0, 48_000])).job


def as_cues(job: Job, rng: random.Random) -> Job:
    """Return the job with a cue of each clip."""
    return cues_of_clips(job, tuple(rng.sample(sorted(job.clips), len(job.clips)))).job


def as_talk(job: Job, rng: random.Random) -> Job:
    """Return the job with a lane for each who talks, lined up or nearly."""
    lanes = {**job.lanes, "l2": Lane("l2", "lane 3", 2)}
    clips = {
        key: replace(clip, lane_id=f"l{n}", origin_frame=9_000 * n) for n, (key, clip) in enumerate(job.clips.items())
    }
    job = replace(job, lanes=lanes, clips=clips)
    return measured_edit(rng, job, "lay_aligned").job if rng.random() < 0.5 else job


def as_kit(job: Job, rng: random.Random) -> Job:
    """Return the job with eight hits that say different things of themselves, or nothing."""
    clips, at = {}, 0
    for n in range(8):
        source = job.sources[f"s{n % 3}"]
        head = rng.randint(0, 9_000)
        strike = Strike(
            rng.choice(["snare", "tom"]), rng.choice([None, 38, 40]), rng.choice([None, "soft", "hard"]),
            rng.choice([None, "near", "far"]), rng.choice([None, 1, 2]),
        )  # fmt: skip
        clip = Clip(f"c{n}", f"l{n % 2}", source.id, f"hit {n}", head, head + 90_000, at)
        clips[clip.id] = replace(
            clip, strike=strike if rng.random() < 0.8 else None, set_id=f"set {n // 3}", confidence=rng.choice([None, 0.3, 1.0]),
            end_confidence=rng.choice([None, 0.4]), file_name=rng.choice(["", f"hit_{9 - n}.wav"]), reason="rises slowly",
            sound_start_frame=head + 500, sound_end_frame=head + 60_000,
        )  # fmt: skip
        at = end_of(job, clips[clip.id])
    return replace(job, clips=clips)


def end_to_end(job: Job, rng: random.Random) -> Job:
    """Return the job with its clips end to end on one lane, as much beyond every cut as a crossfade needs, and a tempo."""
    at, clips = 0, {}
    for key, clip in job.clips.items():
        inside = replace(clip, lane_id="l0", head_frame=30_000, tail_frame=clip.tail_frame - 30_000)
        clips[key] = replace(inside, origin_frame=at - start_of(job, replace(inside, origin_frame=0)))
        at = end_of(job, clips[key])
    return replace(job, clips=clips, grid=rng.choice([Grid(120), Grid(97, 1, 3, 480)]))


@dataclass(frozen=True, slots=True)
class Theme:
    """What a kind of walk is about: how its job begins, and which edits it does mostly; how many walks there are."""

    walks: int
    begin: Callable[[Job, random.Random], Job] = lambda job, rng: job
    mostly: tuple[str, ...] = ()


THEMES: Mapping[str, Theme] = {
    "anything": Theme(70),
    "tracks": Theme(
        50, as_tracks,
        ("add_track", "end_track", "describe_track", "set_gaps", "move_track", "run_on", "order_tracks", "make_tracks",
         "put_on_disc_frames", "snap_to_clips", "move_mark", "remove_marks", "split", "set_air_point", "propose", "move_clips"),
    ),
    "show": Theme(
        50, as_cues,
        ("add_cue", "set_cue", "set_voices", "loop_of_cue", "fade_up", "move_cues", "split_cue", "add_event", "event_at",
         "set_event", "move_event", "remove_cues", "number_anew", "move_edges", "put_under"),
    ),
    "talk": Theme(
        50, as_talk,
        ("find", "close_gaps", "keep_talk", "duck", "place", "even_out", "lay_mix", "set_lane", "add_mark",
         "set_link", "set_picture", "clear_span", "split_span", "set_gain_of_span", "remove_clips", "set_programme"),
    ),
    "kit": Theme(
        30, as_kit,
        ("set_loop", "rotate_loop", "move_edge", "move_edges", "rename_clip", "move_clips", "remove_clips", "set_fade", "set_gain",
         "put_under", "set_lane", "lane_each", "review_edge", "move_mark", "add_mark"),
    ),
    "cuts": Theme(
        50, end_to_end,
        ("set_joins", "set_loop", "rotate_loop", "set_sync", "line_up", "set_grid", "cut_at_marks", "add_mark", "fade_between",
         "set_fade", "set_line", "put_under", "move_edge", "move_edges", "move_audio", "lane_each", "split", "move_mark"),
    ),
}  # fmt: skip


def fitting(rng: random.Random, job: Job, kind: str) -> dict[str, Any]:
    """Return arguments with which an edit has something to do, where few things in a job will suit it."""
    tracks = [track.mark.id for track in tracks_of(job)]
    events = sorted(mark.id for mark in job.marks.values() if mark.kind == "event")
    cues = in_running_order(job)
    sounds = [cue for cue in cues if cue.clip_id]
    fields: dict[str, Any] = {}
    if tracks and kind in ("describe_track", "set_gaps", "move_track", "run_on", "order_tracks"):
        some = rng.sample(tracks, len(tracks) if kind == "order_tracks" else rng.randint(1, len(tracks)))
        isrc = rng.choice([None, "QZ-A1B-26-00001", "qza1b2600002"])
        fields |= {"mark_id": rng.choice(tracks[1:] or tracks), "mark_ids": tuple(some), "isrc": isrc}
        fields["overlap_frames"] = rng.choice([0, 1, 2_401, 24_000])
    if kind == "end_track" and tracks:
        fields["frame"] = rng.choice(tracks_of(job)).start + rng.choice([1, 96_000, 200_001])
    if sounds and kind in (*THEMES["show"].mostly,):
        cue = rng.choice(sounds)
        clip = job.clips[str(cue.clip_id)]
        inside = sorted(clip.head_frame + round(rng.random() * clip.frames) for _ in range(2))
        fields |= {"cue_id": cue.id, "frame": rng.choice([inside[0], clip.head_frame, clip.tail_frame])}
        fields |= {
            "job_frame": start_of(job, clip) + rng.choice([0, 1_000]),
            "boundary": rng.choice(["first", "second"]),
        }
        fields |= {"start_frame": inside[0], "end_frame": inside[1], "name": rng.choice(["", "Lamps"])}
        at = [mark.frame for mark in events_of(job, cue)] if rng.random() < 0.5 else []
        fields |= {"first_end": min([inside[0], *at]), "second_start": max([inside[1], *at]), "clip_id": clip.id}
    if events and kind in ("set_event", "move_event"):
        fields |= {"mark_id": rng.choice(events), "name": rng.choice([None, "Door"])}
    if cues and kind in ("add_cue", "set_cue", "move_cues", "remove_cues"):
        one, what = rng.choice(cues), rng.choice(["sound", "fade", "fade", "stop", "note"])
        fields |= {"cue_ids": tuple({one.id, *([rng.choice(cues).id] if kind == "move_cues" else [])})}
        fields |= {
            "what": what,
            "target_id": rng.choice(["all", *(cue.id for cue in sounds)]),
            "before_id": rng.choice(cues).id,
        }
        fields["clip_id"] = fields.get("clip_id") if what == "sound" else None
        fields["settings"] = replace(rng.choice(OF_ALL), **rng.choice(OF_KIND[one.kind]))
    if kind == "set_loop":
        clip = rng.choice(sorted(job.clips.values(), key=lambda one: one.id))
        ends = sorted(clip.head_frame + round(rng.random() * clip.frames) for _ in range(2))
        fields |= {"clip_id": clip.id, "start_frame": ends[0], "end_frame": ends[1]}
        fields["crossfade_frames"] = rng.choice([0, 0, 100, (ends[1] - ends[0]) // 3])
    loops = [mark for mark in job.marks.values() if mark.kind == "loop" and mark.clip_id]
    if loops and kind == "rotate_loop":
        loop = rng.choice(loops)
        ends = sorted((loop.frame, loop.end_frame or loop.frame + 2))
        fields |= {
            "clip_id": loop.clip_id,
            "at_frame": rng.randint(ends[0], ends[1]),
            "crossfade_frames": rng.choice([0, 0, 50]),
        }
    synced = sorted(clip.id for clip in job.clips.values() if clip.sync_frame is not None)
    if kind == "line_up" and synced:
        fields["clip_id"] = rng.choice(synced)
    if kind == "set_sync":
        clip = rng.choice(sorted(job.clips.values(), key=lambda one: one.id))
        fields |= {"clip_id": clip.id, "frame": rng.choice([start_of(job, clip) + 5_000, None])}
    if kind in ("fade_between", "cut_at_marks", "split"):
        clip = rng.choice(sorted(job.clips.values(), key=lambda one: one.id))
        edge, reach = rng.choice([start_of, end_of])(job, clip), rng.choice([480, 4_801])
        some = (clip.id,) if kind == "fade_between" else tuple(sorted(job.clips))
        fields |= {"clip_ids": some, "start_frame": edge - reach, "end_frame": edge + reach}
    return fields


OF_ALL = (CueSettings(number="4.5"), CueSettings(name="Horn", start="after_end", wait_frames=48_000), CueSettings(page="12"),
          CueSettings(start="after_start", note="wait for the lamp", group="Dock"), CueSettings(start="go"))  # fmt: skip
OF_KIND: Mapping[str, tuple[dict[str, Any], ...]] = {
    "sound": ({"passes": 0, "silent": True}, {"passes": 3}, {"silent": False}),
    "fade": ({"level_db": -12.0, "length_frames": 96_000, "shape": "linear"}, {"to_nothing": True, "stops": False}, {"stops": True},
             {"target_id": "all"}),
    "stop": ({"length_frames": 24_000}, {"target_id": "all"}),
    "note": ({}, {"page": "2"}),
}  # fmt: skip
POWERS = {f"s{n}": np.abs(np.sin(np.arange(1, 66) * (0.3 + n))) * 0.02 * (1 + n) for n in range(3)}
"""What was measured of the loudness of each recording, tenth by tenth of a second: made up."""


def measured_edit(rng: random.Random, job: Job, kind: str) -> Edited:
    """Do an edit that rests on something measured, which is made up here."""
    source = job.sources[rng.choice(["s0", "s1", "s2"])]
    head = rng.randint(0, source.frames // 2)
    span = head, head + rng.randint(1_000, source.frames - head)
    if kind == "place":
        overlap = rng.choice([0, 0, 12_000])
        return episode.place(job, source, span, rng.choice(["front", "behind"]), overlap, gain_db=-3.0)
    if kind == "even_out":
        return even_out(job, voices(job, POWERS), rng.choice([None, -19.0]), along=rng.random() < 0.5)
    if kind == "lay_mix":
        return lay_mix(job, SourceUse("mix", "Mix", 48_000, 2, 240_000))
    if kind == "propose":
        places = sorted(rng.randint(0, source.frames) for _ in range(3))
        return Edited(propose_points(job, rng.choice(sorted(job.clips)), Proposed(*places)))
    lags = [rng.choice([0.0, 0.25, -1.5, None]) for _ in job.lanes]
    made = SourceUse("s9", "take 9", 48_000, 1, 280_000)
    measured = [
        Aligned(
            lane_id, lag, 0.0 if lag else 3.2, made if lag == 0.25 else None, "" if lag is not None else "too quiet"
        )
        for lane_id, lag in zip(lone_recordings(job), lags, strict=False)
    ]
    return lay_aligned(job, measured)


MEASURED = ("place", "even_out", "lay_mix", "lay_aligned", "propose")


def step(rng: random.Random, job: Job, theme: Theme) -> tuple[Job, str]:
    """Return the job after one edit of a walk, and what was said of it."""
    chosen = rng.choice(theme.mostly) if theme.mostly and rng.random() < 0.8 else rng.choice(KINDS).name
    if rng.random() < 0.12:
        chosen = "find"
    try:
        if chosen == "find" or chosen in MEASURED:
            edited = settled(job, treat(rng, job) if chosen == "find" else measured_edit(rng, job, chosen))
            return edited.job, f"{chosen}: {'; '.join(edited.notes)}"
        kind = next(one for one in KINDS if one.name == chosen)
        names = [name for name in inspect.signature(kind.function).parameters if name != "job"]
        fields = arguments(rng, job, names)
        if rng.random() < 0.85:
            fields |= {name: value for name, value in fitting(rng, job, chosen).items() if name in names}
        edited = settled(job, kind.function(job, **fields))
        return edited.job, f"{chosen}: {'; '.join(edited.notes)} ({kind.label_of(fields)}, {kind.merge_key_of(fields)})"
    except WembleError as error:
        return job, f"{chosen}: {error.message}"


def walked(name: str, seed: int, check: Callable[[Job, Job], None] = lambda before, after: None) -> list[str]:
    """Return what every edit of a walk came to, and a sum over what stood there then."""
    theme = THEMES[name]
    rng = random.Random(f"{name} {seed}")
    job, out = theme.begin(first_job(), rng), []
    for number in range(EDITS):
        if not job.clips:
            break
        before = job
        job, words = step(rng, job, theme)
        check(before, job)
        more = told(job) if number % 5 == 4 else []
        out.append(f"{words.partition(':')[0]} {zlib.crc32(repr((words, job, more)).encode()):08x}")
    return out
