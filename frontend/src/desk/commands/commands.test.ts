/** What every command asks for, held still: whoever changes one on purpose looks at it, then runs `npx vitest run -u`. */
import { expect, test, vi } from "vitest";
import * as clipEdits from "../state/clipEdits";
import { type Desk, useDesk } from "../state/desk";
import * as edits from "../state/edits";
import * as lanes from "../state/lanes";
import * as listening from "../state/listening";
import * as onAir from "../state/onAir";
import * as release from "../state/release";
import * as selection from "../state/selection";
import * as show from "../state/show";
import * as together from "../state/together";
import { COMMANDS, onCommand } from "./commands";

vi.mock(import("../state/clipEdits"));
vi.mock(import("../state/edits"));
vi.mock(import("../state/lanes"));
vi.mock(import("../state/listening"));
vi.mock(import("../state/release"));
vi.mock(import("../state/selection"));
vi.mock(import("../state/show"));
vi.mock(import("../state/together"));
vi.mock(import("../state/onAir"), async (original) => ({ ...(await original()), setAirPoint: vi.fn(), playFromPoint: vi.fn() }));

const MODULES = Object.entries({ clipEdits, edits, lanes, listening, onAir, release, selection, show, together });

test("no key has two commands", () => {
  const keys = COMMANDS.flatMap((one) => one.keys);
  expect(keys.filter((key, n) => keys.indexOf(key) !== n)).toEqual([]);
});

test("every command asks for what it did, or changes what is looked at", () => {
  const [told, idle]: [string[], string[]] = [[], []];
  const job = { clips: {}, lanes: {}, marks: {}, cues: {}, sources: {}, rate_hz: 48_000 };
  useDesk.setState({ id: "j", job, clipId: null, selection: { start: 1, end: 2, laneId: null }, levelZoom: 4, autoLevelZoom: 1, hearing: "result", cursorFrame: 7, playing: false } as unknown as Desk);
  for (const { name } of COMMANDS) onCommand(name, () => told.push("told to the view"));
  const asked = COMMANDS.map((command) => {
    vi.clearAllMocks();
    told.length = 0;
    const before = { ...useDesk.getState() } as Record<string, unknown>;
    command.run();
    const after = useDesk.getState() as unknown as Record<string, unknown>;
    const changed = Object.keys(after).filter((key) => after[key] !== before[key]).map((key) => `${key} = ${JSON.stringify(after[key])}`);
    const calls = MODULES.flatMap(([, one]) => Object.entries(one).flatMap(([act, called]) => (vi.isMockFunction(called) ? called.mock.calls.map((args) => `${act}(${args.map((arg) => JSON.stringify(arg)).join(", ")})`) : [])));
    if (calls.length + changed.length + told.length === 0) idle.push(command.name);
    return `${command.group}, ${command.name}, ${command.keys.join(" ")}: ${[...calls, ...changed, ...told].join("; ")}`;
  });
  expect(idle).toEqual([]);
  expect(asked).toMatchSnapshot();
});
