"""What will go wrong in a show, said before it: cue by cue, from the running order, its plan, and a rehearsal without anybody."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from wemble.core.deliver.words import clock
from wemble.core.edges.envelope import Envelope
from wemble.core.edit.cues import SHORTEST_LOOP_MS, events_of, in_running_order, loop_of
from wemble.core.edit.model import EVERYTHING, Clip, Cue, Job
from wemble.core.show.plan import PlannedCue, ShowPlan
from wemble.core.show.run import UNHEARD, Press, run_to_rest
from wemble.core.signal.levels import from_db, ms_to_frames

AIR_MS = 10.0
"""So much air in front of a sound is heard as late on GO (common practice)."""
FILLED_DB = 20.0
"""What lies less than this under the sound behind it is no air: a rain that swells is heard from its first frame (our choice)."""
CEILING_DB = 0.0
REHEARSED_EVERY_S = 10.0
"""Nobody knows when GO will be pressed: a rehearsal without anybody presses it so often (our choice)."""


@dataclass(frozen=True, slots=True)
class ShowFault:
    """Something wrong with a cue, in words with its figure; ``stops`` if the cue cannot run at all."""

    cue_id: str
    text: str
    stops: bool = False
    mark_id: str = ""


@dataclass(frozen=True, slots=True)
class Peak:
    """Where the sum of what sounds was over the ceiling: its loudest sample, in dB, its frame, and the cues that sounded."""

    frame: int
    peak_db: float
    cue_ids: tuple[str, ...]


def is_filled(clip: Clip, levels: Envelope) -> bool:
    """Say whether what lies before a clip's sound is no air but heard as it is, by the second on either side of its start."""
    start, rate = clip.sound_start_frame, levels.rate_hz
    if start is None:
        return False
    clear = start - ms_to_frames(AIR_MS, rate)  # nearer to it a level has some of the sound in it
    if clear <= clip.head_frame:
        return False
    air = levels.part(max(clip.head_frame, clear - rate), clear).power
    sound = levels.part(start, min(max(clip.tail_frame, start + 1), start + rate)).power
    return bool(len(air) and len(sound) and np.median(air) > from_db(-2.0 * FILLED_DB) * np.mean(sound))


def show_faults(
    job: Job, plan: ShowPlan, tails_db: Mapping[str, float], filled: Collection[str] = ()
) -> list[ShowFault]:
    """Return what can be said without listening, in running order.

    ``tails_db`` says of clips whose ring-out is cut how far they lie over their floor there; ``filled`` are clips that have
    no air before their sound.
    """
    order = in_running_order(job)
    found: dict[str, list[ShowFault]] = {cue.id: [] for cue in order}
    for cue, planned in zip(order, plan.cues, strict=True):
        if planned.problem:
            found[cue.id].append(ShowFault(cue.id, f"cannot run: {planned.problem}", stops=True))
        found[cue.id] += _of_sound(job, cue, planned, tails_db, filled)
    for fault in [*_of_fades(order), *_left_over(order, plan)]:
        found[fault.cue_id].append(fault)
    return [fault for cue in order for fault in found[cue.id]]


def peak_faults(peaks: Sequence[Peak], rate_hz: int) -> list[ShowFault]:
    """Return where a rehearsal went over the ceiling: said of the cue that was fired last."""
    return [
        ShowFault(peak.cue_ids[-1], f"{peak.peak_db:+.1f} dB at {clock(peak.frame / rate_hz)}: {_together(peak)}")
        for peak in peaks
        if peak.cue_ids
    ]


def usual_presses(plan: ShowPlan, every_s: float = REHEARSED_EVERY_S) -> list[Press]:
    """Return the GOs of a rehearsal without anybody: one every so often, then everything that loops is let go."""
    every = round(every_s * plan.rate_hz)
    count = sum(n == 0 or cue.start == "go" for n, cue in enumerate(plan.cues))
    presses = [Press(n * every, "go") for n in range(count)]
    loops = [n for n, cue in enumerate(plan.cues) if cue.loop is not None and cue.loop.passes == 0]
    return [*presses, *(Press(count * every, "let_go", cue) for cue in loops)]


