/** The types of the interface, by the names that the server gives them. */
import type { components } from "./schema.gen";

type Schemas = components["schemas"];
export type Job = Omit<Required<Schemas["Job"]>, "clips" | "sources" | "findings"> & {
  clips: Record<string, Clip>;
  sources: Record<string, SourceUse>;
  findings: Record<string, Finding>;
};
export type Clip = Omit<Required<Schemas["Clip"]>, "fade_in" | "fade_out"> & { fade_in: Fade | null; fade_out: Fade | null };
export type Join = Schemas["Join"];
export type Lane = Schemas["Lane"];
export type Finding = Omit<Required<Schemas["Finding"]>, "recipe" | "treatment"> & { recipe: Recipe; treatment: Treatment };
export type SourceUse = Required<Schemas["SourceUse"]>;
export type Fade = Required<Schemas["Fade"]>;
export type Recipe = Required<Schemas["Recipe"]>;
export type Treatment = Required<Schemas["Treatment"]>;
export type OpenedJob = Omit<Schemas["OpenedJob"], "job"> & { job: Job };
export type JobCard = Schemas["JobCard"];
export type Draft = Required<Schemas["Draft"]>;
export type EditBody = Schemas["EditBody"];
export type Edit = EditBody["edit"];
export type EditAnswer = Schemas["EditAnswer"];
export type Change = Schemas["ChangeBody"];
export type SourceInfo = Schemas["SourceInfo"];
export type Task = Schemas["TaskRow"];
export type Verdict = Schemas["Verdict"];
export type ClipVerdicts = Schemas["ClipVerdicts"];
export type SendRequest = Required<Schemas["Request"]>;
export type Preview = Schemas["Preview"];
export type UploadState = Schemas["UploadState"];
export type Problem = Schemas["Problem"];
export type Side = "head" | "tail";
export type Shape = "linear" | "equal_power" | "s" | "logarithmic";
