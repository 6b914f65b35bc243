"""A kit from end to end: files in, names read, heads found, hot ones down, loops, one-shots, map and report out."""

from __future__ import annotations

import csv
import hashlib
import itertools
import json
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from tests.conftest import RATE
from wavinfo import WavInfoReader

from wemble.actions.delivery import export
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.editing import kit_edits
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.pictures import heads
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import hit_search
from wemble.actions.shell.kit import KitWanted, audio_files, make_kit
from wemble.actions.verdicts import verdicts
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edit.model import Job
from wemble.core.signal.levels import from_db
from wemble.errors import InvalidInput, NotFound
from wemble.formats.points import read_points
from wemble.formats.sfz import Region, read_sfz, write_sfz

THINGS = ("Plank", "Chain", "Oil drum", "Bell", "Oar", "Tar bucket")
HOT = ("Plank_36_hard_near", "Bell_39_hard_near", "Oar_40_hard_near")


def boatyard(folder: Path, *, without: tuple[str, ...] = ()) -> dict[str, int]:
    """Write 24 files, two strengths and two microphones of six things, behind 5 to 300 ms of air; return where each speaks."""
    rng = np.random.default_rng(24)
    truth = {}
    folder.mkdir()
    for number, thing in enumerate(THINGS):
        for strength, size in (("soft", 0.15), ("hard", 0.6)):
            air = round(rng.uniform(0.005, 0.3) * RATE)
            t = np.arange(round(0.8 * RATE)) / RATE
            hit = np.cos(2 * np.pi * (140 + 97 * number) * t) * np.exp(-t * (6 + 3 * number))
            for mic, later, gain in (("near", 0, 1.0), ("far", 330, 0.3)):
                name = f"{thing}_{36 + number}_{strength}_{mic}"
                take = from_db(-66.0) * rng.standard_normal(air + later + 2 * RATE)
                take[air + later : air + later + len(t)] += (0.97 if name in HOT else size) * gain * hit
                truth[name] = air
                if name not in without:
                    soundfile.write(folder / f"{name}.wav", take, RATE, subtype="PCM_24")
    return truth


