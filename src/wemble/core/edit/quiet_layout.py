"""What becomes of the quiet: the pieces that a treatment leaves, which of them are crossed, and what time was closed up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from wemble.core.edges.recipe import Treatment
from wemble.core.edit.model import Finding, Job, Side, SourceUse
from wemble.core.edit.placement import to_job_frames

Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Piece:
    """A clip to be: a span of a source; with a sound in it, or quiet."""

    head: int
    tail: int
    source_id: str
    origin: int
    sound: Span | None = None
    gain_db: float = 0.0


@dataclass(slots=True)
class Layout:
    """Pieces in order, which neighbours are crossed, and the time that was closed up."""

    pieces: list[Piece] = field(default_factory=list)
    crossed: set[int] = field(default_factory=set)
    closed: list[Span] = field(default_factory=list)


def lay_out(
    job: Job,
    finding: Finding,
    spans: Sequence[Span],
    sounds: Sequence[Span],
    treatment: Treatment,
    tone: SourceUse | None,
) -> Layout:
    origin, source = finding.origin_frame, finding.source_id
    loud = [Piece(head, tail, source, origin, sound) for (head, tail), sound in zip(spans, sounds, strict=True)]
    edges = [finding.head_frame, *[frame for span in spans for frame in span], finding.tail_frame]
    quiet = [Piece(a, b, source, origin) for a, b in zip(edges[::2], edges[1::2], strict=True) if b > a]
    match treatment.kind:
        case "cut":
            return Layout(loud)
        case "keep_quiet":
            return Layout(quiet)
        case "split":
            return Layout(_in_order(loud, quiet))
        case "turn_down":
            pieces = _in_order(loud, [replace(piece, gain_db=-treatment.amount) for piece in quiet])
            return Layout(pieces, set(range(1, len(pieces))))
        case "room_tone":
            assert tone is not None
            return _filled(job, loud, quiet, tone)
        case "close_up":
            return _closed_up(job, finding, loud, treatment.amount)


def _in_order(*pieces: list[Piece]) -> list[Piece]:
    return sorted((piece for some in pieces for piece in some), key=lambda piece: piece.head)


def _filled(job: Job, loud: list[Piece], quiet: list[Piece], tone: SourceUse) -> Layout:
    """Lay room tone over each quiet piece, in pieces no longer than there is tone, at shifting places in it."""
    rate = tone.rate_hz
    handle = rate // 4
    longest = tone.frames - 2 * handle
    pieces: list[Piece] = []
    for number, piece in enumerate(_in_order(loud, quiet)):
        if piece.sound is not None:
            pieces.append(piece)
            continue
        at = piece.head
        while at < piece.tail:
            length = min(piece.tail - at, longest)
            head = handle + (number * 7919 + at * 31) % max(longest - length + 1, 1)
            start = piece.origin + to_job_frames(at, source_rate_hz=rate, job_rate_hz=job.rate_hz)
            origin = start - to_job_frames(head, source_rate_hz=rate, job_rate_hz=job.rate_hz)
            end = piece.origin + to_job_frames(at + length, source_rate_hz=rate, job_rate_hz=job.rate_hz)
            pieces.append(Piece(head, _tail_reaching(job, rate, head, origin, end, head + length), tone.id, origin))
            at += length
    return Layout(pieces, set(range(1, len(pieces))))


def _tail_reaching(job: Job, rate: int, head: int, origin: int, end: int, guess: int) -> int:
    """Return the source frame near ``guess`` whose place is exactly the job frame ``end``, or the nearest before."""
    for tail in (guess, guess + 1, guess - 1):
        if origin + to_job_frames(tail, source_rate_hz=rate, job_rate_hz=job.rate_hz) == end:
            return tail
    return max(guess - 1, head + 1)


def _closed_up(job: Job, finding: Finding, loud: list[Piece], longest_s: float) -> Layout:
    """Close gaps longer than asked: half of what stays from each side, the cut in the middle.

    A gap that is short enough stays as it was, divided between its two pieces. In front of the first sound and
    behind the last one half stays.
    """
    rate = job.source(finding.source_id).rate_hz
    half = round(longest_s * rate / 2)
    ends = [finding.head_frame, *[piece.tail for piece in loud]]
    starts = [*[piece.head for piece in loud], finding.tail_frame]
    outer = {0, len(loud)}
    closes = [
        start - end > (half if gap in outer else 2 * half)
        for gap, (end, start) in enumerate(zip(ends, starts, strict=True))
    ]

    def keeps(gap: int, side: Side) -> int:
        length = starts[gap] - ends[gap]
        if closes[gap]:
            return half
        return length if gap in outer else (length // 2 if side == "tail" else length - length // 2)

    def place(frame: int, shift: int) -> int:
        return finding.origin_frame - shift + to_job_frames(frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)

    layout = Layout()
    shift, reach = 0, place(finding.head_frame, 0)
    for number, piece in enumerate(loud):
        head, tail = piece.head - keeps(number, "head"), piece.tail + keeps(number + 1, "tail")
        if closes[number]:
            removed = place(head, shift) - reach
            layout.closed.append((reach, removed))
            shift += removed
        if number:
            layout.crossed.add(number)
        layout.pieces.append(replace(piece, head=head, tail=tail, origin=finding.origin_frame - shift))
        reach = place(tail, shift)
    if closes[-1]:
        layout.closed.append((reach, place(finding.tail_frame, shift) - reach))
    return layout


def closed_up_length(spans: Sequence[Span], head: int, tail: int, half: int) -> int:
    """Return how long ``[head, tail)`` becomes when gaps between spans are closed up to ``2 · half`` frames."""
    if not spans:
        return tail - head
    inner = sum(min(right[0] - left[1], 2 * half) for left, right in pairwise(spans))
    outer = min(spans[0][0] - head, half) + min(tail - spans[-1][1], half)
    return sum(end - start for start, end in spans) + inner + outer
