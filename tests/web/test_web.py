"""The doors: who is answered, what errors look like, what is generated, and what kill -9 leaves."""

from __future__ import annotations

import socket
import sqlite3
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from flask.testing import FlaskClient
from tests.conftest import RATE, Server, phrases
from tests.killer import Killer, bring_in_over_http, call

from wemble import errors
from wemble.actions.library import Library
from wemble.web.app import STATUS, create_app
from wemble.web.generate import generated

BringIn = Callable[..., tuple[str, object]]


@pytest.fixture
def client(library: Library) -> FlaskClient:
    return create_app(library).test_client()


def test_every_error_has_a_status() -> None:
    everything = [
        kind for kind in vars(errors).values() if isinstance(kind, type) and issubclass(kind, errors.WembleError)
    ]
    assert set(STATUS) == set(everything) - {errors.WembleError}


def test_what_is_generated_is_current() -> None:
    stale = [str(path) for path, text in generated().items() if path.read_text() != text]
    assert not stale, "run python -m wemble.web.generate, and npm run types in frontend/"


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Host": "localhost:8731"}, 200),
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example"}, 403),
        ({"Origin": "http://evil.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Origin": "http://localhost"}, 200),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
    ],
)
def test_only_our_own_page_is_answered(client: FlaskClient, headers: dict[str, str], status: int) -> None:
    answer = client.get("/api/jobs", headers=headers)
    assert answer.status_code == status
    policy = answer.headers["Content-Security-Policy"]
    assert "script-src 'self';" in policy and "unsafe-eval" not in policy and "default-src 'none'" in policy


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "match"),
    [
        ("GET", "/api/nowhere", None, 404, "address"),
        ("GET", "/api/jobs/nope", None, 404, "start page"),
        ("POST", "/api/jobs", b"{", 400, "JSON"),
        ("POST", "/api/jobs", b'{"name": "  "}', 400, "1 to 200"),
        ("POST", "/api/jobs", b'{"name": "a", "more": 1}', 400, "more"),
        ("GET", "/api/sources/..%2f..%2fetc/tiles/1/0", None, 404, ""),
        ("PATCH", "/api/uploads/nope", b"x", 400, "Upload-Offset"),
        ("POST", "/api/jobs/nope/uploads", b'{"name": "a", "size_bytes": 99999999999999}', 413, "GiB"),
        ("POST", "/api/recipes", b'{"name": "x", "recipe": {"fade_ms": -1}}', 400, "fade_ms"),
        ("POST", "/api/recipes/delete", b'{"name": "x"}', 404, "no recipe"),
    ],
)
def test_errors_say_what_is_wrong(
    client: FlaskClient, method: str, path: str, body: bytes | None, status: int, match: str
) -> None:
    answer = client.open(path, method=method, data=body)
    assert answer.status_code == status, answer.text
    assert match in answer.get_json()["message"] and set(answer.get_json()) == {"code", "message", "details"}


def test_a_broken_upload_goes_on_where_it_stands(client: FlaskClient, take: Path) -> None:
    data = take.read_bytes()
    job_id = client.post("/api/jobs", json={"name": "up"}).get_json()["id"]
    upload = client.post(f"/api/jobs/{job_id}/uploads", json={"name": "take.wav", "size_bytes": len(data)}).get_json()[
        "id"
    ]
    url = f"/api/uploads/{upload}"
    assert client.patch(url, data=data[:1000], headers={"Upload-Offset": "0"}).headers["Upload-Offset"] == "1000"
    assert client.patch(url, data=data[2000:3000], headers={"Upload-Offset": "2000"}).status_code == 400
    assert client.post(f"{url}/finish").status_code == 400
    assert client.head(url).headers["Upload-Offset"] == "1000"
    client.patch(url, data=data[500:], headers={"Upload-Offset": "500"})
    assert client.patch(url, data=b"more", headers={"Upload-Offset": str(len(data))}).status_code == 413
    assert client.post(f"{url}/finish").status_code == 200
    for _ in range(200):
        (task,) = client.get(f"/api/jobs/{job_id}/tasks").get_json()["tasks"]
        if task["state"] == "done":
            break
        time.sleep(0.05)
    assert task["state"] == "done" and task["result"]["source_id"]


def test_tiles_are_the_pyramid_and_the_samples(
    client: FlaskClient, library: Library, bring_in: BringIn, take: Path
) -> None:
    _, task = bring_in(take)
    info = client.get(f"/api/sources/{task.result['source_id']}").get_json()
    samples = soundfile.read(take, dtype="float32")[0]
    for level in info["levels"]:
        data = client.get(f"/api/sources/{info['id']}/tiles/{level}/0").data
        part = samples[: level * info["tile_bins"]]
        if level == 1:
            assert np.array_equal(np.frombuffer(data, np.float32), part)
        else:
            tile = np.frombuffer(data, np.float16).reshape(-1, 1, 2)
            assert np.allclose(
                tile[:, 0, 1], [part[at : at + level].max() for at in range(0, len(part), level)], rtol=1e-3, atol=1e-6
            )
    assert client.get(f"/api/sources/{info['id']}/tiles/3/0").status_code == 400


