"""The demo says what it promises, and finding works at any rate in any job."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.conftest import phrases

from wemble.actions import revisions, verdicts
from wemble.actions.importing import import_file
from wemble.actions.job_list import job_cards
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import sound_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.placement import end_of, in_time_order, start_of
from wemble.core.edit.treatment import targets
from wemble.demo.build import ADDED, JOB_NAME, add_demo
from wemble.demo.script import PHRASES
from wemble.demo.take import audio_guide


def test_the_demo_is_made_once_and_every_phrase_is_found_whole(demo_home: Path) -> None:
    said: list[str] = []
    library = Library(demo_home, workers=0)
    add_demo(library, said.append)
    assert said == [f"the demo job {name} is there already" for name in ADDED]
    cards = {card.name: card for card in job_cards(library)}
    assert len(cards) == len(ADDED)
    card = cards[JOB_NAME]
    assert card.waiting_for == "4 phrases to look at"
    opened = open_job(library, card.id)
    names = [clip.name for clip in in_time_order(opened.job)]
    assert [name for name in names if not name.startswith("Audio guide take")] == [name for name, _ in PHRASES]
    _, begins = audio_guide()
    for clip in opened.job.clips.values():
        if (found := [frame for frame, name in begins if name == clip.name]) and clip.sound_start_frame is not None:
            # espeak leaves some 30 ms of silence in front of each phrase
            assert -0.01 < (clip.sound_start_frame - found[0]) / 48_000 < 0.08
    doubtful = {row.clip_id for row in verdicts.verdicts(library, opened.revision) if row.doubtful}
    assert {opened.job.clips[clip_id].name[:16] for clip_id in doubtful} == {"Audio guide take"}  # the chair
    library.close()


@pytest.mark.parametrize("rate", [8_000, 16_000, 22_050, 44_100, 96_000, 192_000])
def test_the_same_take_is_found_at_the_same_places_at_any_rate(library: Library, tmp_path: Path, rate: int) -> None:
    path = tmp_path / "a.wav"
    soundfile.write(path, phrases(6.0, rate, channels=2), rate, subtype="FLOAT")
    job_id = create_job(library, "rates")
    assert wait_for(library, import_file.start_import(library, job_id, path, path.name)).state == "done"
    opened = open_job(library, job_id)
    recipe = sound_search.proposal(library, opened.job, targets(opened.job))
    sound_search.apply(library, job_id, opened.revision, [], recipe, Treatment())
    job = open_job(library, job_id).job
    starts = [clip.sound_start_frame / rate for clip in in_time_order(job) if clip.sound_start_frame is not None]
    ends = [clip.sound_end_frame / rate for clip in in_time_order(job) if clip.sound_end_frame is not None]
    assert np.allclose(starts, [0.7, 2.7, 4.7], atol=0.01) and np.allclose(ends, [1.3, 3.3, 5.3], atol=0.01)


@pytest.mark.parametrize("treatment", [Treatment("turn_down", 12), Treatment("room_tone"), Treatment("close_up", 0.2)])
def test_treatments_hold_in_a_job_of_another_rate(library: Library, tmp_path: Path, treatment: Treatment) -> None:
    """A 44.1 kHz take in a 48 kHz job: pieces abut to the frame, joins are where they abut, nothing is louder."""
    first, second = tmp_path / "48.wav", tmp_path / "44.wav"
    soundfile.write(first, phrases(2.0, 48_000), 48_000, subtype="FLOAT")
    soundfile.write(second, phrases(8.0, 44_100), 44_100, subtype="FLOAT")
    job_id = create_job(library, "two rates")
    for path in (first, second):
        assert wait_for(library, import_file.start_import(library, job_id, path, path.name)).state == "done"
    opened = open_job(library, job_id)
    target = targets(opened.job)[1]
    recipe = sound_search.proposal(library, opened.job, [target])
    answer = sound_search.apply(library, job_id, opened.revision, [target], recipe, treatment)
    job = open_job(library, job_id).job
    by_id = job.clips
    assert job.joins
    for join in job.joins.values():
        left, right = by_id[join.left_clip_id], by_id[join.right_clip_id]
        assert end_of(job, left) == start_of(job, right)
        continues = left.source_id == right.source_id and left.origin_frame == right.origin_frame
        assert join.law == ("equal_gain" if continues else "equal_power")
    plan = library.plan_at(answer.revision)
    rendered = plan.render(0, plan.end_frame, library.reader)
    assert np.abs(rendered).max() <= np.abs(phrases(8.0, 44_100)).max() * 1.02
    revisions.undo(library, job_id, answer.revision)
    assert open_job(library, job_id).job == opened.job
