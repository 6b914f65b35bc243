import { Check, TriangleAlert } from "lucide-react";
import { memo, useEffect } from "react";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { clearImports, stopImports, useImports, type FileImport } from "./importFiles";

/** When everything came in and there is nothing to say of it, the list goes by itself. */
const GONE_AFTER_MS = 4_000;

/** Of more files than this only those have a row that are under way, failed, or have something to say. */
const ALL_ROWS_UP_TO = 12;
const isWorthARow = (file: FileImport): boolean => file.state === "uploading" || file.state === "importing" || file.state === "failed" || file.notes.length > 0;

/** What is coming in: a row a file, with progress, or the reason that it did not. */
export function ImportList({ jobId }: { readonly jobId?: string }) {
  const { list, jobId: of } = useImports();
  const quiet = list.length > 0 && list.every((file) => file.state === "done" && file.notes.length === 0);
  useEffect(() => {
    if (!quiet) return;
    const later = setTimeout(clearImports, GONE_AFTER_MS);
    return () => clearTimeout(later);
  }, [quiet]);
  if (list.length === 0 || (jobId !== undefined && jobId !== of)) return null;
  const open = list.filter((file) => file.state !== "done" && file.state !== "failed").length;
  const rows = list.length > ALL_ROWS_UP_TO ? list.filter(isWorthARow) : list;
  const failed = list.filter((file) => file.state === "failed").length;
  return (
    <section aria-label="files being imported" className="rounded-(--radius) border border-rule bg-sheet">
      <header className="flex items-center justify-between border-b border-rule px-3 py-1.5">
        <span aria-live="polite">
          {open > 0 ? `${open} of ${list.length} still to import` : `${list.length - failed} imported`}
          {failed > 0 && <span className="text-fail">, {failed} not imported</span>}
        </span>
        {open === 0 ? (
          <Button tone="quiet" onClick={clearImports}>
            clear
          </Button>
        ) : (
          list.length > 1 && (
            <Button tone="quiet" title="what is in stays" onClick={stopImports}>
              stop all
            </Button>
          )
        )}
      </header>
      <ul className="max-h-56 overflow-auto">
        {rows.map((file) => (
          <Row key={file.key} file={file} />
        ))}
      </ul>
    </section>
  );
}

const Row = memo(function Row({ file }: { readonly file: FileImport }) {
  const under = file.state === "failed" ? file.doing : file.notes.join("; ");
  return (
    <li className="border-b border-rule px-3 py-1.5 last:border-b-0">
      <div className="flex items-center gap-2">
        <bdi className="min-w-0 flex-1 truncate" title={file.name}>
          {file.name}
        </bdi>
        {file.state === "done" && (
          <span className="flex items-center gap-1 text-fine">
            <Check size={14} aria-hidden /> in
          </span>
        )}
        {file.state === "failed" && (
          <span className="flex items-center gap-1 text-fail">
            <TriangleAlert size={14} aria-hidden /> not in
          </span>
        )}
        {(file.state === "uploading" || file.state === "importing") && (
          <>
            <span className="text-soft">{file.doing || file.state}</span>
            <progress aria-label={`progress of ${file.name}`} value={file.progress} className="h-1.5 w-24 accent-(--wave)" />
            {file.taskId && (
              <Button tone="quiet" onClick={() => void api.cancelTask(file.taskId ?? "").catch(() => undefined)}>
                stop
              </Button>
            )}
          </>
        )}
        {file.state === "waiting" && <span className="text-soft">waiting</span>}
      </div>
      {under && <p className={`text-xs ${file.state === "failed" ? "text-fail" : "text-soft"}`}>{under}</p>}
    </li>
  );
});
