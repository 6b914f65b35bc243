"""Every endpoint under wild requests: whatever is asked, the answer is one that the document allows, never a server error.

Requests are made by schemathesis from the OpenAPI document, and by Hypothesis for the streams, which it does not hold.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import quote

import pytest
import schemathesis
import soundfile
from flask import Flask
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tests.conftest import RATE, phrases

from wemble.actions.delivery.export import start_export
from wemble.actions.delivery.request import Request
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.work.executor import WorkerPool
from wemble.actions.work.tasks import wait_for
from wemble.web.app import create_app
from wemble.web.endpoints import openapi

DOCUMENT = openapi()
OPERATIONS = [(path, method) for path, methods in DOCUMENT["paths"].items() for method in methods]
WILD = settings(
    max_examples=12,
    database=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)
WHOLE = st.sampled_from([0, 1, 2, -1, 256, 2**31, 2**53, 2**63 - 1, 2**63, 2**200]) | st.integers()


@pytest.fixture(scope="module")
def interface(
    tmp_path_factory: pytest.TempPathFactory, workers: WorkerPool
) -> Iterator[tuple[Flask, Callable[[], Any]]]:
    """An application with a job in it, and what is really there: ids and the newest revision."""
    folder = tmp_path_factory.mktemp("wild")
    library = Library(folder / "home", pool=workers)
    library.start()
    job_id = create_job(library, "wild")
    soundfile.write(folder / "take.wav", phrases(), RATE)
    wait_for(library, start_import(library, job_id, folder / "take.wav", "take.wav"), 60)
    sent = wait_for(library, start_export(library, job_id, open_job(library, job_id).revision, Request()), 60)

    def there() -> dict[str, Any]:
        revision = open_job(library, job_id).revision
        job = library.job_at(revision)
        known = {"job_id": job_id, "revision": revision, "base_revision": revision, "task_id": sent.id}
        for name, ids in (
            ("clip_id", job.clips),
            ("source_id", job.sources),
            ("lane_id", job.lanes),
            ("target_id", job.clips),
        ):
            known |= {name: next(iter(ids), "none")}
        return known

    yield create_app(library), there
    library.close()


def with_what_is_there(value: Any, known: dict[str, Any]) -> Any:
    """Return a request with ids and revisions that exist: those made up hardly get past the first check."""
    if isinstance(value, dict):
        return {key: known[key] if key in known else with_what_is_there(one, known) for key, one in value.items()}
    if isinstance(value, list):
        return [with_what_is_there(one, known) for one in value]
    return value


def checked(status: int, body: bytes, asked: object, *, of_head: bool = False) -> None:
    assert status < 500, (asked, body[:500])
    if status >= 400 and not of_head:
        problem = json.loads(body)
        assert problem["message"] and problem["code"], (asked, problem)


@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_no_request_is_a_server_error(path: str, method: str, interface: tuple[Flask, Callable[[], Any]]) -> None:
    app, there = interface
    schema = schemathesis.openapi.from_dict(DOCUMENT)
    operation = schema[path][method]
    modes = schemathesis.GenerationMode
    client = app.test_client()

    @WILD
    @given(st.data(), st.integers(0, 3))
    def ask(data: st.DataObject, chance: int) -> None:
        mode = modes.NEGATIVE if chance == 0 else modes.POSITIVE
        case = data.draw(operation.as_strategy(generation_mode=mode))
        known = there()
        values = {
            **(case.path_parameters or {}),
            **({} if chance < 2 else {k: known[k] for k in case.path_parameters or {} if k in known}),
        }
        body = with_what_is_there(case.body, known) if chance >= 2 else case.body
        url = "/api" + path
        for name, value in values.items():
            url = url.replace("{" + name + "}", quote(str(value), safe="", errors="surrogatepass"))
        sent = (
            {}
            if isinstance(body, schemathesis.core.NotSet)
            else {"data": body if isinstance(body, bytes) else json.dumps(body)}
        )
        answer = client.open(url, method=method.upper(), content_type="application/json", **sent)
        checked(answer.status_code, answer.data, (method, url, sent))

    ask()


def test_no_stream_is_a_server_error(interface: tuple[Flask, Callable[[], Any]]) -> None:
    app, there = interface
    rules = [rule for rule in app.url_map.iter_rules() if rule.endpoint.startswith("streams.")]
    client = app.test_client()
    assert len(rules) > 5

    @settings(WILD, max_examples=200)
    @given(st.sampled_from(rules), st.data())
    def ask(rule: Any, data: st.DataObject) -> None:
        known = there()
        values = {}
        for name in rule.arguments:
            kind = type(rule._converters[name]).__name__
            wild = WHOLE.filter(lambda n: n >= 0) if kind == "IntegerConverter" else st.text(max_size=20).filter(bool)
            values[name] = known[name] if name in known and data.draw(st.integers(0, 3)) else data.draw(wild)
        with app.test_request_context():
            url = rule.build(values)[1]
        query = data.draw(
            st.dictionaries(
                st.sampled_from(["name", "from", "to", "start", "end", "format"]), WHOLE.map(str) | st.text()
            )
        )
        method = data.draw(st.sampled_from(sorted(rule.methods - {"OPTIONS"})))
        answer = client.open(url, method=method, query_string=query, data=b"")
        checked(answer.status_code, answer.data, url, of_head=method == "HEAD")
        answer.close()

    ask()