@pytest.fixture
def kit(library: Library, tmp_path: Path) -> tuple[str, dict[str, int], dict[str, str]]:
    """Bring the boatyard in and read its names; return (job id, truth, SHA-256 of every file)."""
    truth = boatyard(tmp_path / "boatyard")
    files = audio_files(tmp_path / "boatyard")
    job_id = create_job(library, "Boatyard", "drums")
    for path in files:
        assert wait_for(library, start_import(library, job_id, path, path.name)).state == "done"
    revision = open_job(library, job_id).revision
    perform(library, job_id, revision, "read_names", pattern=hit_search.read_names(library, revision, None).pattern)
    return job_id, truth, {path.stem: hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def by_name(job: Job) -> dict[str, str]:
    return {job.source(clip.source_id).name: clip.id for clip in job.clips.values()}


def test_twenty_four_rough_files_become_a_kit(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]]
) -> None:
    job_id, truth, hashes = kit
    revision = open_job(library, job_id).revision
    named = hit_search.draft_hits(library, revision, HitRecipe(decided_by="far"))
    assert all(
        deciding == library.job_at(revision).clip(key).name.endswith("far")
        for key, deciding in zip(named.target_ids, named.deciding, strict=True)
    )
    assert all(hit_search.draft_hits(library, revision, HitRecipe(together=False)).deciding)
    draft = hit_search.draft_hits(library, revision, HitRecipe())
    assert len(draft.target_ids) == 24 and sum(draft.deciding) == 12 and draft.strengths == ["soft", "hard"]
    answer = hit_search.apply_hits(library, job_id, revision, [], HitRecipe())
    job = library.job_at(answer.revision)
    for name, clip_id in by_name(job).items():
        clip = job.clip(clip_id)
        assert abs(clip.head_frame - truth[name]) <= 0.0005 * RATE, name
        assert clip.fade_in is None and clip.fade_out is None
    for members in {
        clip.set_id: [c for c in job.clips.values() if c.set_id == clip.set_id] for clip in job.clips.values()
    }.values():
        assert len({(clip.head_frame, clip.tail_frame) for clip in members}) == 1 and len(members) == 2
    assert not [row for row in verdicts(library, answer.revision) if row.doubtful]
    drafted = dict(zip(draft.target_ids, draft.heads, strict=True))
    assert all(abs(drafted[c.id] - c.head_frame) < 3 * RATE // 1000 for c in job.clips.values())

    turned = perform(library, job_id, answer.revision, "turn_down", clip_ids=(), ceiling_db=-1.0)
    job = library.job_at(turned.revision)
    changed = {name for name, clip_id in by_name(job).items() if job.clip(clip_id).gain_db != 0.0}
    assert changed == set(HOT)
    assert max(kit_edits.peaks(library, job, [*job.clips]).values()) <= from_db(-1.0) + 1e-6
    assert turned.notes[-1] == "21 keep their gain"

    colliding = Request(kind="as_source", what="one_shots", pattern="{name}")
    with pytest.raises(InvalidInput, match="names are the same"):
        export.start_export(library, job_id, turned.revision, colliding)
    request = Request(
        kind="as_source",
        what="one_shots",
        pattern="{name}_{strength}_{mic}",
        with_map="cut",
        replace_this="Plank",
        replace_by="Boatyard Plank",
    )
    task = wait_for(library, export.start_export(library, job_id, turned.revision, request))
    assert task.state == "done" and task.result is not None, task.error
    folder = Path(str(task.result["folder"]))
    rows = {
        row["file"]: row for row in csv.DictReader((folder / "report.csv").read_text(encoding="utf-8").splitlines())
    }
    assert (
        len(rows) == 24
        and json.loads((folder / "report.json").read_text())[0].keys() == next(iter(rows.values())).keys()
    )
    hot, quiet = soundfile.read(folder / "Boatyard Plank_hard_near.wav"), soundfile.read(folder / "Bell_soft_far.wav")
    assert np.abs(hot[0]).max() == pytest.approx(from_db(-1.0), abs=2e-6)
    assert soundfile.info(folder / "Bell_soft_far.wav").subtype == "PCM_24"
    clip = job.clip(by_name(job)["Bell_39_soft_far"])
    assert np.allclose(
        quiet[0], library.reader.read(clip.source_id, RATE, clip.head_frame, clip.frames)[0], atol=2**-23
    )
    sent = {clip.file_name: clip for clip in open_job(library, job_id).job.clips.values()}
    for path, row in rows.items():
        assert row["source_sha256"] == hashes[row["source"]], path
        one = sent[row["source"]]
        source = job.source(one.source_id)
        ms = 1000.0 / source.rate_hz
        figures = [one.head_frame * ms, (source.frames - one.tail_frame) * ms, one.gain_db]
        assert [float(row[name]) for name in ("air_removed_ms", "tail_removed_ms", "gain_db")] == pytest.approx(
            figures, abs=1e-3
        )
        assert [int(row[name]) for name in ("head_frame", "tail_frame", "onset_frame")] == [
            one.head_frame, one.tail_frame, one.sound_start_frame,
        ]  # fmt: skip
        written, _ = soundfile.read(folder / path)
        assert float(row["peak_db"]) == pytest.approx(20 * np.log10(np.abs(written).max()), abs=0.02)
    originals = [*library.home.source(clip.source_id).glob("original*")]
    assert hashlib.sha256(originals[0].read_bytes()).hexdigest() == hashes["Bell_39_soft_far"]

    regions = read_sfz((folder / "kit.sfz").read_text())
    assert len(regions) == 24 and {region.key for region in regions} == set(range(36, 42))
    assert {(r.low_strength, r.high_strength) for r in regions} == {(1, 63), (64, 127)} and {
        r.mic for r in regions
    } == {"near", "far"}
    assert {r.sample for r in regions} == set(rows)
    # The text itself, read by nothing of ours: every region names a file that is there.
    text = (folder / "kit.sfz").read_text()
    assert all((folder / name).is_file() for name in re.findall(r"sample=(.+?) key=", text))


def test_what_is_in_hand_goes_into_folders_at_another_rate_with_its_map(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]], tmp_path: Path
) -> None:
    job_id, _, _ = kit
    revision = hit_search.apply_hits(library, job_id, open_job(library, job_id).revision, [], HitRecipe()).revision
    job = library.job_at(revision)
    in_hand = tuple(clip.id for clip in job.clips.values() if clip.strike and clip.strike.name == "Bell")

    def sent(**fields: object) -> Path:
        request = Request("as_source", "one_shots", with_map="offset", clip_ids=in_hand, **fields)  # type: ignore[arg-type]
        task = wait_for(library, export.start_export(library, job_id, revision, request))
        assert task.state == "done" and task.result is not None, task.error
        return Path(str(task.result["folder"]))

    assert preview(library, revision, Request("as_source", "one_shots")).pattern == "{name}_{note}_{strength}_{mic}"
    own, other = sent(), sent(rate_hz=44_100, channels=2, pattern="{strength}/{name} {mic} {rate}")
    regions = {region.sample: region for region in read_sfz((other / "kit.sfz").read_text())}
    assert set(regions) == {
        f"{strength}/Bell {mic} 44.1k.wav" for strength in ("soft", "hard") for mic in ("near", "far")
    }
    kept = {region.sample: region for region in read_sfz((own / "kit.sfz").read_text())}
    for name, region in regions.items():
        strength, mic = name.split("/")[0], name.split()[1]
        at_own, rate = soundfile.read(own / f"Bell_D#2_{strength}_{mic}.wav")
        converted, other_rate = soundfile.read(other / name)
        assert (rate, other_rate) == (RATE, 44_100) and converted.shape == (round(len(at_own) * 0.91875), 2)
        expected = np.clip(soxr.resample(at_own, rate, other_rate, "HQ")[: len(converted)], -1.0, 1.0)
        assert np.abs(converted[: len(expected), 0] - expected).max() < 1e-5  # soxr, one shot against a stream
        before = kept[f"Bell_D#2_{strength}_{mic}.wav"]
        assert abs(region.start_frame / other_rate - before.start_frame / rate) < 1 / other_rate