def _air_ms(job: Job, clip: Clip) -> float:
    if clip.sound_start_frame is None:
        return 0.0
    return 1000.0 * (clip.sound_start_frame - clip.head_frame) / job.source(clip.source_id).rate_hz


def _of_sound(
    job: Job, cue: Cue, planned: PlannedCue, tails_db: Mapping[str, float], filled: Collection[str]
) -> list[ShowFault]:
    if cue.clip_id is None:
        return []
    clip = job.clip(cue.clip_id)
    rate = job.source(clip.source_id).rate_hz
    faults = []
    if (air_ms := _air_ms(job, clip)) > AIR_MS and cue.start == "go" and clip.id not in filled:
        faults.append(ShowFault(cue.id, f"{air_ms:.0f} ms of air before its sound"))
    if cue.clip_id in tails_db:
        faults.append(ShowFault(cue.id, f"its ring-out is cut {tails_db[cue.clip_id]:.1f} dB over the floor"))
    if loop_of(job, clip.id) is not None and planned.loop is None and not planned.problem:
        faults.append(
            ShowFault(cue.id, f"does not loop: its loop has under {SHORTEST_LOOP_MS:.0f} ms inside the sound")
        )
    for mark in events_of(job, cue):
        if not clip.head_frame <= mark.frame <= clip.tail_frame:
            end = "before its start" if mark.frame < clip.head_frame else "past its end"
            edge = clip.head_frame if mark.frame < clip.head_frame else clip.tail_frame
            by_s = abs(mark.frame - edge) / rate
            faults.append(ShowFault(cue.id, f"the event “{mark.name}” lies {by_s:.3f} s {end}", mark_id=mark.id))
    return faults


def _of_fades(order: Sequence[Cue]) -> list[ShowFault]:
    """Return the fades and stops of what cannot be sounding then, and the fades that leave a sound running unheard."""
    faults, running = [], set[str]()
    for n, cue in enumerate(order):
        if cue.kind == "sound":
            running.add(cue.id)
        if cue.kind not in ("fade", "stop") or not cue.target_id:
            continue
        target = next((one for one in order if one.id == cue.target_id), None)
        if cue.target_id == EVERYTHING and not running:
            faults.append(ShowFault(cue.id, "nothing can be sounding then"))
        elif target is not None and target.id not in running:
            later = any(one.id == target.id for one in order[n:])
            why = "comes later in the running order" if later else "was stopped before"
            faults.append(ShowFault(cue.id, f"“{target.name}” cannot be sounding then: it {why}"))
        elif target is not None and order[n - 1].id == target.id and _waits_for_silence(cue, target):
            faults.append(ShowFault(cue.id, f"“{target.name}” cannot be sounding then: this waits until it has ended"))
        if cue.kind == "stop" or cue.stops:
            running -= running if cue.target_id == EVERYTHING else {cue.target_id}
        elif cue.level_db is None:
            name = "what sounds" if target is None else f"“{target.name}”"
            faults.append(ShowFault(cue.id, f"{name} goes on sounding, unheard: let the fade stop it when done"))
    return faults


def _left_over(order: Sequence[Cue], plan: ShowPlan) -> list[ShowFault]:
    """Return what would still sound after the last GO for as long as nobody let it go, faded it, or stopped it by hand."""
    run = run_to_rest(plan, [press for press in usual_presses(plan) if press.kind == "go"])
    faults = []
    for one in run.sounding:
        if one.ramp.after <= UNHEARD:
            faults.append(ShowFault(order[one.cue].id, "still sounds at the end of the show, unheard: stop it"))
        elif one.loop is not None and one.loop.passes == 0:
            text = "still loops at the end of the show: let it go, fade it, or stop it"
            faults.append(ShowFault(order[one.cue].id, text))
    return list(dict.fromkeys(faults))


def _together(peak: Peak) -> str:
    return "alone" if len(peak.cue_ids) == 1 else f"{len(peak.cue_ids)} cues at once"


def _waits_for_silence(cue: Cue, target: Cue) -> bool:
    """Say whether a cue comes when nothing of the one above it sounds any more: neither itself nor its echo."""
    alone = len(target.voices) == 1 and target.voices[0].echo is None
    return cue.start == "after_echo" or (cue.start == "after_end" and alone)
