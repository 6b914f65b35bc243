"""The endpoints that carry bytes: samples, tiles, parts of uploads, files that were sent."""

from __future__ import annotations

import json
from dataclasses import asdict

from flask import Blueprint, Response, request, send_file
from pydantic import BaseModel, TypeAdapter, ValidationError

from wemble.actions import artwork, pictures, uploads
from wemble.actions.delivery import export
from wemble.actions.editing.edits import EditRequest, plan_tried
from wemble.actions.editing.on_air_points import plan_of_hand_over
from wemble.actions.show import plans
from wemble.core.deliver.running_order import order_as_csv, order_as_page
from wemble.core.edit.hearing import HEARINGS
from wemble.errors import InvalidInput, NotFound
from wemble.formats.pictures import LARGEST_BYTES as MOST_PICTURE_BYTES
from wemble.formats.pictures import picture_kind
from wemble.web.serving import library

streams = Blueprint("streams", __name__, url_prefix="/api")

MOST_FRAMES = 1 << 20
FARTHEST_FRAME = 1 << 50
MOST_HEAD_COLUMNS = 4_000
MOST_PICTURE_COLUMNS = 2_000
_EDITS: TypeAdapter[BaseModel] = TypeAdapter(EditRequest)
_FOR_EVER = "public, max-age=31536000, immutable"


@streams.get("/jobs/<job_id>/revisions/<int:revision>/audio")
def audio(job_id: str, revision: int) -> Response:
    """Render a block: planar float32, one channel after the other; with ``edit`` as it would be after that edit, with
    ``hand_over`` two clips alone, the second following the first at their on-air points."""
    library().check_revision(job_id, revision)
    start, frames = request.args.get("start", type=int), request.args.get("frames", type=int)
    if start is None or frames is None or not 0 < frames <= MOST_FRAMES or not abs(start) <= FARTHEST_FRAME:
        raise InvalidInput(f"a block has a start and 1 to {MOST_FRAMES:,} frames")
    heard = request.args.get("heard", "result")
    if heard not in HEARINGS:
        raise InvalidInput(f"a job can be heard as {', '.join(HEARINGS)}, not as {heard}")
    tried = request.args.get("edit")
    first, _, second = request.args.get("hand_over", "").partition(",")
    if second:
        plan = plan_of_hand_over(library(), revision, first, second)
    else:
        plan = library().plan_at(revision, heard) if tried is None else plan_tried(library(), revision, _edit(tried))
    samples = plan.render(start, frames, library().reader)
    answer = Response(samples.tobytes(), mimetype="application/octet-stream")
    answer.headers["X-Wemble-Channels"] = str(plan.channels)
    answer.headers["Cache-Control"] = "private, max-age=600"
    return answer


def _edit(text: str) -> BaseModel:
    try:
        return _EDITS.validate_json(text)
    except ValidationError as error:
        raise InvalidInput("this is no edit that could be heard") from error


@streams.get("/jobs/<job_id>/revisions/<int:revision>/bodies/<key>/<int:block>")
def body_block(job_id: str, revision: int, key: str, block: int) -> Response:
    """Give a block of what a cue's voices read: planar float32, one channel after the other. Its key never changes meaning."""
    library().check_revision(job_id, revision)
    if not block <= FARTHEST_FRAME:
        raise InvalidInput("a cue is not that long")
    samples = plans.body_block(library(), revision, key, block)
    answer = Response(samples.tobytes(), mimetype="application/octet-stream")
    answer.headers["X-Wemble-Channels"] = str(samples.shape[0])
    return answer


@streams.get("/jobs/<job_id>/revisions/<int:revision>/running-order.<ending>")
def running_order(job_id: str, revision: int, ending: str) -> Response:
    """Give the running order as a page to print, or as CSV."""
    library().check_revision(job_id, revision)
    job = library().job_at(revision)
    if ending == "csv":
        headers = {"Content-Disposition": 'attachment; filename="running order.csv"'}
        return Response(order_as_csv(job), mimetype="text/csv", headers=headers)
    if ending != "html":
        raise NotFound("a running order comes as html or as csv")
    policy = {"Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'"}
    return Response(order_as_page(job), mimetype="text/html", headers=policy)


