/** The log of a performance as CSV: when by the clock of the wall, how long after the first GO by that of the audio, and what. */
import type { ShowPlan } from "../api/types";
import type { LogEntry } from "./run";

/** What happened, with the clock of the wall beside that of the audio: after a reload the two are apart. */
export interface Logged extends LogEntry {
  readonly wall: number;
}

/** The frame of the first GO, from which screen, log and events count. */
export const firstGo = (log: readonly LogEntry[]): number => log.find(({ what }) => what === "GO")?.frame ?? 0;

export function logAsCsv(plan: ShowPlan, log: readonly Logged[]): string {
  const from = firstGo(log);
  const rows = log.map(({ frame, what, cue, event, wall }) => {
    const planned = plan.cues[cue ?? -1];
    const seconds = (frame - from) / plan.rate_hz;
    const at = new Date(wall).toISOString();
    return [at, seconds.toFixed(3), what, planned?.number ?? "", planned?.name ?? "", planned?.events[event ?? -1]?.name ?? ""].map(cell).join(",");
  });
  return ["time,seconds,what,number,cue,event", ...rows, ""].join("\n");
}

/** Give the log of a performance as a file. */
export function saveLog(name: string, plan: ShowPlan, log: readonly Logged[]): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([logAsCsv(plan, log)], { type: "text/csv" }));
  link.download = `${name} log.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** A cell that no spreadsheet takes for a formula. */
const cell = (text: string): string => {
  // Spreadsheets look past blanks and marks that take no room, and take full-width signs for the signs.
  const plain = /^[\t\r]|^[\s\0\u200b\ufeff]*([=+@]|-(?!\d))/.test(text.normalize("NFKC")) ? `'${text}` : text;
  return /[",\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
};
