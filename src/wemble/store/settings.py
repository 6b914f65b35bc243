"""Settings of the desk's views: a row for each name and job."""

from __future__ import annotations

import json
import sqlite3
from typing import Any


def get_settings(db: sqlite3.Connection, job_id: str) -> dict[str, Any]:
    """Return a job's settings by name."""
    rows = db.execute("SELECT name, value FROM job_setting WHERE job_id = :job", {"job": job_id})
    return {row["name"]: json.loads(row["value"]) for row in rows}


def count_settings(db: sqlite3.Connection, job_id: str) -> int:
    """Return how many settings a job has."""
    count: int = db.execute("SELECT count(*) FROM job_setting WHERE job_id = :job", {"job": job_id}).fetchone()[0]
    return count


def update_setting(db: sqlite3.Connection, job_id: str, name: str, value: str) -> None:
    """Keep a setting, a JSON text, in place of an earlier one of that name."""
    db.execute(
        "INSERT INTO job_setting (job_id, name, value) VALUES (:job, :name, :value) "
        "ON CONFLICT (job_id, name) DO UPDATE SET value = excluded.value",
        {"job": job_id, "name": name, "value": value},
    )
