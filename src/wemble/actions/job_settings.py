"""Settings of the desk's views, kept with a job: what it was set to when it was left. They are no part of its history."""

from __future__ import annotations

import json
import re
from typing import Any

from wemble.actions.library import Library
from wemble.errors import InvalidInput, TooLarge
from wemble.store import jobs, settings

LARGEST_BYTES = 64 << 10
MOST = 40
NAME = re.compile(r"[a-z][a-z_]{0,39}")


def keep(library: Library, job_id: str, name: str, value: dict[str, Any]) -> None:
    """Keep a setting under a name, in place of an earlier one.

    Raises
    ------
    InvalidInput, TooLarge, NotFound
        If the name is none of ours, the value is too large, there are too many, or there is no such job.
    """
    if not NAME.fullmatch(name):
        raise InvalidInput(f"a setting's name has up to 40 lower-case letters; got {name[:60]!r}")
    text = json.dumps(value)
    if len(text) > LARGEST_BYTES:
        raise TooLarge(f"a setting has up to {LARGEST_BYTES:,} bytes, this one has {len(text):,}")
    with library.database.write() as db:
        jobs.get_job_row(db, job_id)
        if name not in settings.get_settings(db, job_id) and settings.count_settings(db, job_id) >= MOST:
            raise TooLarge(f"a job keeps up to {MOST} settings")
        settings.update_setting(db, job_id, name, text)
