/** The verdicts of every edge, fetched anew after every edit. */
import { api } from "../../api/client";
import { desk, set } from "./desk";

let request: AbortController | null = null;

export function abortChecks(): void {
  request?.abort();
}

export async function refreshVerdicts(): Promise<void> {
  request?.abort();
  const mine = new AbortController();
  request = mine;
  try {
    const answer = await api.verdicts(desk().id, desk().revision, mine.signal);
    if (request === mine) set({ verdicts: new Map(answer.clips.map((row) => [row.clip_id, row])), verdictsAt: answer.revision });
  } catch {
    // The next edit asks again; until then the list keeps what it knew.
  }
}
