/** Sizes and days as they are written everywhere. */

/** A size on disk: 480 kB, 12 MB, 3.4 GB. */
export function formatBytes(bytes: number): string {
  if (bytes < 1e6) return `${Math.round(bytes / 1e3)} kB`;
  if (bytes < 1e9) return `${Math.round(bytes / 1e6)} MB`;
  return `${(bytes / 1e9).toFixed(1)} GB`;
}

/** When something was: the time of day today, "yesterday", else the date. */
export function formatDay(seconds: number, now: Date = new Date()): string {
  const then = new Date(seconds * 1000);
  const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
  if (then.getTime() >= midnight) return then.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  if (then.getTime() >= midnight - 86_400_000) return "yesterday";
  const sameYear = then.getFullYear() === now.getFullYear();
  return then.toLocaleDateString("en-GB", { day: "numeric", month: "short", ...(sameYear ? {} : { year: "numeric" }) });
}

/** A number and what is counted: 1 file, 2 files. */
export const counted = (count: number, one: string, many = `${one}s`): string => `${count.toLocaleString("en")} ${count === 1 ? one : many}`;
