"""The running order on paper: a sentence for each cue, as a page to print and as CSV."""

from __future__ import annotations

import csv
import html
import io

from wemble.core.deliver.cells import plain
from wemble.core.deliver.words import clock
from wemble.core.edit.cues import events_of, in_running_order, loop_of
from wemble.core.edit.model import EVERYTHING, Cue, Job
from wemble.core.edit.placement import end_of, start_of


def in_words(job: Job, cue: Cue, above: Cue | None) -> str:
    """Say in a sentence what a cue does, and when: after which one ``above``, if there is one."""
    parts = [cue.name, _start(job, cue, above), *_does(job, cue)]
    return " · ".join(part for part in parts if part)


def order_as_csv(job: Job) -> str:
    """Return the running order as CSV, times in seconds; text that a spreadsheet would take for a formula is quoted."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        ["number", "kind", "name", "start", "wait_s", "does", "length_s", "group", "page", "note", "events"]
    )
    for cue in in_running_order(job):
        events = "; ".join(f"{_cue_time_s(job, cue, mark.frame):.3f} {mark.name}" for mark in events_of(job, cue))
        words = [cue.name, cue.start, f"{cue.wait_frames / _rate(job):.3f}", " · ".join(_does(job, cue))]
        rest = [_length_s(job, cue), plain(cue.group), plain(cue.page), plain(cue.note), plain(events)]
        writer.writerow([cue.number, cue.kind, plain(words[0]), *words[1:3], plain(words[3]), *rest])
    return out.getvalue()


def order_as_page(job: Job) -> str:
    """Return the running order as a page to print."""
    rows, group = [], ""
    order = in_running_order(job)
    for above, cue in zip([None, *order], order, strict=False):
        if cue.group != group and cue.group:
            rows.append(f'<tr><th colspan="4">{html.escape(cue.group)}</th></tr>')
        group = cue.group
        events = "".join(
            f"<br>{clock(_cue_time_s(job, cue, mark.frame))} {html.escape(mark.name)}" for mark in events_of(job, cue)
        )
        note = f"<br><i>{html.escape(cue.note)}</i>" if cue.note else ""
        rows.append(
            f"<tr><td>{cue.number}</td><td>{html.escape(in_words(job, cue, above))}{note}{events}</td>"
            f"<td>{_length_s(job, cue)}</td><td>{html.escape(cue.page)}</td></tr>"
        )
    title = html.escape(job.name)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        "<style>body{font:14px/1.5 serif;margin:3em}td,th{padding:.25em 1em .25em 0;text-align:left;vertical-align:top}"
        "td:nth-child(3){text-align:right}</style></head>"
        f"<body><h1>{title}</h1><table><tr><th></th><th>cue</th><th>length, s</th><th>page</th></tr>"
        f"{''.join(rows)}</table></body></html>\n"
    )


def _start(job: Job, cue: Cue, above: Cue | None) -> str:
    if cue.start == "go" or above is None:
        return "on GO"
    wait_s = cue.wait_frames / _rate(job)
    if cue.start in ("after_end", "after_echo"):
        return f"{wait_s:g} s after {above.name} ends" + (", echo included" if cue.start == "after_echo" else "")
    return f"together with {above.name}" if not wait_s else f"{wait_s:g} s after {above.name} starts"


def _does(job: Job, cue: Cue) -> list[str]:
    if cue.kind == "sound":
        loop = loop_of(job, cue.clip_id)
        times = f"{cue.passes} times" if cue.passes else "until let go"
        more = len(cue.voices) - 1
        return [
            *([f"a section loops {times}"] if loop else []),
            *(["starts silent"] if cue.silent else []),
            *([f"with {more} {'copy' if more == 1 else 'copies'}"] if more else []),
        ]
    if cue.kind == "note":
        return []
    target = (
        "everything" if cue.target_id == EVERYTHING else job.cues[cue.target_id].name if cue.target_id else "nothing"
    )
    over = f"over {cue.length_frames / _rate(job):g} s"
    if cue.kind == "stop":
        return [f"stops {target} {over}"]
    level = "to nothing" if cue.level_db is None else f"to {cue.level_db:g} dB"
    return [f"fades {target} {level} {over}{', then stops it' if cue.stops else ''}"]


def _length_s(job: Job, cue: Cue) -> str:
    """Return how long one playing of a sound takes, passes of its loop not counted, or how long a fade takes."""
    if cue.clip_id is not None:
        clip = job.clip(cue.clip_id)
        return f"{(end_of(job, clip) - start_of(job, clip)) / _rate(job):.3f}"
    return f"{cue.length_frames / _rate(job):.3f}" if cue.length_frames else ""


def _cue_time_s(job: Job, cue: Cue, frame: int) -> float:
    clip = job.clip(cue.clip_id or "")
    return (frame - clip.head_frame) / job.source(clip.source_id).rate_hz


def _rate(job: Job) -> int:
    return job.rate_hz or 48_000