def test_whole_samples_go_with_offsets_and_loops_reach_the_file(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]]
) -> None:
    job_id, _, _ = kit
    revision = hit_search.apply_hits(library, job_id, open_job(library, job_id).revision, [], HitRecipe()).revision
    job = library.job_at(revision)
    bell = job.clip(by_name(job)["Bell_39_hard_near"])
    loop = kit_edits.loop_candidates(library, revision, bell.id, None)[0]
    assert bell.head_frame < loop.start_frame < loop.end_frame <= bell.tail_frame
    judged = kit_edits.judge_loop(library, revision, bell.id, loop.start_frame, loop.end_frame, loop.crossfade_frames)
    assert judged.score == pytest.approx(loop.score, abs=0.2)
    answer = perform(
        library,
        job_id,
        revision,
        "set_loop",
        clip_id=bell.id,
        start_frame=loop.start_frame,
        end_frame=loop.end_frame,
        crossfade_frames=loop.crossfade_frames,
    )
    for with_map, shift in (("cut", bell.head_frame), ("offset", 0)):
        request = Request(kind="wav_16", what="one_shots", pattern="{source}", with_map=with_map)  # type: ignore[arg-type]
        task = wait_for(library, export.start_export(library, job_id, answer.revision, request))
        assert task.result is not None
        folder = Path(str(task.result["folder"]))
        path = folder / "Bell_39_hard_near.wav"
        region = next(r for r in read_sfz((folder / "kit.sfz").read_text()) if r.sample == path.name)
        assert region.loop == (loop.start_frame - shift, loop.end_frame - shift)
        assert region.start_frame == (0 if shift else bell.head_frame)
        assert soundfile.info(path).frames == (bell.frames if shift else job.source(bell.source_id).frames)
        # wavinfo, and not our own reader, says where the loop is; the end of a smpl loop is played (memory).
        sampler = WavInfoReader(str(path)).smpl.to_dict()
        assert [(one["start_samples"], one["end_samples"]) for one in sampler["loops"]] == [
            (loop.start_frame - shift, loop.end_frame - shift - 1)
        ]
        assert [(p.frame, p.end_frame) for p in read_points(path, soundfile.info(path).frames).points] == [region.loop]


