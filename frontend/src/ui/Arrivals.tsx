import { Check, TriangleAlert } from "lucide-react";
import { memo, useEffect } from "react";
import { api } from "../api/client";
import { Button } from "./Button";
import { clearArrivals, useArrivals, type Arrival } from "./bringIn";

/** When everything came in and there is nothing to say of it, the list goes by itself. */
const GONE_AFTER_MS = 4_000;

/** Of more files than this only those have a row that are under way, failed, or have something to say. */
const ALL_ROWS_UP_TO = 12;
const isWorthARow = (arrival: Arrival): boolean => arrival.state === "uploading" || arrival.state === "importing" || arrival.state === "failed" || arrival.notes.length > 0;

/** What is coming in: a row a file, with progress, or the reason that it did not. */
export function Arrivals({ jobId }: { readonly jobId?: string }) {
  const { list, jobId: of } = useArrivals();
  const quiet = list.length > 0 && list.every((arrival) => arrival.state === "done" && arrival.notes.length === 0);
  useEffect(() => {
    if (!quiet) return;
    const later = setTimeout(clearArrivals, GONE_AFTER_MS);
    return () => clearTimeout(later);
  }, [quiet]);
  if (list.length === 0 || (jobId !== undefined && jobId !== of)) return null;
  const open = list.filter((arrival) => arrival.state !== "done" && arrival.state !== "failed").length;
  const rows = list.length > ALL_ROWS_UP_TO ? list.filter(isWorthARow) : list;
  const failed = list.filter((arrival) => arrival.state === "failed").length;
  return (
    <section aria-label="files coming in" className="rounded-(--radius) border border-rule bg-sheet">
      <header className="flex items-center justify-between border-b border-rule px-3 py-1.5">
        <span aria-live="polite">
          {open > 0 ? `${open} of ${list.length} still coming in` : `${list.length - failed} brought in`}
          {failed > 0 && <span className="text-fail">, {failed} failed</span>}
        </span>
        {open === 0 && (
          <Button tone="quiet" onClick={clearArrivals}>
            clear
          </Button>
        )}
      </header>
      <ul className="max-h-56 overflow-auto">
        {rows.map((arrival) => (
          <Row key={arrival.key} arrival={arrival} />
        ))}
      </ul>
    </section>
  );
}

const Row = memo(function Row({ arrival }: { readonly arrival: Arrival }) {
  const under = arrival.state === "failed" ? arrival.doing : arrival.notes.join("; ");
  return (
    <li className="border-b border-rule px-3 py-1.5 last:border-b-0">
      <div className="flex items-center gap-2">
        <bdi className="min-w-0 flex-1 truncate" title={arrival.name}>
          {arrival.name}
        </bdi>
        {arrival.state === "done" && (
          <span className="flex items-center gap-1 text-fine">
            <Check size={14} aria-hidden /> in
          </span>
        )}
        {arrival.state === "failed" && (
          <span className="flex items-center gap-1 text-fail">
            <TriangleAlert size={14} aria-hidden /> failed
          </span>
        )}
        {(arrival.state === "uploading" || arrival.state === "importing") && (
          <>
            <span className="text-soft">{arrival.doing || arrival.state}</span>
            <progress aria-label={`progress of ${arrival.name}`} value={arrival.progress} className="h-1.5 w-24 accent-(--wave)" />
            {arrival.taskId && (
              <Button tone="quiet" onClick={() => void api.cancelTask(arrival.taskId ?? "").catch(() => undefined)}>
                stop
              </Button>
            )}
          </>
        )}
        {arrival.state === "waiting" && <span className="text-soft">waiting</span>}
      </div>
      {under && <p className={`text-xs ${arrival.state === "failed" ? "text-fail" : "text-soft"}`}>{under}</p>}
    </li>
  );
});
