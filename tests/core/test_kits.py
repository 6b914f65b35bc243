"""Kits: names read, sets laid out, ends softened, hot ones down, loops set, turned and rendered."""

from __future__ import annotations

import itertools
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import pearsonr
from tests.core.conftest import RATE

from wemble.core.check.click import seam_figure
from wemble.core.check.edges import edge_click, edge_of
from wemble.core.check.hits import hit_verdicts
from wemble.core.check.join import join_verdicts
from wemble.core.check.table import TABLE, state_of
from wemble.core.deliver.names import names
from wemble.core.deliver.shots import FIRST_KEY, alone, key_places, shared_keys, shot_fields, shot_loops, shots
from wemble.core.edges.recipe import HitRecipe, Treatment
from wemble.core.edit.clips import add_source
from wemble.core.edit.edges import move_edge, move_edges
from wemble.core.edit.kit import SOFTENINGS_MS, lay_out_sets, rotate_loop, set_loop, soften_ends, turn_down_hot
from wemble.core.edit.model import Job, SourceUse
from wemble.core.edit.placement import end_of, start_of
from wemble.core.edit.treatment import Sounds, Sure, apply_treatment
from wemble.core.edit.validity import check_validity
from wemble.core.kit.strengths import Level, order_strengths
from wemble.core.kit.strikes import Strike, grid, note_name, propose_pattern, read_name, read_note
from wemble.core.render import RenderPlan
from wemble.core.shape.seams import Bars, crossed, crossings, find_seams, looped_end
from wemble.core.signal.reader import ArrayReader, cut
from wemble.errors import InvalidInput

FOUR = "{name}_{note}_{strength}_{mic}"


@pytest.mark.parametrize(
    ("stems", "pattern"),
    [
        (["Plank_C2_soft_near", "Plank_C2_soft_far", "Tar bucket_D2_hard_near"], "{name}_{note}_{strength}_{mic}"),
        (["bell-f#3-v1", "bell-f#3-v2", "bell-g3-v3"], "{name}-{note}-{strength}"),
        (["Snare 36 rr1", "Snare 36 rr2", "Kick 38 rr1"], "{name} {note} {take}"),
        (["oar_pp_oh", "oar_ff_oh", "oar_ff_close"], "{name}_{strength}_{mic}"),
        (["one thing", "another", "x_y_z"], "{name}"),
        ([], "{name}"),
    ],
)
def test_a_pattern_is_proposed_from_what_stands_in_each_place(stems: list[str], pattern: str) -> None:
    assert propose_pattern(stems) == pattern


@given(st.integers(0, 127))
def test_notes_are_read_as_they_are_written(note: int) -> None:
    assert read_note(note_name(note)) == note == read_note(str(note))


@pytest.mark.parametrize(
    ("text", "note"), [("C4", 60), ("A4", 69), ("bb3", 58), ("Cs-1", 1), ("H2", None), ("128", None)]
)
def test_middle_c_is_key_60_and_c4(text: str, note: int | None) -> None:
    """Key 60 is middle C: SFZ format (memory)."""
    assert read_note(text) == note


def test_the_grid_names_what_is_missing_unfit_and_spare() -> None:
    stems = [
        f"{name}_C2_{strength}_{mic}"
        for name in ("Plank", "Oar")
        for strength in ("soft", "hard")
        for mic in ("near", "far")
    ]
    stems.remove("Oar_C2_hard_far")
    found = grid([*stems, "notes on the session"], FOUR)
    assert found.missing == ("Oar C2 hard far",) and found.unfit == ("notes on the session",)
    by_take = grid([f"Oar_{take}_{mic}" for take in (1, 2) for mic in ("near", "far")][:-1], "{name}_{take}_{mic}")
    assert by_take.missing == ("Oar far take 2",)
    takes = grid(["Bell_rr1", "Bell_rr2", "Bell_rr3"], "{name}_{take}")
    assert takes.further_takes == ("Bell_rr2", "Bell_rr3")
    assert order_strengths(["ff", "p", "mf"]).order == ("p", "mf", "ff")
    assert read_name("Bell_C9x_hard", "{name}_{note}_{strength}") is None
    for wrong in ("plain", "{nam}", "{name}{name}"):
        with pytest.raises(InvalidInput, match="pattern"):
            read_name("a", wrong)


