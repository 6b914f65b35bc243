"""What a page that only hears of changes believes, and what the server knows, stay the same thing."""

from __future__ import annotations

import copy
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient
from tests.conftest import RATE

from wemble.actions.library import Library
from wemble.web.app import create_app

BringIn = Callable[..., tuple[str, object]]
COLLECTIONS = ("sources", "lanes", "clips", "joins", "findings")


class PageState:
    """A page: it opened the job once, and since then has only applied the changes that were answered."""

    def __init__(self, client: FlaskClient, job_id: str):
        self._client, self._job_id = client, job_id
        opened = client.get(f"/api/jobs/{job_id}").get_json()
        self.revision: int = opened["revision"]
        self.job: dict[str, Any] = opened["job"]
        self.labels = (opened["undo_label"], opened["redo_label"])

    def send(self, path: str, body: dict[str, Any]) -> int:
        """Send something that edits; take over what changed. Returns the status."""
        answer = self._client.post(f"/api/jobs/{self._job_id}/{path}", json={"base_revision": self.revision, **body})
        if answer.status_code != 200:
            return answer.status_code
        edited = answer.get_json()
        for change in edited["changes"]:
            if change["kind"] == "job":
                self.job.update(change["after"])
            elif change["after"] is None:
                self.job[change["kind"]].pop(change["entity_id"])
            else:
                self.job[change["kind"]][change["entity_id"]] = change["after"]
        self.revision, self.labels = edited["revision"], (edited["undo_label"], edited["redo_label"])
        return 200

    def check(self) -> None:
        """Hold everything against what the server says when it is asked anew."""
        opened = self._client.get(f"/api/jobs/{self._job_id}").get_json()
        assert (opened["revision"], opened["undo_label"], opened["redo_label"]) == (self.revision, *self.labels)
        assert opened["job"] == self.job


@pytest.fixture
def client(library: Library) -> FlaskClient:
    return create_app(library).test_client()


@pytest.fixture
def state(client: FlaskClient, bring_in: BringIn, take: Path) -> PageState:
    job_id, _ = bring_in(take)
    return PageState(client, job_id)


def apply_body(
    state: PageState, client: FlaskClient, kind: str, amount: float = 0.0, **numbers: float
) -> dict[str, Any]:
    path = f"/api/jobs/{state._job_id}/find/proposal"
    proposal = client.post(path, json={"revision": state.revision, "target_ids": []}).get_json()
    return {
        "target_ids": [],
        "recipe": {**proposal["recipe"], **numbers},
        "treatment": {"kind": kind, "amount": amount},
    }


