/** On-air points of the clip in hand: set at the cursor, played from, and two items heard as they follow each other. */
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { AirPoint, Clip, HandOverHeard, Job, Mark } from "../../api/types";
import { clipsInOrder, endOf, markFrame, startOf } from "../model/placement";
import { currentClip, desk, hereFrame, notify, useOpen } from "./desk";
import { edit } from "./edits";
import { play, playHandOver } from "./listening";

export const POINTS: readonly (readonly [AirPoint, string])[] = [
  ["begins", "begins"],
  ["singing", "singing begins"],
  ["hook", "hook"],
  ["overlap", "next may overlap"],
  ["next", "next starts"],
  ["ends", "ends"],
];

export const pointsOf = (job: Job, clipId: string): ReadonlyMap<AirPoint, Mark> =>
  new Map(Object.values(job.marks).flatMap((mark) => (mark.clip_id === clipId && mark.point !== "" ? [[mark.point, mark] as const] : [])));

/** The end of a hook in job frames. */
export const endFrameOf = (job: Job, mark: Mark): number => markFrame(job, { ...mark, frame: mark.end_frame ?? mark.frame });

export function setAirPoint(point: AirPoint, frame = hereFrame(), end_frame: number | null = null): void {
  const clip = currentClip(desk());
  if (!clip) return notify("Select the song first.");
  void edit({ kind: "set_air_point", clip_id: clip.id, point, frame, end_frame });
}

/** Play from a point: a hook to its end, others to the end of the clip. */
export function playFromPoint(point: AirPoint): void {
  const { job } = desk();
  const clip = currentClip(desk());
  const mark = clip && pointsOf(job, clip.id).get(point);
  if (!clip || !mark) return notify("This point is not set yet.");
  play([{ start: markFrame(job, mark), end: point === "hook" ? endFrameOf(job, mark) : endOf(job, clip) }]);
}

/** What follows a clip, unless something else is chosen: the next in time. */
export function followerOf(job: Job, clip: Clip): Clip | undefined {
  const others = clipsInOrder(job).filter((one) => one.id !== clip.id);
  return others.find((one) => startOf(job, one) > startOf(job, clip)) ?? others[0];
}

/** How two items follow each other, in figures; none while there is no second. */
export function useHandOver(first: string, second: string | undefined): { readonly heard: HandOverHeard | undefined; readonly problem: string | null } {
  const id = useOpen((state) => state.id);
  const revision = useOpen((state) => state.revision);
  const aroundS = useOpen((state) => state.aroundS);
  const query = useQuery({
    queryKey: ["hand over", id, revision, first, second, aroundS],
    queryFn: () => api.handOver(id, { revision, first_clip_id: first, second_clip_id: second ?? "", around_s: Math.max(aroundS, 3) }),
    enabled: second !== undefined,
    retry: false,
  });
  return { heard: query.data, problem: query.isError ? query.error.message : null };
}

export const hearHandOver = (heard: HandOverHeard, first: string, second: string): void => playHandOver({ start: heard.from_frame, end: heard.end_frame }, first, second);