def test_a_corrected_head_stays_when_the_numbers_change_and_all_loops_are_made_at_once(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]]
) -> None:
    job_id, _, _ = kit
    revision = hit_search.apply_hits(library, job_id, open_job(library, job_id).revision, [], HitRecipe()).revision
    job = library.job_at(revision)
    pair = tuple(
        clip.id for clip in job.clips.values() if clip.set_id == job.clip(by_name(job)["Oar_40_soft_far"]).set_id
    )
    before = job.clip(pair[0]).head_frame
    moved = perform(library, job_id, revision, "move_edges", clip_ids=pair, side="head", by_frames=-96)
    again = hit_search.apply_hits(
        library, job_id, moved.revision, [], HitRecipe(start_under_peak_db=30.0, keep_ms=200.0)
    )
    later = library.job_at(again.revision)
    assert [later.clip(clip_id).head_frame for clip_id in pair] == [before - 96] * 2
    assert all(later.clip(c.id).tail_frame > c.tail_frame for c in job.clips.values())
    # A microphone that is cut too short for the loop of its hit costs that hit its loop, and no other.
    short = later.clip(by_name(later)["Bell_39_soft_far"])
    cut = perform(
        library, job_id, again.revision, "move_edges", clip_ids=(short.id,), side="tail", by_frames=2_000 - short.frames
    )
    looped = perform(
        library, job_id, cut.revision, "loop_all", clip_ids=[c for c in later.clips if c != short.id], crossfade_ms=20.0
    )
    with_loops = library.job_at(looped.revision)
    loops: dict[str | None, set[tuple[int, int | None, int]]] = {}
    for mark in with_loops.marks.values():
        assert mark.kind == "loop" and mark.clip_id is not None
        at = (mark.frame, mark.end_frame, mark.crossfade_frames)
        loops.setdefault(with_loops.clip(mark.clip_id).set_id, set()).add(at)
    assert looped.notes == (f"{len(loops)} of 12 loops have a seam that is not heard",) and len(loops) >= 6
    assert all(len(both) == 1 for both in loops.values()) and len(with_loops.marks) == 2 * len(loops)
    assert short.set_id not in loops
    softened = perform(library, job_id, looped.revision, "soften", clip_ids=pair, milliseconds=5.0)
    assert softened.notes and softened.notes[0].startswith("no effect, already at the floor")
    begins, pictures = heads(library, softened.revision, 300)
    assert len(begins) == 24 and len(pictures) == 24 * 300 * 2