@streams.post("/pictures")
def keep_picture() -> dict[str, object]:
    """Keep a cover, and give its name and its size in pixels."""
    data = request.get_data(cache=False)
    if not 0 < len(data) <= MOST_PICTURE_BYTES:
        raise InvalidInput(f"a cover may have up to {MOST_PICTURE_BYTES >> 20} MB; make it smaller")
    return asdict(artwork.keep_picture(library(), data))


@streams.get("/pictures/<name>")
def picture(name: str) -> Response:
    """Give a cover; it never changes."""
    data = library().home.picture(name)
    return Response(data, mimetype=picture_kind(data), headers={"Cache-Control": _FOR_EVER})


@streams.get("/jobs/<job_id>/revisions/<int:revision>/heads")
def heads(job_id: str, revision: int) -> Response:
    """Give the first milliseconds of every clip: a line of JSON with (id, first frame) of each, then the pictures."""
    library().check_revision(job_id, revision)
    columns = request.args.get("columns", 600, type=int)
    if not 0 < columns <= MOST_HEAD_COLUMNS:
        raise InvalidInput(f"a head has 1 to {MOST_HEAD_COLUMNS:,} columns of a millisecond")
    begins, data = pictures.heads(library(), revision, columns)
    return Response(json.dumps(begins).encode() + b"\n" + data, mimetype="application/octet-stream")


@streams.get("/jobs/<job_id>/revisions/<int:revision>/picture")
def job_picture(job_id: str, revision: int) -> Response:
    """Give a small picture of a whole job: a byte for each column."""
    library().check_revision(job_id, revision)
    columns = request.args.get("columns", 120, type=int)
    if not 0 < columns <= MOST_PICTURE_COLUMNS:
        raise InvalidInput(f"a picture has 1 to {MOST_PICTURE_COLUMNS} columns")
    data = pictures.job_picture(library(), revision, columns)
    return Response(data, mimetype="application/octet-stream", headers={"Cache-Control": _FOR_EVER})


@streams.get("/sources/<source_id>/tiles/<int:frames_per_bin>/<int:index>")
def tile(source_id: str, frames_per_bin: int, index: int) -> Response:
    """Give a tile of the pyramid; it never changes."""
    data = pictures.tile(library(), source_id, frames_per_bin, index)
    return Response(data, mimetype="application/octet-stream", headers={"Cache-Control": _FOR_EVER})


@streams.get("/sources/<source_id>/spectra/<int:frames_per_column>/<int:index>")
def spectral_tile(source_id: str, frames_per_column: int, index: int) -> Response:
    """Give a tile of the spectral picture; it never changes."""
    data = pictures.spectral_tile(library(), source_id, frames_per_column, index)
    return Response(data, mimetype="application/octet-stream", headers={"Cache-Control": _FOR_EVER})


@streams.patch("/uploads/<upload_id>")
def add_part(upload_id: str) -> Response:
    """Add a part at ``Upload-Offset``; answer where to go on."""
    offset = request.headers.get("Upload-Offset", type=int)
    if offset is None:
        raise InvalidInput("a part must say where it belongs in the header Upload-Offset")
    received = uploads.add_part(library(), upload_id, offset, request.get_data(cache=False))
    return Response(status=204, headers={"Upload-Offset": str(received)})


@streams.route("/uploads/<upload_id>", methods=["HEAD"])
def where_to_go_on(upload_id: str) -> Response:
    """Answer how much of an upload is here."""
    _, received = uploads.received_bytes(library(), upload_id)
    return Response(status=200, headers={"Upload-Offset": str(received)})


@streams.get("/tasks/<task_id>/file")
def sent_file(task_id: str) -> Response:
    """Give a file that was sent; without a name all of them."""
    path = export.sent_file(library(), task_id, request.args.get("name", ""))
    return send_file(path, as_attachment=True, download_name=path.name)
