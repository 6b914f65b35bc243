"""What the server answers along six days of work (a narration, a kit, a desk with every way to send, a
disc, a conversation, a show) stays what it was.

The answers are held still in ``pinned_answers.json``, one line an answer, without ids and times: whoever changes one on
purpose looks at what moved, then writes them anew with ``python -m tests.web.test_pinned_answers``.
"""

from __future__ import annotations

import json
import re
import sys
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from tests.conftest import RATE, phrases

from wemble.actions.library import Library
from wemble.actions.pictures import levels
from wemble.actions.work.executor import WorkerPool
from wemble.actions.work.tasks import wait_for
from wemble.formats.points import Point, append_points
from wemble.web.app import create_app

PINNED = Path(__file__).with_name("pinned_answers.json")
PASSING = {"created_at", "deleted_at", "size_bytes", "free_bytes", "freed_bytes", "received_bytes", "folder"}
ID = re.compile(r"\b[0-9a-f]{12,64}\b")


class Page:
    """A page that asks, and notes what it was answered."""

    def __init__(self, library: Library, folder: Path, brief: str):
        self.library, self.folder, self.said = library, folder, list[str]()
        self._client, self._ids = create_app(library).test_client(), dict[str, str]()
        self.job = self.ask("POST", "/jobs", name="pinned", brief=brief)["id"]

    def ask(self, method: str, path: str, **body: Any) -> Any:
        answer = self._client.open("/api" + path, method=method, json=body or None)
        if answer.mimetype != "application/json":
            self.note(f"{method} {path}", [answer.status_code, len(answer.data), sum(answer.data)])
            return answer.data
        self.note(f"{method} {path}", answer.get_json())
        return answer.get_json()

    def note(self, what: str, answer: Any) -> None:
        line = f"{what} {json.dumps(_lasting(answer), ensure_ascii=False)}"
        self.said.append(ID.sub(lambda found: self._ids.setdefault(found[0], f"id {len(self._ids)}"), line))

    @property
    def state(self) -> Any:
        return self._client.get(f"/api/jobs/{self.job}").get_json()

    @property
    def revision(self) -> int:
        return int(self.state["revision"])

    def edit(self, kind: str, **fields: Any) -> None:
        self.ask("POST", f"/jobs/{self.job}/edits", base_revision=self.revision, edit={"kind": kind, **fields})

    def on_job(self, path: str, **body: Any) -> Any:
        where = "base_revision" if path.split("/")[-1] in {"apply", "undo", "redo", "save"} else "revision"
        return self.ask("POST", f"/jobs/{self.job}/{path}", **{where: self.revision}, **body)

    def look(self, path: str) -> Any:
        return self.ask("GET", f"/jobs/{self.job}/revisions/{self.revision}/{path}")

    def bring_in(self, name: str, samples: np.ndarray, rate: int = RATE, **kind: Any) -> None:
        path = self.folder / name
        soundfile.write(path, samples, rate, **kind)
        self.take(path)

    def take(self, path: Path) -> None:
        data = path.read_bytes()
        upload = self.ask("POST", f"/jobs/{self.job}/uploads", name=path.name, size_bytes=len(data))["id"]
        self.put(upload, data)
        task = wait_for(self.library, self.ask("POST", f"/uploads/{upload}/finish")["task_id"], 60)
        self.note(f"import {path.name}", asdict(task))

    def put(self, upload: str, data: bytes) -> None:
        half = len(data) // 2
        for offset, part in ((0, data[:half]), (half, data[half:]), (0, data[:half])):
            where = {"Upload-Offset": str(offset)}
            answer = self._client.patch(f"/api/uploads/{upload}", data=part, headers=where)
            self.note(f"part at {offset > 0}", [answer.status_code, "Upload-Offset" in answer.headers])

    def send(self, **request: Any) -> None:
        if "words" in self.on_job("send/preview", request=request).get("preview", {}):
            made = self.on_job("send", request=request)
            task = wait_for(self.library, made["task_id"], 60) if "task_id" in made else None
            if task is None or task.state != "done":
                return
            self.note("files", self.opened(task.id))

    def opened(self, task_id: str) -> list[Any]:
        """Return what is in the file, or the archive, that a task sent."""
        held = self.folder / "sent"
        held.write_bytes(self.file_of(task_id))
        if not zipfile.is_zipfile(held):
            return [self.inside(held)]
        with zipfile.ZipFile(held) as archive:
            archive.extractall(self.folder / task_id)
        return [self.inside(path) for path in sorted((self.folder / task_id).rglob("*")) if path.is_file()]

    def file_of(self, task_id: str) -> bytes:
        with self._client.get(f"/api/tasks/{task_id}/file") as answer:
            return bytes(answer.data)

    def inside(self, path: Path) -> Any:
        if path.suffix in {".csv", ".sfz", ".txt", ".json", ".cue", ".html", ".vtt"}:
            return [path.name, re.sub(r"\d{4}-\d\d-\d\d\S*", "date", path.read_text(errors="replace"))]
        samples, rate = soundfile.read(path, always_2d=True)
        return [path.name.replace(path.parent.name, ""), rate, len(samples), np.abs(samples).sum(0).tolist()]


