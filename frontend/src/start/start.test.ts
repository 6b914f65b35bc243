import { describe, expect, it } from "vitest";
import type { JobCard } from "../api/types";
import { formatBytes, formatDay } from "../ui/figures";
import { arranged } from "./jobOrder";

const job = (name: string, part: Partial<JobCard>): JobCard => ({ id: name, name, brief: "Voiceover", revision: 1, waits_for: "send", waiting_for: "ready to send", clips: 1, length_s: 1, size_bytes: 1, created_at: 1, opened_at: null, ...part });

describe("the start page", () => {
  const jobs = [job("Take 10", { created_at: 5, size_bytes: 3 }), job("Take 9", { opened_at: 9, length_s: 7 }), job("Kit", { brief: "Drums and samples", waiting_for: "3 hits to look at" })];
  const names = (typed: string, order: Parameters<typeof arranged>[2]) => arranged(jobs, typed, order).map(({ name }) => name);

  it("sorts names with their numbers as numbers, and by what was touched last, size and length", () => {
    expect(names("", "name")).toEqual(["Kit", "Take 9", "Take 10"]);
    expect(names("", "opened")).toEqual(["Take 9", "Take 10", "Kit"]);
    expect(names("", "size")).toEqual(["Take 10", "Take 9", "Kit"]);
    expect(names("", "length")).toEqual(["Take 9", "Take 10", "Kit"]);
  });

  it("finds jobs by words of name, brief and state, in any order", () => {
    expect(names("hits drums", "name")).toEqual(["Kit"]);
    expect(names("take voice", "name")).toEqual(["Take 9", "Take 10"]);
  });

  it("writes sizes and days", () => {
    expect([480_000, 12_300_000, 3_400_000_000].map(formatBytes)).toEqual(["480 kB", "12 MB", "3.4 GB"]);
    const now = new Date(2026, 10, 26, 12);
    const at = (...day: [number, number, number, number, number]) => formatDay(new Date(...day).getTime() / 1000, now);
    expect([at(2026, 10, 26, 9, 5), at(2026, 10, 25, 23, 59), at(2026, 10, 24, 23, 59), at(2025, 11, 31, 8, 0)]).toEqual(["09:05", "yesterday", "24 Nov", "31 Dec 2025"]);
  });
});