def test_a_silent_file_is_said_and_changes_nothing_of_the_others(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]], tmp_path: Path
) -> None:
    job_id, _, _ = kit
    revision = hit_search.apply_hits(library, job_id, open_job(library, job_id).revision, [], HitRecipe()).revision

    def edges(job: Job) -> dict[str, object]:
        return {c.name: (c.head_frame, c.tail_frame, c.confidence, c.reason, c.end_reason) for c in job.clips.values()}

    without = edges(library.job_at(revision))
    frames = soundfile.info(tmp_path / "boatyard/Oar_40_soft_near.wav").frames
    for name, length in {"Oar_40_soft_room": frames, "Rope_50_soft_near": RATE}.items():
        soundfile.write(tmp_path / f"{name}.wav", np.zeros(length), RATE)
        assert wait_for(library, start_import(library, job_id, tmp_path / f"{name}.wav", f"{name}.wav")).state == "done"
    revision = open_job(library, job_id).revision
    revision = perform(library, job_id, revision, "read_names", pattern="{name}_{note}_{strength}_{mic}").revision
    draft = hit_search.draft_hits(library, revision, HitRecipe())
    assert draft.reasons.count("silence") == draft.doubtful == 1 and min(draft.confidences) == 0.0
    answer = hit_search.apply_hits(library, job_id, revision, [], HitRecipe(decided_by="room"))
    found = edges(library.job_at(answer.revision))
    assert without == {name: edge for name, edge in found.items() if name in without}
    assert found["Oar_40_soft_room"] == without["Oar_40_soft_near"]
    assert answer.notes == ("1 without any sound stay as they are",)
    assert hit_search.recipe_of(library, answer.revision) == (HitRecipe(decided_by="room"), True)
    clip_id = by_name(library.job_at(answer.revision))["Rope_50_soft_near"]
    doubtful = [row.clip_id for row in verdicts(library, answer.revision) if row.doubtful]
    assert doubtful == [clip_id]
    cured = perform(library, job_id, answer.revision, "remove_clips", clip_ids=(clip_id,), close="no")
    assert not any(row.doubtful for row in verdicts(library, cured.revision))


def test_an_offset_is_taken_out_as_an_edit_and_the_file_that_came_in_stays(
    library: Library, kit: tuple[str, dict[str, int], dict[str, str]], tmp_path: Path
) -> None:
    job_id, _, _ = kit
    plain, _ = soundfile.read(tmp_path / "boatyard/Bell_39_hard_near.wav", dtype="float32")
    soundfile.write(tmp_path / "Bell_39_loud_near.wav", plain * 0.5 + 0.03, RATE, subtype="FLOAT")
    task = wait_for(library, start_import(library, job_id, tmp_path / "Bell_39_loud_near.wav", "Bell_39_loud_near.wav"))
    assert task.state == "done"
    found = hit_search.apply_hits(library, job_id, open_job(library, job_id).revision, [], HitRecipe())
    before = library.job_at(found.revision)
    answer = perform(library, job_id, found.revision, "take_out_offset", clip_ids=())
    assert answer.notes[0].startswith("offset taken out of 1 of 25 recordings, up to −30.")
    after = library.job_at(answer.revision)
    changed = {c.name: c for c in after.clips.values() if c.source_id != before.clip(c.id).source_id}
    assert set(changed) == {"Bell_39_loud_near"} and len(after.findings) == len(before.findings)
    clip = changed["Bell_39_loud_near"]
    source = library.source(clip.source_id)
    samples = library.reads(clip.source_id)(0, source.frames)
    assert np.abs(samples[0] - plain * 0.5).max() < 5e-6  # as it was before the offset: a hit's own mean is left alone
    was = before.clip(clip.id)
    assert (clip.head_frame, clip.tail_frame, clip.sound_start_frame) == (
        was.head_frame,
        was.tail_frame,
        was.sound_start_frame,
    )
    again = perform(library, job_id, answer.revision, "take_out_offset", clip_ids=())
    assert again.notes == ("no recording has an offset over −80 dB",) and again.revision == answer.revision
    assert hit_search.apply_hits(library, job_id, again.revision, [], HitRecipe(keep_ms=50.0)).revision > again.revision


