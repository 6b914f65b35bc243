import { Check, PanelLeftClose, PanelLeftOpen, PanelRightClose, PanelRightOpen, X } from "lucide-react";
import { useEffect } from "react";
import { useShallow } from "zustand/react/shallow";
import { useImports } from "../../imports/importFiles";
import { formatPlace } from "../../time/format";
import { Button } from "../../ui/Button";
import { dismiss, useOpen } from "../state/desk";
import { selectedIds } from "../state/selection";
import { useSetting } from "../state/settings";

/** A message that asks for nothing goes by itself; an error stays until it is read. */
const SHOWN_FOR_MS = 10_000;

/** The line over the transport: what the next edit acts on, what was just said, what is still being imported. It covers nothing. */
export function MessageLine() {
  const notice = useOpen((desk) => desk.notice);
  useEffect(() => {
    if (notice?.tone !== "told" || notice.offers) return;
    const later = setTimeout(dismiss, SHOWN_FOR_MS);
    return () => clearTimeout(later);
  }, [notice]);
  return (
    <div className="flex h-7 shrink-0 items-center gap-3 overflow-hidden border-t border-rule px-4 whitespace-nowrap">
      <Fold what="list" name="the clip list" />
      <ActsOn />
      {notice && (
        <div role={notice.tone === "wrong" ? "alert" : "status"} className="flex min-w-0 flex-1 items-center gap-2">
          {notice.tone === "told" && <Check size={13} aria-hidden className="shrink-0 text-fine" />}
          <span className={`min-w-0 truncate ${notice.tone === "wrong" ? "font-semibold text-fail" : ""}`} title={notice.text}>
            {notice.text}
          </span>
          {notice.offers?.map(({ name, run }, n) => (
            <Button key={name} className="py-0!" tone={n + 1 === notice.offers?.length ? "strong" : "plain"} onClick={() => void run()}>
              {name}
            </Button>
          ))}
          <button type="button" aria-label="dismiss" className="shrink-0 rounded-(--radius) p-0.5 hover:bg-shade" onClick={dismiss}>
            <X size={13} />
          </button>
        </div>
      )}
      <span className="ml-auto" />
      <Importing />
      <Fold what="card" name="the card" />
    </div>
  );
}

export const UNFOLDED = { list: false, card: false };

/** Hides a side panel, and shows it again. */
function Fold({ what, name }: { readonly what: keyof typeof UNFOLDED; readonly name: string }) {
  const [folds, setFolds] = useSetting("folds", UNFOLDED);
  const Icon = { list: folds.list ? PanelLeftOpen : PanelLeftClose, card: folds.card ? PanelRightOpen : PanelRightClose }[what];
  const label = `${folds[what] ? "show" : "hide"} ${name}`;
  return (
    <button type="button" aria-label={label} title={label} aria-pressed={!folds[what]} className="shrink-0 rounded-(--radius) p-0.5 text-soft hover:text-ink" onClick={() => setFolds({ ...folds, [what]: !folds[what] })}>
      <Icon size={15} aria-hidden />
    </button>
  );
}

/** What the next edit acts on: a selected span, else the selected clips. */
function ActsOn() {
  const job = useOpen((desk) => desk.job);
  const selection = useOpen((desk) => desk.selection);
  const style = useOpen((desk) => desk.timeStyle);
  const ids = useOpen(useShallow(selectedIds));
  const text = () => {
    if (selection) {
      const [start, end] = [formatPlace(job, selection.start, style), formatPlace(job, selection.end, style)];
      const lanes = selection.laneId === null ? "all lanes" : (job.lanes[selection.laneId]?.name ?? "");
      return `selected ${((selection.end - selection.start) / (job.rate_hz || 48_000)).toFixed(3)} s, ${start} to ${end}, on ${lanes}`;
    }
    const [only] = ids;
    if (ids.length === 0) return "nothing selected";
    return ids.length === 1 && only ? `selected: ${job.clips[only]?.name ?? ""}` : `${ids.length} clips selected`;
  };
  return (
    <span className="max-w-[45%] truncate text-soft" aria-live="polite">
      {text()}
    </span>
  );
}

function Importing() {
  const id = useOpen((desk) => desk.id);
  const [open, all] = useImports(useShallow((state) => (state.jobId === id ? [state.list.filter((file) => file.state !== "done" && file.state !== "failed").length, state.list.length] : [0, 0])));
  if (open === 0) return null;
  return (
    <span className="flex items-center gap-2 text-soft">
      importing, {open} of {all} to go <progress aria-label="progress of importing" value={all - open} max={all} className="h-1.5 w-24 accent-(--wave)" />
    </span>
  );
}