def kit_job(mics: tuple[str, ...] = ("near", "far")) -> tuple[Job, ArrayReader, dict[str, Strike]]:
    """Return a job of two things, two strengths, every microphone; the hit of each is at 0.1 s."""
    job, held, strikes = Job("Kit", "drums"), {}, {}
    rng = np.random.default_rng(1)
    t = np.arange(RATE) / RATE
    for name, hz in (("Plank", 170.0), ("Bell", 590.0)):
        for strength, size in (("soft", 0.2), ("hard", 0.97)):
            for mic in mics:
                hit = size * (1.0 if mic == mics[0] else 0.4) * np.cos(2 * np.pi * hz * t) * np.exp(-6 * t)
                source = f"{name} {strength} {mic}"
                samples = np.concatenate([np.zeros(RATE // 10), hit]) + 1e-4 * rng.standard_normal(RATE + RATE // 10)
                held[source, RATE] = samples[None].astype(np.float32)
                job = add_source(job, SourceUse(source, source, RATE, 1, len(samples))).job
                clip = next(clip for clip in job.clips.values() if clip.source_id == source)
                strikes[clip.id] = Strike(name, 36 if name == "Plank" else None, strength, mic)
    return job, ArrayReader(held), strikes


def test_sets_lie_under_each_other_a_lane_for_each_microphone() -> None:
    job, _, strikes = kit_job()
    laid = lay_out_sets(job, strikes, {next(key for key, s in strikes.items() if s.mic == "far"): 480}).job
    assert {lane.name for lane in laid.lanes.values()} == {"near", "far"}
    sets: dict[str | None, list[int]] = {}
    for clip in laid.clips.values():
        sets.setdefault(clip.set_id, []).append(clip.origin_frame)
        assert laid.lane(clip.lane_id).name == strikes[clip.id].mic and clip.strike == strikes[clip.id]
    assert len(sets) == 4 and None not in sets
    assert sorted(max(origins) - min(origins) for origins in sets.values()) == [0, 0, 0, 480]
    spans = sorted(
        (
            min(start_of(laid, c) for c in laid.clips.values() if c.set_id == s),
            max(end_of(laid, c) for c in laid.clips.values() if c.set_id == s),
        )
        for s in sets
    )
    assert all(before[1] < after[0] for before, after in itertools.pairwise(spans))
    again = lay_out_sets(laid, strikes, {}).job
    origins = {(clip.set_id, clip.origin_frame) for clip in again.clips.values()}
    assert len(again.lanes) == 2 and len(origins) == len({set_id for set_id, _ in origins}) == 4


def test_finding_again_keeps_name_strike_and_a_corrected_head() -> None:
    job, _, strikes = kit_job()
    job = lay_out_sets(job, strikes, {}).job
    clip = next(iter(job.clips.values()))
    found = Sounds(
        ((4_800, 40_000),),
        ((4_800, 39_000),),
        sure=(Sure(0.4, "a softer sound before it", 0.3, "another sound follows"),),
    )
    cutting = {"fade_for": lambda side, edge, inner: 0}
    once = apply_treatment(job, clip.id, found, HitRecipe(), Treatment(), **cutting).job  # type: ignore[arg-type]
    hit = once.clip(clip.id)
    assert (hit.name, hit.strike, hit.set_id, hit.confidence) == (clip.name, clip.strike, clip.set_id, 0.4)
    assert (hit.head_frame, hit.tail_frame, hit.fade_in, hit.fade_out) == (4_800, 40_000, None, None)
    looked_at = {verdict.check: verdict.state for verdict in hit_verdicts(hit, RATE)}
    assert looked_at == {"start": "look", "late": "fine", "cut_in": "fine"}
    (end,) = hit_verdicts(hit, RATE, "tail")
    assert (end.check, end.state, end.text) == ("end", "look", "another sound follows")
    corrected = move_edge(once, clip.id, "head", 4_700, "length").job
    # A corrected edge has lost its doubt, the other has kept it; finding again does not bring the old one back.
    assert corrected.clip(clip.id).reason == "" and corrected.clip(clip.id).end_reason == "another sound follows"
    assert hit_verdicts(corrected.clip(clip.id), RATE)[0].state == "fine" and corrected.clip(clip.id).doubtful
    other = Sounds(((4_900, 41_000),), ((4_900, 40_000),), sure=(Sure(0.3, "a softer sound before it"),))
    again = apply_treatment(corrected, hit.finding_id or "", other, HitRecipe(keep_ms=50.0), Treatment(), **cutting).job  # type: ignore[arg-type]
    assert (again.clip(clip.id).head_frame, again.clip(clip.id).tail_frame) == (4_700, 41_000)
    assert not again.clip(clip.id).doubtful
    late = replace(hit, sound_start_frame=hit.head_frame + RATE // 50)
    assert hit_verdicts(late, RATE)[0].text == "starts 20.0 ms late"


@settings(max_examples=25)
@given(
    bpm=st.fractions(80, 190, max_denominator=100), rate=st.sampled_from([44_100, 48_000]), seed=st.integers(0, 99),
    count=st.sampled_from([None, 1, 2, 3]),
)  # fmt: skip
def test_loops_of_a_groove_are_whole_bars_to_the_frame(bpm: Fraction, rate: int, seed: int, count: int | None) -> None:
    rng, beat = np.random.default_rng(seed), 60 * rate / bpm
    samples = 1e-4 * rng.standard_normal((1, round(17 * beat)))
    drums = [rng.standard_normal(rate // 8) * np.exp(-np.arange(rate // 8) / (rate * 0.02)) for _ in range(4)]
    for n in range(16):
        at = round(n * beat)
        samples[0, at : at + rate // 8] += 0.3 * drums[n % 4]
    seams = find_seams(samples.astype(np.float32), rate, bars=Bars.at(bpm, rate, count=count))
    for seam in seams:
        bars = Fraction(seam.end_frame - seam.start_frame) / (4 * beat)
        assert abs(seam.end_frame - seam.start_frame - round(bars) * 4 * beat) <= Fraction(1, 2)
        assert round(bars) >= 1 if count is None else round(bars) == count
    assert seams and seams[0].score < 1.0  # and the best is not heard
    with pytest.raises(InvalidInput, match="no whole bar fits"):
        find_seams(samples.astype(np.float32), rate, bars=Bars.at(bpm, rate, count=40))


def test_every_grade_of_softening_silences_a_cut_bell_and_is_longer_than_the_last() -> None:
    t = np.arange(round(2.1 * RATE)) / RATE
    bell = sum(
        a * np.sin(2 * np.pi * hz * t) * np.exp(-d * t)
        for a, hz, d in ((0.5, 587.0, 1.6), (0.3, 1620.0, 2.4), (0.15, 3170.0, 4.0))
    )
    samples = (bell + 3e-5 * np.random.default_rng(0).standard_normal(len(t)))[None].astype(np.float32)
    job = add_source(Job("Bell", "drums"), SourceUse("bell", "Bell", RATE, 1, len(t))).job
    clip = next(iter(job.clips.values()))
    job = move_edge(job, clip.id, "tail", round(0.9 * RATE), "length").job

    def click(of: Job) -> float:
        edge = edge_of(of.clip(clip.id), "tail", joined=False, source_frames=len(t))
        return edge_click(lambda start, frames: cut(samples, start, frames), edge, RATE)

    assert state_of("click", click(job)) == "fail"
    lengths = []
    for grade in SOFTENINGS_MS:
        softened = soften_ends(job, (clip.id,), grade).job
        assert click(softened) < TABLE["click"].look_from, grade
        fade = softened.clip(clip.id).fade_out
        assert fade is not None and fade.origin == "own"
        lengths.append(fade.length_frames)
    assert lengths == [48, 240, 960, 3840]
    assert soften_ends(softened, (clip.id,), 0.0).job.clip(clip.id).fade_out is None
    with pytest.raises(InvalidInput, match="1, 5, 20, 80 ms"):
        soften_ends(job, (clip.id,), 7.0)


@given(
    st.dictionaries(st.sampled_from(["c2", "c3", "c4", "c5"]), st.floats(0.01, 4.0), min_size=1), st.floats(-12.0, 0.0)
)
def test_only_what_is_over_the_ceiling_comes_down_and_just_to_it(peaks: dict[str, float], ceiling_db: float) -> None:
    job, _, _ = kit_job()
    named = dict(zip([*job.clips], peaks.values(), strict=False))
    turned = turn_down_hot(job, named, ceiling_db)
    for clip_id, peak in named.items():
        gain = turned.job.clip(clip_id).gain_db
        over = 20 * np.log10(peak) - ceiling_db
        assert gain == pytest.approx(-over if over > 1e-4 else 0.0)
    assert turned.notes[-1].endswith("keep their gain")


def pad(seconds: float = 4.0, seed: int = 3) -> np.ndarray:
    """Return a pad with an attack, a slow beat in it and a little noise, float32 (2, frames)."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    voices = [np.sin(2 * np.pi * hz * t + p) for hz, p in ((110.0, 0.0), (165.4, 1.0), (220.7, 2.0))]
    swell = np.minimum(t / 0.4, 1.0) * (1.0 + 0.1 * np.sin(2 * np.pi * 1.7 * t))
    return np.stack(
        [(sum(voices) * swell * 0.2 + 1e-3 * rng.standard_normal(len(t))) * side for side in (1.0, 0.8)]
    ).astype(np.float32)


def test_seams_are_ranked_lie_on_rising_crossings_and_are_not_heard() -> None:
    samples = pad()
    seams = find_seams(samples, RATE)
    assert seams and seams[0].score < 1.0 and seams[0].start_frame > 0.4 * RATE
    for seam in seams:
        for at in (seam.start_frame, seam.end_frame):
            mixed = samples.sum(axis=0)
            assert (mixed[at - 1] < 0 <= mixed[at]) or (mixed[at] < 0 <= mixed[at + 1])
        assert 0 <= seam.crossfade_frames <= min(seam.start_frame, (seam.end_frame - seam.start_frame) // 2)
    best = seams[0]
    around = 1_000
    sides = [samples[0, at - around : at + around] for at in (best.start_frame, best.end_frame)]
    assert pearsonr(*sides).statistic > 0.8  # scipy's word for how alike the two surroundings are
    near = find_seams(samples, RATE, near=(RATE, 3 * RATE), crossfade_frames=round(0.04 * RATE))
    assert all(abs(s.start_frame - RATE) < 0.45 * RATE and s.crossfade_frames == round(0.04 * RATE) for s in near)
    unlucky = crossed(samples, RATE, 3 * RATE + 137, RATE, crossfade_frames=0)
    assert unlucky.score > 2 * seams[0].score
    for wrong in ((-1, 100), (RATE, RATE), (0, 10 * RATE)):
        with pytest.raises(InvalidInput, match="a loop must lie inside"):
            find_seams(samples, RATE, near=wrong)
    with pytest.raises(InvalidInput, match="too short"):
        find_seams(samples[:, :50], RATE)


def test_crossings_rise_and_are_where_the_channels_are_least() -> None:
    t = np.arange(4_800) / RATE
    wave = np.stack([np.sin(2 * np.pi * 100 * t), np.sin(2 * np.pi * 100 * t)]).astype(np.float32)
    found = crossings(wave, 0, 4_800)
    assert np.allclose(np.diff(found), 480, atol=1) and np.all(np.abs(wave[0, found]) < 0.02)


def test_a_loop_with_its_crossfade_is_rendered_seamless_and_its_attack_is_never_touched() -> None:
    samples = pad()
    source = SourceUse("pad", "Pad", RATE, 2, samples.shape[1])
    job = add_source(Job("Pads", "drums"), source).job
    clip = next(iter(job.clips.values()))
    reader = ArrayReader({("pad", RATE): samples})
    start, end, crossfade = RATE, 3 * RATE + 137, 1_920
    job = set_loop(job, clip.id, start, end, crossfade).job
    whole = RenderPlan(job).render(0, samples.shape[1], reader)
    assert np.array_equal(whole[:, : end - crossfade], samples[:, : end - crossfade])
    assert np.array_equal(whole[:, end:], samples[:, end:])
    assert np.allclose(whole[:, end - crossfade : end], looped_end(samples, start, end, crossfade), atol=1e-6)
    # Whatever the blocks, the same bits; and the seam is predictable from what surrounds it.
    pieces = [
        RenderPlan(job).render(at, min(7_919, samples.shape[1] - at), reader)
        for at in range(0, samples.shape[1], 7_919)
    ]
    assert np.array_equal(np.concatenate(pieces, axis=1), whole)
    passes = np.concatenate([whole[:, end - 4_800 : end], whole[:, start : start + 4_800]], axis=1)
    known = (samples[:, end - 4_800 : end + 4_800], samples[:, start - 4_800 : start + 4_800])
    assert seam_figure(passes, 4_800, known, rate_hz=RATE) < 2.0
    bare = np.concatenate([samples[:, end - 4_800 : end], samples[:, start : start + 4_800]], axis=1)
    assert seam_figure(bare, 4_800, known, rate_hz=RATE) > 2.0
    moved = set_loop(job, clip.id, start + 100, end, 0).job
    assert len(moved.marks) == 1
    heard = replace(job.clip(clip.id), sound_start_frame=start - 500, sound_end_frame=4 * RATE, finding_id=None)
    with pytest.raises(InvalidInput, match=r"10\.42 ms fit here") as refused:
        set_loop(replace(job, clips={clip.id: heard}), clip.id, start, end, crossfade)
    assert refused.value.details == {"fits_frames": 500}
    with pytest.raises(InvalidInput, match="inside its clip"):
        set_loop(job, clip.id, start, samples.shape[1] + 1, 0)


def test_the_microphones_of_a_hit_loop_at_the_same_moments() -> None:
    job, _, strikes = kit_job()
    late = next(key for key, strike in strikes.items() if strike.mic == "far")
    job = lay_out_sets(job, strikes, {late: 480}).job
    far = job.clip(late)
    near = next(clip for clip in job.clips.values() if clip.set_id == far.set_id and clip.id != far.id)
    looped = set_loop(job, near.id, 20_000, 40_000, 960).job
    at = {mark.clip_id: (mark.frame, mark.end_frame, mark.crossfade_frames) for mark in looped.marks.values()}
    assert at == {near.id: (20_000, 40_000, 960), far.id: (20_480, 40_480, 960)}
    assert set_loop(looped, far.id, 21_480, 41_480, 0).job.marks.keys() == looped.marks.keys()
    turned = rotate_loop(job, near.id, 30_000, 960, (10_000, 50_000)).job
    parts = [c for c in turned.clips.values() if c.source_id in (near.source_id, far.source_id)]
    assert {start_of(turned, clip) - start_of(job, near) for clip in parts} == {10_000, 30_000}
    assert sorted((c.head_frame, c.tail_frame) for c in parts) == [
        (10_000, 30_000), (10_480, 30_480), (30_000, 50_000), (30_480, 50_480),
    ]  # fmt: skip
    assert {join.length_frames for join in turned.joins.values()} == {960} and len(turned.joins) == 2


@settings(max_examples=15)
@given(at=st.integers(3_000, 150_000), crossfade=st.sampled_from([0, 480, 1_440]))
def test_a_turned_loop_is_the_same_audio_and_continuous_where_it_now_begins(at: int, crossfade: int) -> None:
    samples = pad()
    job = add_source(Job("Engine", "drums"), SourceUse("pad", "Engine", RATE, 2, samples.shape[1])).job
    clip = next(iter(job.clips.values()))
    ends = (1_500, samples.shape[1] - 1_500)
    job = rotate_loop(job, clip.id, at, crossfade, ends).job
    first, second = sorted(job.clips.values(), key=lambda c: start_of(job, c))
    assert start_of(job, first) == ends[0] and end_of(job, first) == start_of(job, second)
    rendered = RenderPlan(job).render(ends[0], ends[1] - ends[0], ArrayReader({("pad", RATE): samples}))
    turned = np.concatenate([samples[:, at : ends[1]], samples[:, ends[0] : at]], axis=1)
    joint, half = ends[1] - at, crossfade // 2 + 1
    assert np.array_equal(rendered[:, : joint - half], turned[:, : joint - half])
    assert np.array_equal(rendered[:, joint + half :], turned[:, joint + half :])
    with pytest.raises(InvalidInput, match="inside"):
        rotate_loop(job, first.id, 0, 0)
    # Joined, it is one shot that is looped whole, and no edge of it moves by itself.
    for side in ("head", "tail"):
        stays = move_edges(job, (first.id, second.id), side, 480)
        assert stays.job == job and "rotated loop" in stays.notes[0]
        assert move_edge(job, first.id, side, 40_000).job == job
    (shot,) = shots(job)
    single = alone(replace(job, rate_hz=RATE), shot)
    sent = RenderPlan(single).render(0, turned.shape[1], ArrayReader({("pad", RATE): samples}))
    assert shot.id == first.id and np.array_equal(sent, rendered) and shot_loops(single) == [(0, turned.shape[1])]


def test_a_loop_turned_without_a_crossfade_is_told_where_it_clicks() -> None:
    tone = np.tile(0.5 * np.sin(2 * np.pi * 480 * np.arange(RATE) / RATE).astype(np.float32), (2, 1))
    job = add_source(Job("Engine", "drums"), SourceUse("s", "Engine", RATE, 2, RATE)).job
    (clip,) = job.clips.values()
    for end, state in ((RATE - 800, "fine"), (RATE - 775, "fail")):
        turned = rotate_loop(job, clip.id, 20_000, 0, (0, end)).job
        check_validity(turned)
        (join,) = turned.joins.values()
        verdicts = join_verdicts(turned, join, RenderPlan(turned), ArrayReader({("s", RATE): tone}))
        assert {one.check: one.state for one in verdicts} == {"click": state, "join": "fine"}


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["plank", "oar"]), st.sampled_from([None, 40]), st.sampled_from([None, "soft", "hard"]),
            st.sampled_from([None, "near", "far"]), st.sampled_from([None, 1, 2, 5]),
        ), min_size=1, max_size=24,
    )
)  # fmt: skip
def test_one_sample_of_each_microphone_sounds_at_a_strike_and_takes_alternate(strikes: list[Any]) -> None:
    job, _, _ = kit_job()
    pattern = next(iter(job.clips.values()))
    made = {f"x{n}": replace(pattern, id=f"x{n}", strike=Strike(*fields)) for n, fields in enumerate(strikes)}
    places = key_places(list(made.values()))
    for place in places.values():
        alike = [
            p for p in places.values() if p.key == place.key and p.low_strength <= place.low_strength <= p.high_strength
        ]
        assert {p.turns for p in alike} == {place.turns} and 1 <= place.turn <= place.turns
        assert sum((p.mic, p.turn) == (place.mic, place.turn) for p in alike) == 1
    told = dict(shared_keys(list(made.values())))
    for key in {place.key for place in places.values()}:
        things = {(p.low_strength, made[one].strike.name) for one, p in places.items() if p.key == key}  # type: ignore[union-attr]
        assert (key in told) == (len({low for low, _ in things}) < len(things))
        bounds = sorted({(p.low_strength, p.high_strength) for p in places.values() if p.key == key})
        assert (
            bounds[0][0] == 1 and bounds[-1][1] == 127 and all(b[0] == a[1] + 1 for a, b in itertools.pairwise(bounds))
        )
    numbered = {f"h{n}": replace(pattern, id=f"h{n}", strike=Strike("hit", take=n)) for n in range(1, 60)}
    keys = {p.key for p in key_places(list(numbered.values())).values()}
    assert len(keys) == 59  # hits that are numbered and nothing else have keys of their own


def test_one_shots_stand_alone_at_their_own_rate_and_the_map_shares_the_strengths() -> None:
    job, reader, strikes = kit_job()
    job = lay_out_sets(job, strikes, {}).job
    clips = shots(job)
    assert [(c.strike.name, c.strike.strength) for c in clips if c.strike][:4] == [
        ("Bell", "soft"),
        ("Bell", "soft"),
        ("Bell", "hard"),
        ("Bell", "hard"),
    ]
    clip = move_edge(job, clips[0].id, "head", 4_800, "length").job.clip(clips[0].id)
    single = alone(replace(job, clips={**job.clips, clip.id: clip}), clip)
    rendered = RenderPlan(single).render(0, clip.frames, reader)
    assert np.array_equal(rendered, reader.read(clip.source_id, RATE, clip.head_frame, clip.frames))
    whole = alone(job, clip, whole=True)
    assert RenderPlan(whole).end_frame == job.source(clip.source_id).frames
    places = key_places(clips)
    by_thing = {(c.strike.name, c.strike.strength): places[c.id] for c in clips if c.strike}
    assert by_thing["Plank", "soft"].key == 36 and by_thing["Bell", "soft"].key == FIRST_KEY + 1  # 36 is taken
    assert [(by_thing["Bell", s].low_strength, by_thing["Bell", s].high_strength) for s in ("soft", "hard")] == [
        (1, 63),
        (64, 127),
    ]
    fields = shot_fields(job, clips)
    made = names("Boatyard {name}_{note}_{strength}_{mic}", fields, ".wav", replace_this="Bell", replace_by="Ship bell")
    assert made[0].name == "Boatyard Ship bell_soft_far.wav" and not any(name.collides for name in made)
    assert all(name.collides for name in names("{name}", fields, ".wav"))


@pytest.mark.parametrize(
    "words",
    [
        "soft mid hard",
        "soft loud",
        "light heavy",
        "S M H",
        "ghost soft hard",
        "lo med hi",
        "pp mf ff",
        "v2 v10",
        "quiet normal accent",
    ],
)
def test_strengths_go_by_their_words_and_where_they_say_nothing_by_loudness(words: str) -> None:
    """Softest first whatever the alphabet says; words in an order that nobody reads from them go by what is measured."""
    order = tuple(words.split())
    levels = [Level(thing, word, -30.0 + 6.0 * n) for thing in "ab" for n, word in enumerate(order)]
    assert order_strengths(sorted(order), levels) == order_strengths(order) and order_strengths(order).order == order
    upside_down = [Level(level.thing, level.strength, -level.level_db) for level in levels]
    told = order_strengths(order, upside_down)
    assert told.order == order and len(told.doubts) == len(order) - 1 and "louder than" in told.doubts[0]
    named = dict(zip(order, ("Zoe", "Mia", "Ann"), strict=False))
    by_level = order_strengths(named.values(), [Level(x.thing, named[x.strength], x.level_db) for x in levels])
    assert by_level.order == tuple(named.values()) and by_level.by == "loudness" and "by loudness" in by_level.doubts[0]
