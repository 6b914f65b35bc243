/** Which jobs are shown, and in which order. */
import type { JobCard } from "../api/types";

export type JobOrder = "opened" | "name" | "size" | "length";

/** The jobs whose name, brief or state has every word that was typed, in an order. */
export function arranged(jobs: readonly JobCard[], typed: string, order: JobOrder): JobCard[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = jobs.filter((job) => words.every((word) => `${job.name} ${job.brief} ${job.waiting_for}`.toLowerCase().includes(word)));
  const by: Record<JobOrder, (a: JobCard, b: JobCard) => number> = {
    opened: (a, b) => lastTouched(b) - lastTouched(a),
    name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }),
    size: (a, b) => b.size_bytes - a.size_bytes,
    length: (a, b) => b.length_s - a.length_s,
  };
  return found.sort(by[order]);
}

export const lastTouched = (job: Pick<JobCard, "created_at" | "opened_at">): number => Math.max(job.created_at, job.opened_at ?? 0);
