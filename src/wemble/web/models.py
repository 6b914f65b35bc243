"""Every body of the interface, in one place. The OpenAPI document and the TypeScript types come from here."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from wemble.actions.delivery.one_shots import Placed
from wemble.actions.delivery.preview import Preview
from wemble.actions.delivery.release import ReleasePreview, ReleaseRequest
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import EditRequest
from wemble.actions.editing.kit_edits import LoopFigure
from wemble.actions.editing.on_air_points import HandOverHeard
from wemble.actions.job_list import JobCard, RemovedDelivery, RemovedJob
from wemble.actions.lanes.mixdown import MixSettings
from wemble.actions.lanes.pieces import PieceCard
from wemble.actions.lanes.talk import TalkPlan
from wemble.actions.overlaps import Overlap
from wemble.actions.removal import Freed
from wemble.actions.searching.hit_search import HitDraft, NamesRead
from wemble.actions.searching.sound_search import Draft
from wemble.actions.show.plans import Pause, Show
from wemble.actions.show.rehearsing import Rehearsal
from wemble.actions.verdicts import ClipVerdicts
from wemble.core.briefs import Brief, BriefRecord
from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edit.changes import Kind, OwnFields
from wemble.core.edit.edges import Hold, Reach
from wemble.core.edit.model import Clip, Cue, Finding, Job, Join, Lane, Mark, Side, SourceUse
from wemble.core.edit.voices import Voice
from wemble.core.show.plan import RunSettings
from wemble.store.rows import TaskRow


class Body(BaseModel):
    """A body; what it does not know is refused."""

    model_config = ConfigDict(extra="forbid")


class NewJob(Body):
    """A job to be made."""

    name: str
    brief: Brief = "voiceover"


class JobMade(Body):
    """The id of what was made."""

    id: str


class JobList(Body):
    """The start page: its jobs, and the briefs that a new one can have."""

    jobs: list[JobCard]
    removed: list[RemovedJob]
    removed_deliveries: list[RemovedDelivery]
    briefs: list[BriefRecord]
    free_bytes: int


class NewName(Body):
    """Another name."""

    name: str


class FreedAnswer(Body):
    """What was deleted for good."""

    freed: Freed


class OpenedJob(Body):
    """A job at its newest revision."""

    id: str
    revision: int
    brief: BriefRecord
    settings: dict[str, Any]
    job: Job
    undo_label: str | None
    redo_label: str | None


class ChangeBody(Body):
    """One entity after an edit, null if it is gone."""

    kind: Kind
    entity_id: str
    after: OwnFields | SourceUse | Lane | Clip | Join | Mark | Finding | Cue | None


class SettingBody(Body):
    """A setting of a view, kept with the job."""

    value: dict[str, Any]


class EditBody(Body):
    """An edit, and the revision that it was made on."""

    base_revision: int
    edit: EditRequest


class ReachBody(Body):
    """The same edge of clips; what their fades keep when it moves."""

    revision: int
    clip_ids: list[str]
    side: Side
    hold: Hold = "length"


class ReachAnswer(Body):
    """How far it can be moved."""

    reach: Reach


class StepBody(Body):
    """Undo or redo, from a revision."""

    base_revision: int


class EditAnswer(Body):
    """What an edit changed."""

    revision: int
    changes: list[ChangeBody]
    notes: list[str]
    undo_label: str | None
    redo_label: str | None


class RevisionBody(Body):
    """The revision that something is asked of."""

    revision: int


class VoicesAnswer(Body):
    """How loud what is said on each lane is; null until the recordings are measured."""

    voices: list[Voice] | None


class PieceList(Body):
    """The pieces that were kept."""

    pieces: list[PieceCard]


class PieceBody(Body):
    """A clip to be kept as a piece, and its name."""

    revision: int
    clip_id: str
    name: str


class TalkBody(Body):
    """The longest gap that would stay, and the part of what longer ones have beyond it."""

    revision: int
    longest_frames: int
    part: float = 0.0


class TalkAnswer(Body):
    """What the acts on a conversation would do."""

    plan: TalkPlan


class MixBody(Body):
    """How to mix down."""

    revision: int
    settings: MixSettings


class DraftBody(Body):
    """What a recipe would find; no targets means all."""

    revision: int
    target_ids: list[str]
    recipe: Recipe
    close_up_s: float | None = None
    exact: bool = False


class DraftAnswer(Body):
    """One draft a target; null until the lanes are listened to, where that is needed."""

    drafts: list[Draft] | None


class ProposalBody(Body):
    """Which settings to propose for these targets."""

    revision: int
    target_ids: list[str]


class ProposalAnswer(Body):
    """The proposed settings, and everything that can be searched."""

    recipe: Recipe
    target_ids: list[str]


class SearchBody(Body):
    """What to search ahead of applying."""

    revision: int
    target_ids: list[str]
    recipe: Recipe
    treatment: Treatment


class SearchAnswer(Body):
    """The task that searches; none where there is nothing long to search."""

    task_id: str | None


class ApplyBody(Body):
    """Find, and carry it out."""

    base_revision: int
    target_ids: list[str]
    recipe: Recipe
    treatment: Treatment


class NamesBody(Body):
    """A pattern for the names of files; none asks for a proposal."""

    revision: int
    pattern: str | None = None


class NamesAnswer(Body):
    """What a pattern makes of the names."""

    names: NamesRead


class HitDraftBody(Body):
    """What a recipe would find in hits; without one, the one that was applied last, or the usual; no targets means all."""

    revision: int
    target_ids: list[str] = []
    recipe: HitRecipe | None = None


class HitDraftAnswer(Body):
    """One entry a hit and microphone, all that can be searched, the recipe, whether it was applied to all that was asked
    about, what the core calls doubtful and late, and the grades by which ends are softened."""

    draft: HitDraft
    target_ids: list[str]
    recipe: HitRecipe
    applied: bool
    doubtful_under: float
    late_from_ms: float
    softenings_ms: list[float]


class ApplyHitsBody(Body):
    """Find hits and cut them; no targets means all."""

    base_revision: int
    target_ids: list[str]
    recipe: HitRecipe


class LoopsBody(Body):
    """Which loops to choose from; ``near`` in source frames."""

    revision: int
    clip_id: str
    near: tuple[int, int] | None = None


class JudgeLoopBody(Body):
    """A loop whose seam is to be judged, in source frames."""

    revision: int
    clip_id: str
    start_frame: int
    end_frame: int
    crossfade_frames: int


class LoopsAnswer(Body):
    """Loops, the best first."""

    loops: list[LoopFigure]


class VerdictList(Body):
    """Every verdict of a job at a revision."""

    revision: int
    clips: list[ClipVerdicts]


class OverlapList(Body):
    """Where others lie over a clip."""

    overlaps: list[Overlap]


class SourceInfo(Body):
    """What the interface needs to draw a source and to tell of it."""

    id: str
    kind: str
    rate_hz: int
    channels: int
    frames: int
    bin_frames: int
    levels: list[int]
    tile_bins: int
    peak: float
    floor_db: float
    floor_confidence: float
    notes: list[str]


class RecipeList(Body):
    """The saved recipes by name."""

    recipes: dict[str, Recipe | HitRecipe]


class RecipeBody(Body):
    """A recipe to be saved, and its name."""

    name: str
    recipe: Recipe | HitRecipe


class NewUpload(Body):
    """A file that will come in parts."""

    name: str
    size_bytes: int


class UploadState(Body):
    """An upload, and where to go on."""

    id: str
    received_bytes: int
    size_bytes: int
    part_bytes: int


class TaskMade(Body):
    """The id of a piece of long work."""

    task_id: str


class TaskList(Body):
    """A job's long work, the newest first."""

    tasks: list[TaskRow]