def wait_until(server: Server, job_id: str, task_id: str, states: set[str]) -> dict[str, object]:
    for _ in range(600):
        tasks = call(f"{server.url}/api/jobs/{job_id}/tasks")["tasks"]
        task = next(row for row in tasks if row["id"] == task_id)  # type: ignore[union-attr]
        if task["state"] in states:
            return task
        time.sleep(0.02)
    raise AssertionError(task)


def test_six_kills_lose_nothing_that_was_answered(server: Server, tmp_path: Path) -> None:
    killer = Killer(server, tmp_path, seed=int(time.time()) // 86_400)  # other moments every day
    for _ in range(6):
        killer.kill()
    assert killer.ledger.names[-1] > 15 and killer.ledger.sources and killer.ledger.sent


def test_an_import_and_an_export_that_were_killed_start_again(server: Server, tmp_path: Path) -> None:
    job_id = str(call(f"{server.url}/api/jobs", "POST", {"name": "killed"})["id"])
    big = tmp_path / "big.wav"
    soundfile.write(big, np.tile(phrases(60.0), (12, 1)), RATE)
    importing = bring_in_over_http(server, job_id, big.read_bytes(), "big.wav")
    wait_until(server, job_id, importing, {"running"})
    server.kill()
    server.start()
    assert not any((server.home / "scratch").iterdir())
    assert wait_until(server, job_id, importing, {"interrupted"})
    importing = str(call(f"{server.url}/api/tasks/{importing}/again", "POST")["task_id"])
    wait_until(server, job_id, importing, {"done"})
    opened = call(f"{server.url}/api/jobs/{job_id}")
    assert len(opened["job"]["clips"]) == 1  # type: ignore[index]
    request = {"kind": "flac_24", "what": "one", "pattern": "{job}"}
    body = {"revision": opened["revision"], "request": request}
    sending = str(call(f"{server.url}/api/jobs/{job_id}/send", "POST", body)["task_id"])
    wait_until(server, job_id, sending, {"running"})
    server.kill()
    server.start()
    assert not any((server.home / "exports").iterdir()) and not any((server.home / "scratch").iterdir())
    assert wait_until(server, job_id, sending, {"interrupted"})


def test_half_sent_requests_and_idle_connections_change_nothing_for_who_works(server: Server) -> None:
    def connection(sent: bytes) -> socket.socket:
        opened = socket.create_connection(("127.0.0.1", server.port), timeout=20)
        opened.sendall(sent)
        return opened

    halves = [connection(b"GET /api/jobs HTTP/1.1\r\nHost: 127.0.0.1\r\nX-More: ") for _ in range(40)]
    bodies = [
        connection(b"POST /api/jobs HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n\r\n{") for _ in range(40)
    ]
    idle = [connection(b"") for _ in range(200)]
    for _ in range(20):
        assert urllib.request.urlopen(f"{server.url}/api/jobs", timeout=10).status == 200
    for one in [*halves, *bodies, *idle]:
        one.close()


def test_a_locked_or_read_only_database_is_said_and_works_again_afterwards(
    client: FlaskClient, library: Library
) -> None:
    job_id = client.post("/api/jobs", json={"name": "x", "brief": "drums"}).json["id"]
    other = sqlite3.connect(library.home.database, isolation_level=None)
    library.database.write_timeout_s = 0.05
    other.execute("BEGIN IMMEDIATE")
    answer = client.post(f"/api/jobs/{job_id}/rename", json={"name": "y"})
    assert answer.status_code == 503 and "nothing was changed" in answer.json["message"]
    other.execute("ROLLBACK")
    other.close()
    assert client.post(f"/api/jobs/{job_id}/rename", json={"name": "y"}).status_code == 200


def test_a_revision_of_another_job_or_of_none_is_not_found(client: FlaskClient) -> None:
    one, two = (client.post("/api/jobs", json={"name": name}).json["id"] for name in ("one", "two"))
    revision = client.get(f"/api/jobs/{one}").json["revision"]
    request = {"revision": revision, "request": {}}
    for job_id in (two, "gone"):
        assert client.get(f"/api/jobs/{job_id}/revisions/{revision}/audio?start=0&frames=9").status_code == 404
        assert client.get(f"/api/jobs/{job_id}/revisions/{revision}/verdicts").status_code == 404
        assert client.post(f"/api/jobs/{job_id}/send/preview", json=request).status_code == 404
        assert client.post(f"/api/jobs/{job_id}/send", json=request).status_code == 404
        assert client.post(f"/api/jobs/{job_id}/save", json={"base_revision": revision}).status_code == 404
    for wild in (10**30, 0, 2**63):
        assert client.get(f"/api/jobs/{one}/revisions/{wild}/verdicts").status_code == 404
        assert client.post(f"/api/jobs/{one}/undo", json={"base_revision": wild}).status_code in (404, 409)


def test_recipes_of_any_name_are_saved_and_deleted(client: FlaskClient) -> None:
    for name in ("a/b", "..", ". hidden", "é “x”"):
        assert client.post("/api/recipes", json={"name": name, "recipe": {}}).status_code == 200
        assert name in client.get("/api/recipes").json["recipes"]
        assert client.post("/api/recipes/delete", json={"name": name}).status_code == 200
        assert name not in client.get("/api/recipes").json["recipes"]
