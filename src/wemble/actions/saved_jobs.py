"""A job saved as one file, and opened elsewhere."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

from wemble.actions.library import Library, new_id
from wemble.actions.revisions import edit_newest
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.deliver.names import safe_name
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Job
from wemble.core.edit.validity import check_validity
from wemble.errors import InvalidInput
from wemble.formats.archive import read_archive, unpacked_bytes, write_archive
from wemble.store import jobs, records
from wemble.store.files import Home, move_into_place, settle

ENDING = ".wemble.zip"


def start_save(library: Library, job_id: str, revision_id: int) -> str:
    """Start saving a job with its sources as one file, and return the task."""
    job = library.job_at(revision_id)
    rows = [library.source(source_id) for source_id in job.sources]
    content = {"job": jobs.dump_job(job), "sources": [records.dump_source(row) for row in rows]}
    folder_name, name = new_id(), f"{safe_name(job.name)}{ENDING}"
    args = (library.home.root, content, [row.id for row in rows], name, folder_name)

    def saved(_: None) -> dict[str, object]:
        return {"files": [name], "folder_name": folder_name, "saved": True}

    request = {"save": True, "revision": revision_id}
    return start_task(library, job_id, "export", f"{job.name}, saved whole", request, save_job, args, saved)


def save_job(
    report: Report, work: Path, root: Path, content: dict[str, Any], source_ids: list[str], name: str, folder_name: str
) -> None:
    """Write the archive beside, then move it into place. Runs in a worker."""
    home = Home(root)
    folders = [(source_id, home.source(source_id)) for source_id in source_ids]
    home.check_space(sum(file.stat().st_size for _, folder in folders for file in folder.iterdir()))
    folder = work / "export"
    folder.mkdir()
    write_archive(folder / name, content, folders, report)
    settle(folder)
    move_into_place(folder, home.exports / folder_name)


def start_open(library: Library, job_id: str, path: Path, name: str, *, upload_id: str | None) -> str:
    """Start opening a saved job into a job that is still empty, and return the task."""

    def opened(content: dict[str, Any]) -> dict[str, object]:
        job = jobs.load_job(content["job"], content["version"])
        rows = [records.load_source(row) for row in content["sources"]]
        check_validity(job)
        if not set(job.sources) <= {row.id for row in rows}:
            raise InvalidInput("a recording is missing in this saved job; save it again where it came from")

        def replace_empty(newest: Job) -> Edited:
            if newest.clips or newest.sources:
                raise InvalidInput("a saved job opens as a job of its own; drop it on the start page")
            return Edited(job)

        with library.database.write() as db:
            for row in rows:
                records.add_source(db, row, now=library.now())
                library.reader.know(row.id, row.channels)
            answer = edit_newest(library, job_id, "open saved job", replace_empty)
            if upload_id is not None:
                records.delete_upload(db, upload_id)
        if upload_id is not None:
            path.unlink(missing_ok=True)
        for row in rows:
            threading.Thread(target=settle, args=(library.home.source(row.id),), daemon=True).start()
        return {"revision": answer.revision, "notes": []}

    request = {"name": name, "upload_id": upload_id}
    return start_task(library, job_id, "import", name, request, open_archive, (library.home.root, path), opened)


def open_archive(report: Report, work: Path, root: Path, path: Path) -> dict[str, Any]:
    """Unpack and check a saved job, and move its sources into place. Runs in a worker."""
    home = Home(root)
    home.check_space(unpacked_bytes(path))
    sources = work / "sources"
    content = read_archive(path, sources, report)
    if not isinstance(content.get("sources"), list) or "job" not in content:
        raise InvalidInput("job.json in this saved job holds no job")
    for folder in sorted(sources.iterdir()) if sources.exists() else ():
        move_into_place(folder, home.source(folder.name))
    return content
