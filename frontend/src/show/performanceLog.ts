/** The log of a performance as CSV: when, how long after it began, and what. */
import type { ShowPlan } from "../api/types";
import type { LogEntry } from "./run";

export function logAsCsv(plan: ShowPlan, log: readonly LogEntry[], began: number | null): string {
  const firstGo = log.find(({ what }) => what === "GO")?.frame ?? 0;
  const rows = log.map(({ frame, what, cue, event }) => {
    const planned = plan.cues[cue ?? -1];
    const seconds = (frame - firstGo) / plan.rate_hz;
    const at = began === null ? "" : new Date(began + 1000 * seconds).toISOString();
    return [at, seconds.toFixed(3), what, planned?.number ?? "", planned?.name ?? "", planned?.events[event ?? -1]?.name ?? ""].map(cell).join(",");
  });
  return ["time,seconds,what,number,cue,event", ...rows, ""].join("\n");
}

/** Give the log of a performance as a file. */
export function saveLog(name: string, plan: ShowPlan, log: readonly LogEntry[], began: number | null): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([logAsCsv(plan, log, began)], { type: "text/csv" }));
  link.download = `${name} log.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** A cell that no spreadsheet takes for a formula. */
const cell = (text: string): string => {
  const plain = /^[=+@\t\r]|^-(?!\d)/.test(text) ? `'${text}` : text;
  return /[",\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
};
