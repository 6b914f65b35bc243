"""The application: one factory, read from top to bottom."""

from __future__ import annotations

import logging
import secrets
from pathlib import Path

from flask import Flask, Response, jsonify, request, send_from_directory
from werkzeug.exceptions import HTTPException

from wemble import errors
from wemble.actions.events import refused
from wemble.actions.library import Library
from wemble.actions.uploads import PART_BYTES
from wemble.web.routes import api
from wemble.web.streams import streams

STATIC = Path(__file__).parent / "static"
STATUS: dict[type[errors.WembleError], int] = {
    errors.InvalidInput: 400,
    errors.NotAllowed: 403,
    errors.NotFound: 404,
    errors.Conflict: 409,
    errors.TooLarge: 413,
    errors.Unsupported: 415,
    errors.Cancelled: 410,
    errors.WorkFailed: 500,
    errors.Unavailable: 503,
}
_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "img-src 'self' data:; media-src 'self' blob:; connect-src 'self' http://127.0.0.1:*; "
    "worker-src 'self'; base-uri 'none'; form-action 'none'; "
    "frame-ancestors 'none'"
)
log = logging.getLogger(__name__)


def create_app(library: Library, *, hosts: frozenset[str] = frozenset({"127.0.0.1", "localhost", "[::1]"})) -> Flask:
    """Make the application for a library. Requests for another host, or from another origin, are refused."""
    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = PART_BYTES + 4096
    app.extensions["wemble"] = library
    app.register_blueprint(api)
    app.register_blueprint(streams)

    @app.before_request
    def only_ours() -> None:
        if _host_name(request.host) not in hosts:
            raise errors.NotAllowed(
                f"this Wemble does not answer for {request.host!r}; open it at the address it printed"
            )
        origin = request.headers.get("Origin")
        if origin is not None and origin != f"{request.scheme}://{request.host}":
            raise errors.NotAllowed("requests from other pages are refused")
        if request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site"):
            raise errors.NotAllowed("requests from other pages are refused")

    @app.after_request
    def safe_headers(answer: Response) -> Response:
        answer.headers.setdefault("Content-Security-Policy", _POLICY)
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers["Referrer-Policy"] = "no-referrer"
        answer.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        answer.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        answer.headers.setdefault("Cache-Control", "no-store")
        return answer

    @app.errorhandler(errors.WembleError)
    def told(error: errors.WembleError) -> tuple[Response, int]:
        refused("refused", path=request.path, code=error.code, why=error.message)
        return _problem(error.code, error.message, error.details), STATUS[type(error)]

    @app.errorhandler(HTTPException)
    def not_served(error: HTTPException) -> tuple[Response, int]:
        refused("refused", path=request.path, code=error.code or 500)
        return _problem("http", error.description or error.name, {}), error.code or 500

    @app.errorhandler(Exception)
    def bug(error: Exception) -> tuple[Response, int]:
        number = secrets.token_hex(4)
        log.exception("bug %s at %s", number, request.path)
        return _problem("bug", f"something went wrong that should not have (number {number} in the log)", {}), 500

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        answer = send_from_directory(STATIC / "assets", name)
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return answer

    @app.get("/", defaults={"path": ""})
    @app.get("/<path:path>")
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise errors.NotFound("there is no such address")
        return send_from_directory(STATIC, path if path in ("icon.svg", "show-worker.js") else "index.html")

    return app


def _host_name(host: str) -> str:
    return host if host.endswith("]") else host.rpartition(":")[0] or host


def _problem(code: str, message: str, details: dict[str, object]) -> Response:
    return jsonify(code=code, message=message, details=details)