def an_edit(rng: random.Random, state: PageState) -> dict[str, Any]:
    clip = state.job["clips"][rng.choice(sorted(state.job["clips"]))]
    side = rng.choice(["head", "tail"])
    ids = sorted(state.job["clips"])
    lane = rng.choice(sorted(state.job["lanes"]))
    at = rng.randrange(0, 7 * RATE)
    return rng.choice(
        [
            {"kind": "split", "clip_ids": ids, "at_frame": at},
            {
                "kind": "move_clips",
                "clip_ids": [clip["id"]],
                "by_frames": rng.randrange(-RATE, RATE),
                "to_lane_id": lane,
            },
            {
                "kind": "move_edges",
                "clip_ids": ids[:2],
                "side": side,
                "by_frames": rng.randrange(-RATE, RATE),
                "hold": "inner",
            },
            {"kind": "paste_clips", "from_revision": state.revision, "clip_ids": [clip["id"]], "to_frame": at},
            {
                "kind": "paste_span",
                "from_revision": state.revision,
                "start_frame": at // 2,
                "end_frame": at + 1,
                "to_frame": 0,
            },
            {"kind": "add_lane", "name": "another"},
            {"kind": "set_lane", "lane_id": lane, "settings": {"gain_db": -3.0, "solo": rng.random() < 0.5}},
            {"kind": "add_mark", "frame": at, "clip_id": clip["id"]},
            {"kind": "set_programme", "start_frame": at // 2, "end_frame": at + 1},
            {"kind": "set_grid", "grid": {"bpm_numerator": rng.randrange(60, 200)}},
            {"kind": "set_joins", "pairs": [ids[:2]], "length_frames": 100, "law": "matched", "lead_frames": 50},
            {"kind": "review_edge", "clip_id": clip["id"], "side": side, "said": "accepted"},
            {"kind": "move_edge", "clip_id": clip["id"], "side": side, "source_frame": rng.randrange(-1000, 7 * RATE)},
            {
                "kind": "set_fade",
                "clip_ids": [clip["id"]],
                "side": side,
                "length_frames": rng.randrange(0, 20_000),
                "shape": rng.choice(["linear", "equal_power", "s", "logarithmic"]),
                "bend": rng.uniform(-1, 1),
            },
            {"kind": "set_gain", "clip_ids": [clip["id"]], "gain_db": rng.uniform(-60, 12)},
            {"kind": "rename_clip", "clip_id": clip["id"], "name": rng.choice(["a", "“ü” / ..", "x" * 200])},
            {"kind": "remove_clips", "clip_ids": [clip["id"]]},
            {"kind": "rename_job", "name": f"job {rng.randrange(100)}"},
        ]
    )


@pytest.mark.parametrize("seed", range(4))
def test_a_page_that_hears_of_changes_knows_the_job(state: PageState, client: FlaskClient, seed: int) -> None:
    rng = random.Random(seed)
    kinds = [
        ("cut", 0.0),
        ("turn_down", 12.0),
        ("room_tone", 0.0),
        ("close_up", 0.3),
        ("split", 0.0),
        ("keep_quiet", 0.0),
    ]
    seen: dict[int, dict[str, Any]] = {state.revision: copy.deepcopy(state.job)}
    for turn in range(30):
        roll = rng.random()
        if turn == 0 or roll < 0.15:
            kind, amount = rng.choice(kinds)
            status = state.send(
                "find/apply", apply_body(state, client, kind, amount, room_after_ms=float(rng.randrange(0, 400)))
            )
        elif roll < 0.35:
            status = state.send(rng.choice(["undo", "redo"]), {})
        elif not state.job["clips"]:
            status = state.send("undo", {})
        else:
            status = state.send("edits", {"edit": an_edit(rng, state)})
        assert status in (200, 400)
        state.check()
        if state.revision in seen:
            assert seen[state.revision] == state.job, "going back to a revision gave another job"
        seen[state.revision] = copy.deepcopy(state.job)


def test_a_draft_is_what_apply_then_does_to_the_bin(state: PageState, client: FlaskClient) -> None:
    body = apply_body(state, client, "close_up", 0.4)
    draft_body = {"revision": state.revision, "target_ids": [], "recipe": body["recipe"], "close_up_s": 0.4}
    (rough,) = client.post(f"/api/jobs/{state._job_id}/find/draft", json=draft_body).get_json()["drafts"]
    draft_body["exact"] = True
    (draft,) = client.post(f"/api/jobs/{state._job_id}/find/draft", json=draft_body).get_json()["drafts"]
    assert client.get(f"/api/jobs/{state._job_id}").get_json()["revision"] == state.revision
    assert state.send("find/apply", body) == 200
    clips = sorted(state.job["clips"].values(), key=lambda clip: clip["origin_frame"] + clip["head_frame"])
    spoken = [clip for clip in clips if clip["sound_start_frame"] is not None]
    applied = [frame for clip in spoken for frame in (clip["sound_start_frame"], clip["sound_end_frame"])]
    assert draft["sounds"] == applied and len(rough["sounds"]) == len(applied)
    assert np.abs(np.array(applied) - rough["sounds"]).max() < 0.05 * RATE
    length = clips[-1]["origin_frame"] + clips[-1]["tail_frame"] - clips[0]["origin_frame"] - clips[0]["head_frame"]
    assert length == draft["closed_up_frames"]
    spans = np.array(draft["spans"]).reshape(-1, 2)
    assert draft["kept_frames"] == np.diff(spans).sum() < draft["frames"]


@pytest.mark.parametrize(
    ("edit", "match"),
    [
        ({"kind": "explode"}, "explode"),
        ({"kind": "move_edge", "clip_id": "nope", "side": "head", "source_frame": 1}, "no clip 'nope'"),
        ({"kind": "move_edge", "clip_id": "c2", "side": "middle", "source_frame": 1}, "side"),
        (
            {"kind": "set_fade", "clip_ids": ["c2"], "side": "head", "length_frames": -5, "shape": "s"},
            "at least one frame",
        ),
        ({"kind": "set_fade", "clip_ids": ["c2"], "side": "head", "length_frames": 5, "shape": "s", "bend": 3}, "bend"),
        ({"kind": "set_gain", "clip_ids": ["c2"], "gain_db": 99}, "between −120 and"),
        ({"kind": "rename_clip", "clip_id": "c2", "name": "   "}, "1 to 200"),
    ],
)
def test_edits_that_make_no_sense_change_nothing_and_say_why(
    state: PageState, client: FlaskClient, edit: dict[str, Any], match: str
) -> None:
    body = {"base_revision": state.revision, "edit": edit}
    answer = client.post(f"/api/jobs/{state._job_id}/edits", json=body)
    assert answer.status_code in (400, 404) and match in answer.get_json()["message"]
    state.check()


def test_a_range_of_blocks_is_answered_and_no_more(state: PageState, client: FlaskClient) -> None:
    url = f"/api/jobs/{state._job_id}/revisions/{state.revision}/audio"
    answer = client.get(f"{url}?start=-10&frames=20")
    assert answer.headers["X-Wemble-Channels"] == "1" and len(answer.data) == 80
    assert not np.frombuffer(answer.data, np.float32)[:10].any()
    for wrong in ("", "?start=0", "?start=0&frames=0", "?start=0&frames=99999999", "?start=a&frames=1"):
        assert client.get(url + wrong).status_code == 400
    assert client.get(f"/api/jobs/{state._job_id}/revisions/999999/audio?start=0&frames=1").status_code == 404
