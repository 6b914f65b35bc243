"""What becomes of the quiet: the pieces that a treatment leaves, which of them are crossed, and what time was closed up."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import pairwise

from wemble.core.edit.model import Finding, Job, SourceUse
from wemble.core.edit.pauses import Closing, Pause, Room, Span, pause_between, room_outside
from wemble.core.edit.placement import to_job_frames


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
    """Pieces in order, which neighbours are crossed, the time that was closed up, and pauses that lack their room tone."""

    pieces: list[Piece] = field(default_factory=list)
    crossed: set[int] = field(default_factory=set)
    closed: list[Span] = field(default_factory=list)
    untoned: int = 0


@dataclass(frozen=True, slots=True)
class Kept:
    """What a search keeps, in source frames, in order: spans with rooms and the sounds in them, one for one.

    ``dropped`` stands out of the floor and was left out all the same, as breaths are. ``held`` says of each span whether
    a hand put its head and its tail there.
    """

    spans: tuple[Span, ...]
    sounds: tuple[Span, ...]
    dropped: tuple[Span, ...] = ()
    held: tuple[tuple[bool, bool], ...] = ()


def lay_out(job: Job, finding: Finding, kept: Kept, tone: SourceUse | None) -> Layout:
    """Return the pieces that a finding's treatment makes of its span."""
    origin, source, treatment = finding.origin_frame, finding.source_id, finding.treatment
    loud = [Piece(*span, source, origin, sound) for span, sound in zip(kept.spans, kept.sounds, strict=True)]
    edges = [finding.head_frame, *[frame for span in kept.spans for frame in span], finding.tail_frame]
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
            return _closed_up(job, finding, kept, tone)


def laid_out_frames(job: Job, finding: Finding, layout: Layout) -> int:
    """Return how many job frames the pieces cover together, all of them at the rate of the finding's source."""
    rate = job.source(finding.source_id).rate_hz
    return sum(_place(job, rate, piece, piece.tail) - _place(job, rate, piece, piece.head) for piece in layout.pieces)


def pauses_of(job: Job, finding: Finding, kept: Kept) -> list[Pause]:
    """Return what stays between each two sounds when a finding is closed up."""
    closing, edges = _closing(job, finding, kept), _edges(kept)
    return [
        pause_between((left.sound[1], right.sound[0]), left.after, right.before, closing)
        for left, right in pairwise(edges)
    ]


def _closing(job: Job, finding: Finding, kept: Kept) -> Closing:
    """Return how a finding is closed up; what is kept stays half a crossfade clear of what was left out."""
    rate = job.source(finding.source_id).rate_hz
    return Closing(round(finding.treatment.amount * rate), round(finding.recipe.fade_ms * rate / 2000.0), kept.dropped)


@dataclass(frozen=True, slots=True)
class _Edges:
    """A sound and the rooms on its two sides."""

    sound: Span
    before: Room
    after: Room


def _edges(kept: Kept) -> list[_Edges]:
    """Return each sound, as far as its span reaches, with its rooms.

    A hand may have trimmed into it; where nothing of it is left, the span stands for it.
    """
    out = []
    held = kept.held or ((False, False),) * len(kept.spans)
    for (head, tail), sound, (by_hand_head, by_hand_tail) in zip(kept.spans, kept.sounds, held, strict=True):
        start = min(max(sound[0], head), tail)
        end = max(min(sound[1], tail), start)
        if start == end:
            start, end = head, tail
        out.append(_Edges((start, end), Room(start - head, by_hand_head), Room(tail - end, by_hand_tail)))
    return out


def _in_order(*pieces: list[Piece]) -> list[Piece]:
    return sorted((piece for some in pieces for piece in some), key=lambda piece: piece.head)


def _place(job: Job, rate: int, piece: Piece, frame: int) -> int:
    return piece.origin + to_job_frames(frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)


