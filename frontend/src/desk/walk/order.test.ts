import { describe, expect, it } from "vitest";
import { edgesToWalk, nextUndecided } from "./order";

describe("the walk", () => {
  const verdict = (side: "head" | "tail", state: "fine" | "look" | "fail") => ({ side, state, check: "click" as const, figure: 1, text: "" });
  const rows = [
    { clip_id: "a", verdicts: [verdict("head", "fine"), verdict("tail", "look")], head_decision: null, tail_decision: null },
    { clip_id: "b", verdicts: [verdict("head", "fail"), verdict("tail", "fine")], head_decision: "accepted" as const, tail_decision: null },
    { clip_id: "c", verdicts: [], head_decision: null, tail_decision: null },
  ];
  it("goes through edges in time or the gravest first, and skips what was said", () => {
    const inTime = edgesToWalk(rows, "time");
    expect(inTime.map((edge) => edge.clipId + edge.side)).toEqual(["ahead", "atail", "bhead", "btail"]);
    expect(edgesToWalk(rows, "doubtful").map((edge) => edge.clipId + edge.side)).toEqual(["bhead", "atail", "ahead", "btail"]);
    expect(edgesToWalk(rows, "time", "doubtful").map((edge) => edge.clipId + edge.side)).toEqual(["atail", "bhead"]);
    expect(edgesToWalk(rows, "time", "undecided").map((edge) => edge.clipId + edge.side)).toEqual(["ahead", "atail", "btail"]);
    expect(edgesToWalk(rows, "time", "selected", new Set(["b"])).map((edge) => edge.clipId + edge.side)).toEqual(["bhead", "btail"]);
    expect(nextUndecided(inTime, "a", "tail")).toMatchObject({ clipId: "b", side: "tail" });
    expect(nextUndecided(inTime, "b", "tail")).toMatchObject({ clipId: "a", side: "head" });
    expect(nextUndecided(inTime.map((edge) => ({ ...edge, decision: "accepted" as const })), "a", "head")).toBeNull();
  });
});
