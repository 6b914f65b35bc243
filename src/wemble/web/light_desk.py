"""A stand-in for a light desk: it takes the events of a show over HTTP, and shows what arrived when. It does nothing else.

The protocol (docs/formats.md): ``POST /events`` with JSON ``{"show", "cue", "event", "does", "at_s"}`` is answered with its number;
``GET /events`` gives all that arrived, newest first.
"""

from __future__ import annotations

import html
import re
import time
from collections import deque
from collections.abc import Callable
from typing import Any

from flask import Flask, Response, jsonify, request
from pydantic import BaseModel, ConfigDict, Field, ValidationError

MOST_BYTES, MOST_EVENTS = 4_096, 1_000
_LOOPBACK = re.compile(r"http://(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?")


class Arriving(BaseModel):
    """An event as it is sent."""

    model_config = ConfigDict(extra="forbid")
    show: str = Field(max_length=200)
    cue: str = Field(max_length=300)
    event: str = Field(max_length=200)
    does: str = Field(default="", max_length=400)
    at_s: float = Field(allow_inf_nan=False)


def create_light_desk(now: Callable[[], float] = time.time) -> Flask:
    """Make the stand-in. Pages on this machine may send to it, others may not."""
    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MOST_BYTES
    arrived: deque[dict[str, Any]] = deque(maxlen=MOST_EVENTS)

    @app.before_request
    def only_from_here() -> Response | None:
        origin = request.headers.get("Origin")
        # A picture or a script that another page asks for from here names no origin.
        foreign = request.headers.get("Sec-Fetch-Site") == "cross-site" and not origin and request.path != "/"
        if foreign or not _LOOPBACK.fullmatch(f"http://{request.host}") or (origin and not _LOOPBACK.fullmatch(origin)):
            return Response("only pages on this machine may talk to the light desk\n", 403)
        return None

    @app.after_request
    def open_to_pages_here(answer: Response) -> Response:
        if (origin := request.headers.get("Origin")) and _LOOPBACK.fullmatch(origin):
            answer.headers["Access-Control-Allow-Origin"] = origin
            answer.headers["Access-Control-Allow-Headers"] = "Content-Type"
        answer.headers["Cache-Control"] = "no-store"
        answer.headers["Content-Security-Policy"] = (
            "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'"
        )
        answer.headers["X-Content-Type-Options"] = "nosniff"
        return answer

    @app.post("/events")
    def take() -> tuple[Response, int] | Response:
        try:
            event = Arriving.model_validate_json(request.get_data())
        except ValidationError as error:
            return jsonify(message=f"this is no event: {error.errors()[0]['msg']}"), 400
        number = arrived[0]["number"] + 1 if arrived else 1
        arrived.appendleft({"number": number, "arrived": now(), **event.model_dump()})
        return jsonify(number=number)

    @app.get("/events")
    def listed() -> Response:
        return jsonify(list(arrived))

    @app.get("/")
    def page() -> str:
        rows = "".join(
            f"<tr><td>{time.strftime('%H:%M:%S', time.localtime(one['arrived']))}</td><td>{one['at_s']:.3f}</td>"
            f"<td>{html.escape(one['cue'])}</td><td><b>{html.escape(one['event'])}</b></td><td>{html.escape(one['does'])}</td></tr>"
            for one in arrived
        )
        return (
            '<!doctype html><html lang="en"><head><meta charset="utf-8"><meta http-equiv="refresh" content="1">'
            "<title>Light desk (stand-in)</title><style>body{font:16px/1.5 sans-serif;margin:2em}"
            "td,th{padding:.2em 1.2em .2em 0;text-align:left}</style></head><body><h1>Light desk (stand-in)</h1>"
            f"<p>{len(arrived)} events arrived. It shows them, and moves no light.</p>"
            "<table><tr><th>arrived</th><th>s into the show</th><th>cue</th><th>event</th><th>does</th></tr>"
            f"{rows}</table></body></html>"
        )

    return app