def _filled(job: Job, loud: list[Piece], quiet: list[Piece], tone: SourceUse) -> Layout:
    """Lay room tone over each quiet piece, in pieces no longer than there is tone, at shifting places in it."""
    rate = tone.rate_hz
    pieces: list[Piece] = []
    for number, piece in enumerate(_in_order(loud, quiet)):
        if piece.sound is not None:
            pieces.append(piece)
            continue
        at = piece.head
        while at < piece.tail:
            length = min(piece.tail - at, _longest_piece(tone))
            start, end = (_place(job, rate, piece, frame) for frame in (at, at + length))
            laid = _of_tone(job, tone, start, length, salt=number * 7919 + at * 31)
            tail = _tail_reaching(job, rate, laid.head, laid.origin, end, laid.tail)
            pieces.append(replace(laid, tail=tail))
            at += length
    return Layout(pieces, set(range(1, len(pieces))))


def _longest_piece(tone: SourceUse) -> int:
    """Return how long a piece of tone may be: a quarter of a second stays at both ends, for crossfades."""
    return tone.frames - 2 * (tone.rate_hz // 4)


def _of_tone(job: Job, tone: SourceUse, start: int, length: int, *, salt: int) -> Piece:
    """Return ``length`` frames of room tone that begin at a job frame; ``salt`` says from where in the tone."""
    head = tone.rate_hz // 4 + salt % max(_longest_piece(tone) - length + 1, 1)
    origin = start - to_job_frames(head, source_rate_hz=tone.rate_hz, job_rate_hz=job.rate_hz)
    return Piece(head, head + length, tone.id, origin)


def _tail_reaching(job: Job, rate: int, head: int, origin: int, end: int, guess: int) -> int:
    """Return the source frame near ``guess`` whose place is exactly the job frame ``end``, or the nearest before."""
    for tail in (guess, guess + 1, guess - 1):
        if origin + to_job_frames(tail, source_rate_hz=rate, job_rate_hz=job.rate_hz) == end:
            return tail
    return max(guess - 1, head + 1)


def _closed_up(job: Job, finding: Finding, kept: Kept, tone: SourceUse | None) -> Layout:
    """Close the quiet to what is asked, from sound to sound. What was left out stays out.

    Room tone is laid where clean quiet is too short; without any, the pause is shorter.
    """
    rate = job.source(finding.source_id).rate_hz
    closing, edges, pauses = _closing(job, finding, kept), _edges(kept), pauses_of(job, finding, kept)
    first = room_outside((finding.head_frame, edges[0].sound[0]), edges[0].before, "head", closing)
    last = room_outside((edges[-1].sound[1], finding.tail_frame), edges[-1].after, "tail", closing)
    layout = Layout()
    shift = 0
    whole = Piece(finding.head_frame, finding.tail_frame, finding.source_id, finding.origin_frame)
    reach = _place(job, rate, whole, whole.head)

    def lay(piece: Piece) -> None:
        nonlocal reach
        if layout.pieces:
            layout.crossed.add(len(layout.pieces))
        layout.pieces.append(piece)
        reach = _place(job, rate, piece, piece.tail)

    for number, (edge, sound) in enumerate(zip(edges, kept.sounds, strict=True)):
        head = edge.sound[0] - (pauses[number - 1].before if number else first)
        tail = edge.sound[1] + (pauses[number].after if number < len(pauses) else last)
        until = _place(job, rate, whole, head) - shift
        if number and pauses[number - 1].tone:
            if tone is None:
                layout.untoned += 1
            else:
                for piece in _tone_between(job, tone, reach, until, pauses[number - 1].tone):
                    lay(piece)
        if until > reach:
            layout.closed.append((reach, until - reach))
            shift += until - reach
        lay(Piece(head, tail, finding.source_id, finding.origin_frame - shift, sound))
    if (end := _place(job, rate, whole, whole.tail) - shift) > reach:
        layout.closed.append((reach, end - reach))
    return layout


def _tone_between(job: Job, tone: SourceUse, start: int, until: int, frames: int) -> list[Piece]:
    """Return room tone from a job frame on, about ``frames`` of the tone's own long, and not past ``until``."""
    pieces: list[Piece] = []
    while frames > 0 and start < until:
        piece = _of_tone(job, tone, start, min(frames, _longest_piece(tone)), salt=start * 31)
        if (end := _place(job, tone.rate_hz, piece, piece.tail)) > until:
            piece = replace(piece, tail=piece.tail - 1)
            end = _place(job, tone.rate_hz, piece, piece.tail)
        if end <= start:
            break
        pieces.append(piece)
        start, frames = end, frames - _longest_piece(tone)
    return pieces