def _lasting(answer: Any) -> Any:
    """Return an answer without what passes, its numbers to four figures: other builds of a library differ behind them."""
    if isinstance(answer, dict):
        if any(ID.fullmatch(key) for key in answer):  # their order is that of ids, which are another each time
            return sorted(map(_lasting, answer.values()), key=lambda one: str(one["name"]))
        kept = {key: value for key, value in answer.items() if key not in PASSING}
        return {key: sorted(value) if key == "checks" else _lasting(value) for key, value in kept.items()}
    if isinstance(answer, list):
        return [_lasting(value) for value in answer]
    return float(f"{answer:.4g}") if isinstance(answer, float) else answer


def narration(library: Library, folder: Path) -> list[str]:
    """Find in two takes in every way, look, try again, go back."""
    page = Page(library, folder, "voiceover")
    page.bring_in("one.wav", phrases(9.0), subtype="PCM_24")
    page.bring_in("two.flac", 0.5 * phrases(7.0, 44_100, 2, seed=4), 44_100)
    recipe = page.on_job("find/proposal", target_ids=[])["recipe"]
    page.ask("POST", "/recipes", name="mine", recipe=recipe | {"room_after_ms": 250.0})
    for close, exact in ((0.0, False), (0.4, False), (0.4, True), (0.0, True)):
        page.on_job("find/draft", target_ids=[], recipe=recipe, close_up_s=close, exact=exact)
    for kind, amount in (("turn_down", 12.0), ("room_tone", 0.0), ("split", 0.0), ("close_up", 0.4), ("cut", 0.0)):
        louder = recipe | {"room_before_ms": 30.0, "breaths_are_sound": kind == "split"}
        page.on_job("find/apply", target_ids=[], recipe=louder, treatment={"kind": kind, "amount": amount})
    page.look("verdicts")
    page.on_job("find/search", target_ids=[], recipe=recipe, treatment={"kind": "cut", "amount": 0.0})
    some = sorted(clip["id"] for clip in page.state["job"]["clips"].values())[:2]
    for side, hold in (("head", "length"), ("tail", "inner")):
        page.on_job("edges/reach", clip_ids=some, side=side, hold=hold)
    for fade_ms, on in ((12.0, False), (30.0, True)):
        page.on_job(
            "find/apply", target_ids=[], recipe=recipe | {"fade_ms": fade_ms}, treatment={"kind": "cut", "amount": 0.0}
        )
        page.edit("set_automatic_fades", on=on)
        page.edit("split", clip_ids=some[:1], at_frame=RATE)
    page.ask("GET", "/jobs")
    page.bring_in("little quiet.wav", phrases(1.9)[RATE // 2 :])
    (short,) = [clip["id"] for clip in page.state["job"]["clips"].values() if clip["name"] == "little quiet"]
    for kind, amount in (("room_tone", 0.0), ("close_up", 5.0), ("keep_quiet", 0.0)):
        page.on_job("find/apply", target_ids=[short], recipe=recipe, treatment={"kind": kind, "amount": amount})
    page.on_job("undo")
    page.edit("remove_clips", clip_ids=[short])
    page.ask("GET", "/recipes")
    for what in ("one", "each_clip"):
        page.send(what=what, kind="wav_16" if what == "one" else "flac_24")
    page.on_job("undo")
    page.on_job("redo")
    for path in ("picture?columns=40", "heads?columns=50", "audio?start=-100&frames=96000"):
        page.look(path)
    page.look("audio?start=40000&frames=9000&heard=original")
    for use in sorted(page.state["job"]["sources"].values(), key=lambda use: str(use["name"])):
        source = use["id"]
        spectra = levels(use["rate_hz"], use["frames"])[0]
        for path in (
            "",
            "/tiles/256/0",
            "/tiles/4096/0",
            "/tiles/1/3",
            f"/spectra/{spectra}/0",
            f"/spectra/{spectra}/1",
            "/tiles/3/0",
        ):
            page.ask("GET", f"/sources/{source}{path}")
    page.on_job("find/proposal", target_ids=["nothing"])
    return page.said


def kit(library: Library, folder: Path) -> list[str]:
    """Read names, find hits, loop, soften, turn down, map."""
    page = Page(library, folder, "drums")
    t = np.arange(RATE) / RATE
    rng = np.random.default_rng(7)
    for number, (name, air) in enumerate(
        [
            ("plank_36_soft_near", 0.05),
            ("plank_36_soft_far", 0.06),
            ("plank_36_hard_near", 0.02),
            ("bell_40_soft_near", 0.3),
        ]
    ):
        hit = 0.9 * np.sin(2 * np.pi * (200 + 90 * (number // 2)) * t) * np.exp(-t * (9 - 2 * (number // 2)))
        take = 10 ** (-66 / 20) * rng.standard_normal(round(1.6 * RATE))
        take[round(air * RATE) :][: len(hit)] += hit
        page.bring_in(f"{name}.wav", take, subtype="PCM_24")
    with_points = folder / "oar_45_soft_near.wav"
    soundfile.write(with_points, 0.6 * np.sin(2 * np.pi * 220 * t), RATE, subtype="PCM_16")
    append_points(with_points, [Point(2_000, "in"), Point(4_800, "ring", 40_000)], rate_hz=RATE)
    page.take(with_points)
    names = page.on_job("names/preview")
    page.on_job("names/preview", pattern="{name}_{note}_{strength}_{mic}")
    page.on_job("names/preview", pattern="{nothing}")
    page.edit("read_names", pattern=names["names"]["pattern"])
    recipe = page.on_job("hits/draft", target_ids=[])["recipe"]
    page.on_job("hits/draft", target_ids=[], recipe=recipe | {"decided_by": "far", "together": True})
    page.on_job("hits/apply", target_ids=[], recipe=recipe | {"before_ms": 1.0})
    page.on_job("hits/draft", target_ids=[])
    page.look("verdicts")
    clips = sorted(page.state["job"]["clips"].values(), key=lambda clip: clip["name"])
    for clip in clips:
        found = page.on_job("loops/candidates", clip_id=clip["id"]).get("loops", [])
        for loop in found[:1]:
            ends = {"start_frame": loop["start_frame"], "end_frame": loop["end_frame"] - 37}
            page.on_job("loops/judge", clip_id=clip["id"], crossfade_frames=480, **ends)
    everything = [clip["id"] for clip in clips]
    page.edit("loop_all", clip_ids=everything)
    page.edit("soften", clip_ids=everything, milliseconds=20.0)
    page.edit("turn_down", clip_ids=[], ceiling_db=-2.0)
    page.look("verdicts")
    page.look("heads?columns=80")
    for with_map in ("none", "cut", "offset"):
        page.send(what="one_shots", kind="as_source", pattern="{name}_{note}_{strength}_{mic}", with_map=with_map)
    page.send(what="one_shots", kind="flac_16", pattern="{clip}", channels=1)
    page.send(what="one_shots", kind="wav_16", pattern="same")
    return page.said


def desk(library: Library, folder: Path) -> list[str]:
    """Lay, overlap, mark, cross, mute, send in every way; save, open, delete, restore."""
    page = Page(library, folder, "release")
    page.bring_in("song.wav", phrases(5.0, channels=2, seed=8), subtype="FLOAT")
    page.bring_in("next.ogg", 3.0 * phrases(3.0, seed=9))
    page.edit("programme_from_sound")
    first, second = sorted(page.state["job"]["clips"].values(), key=lambda clip: clip["name"], reverse=True)
    page.edit("split", clip_ids=[first["id"]], at_frame=2 * RATE)
    halves = [clip for clip in page.state["job"]["clips"].values() if clip["source_id"] == first["source_id"]]
    halves.sort(key=lambda clip: clip["head_frame"])
    pair = [clip["id"] for clip in halves]
    page.edit("set_joins", pairs=[pair], length_frames=4_800, law="equal_power", lead_frames=0)
    page.edit("set_automatic_fades", on=True)
    page.edit("move_clips", clip_ids=[second["id"]], by_frames=-3 * RATE, to_lane_id=None)
    page.edit("fade_between", clip_ids=[pair[0]], start_frame=-1_000, end_frame=RATE // 2, shape="linear")
    page.look(f"clips/{second['id']}/overlaps")
    page.edit("add_mark", frame=RATE, name="one")
    page.edit("add_mark", frame=2 * RATE + 5, name="two")
    page.edit("set_programme", start_frame=RATE // 2, end_frame=4 * RATE)
    page.look("verdicts")
    for request in ({"what": "one", "kind": "mp3", "kbps": 128}, {"what": "one", "kind": "wav_float", "channels": 1},
                    {"what": "each_section", "kind": "wav_24", "pattern": "{number:3} {clip} {job}"},
                    {"what": "each_clip", "kind": "flac_16", "replace_this": "so", "replace_by": "ko"},
                    {"what": "each_clip", "pattern": "one name"}, {"what": "one", "kind": "mp3", "kbps": 77}):  # fmt: skip
        page.send(**request)
    saved = wait_for(library, page.on_job("save")["task_id"], 60)
    archive = folder / "saved.zip"
    archive.write_bytes(page.file_of(saved.id))
    page.take(archive)
    copy = page.ask("POST", f"/jobs/{page.job}/duplicate")["id"]
    page.ask("POST", f"/jobs/{copy}/rename", name="copy")
    page.ask("DELETE", f"/jobs/{copy}")
    page.ask("GET", "/jobs")
    page.ask("POST", f"/jobs/{copy}/restore")
    page.ask("DELETE", f"/jobs/{copy}")
    page.ask("DELETE", "/bin")
    page.ask("DELETE", f"/tasks/{saved.id}")
    page.job = page.ask("POST", "/jobs", name="opened", brief="drums")["id"]
    page.take(archive)
    page.note("opened", page.state)
    page.ask("GET", f"/jobs/{page.job}/tasks")
    page.ask("GET", "/jobs")
    return page.said


def disc(library: Library, folder: Path) -> list[str]:
    """Make tracks of pieces, let them run on, listen to them, send them in every way; hand one over to the next on air."""
    page = Page(library, folder, "release")
    for n, seconds in enumerate((5.5, 6.0, 4.5)):
        page.bring_in(f"piece {n + 1}.wav", 0.4 * phrases(seconds, 44_100, 2, seed=20 + n), 44_100)
    page.on_job("release/preview", request={})
    page.edit("make_tracks", gap_frames=88_200)
    marks = sorted((m for m in page.state["job"]["marks"].values() if m["kind"] == "track"), key=lambda m: m["name"])
    for n, mark in enumerate(marks):
        page.edit(
            "describe_track", mark_id=mark["id"], title=f"=Tide {n}", performer="Ferry House", isrc=f"QZA1B260000{n}"
        )
    page.edit("run_on", mark_id=marks[1]["id"], overlap_frames=40_000)
    page.edit("set_gaps", mark_ids=[marks[2]["id"]], gap_frames=150_001)
    page.on_job("release/preview", request={"title": "Slack Tide"})
    page.edit("put_on_disc_frames")
    heard = page.ask("POST", f"/jobs/{page.job}/release/hear", base_revision=page.revision)["task_id"]
    page.note("heard", asdict(wait_for(library, heard, 60)))
    for request in ({"title": "Slack Tide", "performer": "Ferry House", "catalog": "4006381333931", "files": "flac_16"},
                    {"image": False, "files": "wav_16", "gaps": "left_out", "year": "2026"}, {"ceiling_db": -30.0, "capacity_s": 9.0},
                    {"catalog": "1"}, {"image": False, "lists": False}, {"files": "opus"}):  # fmt: skip
        page.on_job("release/preview", request=request)
        made = page.on_job("release", request=request)
        if "task_id" in made and wait_for(library, made["task_id"], 60).state == "done":
            page.note("sent", page.opened(made["task_id"]))
    clips = sorted(page.state["job"]["clips"].values(), key=lambda clip: clip["name"])
    for point, at in (("begins", 3), ("singing", 4), ("hook", 5), ("overlap", 6), ("ends", 7)):
        page.edit("set_air_point", clip_id=clips[0]["id"], point=point, frame=at * 44_100)
    page.edit("propose_on_air", clip_ids=[clip["id"] for clip in clips], under_db=12.0)
    page.on_job("hand-over", first_clip_id=clips[0]["id"], second_clip_id=clips[2]["id"], around_s=2.0)
    page.send(what="each_clip", kind="wav_16")
    return page.said


def conversation(library: Library, folder: Path) -> list[str]:
    """Line two recordings up, find what is said, even voices out, keep a piece, put it in front, mix down, send chapters."""
    page = Page(library, folder, "podcast")
    first, second = 0.5 * phrases(14.0, seed=31), 0.5 * phrases(14.0, seed=32)
    page.bring_in("ann.wav", first + 0.08 * np.roll(second, 300))
    page.bring_in("ben.wav", np.roll(0.3 * second + 0.04 * np.roll(first, 200), 4_000))
    for work in ("lanes/align", "lanes/listen", "lanes/measure"):
        started = page.on_job(work)
        if "task_id" in started:
            page.note(work, asdict(wait_for(library, started["task_id"], 60)))
    recipe = page.on_job("find/proposal", target_ids=[])["recipe"]
    page.on_job("find/draft", target_ids=[], recipe=recipe)
    page.on_job("find/apply", target_ids=[], recipe=recipe, treatment={"kind": "cut", "amount": 0.0})
    for longest in (0, 4_800):
        page.on_job("lanes/talk", longest_frames=longest, part=0.25)
    page.edit("close_gaps", longest_frames=9_600, part=0.1)
    page.on_job("lanes/voices")
    page.edit("even_voices", target_lufs=-19.0, along=True)
    clips = sorted(page.state["job"]["clips"].values(), key=lambda clip: (clip["name"], clip["head_frame"]))
    page.on_job("pieces", clip_id=clips[0]["id"], name="Opening")
    page.ask("GET", "/pieces")
    page.edit("place_piece", piece="Opening", end="front", overlap_s=0.2)
    page.edit("place_piece", piece="Opening", end="behind", overlap_s=0.0)
    page.ask("POST", "/pieces/forget", name="Opening")
    for n, at in enumerate((0, 3 * RATE, 5 * RATE)):
        page.edit("add_mark", frame=at, name=f"Chapter {n}")
    mixed = page.on_job("lanes/mix", settings={})
    page.note("mixed", asdict(wait_for(library, mixed["task_id"], 60)))
    page.on_job("lanes/voices")
    for request in ({"what": "one", "kind": "mp3", "chapters": True, "tags": {"title": "Low Water", "artist": "Ferry House"}},
                    {"what": "one", "kind": "flac_16", "chapters": True, "limiter": {"ceiling_db": -6.0},
                     "shortest_chapter_s": 4.0}):  # fmt: skip
        page.send(**request)
    page.ask("POST", f"/jobs/{page.job}/next")
    page.look("verdicts")
    return page.said


def crossing(library: Library, folder: Path) -> list[str]:
    """Make a show of four sounds, look at what will go wrong, find a pause, shift a pitch, rehearse it."""
    page = Page(library, folder, "show")
    for n, seconds in enumerate((5.0, 2.0, 6.0, 1.5)):
        page.bring_in(f"sound {n + 1}.wav", np.clip((1.0 + n) * phrases(seconds, seed=40 + n), -0.9, 0.9))

    again = (folder / "sound 4.wav").read_bytes()
    upload = page.ask("POST", f"/jobs/{page.job}/uploads", name="heard first.wav", size_bytes=len(again))["id"]
    page.put(upload, again)
    looked = page.ask("POST", f"/uploads/{upload}/examine")["task_id"]
    page.note("examined", asdict(wait_for(library, looked, 60)))

    def cue(number: int) -> str:
        return str(sorted(page.state["job"]["cues"].values(), key=lambda one: one["position"])[number]["id"])

    page.edit("loop_of_cue", cue_id=cue(0), start_frame=RATE, end_frame=3 * RATE, passes=0)
    page.edit("add_event", cue_id=cue(1), frame=9_000, name="Door", does="lamps 40")
    page.edit("fade_up", cue_id=cue(2), length_frames=RATE)
    page.edit("add_cue", what="fade", after_id=cue(2), name="Down", target_id=cue(0))
    page.edit("set_cue", cue_ids=[cue(3)], settings={"to_nothing": True, "length_frames": 2 * RATE})
    page.edit("add_cue", what="stop", name="All", target_id="all")
    page.on_job("show/plan")
    page.on_job("show/plan", settings={"stop_s": 61.0})
    for at_s in (0.1, 0.8, 1.4, 2.0, 9.0):
        page.on_job("show/pause", cue_id=cue(0), job_frame=round(at_s * RATE))
    shifted = page.on_job("show/shift", cue_id=cue(1), voice=0, semitones=-3.0)
    page.note("shifted", asdict(wait_for(library, shifted["task_id"], 60)))
    for semitones in (0.0, 25.0):
        page.on_job("show/shift", cue_id=cue(1), voice=0, semitones=semitones)
    page.on_job("show/shift", cue_id=cue(3), voice=0, semitones=2.0)
    for rehearsal in (
        {},
        {"go_s": [0.0, 1.5, 2.0, 7.0], "let_go_s": [9.0], "length_s": 12.0},
        {"stop_s": 4.0},
        {"go_s": [-1.0]},
    ):
        started = page.on_job("show/rehearse", rehearsal=rehearsal)
        if "task_id" in started:
            page.note("rehearsed", asdict(wait_for(library, started["task_id"], 60)))
            page.note("files", page.opened(started["task_id"]))
    page.look("verdicts")
    page.send(what="each_clip", kind="wav_16")
    return page.said


DAYS: dict[str, Callable[[Library, Path], list[str]]] = {
    "narration": narration, "kit": kit, "desk": desk, "disc": disc, "conversation": conversation, "crossing": crossing,
}  # fmt: skip


@pytest.mark.parametrize("day", DAYS)
def test_a_day_is_answered_as_it_was(day: str, library: Library, tmp_path: Path) -> None:
    assert DAYS[day](library, tmp_path) == json.loads(PINNED.read_text())[day]


if __name__ == "__main__":
    pinned, pool = {}, WorkerPool(1)
    for name, run in DAYS.items():
        with tempfile.TemporaryDirectory() as temporary:
            opened = Library(Path(temporary) / "home", pool=pool)
            opened.start()
            pinned[name] = run(opened, Path(temporary))
            opened.close()
    pool.shutdown()
    PINNED.write_text(json.dumps(pinned, indent=0, ensure_ascii=False) + "\n")
    sys.stdout.write(f"{sum(map(len, pinned.values()))} answers written to {PINNED}\n")