def test_a_take_is_cut_into_its_hits_and_no_piece_reaches_into_the_next(
    library: Library, bring_in: Callable[..., tuple[str, object]], tmp_path: Path
) -> None:
    rng = np.random.default_rng(6)
    take = from_db(-64.0) * rng.standard_normal(8 * RATE)
    onsets = [round((0.5 + 0.37 * n) * RATE) for n in range(18)]
    t = np.arange(RATE) / RATE
    for onset in onsets:
        take[onset : onset + RATE] += 0.5 * np.cos(2 * np.pi * 210 * t) * np.exp(-9 * t)
    soundfile.write(tmp_path / "tar buckets.wav", take, RATE, subtype="FLOAT")
    job_id, _ = bring_in(tmp_path / "tar buckets.wav", create_job(library, "Tar buckets", "drums"))
    opened = open_job(library, job_id)
    recipe = HitRecipe(many=True, before_ms=2.0)
    proposed, applied = hit_search.recipe_of(library, opened.revision)
    assert (proposed, applied) == (
        HitRecipe(many=True),
        False,
    )  # eight seconds with eighteen hits are heard to be a take
    draft = hit_search.draft_hits(library, opened.revision, recipe)
    answer = hit_search.apply_hits(library, job_id, opened.revision, [], recipe)
    clips = sorted(library.job_at(answer.revision).clips.values(), key=lambda clip: clip.head_frame)
    assert (draft.heads, draft.tails) == ([c.head_frame for c in clips], [c.tail_frame for c in clips])
    assert [abs(clip.head_frame + 96 - onset) <= 24 for clip, onset in zip(clips, onsets, strict=True)] == [True] * 18
    assert all(a.tail_frame <= b.head_frame for a, b in itertools.pairwise(clips))
    assert [clip.name for clip in clips[:2]] == ["tar buckets 1", "tar buckets 2"]
    task = wait_for(
        library,
        export.start_export(library, job_id, answer.revision, Request(kind="wav_16", what="one", pattern="take")),
    )
    assert task.result is not None
    cues = WavInfoReader(
        str(Path(str(task.result["folder"])) / "take.wav")
    ).cues  # one file with its hits, read by wavinfo
    assert [cue.sample_offset for cue in cues.cues] == [clip.head_frame - clips[0].head_frame for clip in clips]
    fewer = hit_search.apply_hits(library, job_id, answer.revision, [], HitRecipe(many=True, shortest_gap_ms=600.0))
    kept = {clip.head_frame: clip.name for clip in library.job_at(fewer.revision).clips.values()}
    assert len(kept) == 9
    again = hit_search.apply_hits(library, job_id, fewer.revision, [], recipe)
    names = {clip.head_frame + 96: clip.name for clip in library.job_at(again.revision).clips.values()}
    assert len(set(names.values())) == 18 and kept.items() <= names.items()
    # What a hand removed stays out of draft and list, but for a part of a hit, and unless nothing would be left.
    third, fourth = sorted(library.job_at(again.revision).clips.values(), key=lambda clip: clip.head_frame)[2:4]
    gone = perform(library, job_id, again.revision, "remove_clips", clip_ids=(third.id,))
    split = perform(library, job_id, gone.revision, "split", clip_ids=(fourth.id,), at_frame=fourth.head_frame + 4_000)
    right = next(
        c.id for c in library.job_at(split.revision).clips.values() if c.head_frame == fourth.head_frame + 4_000
    )
    half = perform(library, job_id, split.revision, "remove_clips", clip_ids=(right,))
    longer = HitRecipe(many=True, keep_ms=30.0)
    draft, later = (
        hit_search.draft_hits(library, half.revision, longer),
        hit_search.apply_hits(library, job_id, half.revision, [], longer),
    )
    left = sorted(library.job_at(later.revision).clips.values(), key=lambda clip: clip.head_frame)
    assert draft.heads == [clip.head_frame for clip in left] and later.notes == ("1 removed by hand stays out",)
    assert {clip.name for clip in left} == set(names.values()) - {third.name}
    none = perform(library, job_id, later.revision, "remove_clips", clip_ids=tuple(clip.id for clip in left))
    back = hit_search.apply_hits(library, job_id, none.revision, [], recipe)
    assert len(library.job_at(back.revision).clips) == 18
    fewer = perform(
        library, job_id, back.revision, "remove_clips", clip_ids=tuple(library.job_at(back.revision).clips)[:1]
    )
    last = hit_search.apply_hits(library, job_id, fewer.revision, [], longer)
    assert len(library.job_at(last.revision).clips) == 17, "those that came back are not removed any more"


