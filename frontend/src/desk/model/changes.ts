/** What an edit answers, carried out on the job that the desk holds. */
import type { Change, Job } from "../../api/types";

/** The job with every change's `after` in place. */
export function applied(job: Job, changes: readonly Change[]): Job {
  const next = { ...job } as Record<string, unknown>;
  for (const { kind, entity_id, after } of changes) {
    if (kind === "job") {
      Object.assign(next, after);
      continue;
    }
    if (next[kind] === job[kind]) next[kind] = { ...job[kind] };
    const collection = next[kind] as Record<string, unknown>;
    if (after === null) Reflect.deleteProperty(collection, entity_id);
    else collection[entity_id] = after;
  }
  return next as unknown as Job;
}
