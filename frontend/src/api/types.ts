/** The types of the interface, by the names that the server gives them. */
import type { components } from "./schema.gen";

type Schemas = components["schemas"];
export type Job = Omit<Required<Schemas["Job"]>, "clips" | "sources" | "findings" | "lanes" | "joins" | "marks" | "grid"> & {
  lanes: Record<string, Lane>;
  joins: Record<string, Join>;
  marks: Record<string, Mark>;
  grid: Grid | null;
  clips: Record<string, Clip>;
  sources: Record<string, SourceUse>;
  findings: Record<string, Finding>;
};
export type Clip = Omit<Required<Schemas["Clip"]>, "fade_in" | "fade_out"> & { fade_in: Fade | null; fade_out: Fade | null };
export type Join = Required<Schemas["Join"]>;
export type Lane = Required<Schemas["Lane"]>;
export type Mark = Required<Schemas["Mark"]>;
export type Grid = Required<Schemas["Grid"]>;
export type Law = Join["law"];
export type Brief = NonNullable<Schemas["NewJob"]["brief"]>;
export type BriefRecord = Schemas["BriefRecord"];
export type Finding = Omit<Required<Schemas["Finding"]>, "recipe" | "treatment"> & { recipe: Recipe | HitRecipe; treatment: Treatment };
export type SourceUse = Required<Schemas["SourceUse"]>;
export type Fade = Required<Schemas["Fade"]>;
export type Recipe = Required<Schemas["Recipe"]>;
export type HitRecipe = Required<Schemas["HitRecipe"]>;
export type HitDraft = Schemas["HitDraft"];
export type HitDraftAnswer = Omit<Schemas["HitDraftAnswer"], "recipe"> & { recipe: HitRecipe };
export type NamesRead = Schemas["NamesRead"];
export type LoopFigure = Schemas["LoopFigure"];
export type Treatment = Required<Schemas["Treatment"]>;
export type OpenedJob = Omit<Schemas["OpenedJob"], "job"> & { job: Job };
export type JobCard = Schemas["JobCard"];
export type RemovedJob = Schemas["RemovedJob"];
export type StartPage = Schemas["JobList"];
export type Freed = Schemas["Freed"];
export type Draft = Required<Schemas["Draft"]>;
export type EditBody = Schemas["EditBody"];
type LaneEdit = Extract<EditBody["edit"], { kind: "set_lane" }>;
export type Edit = Exclude<EditBody["edit"], LaneEdit> | (Omit<LaneEdit, "settings"> & { settings: Partial<LaneEdit["settings"]> });
export type Reach = Schemas["Reach"];
export type EditAnswer = Schemas["EditAnswer"];
export type Change = Schemas["ChangeBody"];
export type SourceInfo = Schemas["SourceInfo"];
export type Overlap = Schemas["Overlap"];
export type Task = Schemas["TaskRow"];
export type Verdict = Schemas["Verdict"];
export type ClipVerdicts = Schemas["ClipVerdicts"];
export type SendRequest = Required<Schemas["Request"]>;
export type Tags = Required<Schemas["Tags"]>;
export type PieceCard = Schemas["PieceCard"];
export type Placed = Schemas["Placed"];
export type Preview = Schemas["Preview"];
export type UploadState = Schemas["UploadState"];
export type Voice = Schemas["Voice"];
export type TalkPlan = Schemas["TalkPlan"];
export type MixSettings = Required<Schemas["MixSettings"]>;
export type LimiterSettings = Required<Schemas["LimiterSettings"]>;
/** What the task of a mixdown answers. */
export interface Mixed {
  readonly integrated_lufs: number | null;
  readonly true_peak_db: number;
  readonly limited_db: number;
  readonly limited_s: number;
  readonly steps_db: readonly number[];
}
export type Problem = Schemas["Problem"];
export type Side = "head" | "tail";
export type Shape = "linear" | "equal_power" | "s" | "logarithmic";