def test_the_shell_makes_a_kit_of_a_folder_names_what_is_missing_and_writes_nothing_over(tmp_path: Path) -> None:
    truth = boatyard(tmp_path / "boatyard", without=("Oar_40_soft_far",))
    (tmp_path / "boatyard" / "notes.txt").write_text("not audio")
    (tmp_path / "boatyard" / "broken.wav").write_bytes(b"RIFF not really")
    before = {path: hashlib.sha256(path.read_bytes()).hexdigest() for path in (tmp_path / "boatyard").iterdir()}
    seen: list[float] = []
    made = make_kit(
        lambda part, doing: seen.append(part),
        audio_files(tmp_path / "boatyard"),
        tmp_path / "kit",
        KitWanted(soften_ms=5.0),
    )
    assert len(made.failed) == 1 and "broken.wav" in made.failed[0][0]
    assert made.missing == ("Oar E2 soft far",) and made.doubtful == 0
    assert (
        len([name for name in made.written if name.endswith(".wav")]) == 23 and seen == sorted(seen) and seen[-1] == 1.0
    )
    rows = {row["source"]: row for row in json.loads((tmp_path / "kit" / "report.json").read_text(encoding="utf-8"))}
    lacking = rows.pop("Oar E2 soft far")
    assert {value for name, value in lacking.items() if name != "source"} == {None, "missing from the grid"}
    assert len(rows) == 23
    for name, row in rows.items():
        assert abs(row["head_frame"] - truth[name]) <= 0.0005 * RATE, name
        assert soundfile.info(tmp_path / "kit" / row["file"]).frames == row["tail_frame"] - row["head_frame"]
    assert {path: hashlib.sha256(path.read_bytes()).hexdigest() for path in before} == before
    with pytest.raises(InvalidInput, match="nothing was written"):
        make_kit(lambda part, doing: None, audio_files(tmp_path / "boatyard"), tmp_path / "kit", KitWanted())
    (tmp_path / "empty").mkdir()
    with pytest.raises(InvalidInput, match="no audio files"):
        audio_files(tmp_path / "empty")


def test_an_sfz_map_is_read_as_it_was_written_and_groups_hand_on() -> None:
    regions = [
        Region("a b.wav", 60, 1, 63, "near", 12, 4_801, (100, 4_001)),
        Region("c.wav", 61, 64, 127, "", turn=2, turns=3),
    ]
    assert read_sfz(write_sfz(regions, title="Kit")) == regions
    text = "<global> hivel=90 <group> key=40 // low\n<region> sample=x.wav lovel=3\n<region> sample=y z.wav key=41 hivel=20\n"
    assert read_sfz(text) == [Region("x.wav", 40, 3, 90), Region("y z.wav", 41, 0, 20)]


def test_what_is_not_there_is_said(library: Library, kit: tuple[str, dict[str, int], dict[str, str]]) -> None:
    job_id, _, _ = kit
    revision = open_job(library, job_id).revision
    with pytest.raises(InvalidInput, match="no name fits"):
        perform(library, job_id, revision, "read_names", pattern="{name}+{note}")
    with pytest.raises(NotFound):
        kit_edits.loop_candidates(library, revision, "c999", None)
    with pytest.raises(InvalidInput, match="only one-shots can keep"):
        Request(kind="as_source", what="one")
    with pytest.raises(InvalidInput, match="ceiling"):
        perform(library, job_id, revision, "turn_down", clip_ids=(), ceiling_db=3.0)
