"""What an edit changed: the difference of two jobs, entity by entity, and how to apply it to a job."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from dataclasses import fields as dataclass_fields
from itertools import compress
from operator import is_not
from typing import Any, Literal, TypeVar

from wemble.core.briefs import Brief
from wemble.core.edit.model import Grid, Job

Kind = Literal["job", "sources", "lanes", "clips", "joins", "marks", "findings", "cues"]
Entity = TypeVar("Entity")
COLLECTIONS: tuple[Kind, ...] = ("sources", "lanes", "clips", "joins", "marks", "findings", "cues")


@dataclass(frozen=True, slots=True)
class OwnFields:
    """The job's own fields, as a change holds them; one written by an older Wemble lacks the last ones."""

    name: str
    brief: Brief
    rate_hz: int
    channels: int
    next_number: int
    auto_fades: bool = True
    grid: Grid | None = None


@dataclass(frozen=True, slots=True)
class Change:
    """One entity before and after; none where it was not there. The job's own fields have the id ``job``."""

    kind: Kind
    entity_id: str
    before: Any
    after: Any


def not_the_same(before: Mapping[str, Entity], after: Mapping[str, Entity]) -> dict[str, Entity]:
    """Return those of ``after`` that are other objects than in ``before``, or are not in it.

    Every edit asks it several times, of ten thousand clips too: it has no loop in Python.
    """
    return dict(compress(after.items(), map(is_not, map(before.get, after), after.values())))


def difference(before: Job, after: Job) -> list[Change]:
    """Return what turns ``before`` into ``after``. Entities that are the same object are not looked into."""
    changes: list[Change] = []
    own_before, own_after = _own_fields(before), _own_fields(after)
    if own_before != own_after:
        changes.append(Change("job", "job", own_before, own_after))
    for kind in COLLECTIONS:
        old: Mapping[str, Any] = getattr(before, kind)
        new: Mapping[str, Any] = getattr(after, kind)
        if old is new:
            continue
        changes += [Change(kind, key, old[key], None) for key in old if key not in new]
        for key, value in not_the_same(old, new).items():
            was = old.get(key)
            if was != value:
                changes.append(Change(kind, key, was, value))
    return changes


def applied(job: Job, changes: Iterable[Change]) -> Job:
    """Return the job with every change's ``after`` in place."""
    fields: dict[str, Any] = {}
    for change in changes:
        if change.kind == "job":
            fields |= {own.name: getattr(change.after, own.name) for own in dataclass_fields(OwnFields)}
            continue
        collection = fields.setdefault(change.kind, dict(getattr(job, change.kind)))
        if change.after is None:
            collection.pop(change.entity_id, None)
        else:
            collection[change.entity_id] = change.after
    return replace(job, **fields)


def reversed_changes(changes: Iterable[Change]) -> list[Change]:
    """Return the changes that take back these."""
    return [Change(change.kind, change.entity_id, change.after, change.before) for change in changes]


def _own_fields(job: Job) -> OwnFields:
    return OwnFields(**{own.name: getattr(job, own.name) for own in dataclass_fields(OwnFields)})
