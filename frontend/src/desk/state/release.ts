/** A release: its tracks and what is wrong with them, heard and sent; and walking from boundary to boundary by ear. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { ReleasePreview, ReleaseRequest } from "../../api/types";
import { boundarySpan, trackSpans } from "../model/tracks";
import { desk, hereFrame, notify, showPlace, useOpen } from "./desk";
import { edit } from "./edits";
import { play } from "./listening";
import { selectClip } from "./selection";
import { useSetting } from "./settings";
import { follow, stop, workStore } from "./work";

export const useHearingTracks = workStore();

const INITIAL: ReleaseRequest = { image: true, files: "none", gaps: "before", first_pause: "left_out", lists: true, kbps: 192, title: "", performer: "", catalog: "", year: "", genre: "", cover: "", capacity_s: 79 * 60 + 57, ceiling_db: -1 };

/** How a release is sent, kept with the job. */
export const useReleaseSettings = (): [ReleaseRequest, (part: Partial<ReleaseRequest>) => void] => {
  const [settings, keep] = useSetting("release", INITIAL);
  return [settings, (part) => keep({ ...settings, ...part })];
};

/** The tracks, the checks and the sentence, as they are at the newest revision. */
export function useRelease(request: ReleaseRequest): { readonly preview: ReleasePreview | undefined; readonly problem: string | null; readonly again: () => void } {
  const id = useOpen((state) => state.id);
  const revision = useOpen((state) => state.revision);
  const query = useQuery({ queryKey: ["release", id, revision, request], queryFn: ({ signal }) => api.release(id, revision, request, signal), retry: false, placeholderData: keepPreviousData });
  return { preview: query.data, problem: query.isError ? query.error.message : null, again: () => void query.refetch() };
}

/** Listen to every track: loudness, true peak, silence at its end, a tail that is cut; `done` asks for what that found. */
export async function hearTracks(done: () => void): Promise<void> {
  if ((await follow(useHearingTracks, api.hearTracks)) !== null) done();
}
export const stopHearingTracks = (): Promise<void> => stop(useHearingTracks);

/** Play across the boundary before a track: the end of the last, the gap, the beginning. */
export function hearBoundary(n: number): void {
  const { job, aroundS } = desk();
  const tracks = trackSpans(job);
  const track = tracks[n];
  if (!track) return notify("There is no track yet: make them of the pieces.");
  if (track.mark.clip_id) selectClip(track.mark.clip_id, "head");
  showPlace(track.start);
  play([boundarySpan(tracks, n, Math.round(aroundS * job.rate_hz))]);
}

/** Play across all boundaries, one after the other, skipping the middles. */
export function hearBoundaries(): void {
  const { job, aroundS } = desk();
  const tracks = trackSpans(job);
  play(tracks.map((_, n) => boundarySpan(tracks, n, Math.round(aroundS * job.rate_hz))));
}

/** To the next boundary from where the cursor stands, or the one before it, and hear it. */
export function goBoundary(direction: 1 | -1): void {
  const tracks = trackSpans(desk().job);
  const here = desk().cursorFrame;
  const n = direction > 0 ? tracks.findIndex((track) => track.start > here) : tracks.findLastIndex((track) => track.start < here);
  hearBoundary(n < 0 ? (direction > 0 ? 0 : tracks.length - 1) : n);
}

export function trackAtCursor(what: "begins" | "ends"): void {
  const frame = hereFrame();
  const { job, clipId } = desk();
  const clip_id = clipId !== null && job.clips[clipId] ? clipId : null;
  void edit(what === "begins" ? { kind: "add_track", frame, name: "", clip_id } : { kind: "end_track", frame, clip_id });
}
