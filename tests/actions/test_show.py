"""A show over real files: what comes in becomes cues, rehearsals are the same bits anywhere, pitches, shell, light desk."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from click.testing import CliRunner
from scipy.signal import periodogram
from tests.conftest import RATE

from wemble.actions import uploads
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.job_list import job_cards
from wemble.actions.library import Library
from wemble.actions.restart import start_again
from wemble.actions.revisions import create_job, open_job, undo
from wemble.actions.saved_jobs import start_open, start_save
from wemble.actions.show import pitch
from wemble.actions.show.plans import pause_at, show_at
from wemble.actions.show.rehearsing import Rehearsal, start_rehearsal
from wemble.actions.work.tasks import wait_for
from wemble.cli.main import main
from wemble.core.edit.cues import CueSettings, in_running_order
from wemble.core.show.plan import RunSettings
from wemble.formats.points import read_points
from wemble.web.light_desk import create_light_desk

AIR_S, PAUSE_S = 0.25, (4.0, 5.5)


def song() -> np.ndarray:
    """Return (frames, 2): air, a tone that rings out until 4.0 s, and a sharp one from 5.5 s on, over noise 70 dB down."""
    t = np.arange(9 * RATE) / RATE
    first = np.sin(2 * np.pi * 220 * t) * np.clip((PAUSE_S[0] - t) / 1.0, 0.0, 1.0) * (t >= AIR_S)
    second = np.sin(2 * np.pi * 330 * t) * (t >= PAUSE_S[1]) * np.clip((8.5 - t) / 0.5, 0.0, 1.0)
    noise = np.random.default_rng(5).standard_normal((2, len(t))) * 10 ** (-70 / 20)
    return np.asarray((0.6 * np.stack([first + second] * 2) + noise).T, np.float32)


@pytest.fixture
def show(library: Library, tmp_path: Path) -> tuple[Library, str]:
    job_id = create_job(library, "Crossing", "show")
    for name, samples in (("Song", song()), ("Hum", np.full((2 * RATE, 2), 0.7, np.float32))):
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, samples, RATE, subtype="FLOAT")
        assert wait_for(library, start_import(library, job_id, path, path.name)).state == "done"
    return library, job_id


def faults(library: Library, job_id: str) -> list[str]:
    return [one.text for one in show_at(library, open_job(library, job_id).revision, RunSettings()).faults]


def test_files_become_cues_that_know_their_air_and_their_pause(show: tuple[Library, str]) -> None:
    library, job_id = show
    opened = open_job(library, job_id)
    order = in_running_order(opened.job)
    assert [(cue.number, cue.name, cue.start) for cue in order] == [("1", "Song", "go"), ("2", "Hum", "go")]
    air = next(int(found[1]) for text in faults(library, job_id) if (found := re.match(r"(\d+) ms of air", text)))
    assert abs(air - 1000 * AIR_S) <= 5
    pause = pause_at(library, opened.revision, order[0].id, round(4.8 * RATE))
    assert abs(pause.second_start / RATE - PAUSE_S[1]) < 0.0005, "the second part starts on its sound"
    assert 3.9 < pause.first_end / RATE < 4.15, "the first keeps its ring-out"

    # A recording that is taken away: the cue says why and what helps, and another under it runs.
    clip = opened.job.clip(order[0].clip_id or "")
    library.home.source(clip.source_id).rename(library.home.root / "gone")
    assert any("put another under it" in text for text in faults(library, job_id))
    hum = opened.job.clip(order[1].clip_id or "").source_id
    perform(library, job_id, opened.revision, "put_under", clip_ids=(clip.id,), source_id=hum)
    assert not any("missing" in text for text in faults(library, job_id))


def test_a_rehearsal_is_the_same_elsewhere_and_says_where_the_sum_is_over(
    show: tuple[Library, str], tmp_path: Path
) -> None:
    library, job_id = show
    opened = open_job(library, job_id)
    rehearsal, usual = Rehearsal(go_s=(0.0, 1.0)), RunSettings()
    waiting = [card.waits_for for card in job_cards(library)]
    first = wait_for(library, start_rehearsal(library, job_id, opened.revision, rehearsal, usual))
    assert [card.waits_for for card in job_cards(library)] == waiting, "a show that was rehearsed was not sent"
    with library.database.write() as db:
        db.execute("UPDATE task SET state = 'interrupted' WHERE id = :id", {"id": first.id})
    done = wait_for(library, start_again(library, first.id)).result
    assert done and first.result and done["sha256"] == first.result["sha256"] and done["peak_db"] > 1.0
    assert any(text.startswith("+") and "2 cues at once" in text for text in faults(library, job_id))
    written = library.home.exports / done["folder_name"] / done["files"][0]
    marks = read_points(written, soundfile.info(written).frames).points
    assert [(mark.frame, mark.name) for mark in marks] == [(0, "1 Song"), (RATE, "2 Hum")]

    saved = wait_for(library, start_save(library, job_id, opened.revision)).result
    assert saved
    archive = library.home.exports / saved["folder_name"] / saved["files"][0]
    other = create_job(library, "elsewhere", "show")
    assert wait_for(library, start_open(library, other, archive, archive.name, upload_id=None)).state == "done"
    opened = open_job(library, other)
    again = wait_for(library, start_rehearsal(library, other, opened.revision, rehearsal, usual)).result
    assert again and again["sha256"] == done["sha256"]

    run = CliRunner().invoke
    out = tmp_path / "run.wav"
    shell = run(main, ["show", "render", str(archive), "--go", "0,1", "--to", str(out), "--json"])
    assert json.loads(shell.output)["sha256"] == done["sha256"]
    assert run(main, ["show", "render", str(archive), "--to", str(out)]).exit_code == 2, "nothing is written over"
    checked = run(main, ["show", "check", str(archive)])
    assert checked.exit_code == 1 and "1 Song: 2" in checked.output
    assert run(main, ["show", "list", str(archive), "--csv"]).output.splitlines()[1].startswith("1,sound,Song,go")
    assert run(main, ["show", "list", "nothing", "--home", str(library.home.root)]).exit_code == 2


def test_a_pitch_is_shifted_once_its_length_kept_the_same_bits_each_time(show: tuple[Library, str]) -> None:
    library, job_id = show
    opened = open_job(library, job_id)
    cue = in_running_order(opened.job)[0]
    assert wait_for(library, pitch.start_shifting(library, job_id, opened.revision, cue.id, 0, -3.0)).state == "done"
    voice = open_job(library, job_id).job.cue(cue.id).voices[0]
    row = library.source(voice.shifted_source_id or "")
    assert voice.semitones == -3.0 and row.frames == 9 * RATE
    samples = library.reader.read(row.id, RATE, 0, row.frames)
    # SciPy measures the pitch, to a sixteenth of a hertz: 220 Hz three semitones down.
    hertz, power = periodogram(samples[0, RATE : 2 * RATE].astype(np.float64), RATE, "hann", nfft=16 * RATE)
    assert abs(hertz[np.argmax(power)] / (220 * 2 ** (-3 / 12)) - 1) < 0.003
    level = np.abs(samples[0]).reshape(-1, RATE // 100).max(axis=1)
    assert abs(int(np.argmax(level[450:] > 0.1)) / 100 + 4.5 - PAUSE_S[1]) < 0.04, "in its place"
    whole = np.ascontiguousarray(song().T)
    assert (pitch.shifted_by(whole, RATE, -3.0) == pitch.shifted_by(whole, RATE, -3.0)).all()
    hum = in_running_order(opened.job)[1]
    other = opened.job.clip(hum.clip_id or "").source_id
    revision = open_job(library, job_id).revision
    revision = perform(library, job_id, revision, "put_under", clip_ids=(cue.clip_id,), source_id=other).revision
    assert "shift it again" in show_at(library, revision, RunSettings()).plan.cues[0].problem


def test_the_light_desk_takes_events_of_pages_here_and_of_nobody_else() -> None:
    client = create_light_desk(now=lambda: 1_800_000_000.0).test_client()
    event = {"show": "Crossing", "cue": "4 Song", "event": "<b>Lamps</b>", "does": "lamps to 40 %", "at_s": 42.2}
    here, origin = {"Origin": "http://127.0.0.1:8731"}, "Access-Control-Allow-Origin"
    answer = client.post("/events", json=event, headers=here)
    assert answer.json == {"number": 1} and answer.headers[origin] == here["Origin"]
    assert client.get("/events").json[0]["event"] == "<b>Lamps</b>"  # type: ignore[index]
    assert "&lt;b&gt;Lamps" in client.get("/").text
    assert client.post("/events", json={**event, "at_s": "soon"}).status_code == 400
    assert client.post("/events", json=event, headers={"Origin": "http://example.org"}).status_code == 403
    assert client.get("/events", headers={"Host": "example.org"}).status_code == 403
    assert client.post("/events", data=json.dumps({**event, "at_s": float("inf")})).status_code == 400
    assert client.get("/events", headers={"Sec-Fetch-Site": "cross-site"}).status_code == 403  # as a picture of a page
    assert "default-src 'none'" in client.get("/").headers["Content-Security-Policy"]
    assert client.post("/events", data="x" * 10_000).status_code == 413


def test_flattened_peaks_are_pointed_out_before_and_when_a_file_is_taken_in(library: Library, tmp_path: Path) -> None:
    job_id = create_job(library, "Crossing", "show")
    t = np.arange(3 * RATE) / RATE
    loud = np.sin(2 * np.pi * 220 * t) * (0.6 + 0.4 * np.sin(2 * np.pi * 3 * t))
    driven, said = np.clip(1.3 * loud, -0.8, 0.8), {}
    for name, samples in {"whole": 0.9 * loud, "driven": driven, "driven, turned down": 0.4 * driven}.items():
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, samples, RATE, subtype="PCM_24")
        upload = uploads.begin_upload(library, job_id, path.name, path.stat().st_size)
        uploads.add_part(library, upload.id, 0, path.read_bytes())
        looked = wait_for(library, uploads.examine_upload(library, upload.id))
        assert (
            looked.result and abs(looked.result["length_s"] - 3.0) < 0.001 and not open_job(library, job_id).job.clips
        )
        said[name] = looked.result["flattened"]
    assert said["whole"] == "" and all("flattened" in said[name] for name in ("driven", "driven, turned down"))
    taken = wait_for(library, uploads.finish_upload(library, upload.id))
    assert taken.result and any("flattened" in note for note in taken.result["notes"])


def test_dragged_numbers_are_one_undo_and_words_are_their_own(show: tuple[Library, str]) -> None:
    library, job_id = show
    revision, cue = open_job(library, job_id).revision, in_running_order(open_job(library, job_id).job)[1]
    for passes in (2, 3, 4):
        revision = perform(
            library, job_id, revision, "set_cue", cue_ids=(cue.id,), settings=CueSettings(passes=passes)
        ).revision
    revision = perform(library, job_id, revision, "set_cue", cue_ids=(cue.id,), settings=CueSettings(note="x")).revision
    assert open_job(library, job_id).job.cue(cue.id).note == "x"
    revision = undo(library, job_id, revision).revision
    revision = undo(library, job_id, revision).revision
    assert open_job(library, job_id).job.cue(cue.id).passes == 1