class SendBody(Body):
    """What to send, of which revision."""

    revision: int
    request: Request


class ReleaseBody(Body):
    """What to send of a release, of which revision."""

    revision: int
    request: ReleaseRequest


class ReleaseAnswer(Body):
    """What tracks there are, and what would be sent."""

    preview: ReleasePreview


class ShowBody(Body):
    """Which revision of a show, and how it is run."""

    revision: int
    settings: RunSettings = RunSettings()


class ShowAnswer(Body):
    """A show's plan, and what will go wrong."""

    show: Show


class RehearsalBody(Body):
    """What is pressed in a rehearsal, of which revision."""

    revision: int
    rehearsal: Rehearsal = Rehearsal()
    settings: RunSettings = RunSettings()


class ShiftBody(Body):
    """Which voice of which cue gets another pitch."""

    revision: int
    cue_id: str
    voice: int
    semitones: float


class PauseBody(Body):
    """A place of a cue, in job frames."""

    revision: int
    cue_id: str
    job_frame: int


class PauseAnswer(Body):
    """The pause at that place."""

    pause: Pause


class HandOverBody(Body):
    """Two items that follow each other on air, and how much is heard before and behind, in seconds."""

    revision: int
    first_clip_id: str
    second_clip_id: str
    around_s: float = 5.0


class HandOverAnswer(Body):
    """How they do."""

    heard: HandOverHeard


class MapAnswer(Body):
    """The map of a kit: every one-shot by key, strength and turn."""

    places: list[Placed]


class PreviewAnswer(Body):
    """What would be sent."""

    preview: Preview


class Done(Body):
    """It is done."""

    done: Literal[True] = True


class Problem(Body):
    """Every error: a code for the interface, a message for the user."""

    code: str
    message: str
    details: dict[str, Any]
