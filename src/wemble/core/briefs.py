"""The briefs: what kind of work a job is. A brief sets defaults, words and checks, and never hides a tool.

Everything that depends on the brief stands in its record here, and in the interface in ``frontend/src/desk/briefs.tsx``.
No other file compares briefs; a test holds that.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from wemble.core.check.table import Check
from wemble.core.deliver.kinds import Deliverable, FileKind, MapKind

Brief = Literal["voiceover", "podcast", "drums", "release", "show"]
Search = Literal["sound", "hits"]
Material = Literal["speech", "struck", "music"]
Middle = Literal["strip", "wall", "order"]

_EVERYWHERE: frozenset[Check] = frozenset(
    {"click", "tail", "air", "join", "programme_end", "outside", "late", "cut_in", "start", "end", "attack", "within"}
)
_PATTERNS: Mapping[Deliverable, str] = {
    "one": "{job}",
    "each_clip": "{number:2} {clip}",
    "each_section": "{number:2} {clip}",
    "one_shots": "{name}_{note}_{strength}_{mic}",
}


@dataclass(frozen=True, slots=True)
class SendDefaults:
    """What is sent unless something else is chosen, and the naming pattern of each kind of delivery."""

    what: Deliverable
    kind: FileKind | Literal["as_source"]
    with_map: MapKind
    patterns: Mapping[Deliverable, str]
    chapters: bool = False


@dataclass(frozen=True, slots=True)
class BriefRecord:
    """One brief.

    ``search`` is what the step Find looks for at first, ``material`` what its proposal expects, ``one_clip`` and
    ``many_clips`` what it calls its clips. ``checks`` are those that count. ``clips_are_points`` says that a longer file
    carries a cue point where each clip begins. ``level_zoom`` is how far lenses look into the level of a sound at full
    scale: a phrase is judged by its floor, a hit by its attack. With ``lane_a_file`` every file that comes in gets a lane
    of its own, all from the start; with ``own_only`` Find keeps of a lane what is said on it; with ``on_air`` the points of every
    song that can be are proposed as it comes in; with ``cue_a_file`` a file
    becomes a cue of the running order; with ``times_of_source`` the lenses count in the recording and not along the lane.
    """

    name: Brief
    title: str
    takes: str
    gives: str
    first_lane: str
    one_clip: str
    many_clips: str
    mark_name: str
    search: Search
    material: Material
    auto_fades: bool
    level_zoom: int
    middle: Middle
    clips_are_points: bool
    checks: frozenset[Check]
    send: SendDefaults
    lane_a_file: bool = False
    own_only: bool = False
    on_air: bool = False
    cue_a_file: bool = False
    times_of_source: bool = False


BRIEFS: Mapping[Brief, BriefRecord] = {
    "voiceover": BriefRecord(
        name="voiceover",
        title="Voiceover",
        takes="one long take with phrases, breaths and room",
        gives="clean phrases, one file or one each",
        first_lane="Narration",
        one_clip="phrase",
        many_clips="phrases",
        mark_name="Section",
        search="sound",
        material="speech",
        auto_fades=True,
        level_zoom=8,
        middle="strip",
        clips_are_points=False,
        checks=_EVERYWHERE | {"speech_clipped", "weak"},
        send=SendDefaults("each_clip", "wav_24", "none", _PATTERNS),
    ),
    "podcast": BriefRecord(
        name="podcast",
        title="Podcast",
        takes="a file of every speaker",
        gives="one finished episode, with chapters",
        first_lane="Host",
        one_clip="phrase",
        many_clips="phrases",
        mark_name="Chapter",
        search="sound",
        material="speech",
        auto_fades=True,
        level_zoom=8,
        middle="strip",
        clips_are_points=False,
        checks=_EVERYWHERE | {"whose"},
        send=SendDefaults("one", "mp3", "none", _PATTERNS, chapters=True),
        lane_a_file=True,
        own_only=True,
    ),
    "drums": BriefRecord(
        name="drums",
        title="Drums and samples",
        takes="rough one-shots, or takes to cut up",
        gives="tight one-shots with a key map",
        first_lane="Hits",
        one_clip="hit",
        many_clips="hits",
        mark_name="Hit",
        search="hits",
        material="struck",
        auto_fades=True,
        level_zoom=1,
        middle="wall",
        clips_are_points=True,
        checks=_EVERYWHERE,
        send=SendDefaults("one_shots", "as_source", "cut", _PATTERNS),
    ),
    "release": BriefRecord(
        name="release",
        title="Music release",
        takes="mixes with air at both ends",
        gives="a disc and its tracks, songs ready for radio",
        first_lane="Music",
        one_clip="piece",
        many_clips="pieces",
        mark_name="Section",
        search="sound",
        material="music",
        auto_fades=True,
        level_zoom=8,
        middle="strip",
        clips_are_points=False,
        checks=_EVERYWHERE,
        send=SendDefaults("each_clip", "wav_24", "none", _PATTERNS),
        on_air=True,
    ),
    "show": BriefRecord(
        name="show",
        title="Show",
        takes="music, effects and ambience for a performance",
        gives="a running order of cues, and the performance itself",
        first_lane="Sounds",
        one_clip="sound",
        many_clips="sounds",
        mark_name="Section",
        search="sound",
        material="music",
        auto_fades=True,
        level_zoom=8,
        middle="order",
        clips_are_points=False,
        checks=_EVERYWHERE,
        send=SendDefaults("one", "wav_24", "none", _PATTERNS),
        cue_a_file=True,
        times_of_source=True,
    ),
}


def record(brief: Brief) -> BriefRecord:
    """Return the record of a brief."""
    return BRIEFS[brief]
