import { Moon, Redo2, Search, Sun, Undo2 } from "lucide-react";
import { Link } from "wouter";
import { Button } from "../../ui/Button";
import { EditableName } from "../../ui/EditableName";
import { applyTheme, currentTheme } from "../../ui/theme";
import { Help } from "./Help";
import { Palette } from "./CommandSearch";
import { COMMANDS } from "../commands/commands";
import { goTo, type Step, useOpen } from "../state/desk";
import { edit, undoOrRedo } from "../state/edits";

const STEPS: readonly (readonly [Step, string, string])[] = [["find", "1", "Find"], ["shape", "2", "Shape"], ["mark", "3", "Mark"], ["send", "4", "Send"]];

export function TopBar({ onTheme }: { readonly onTheme: () => void }) {
  const job = useOpen((desk) => desk.job);
  const step = useOpen((desk) => desk.step);
  const brief = useOpen((desk) => desk.brief);
  const saving = useOpen((desk) => desk.saving > 0);
  const unsaved = useOpen((desk) => desk.unsaved);
  const undoLabel = useOpen((desk) => desk.undoLabel);
  const redoLabel = useOpen((desk) => desk.redoLabel);
  const theme = currentTheme();
  return (
    <header className="flex h-12 items-center border-b border-rule px-4">
      <div className="flex min-w-0 flex-1 items-center gap-3">
        <Link href="/" className="text-base font-bold" title="all jobs">
          Wemble
        </Link>
        <span aria-hidden className="h-5 w-px bg-rule" />
        <h1 className="flex min-w-0">
          <EditableName name={job.name} of="job" className="max-w-60 text-base" onRename={(name) => void edit({ kind: "rename_job", name })} />
        </h1>
        <span className="truncate text-soft">{brief.title.toLowerCase()}</span>
      </div>
      <nav aria-label="steps" className="flex gap-1">
        {STEPS.map(([name, number, label]) => (
          <button
            key={name}
            type="button"
            aria-current={step === name ? "step" : undefined}
            className={`border-b-2 px-3 py-2 ${step === name ? "border-ink font-bold" : "border-transparent text-soft hover:text-ink"}`}
            onClick={() => goTo(name)}
          >
            <span className="num mr-1.5 text-soft">{number}</span>
            {label}
          </button>
        ))}
      </nav>
      <div className="flex flex-1 items-center justify-end gap-1 text-soft">
        <span className={`mr-2 whitespace-nowrap ${unsaved && !saving ? "font-semibold text-fail" : ""}`} title={unsaved ? "the last edit did not reach the server: make it again" : "every edit is saved the moment it is made"}>
          {saving ? "saving …" : unsaved ? "not saved" : "saved"}
        </span>
        <Button tone="quiet" disabled={undoLabel === null} title={undoLabel ? `undo: ${undoLabel}` : "nothing to undo"} onClick={() => void undoOrRedo("undo")}>
          <Undo2 size={14} aria-hidden /> undo
        </Button>
        <Button tone="quiet" disabled={redoLabel === null} title={redoLabel ? `redo: ${redoLabel}` : "nothing to redo"} onClick={() => void undoOrRedo("redo")}>
          <Redo2 size={14} aria-hidden /> redo
        </Button>
        <Button
          tone="quiet"
          aria-label={theme === "paper" ? "booth theme" : "paper theme"}
          title={theme === "paper" ? "booth theme" : "paper theme"}
          onClick={() => {
            applyTheme(theme === "paper" ? "booth" : "paper");
            onTheme();
          }}
        >
          {theme === "paper" ? <Moon size={14} aria-hidden /> : <Sun size={14} aria-hidden />}
        </Button>
        <Button tone="quiet" title="search commands: /" onClick={() => COMMANDS.find((command) => command.name === "search commands")?.run()}>
          <Search size={14} aria-hidden /> commands
        </Button>
        <Help />
        <Palette />
      </div>
    </header>
  );
}
