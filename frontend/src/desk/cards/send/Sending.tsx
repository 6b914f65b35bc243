import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { api } from "../../../api/client";
import { isOpen } from "../../../api/tasks";
import type { Task } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { counted } from "../../../ui/figures";
import { dismiss, fail, notify, set, useOpen } from "../../state/desk";
import { HeardAgain, type Heard } from "./Trial";

/** Sending, how far it is, and what was sent last; and the whole job as one file. */
export function Sending({ ready, start, words = "Send" }: { readonly ready: boolean; readonly start: (id: string, revision: number) => Promise<string>; readonly words?: string }) {
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const queries = useQueryClient();
  const tasks = useQuery({
    queryKey: ["tasks", id],
    queryFn: () => api.tasks(id),
    refetchInterval: (query) => ((query.state.data ?? []).some(isOpen) ? 250 : false),
  });
  const last = (tasks.data ?? []).find((task) => task.kind === "export");
  const running = last !== undefined && isOpen(last);
  const again = () => queries.invalidateQueries({ queryKey: ["tasks", id] });
  const go = async (ask: () => Promise<string>) => {
    try {
      await ask();
      await again();
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div className="space-y-2 px-4 pt-2 pb-4">
      {last && <Sent task={last} revision={revision} onChange={() => void again()} />}
      <Button tone="strong" className="w-full py-1.5" disabled={!ready || running} onClick={() => void go(() => start(id, revision))}>
        {words}
      </Button>
      <Button tone="quiet" className="w-full" disabled={running} title="the job and its recordings in one zip; drop it on a start page to open it elsewhere" onClick={() => void go(() => api.save(id, revision))}>
        save the whole job as one file
      </Button>
    </div>
  );
}

/** Into the bin, from where the message, or the start page, brings it back. */
async function binSent(taskId: string, files: number, onChange: () => void): Promise<void> {
  const restore = async () => {
    await api.restoreDelivery(taskId).catch(fail);
    dismiss();
    onChange();
  };
  try {
    await api.removeDelivery(taskId);
    set({ notice: { tone: "told", text: `${counted(files, "exported file")} moved to the bin on the start page`, offers: [{ name: "restore", run: restore }] } });
  } catch (error) {
    fail(error);
  }
  onChange();
}

function Sent({ task, revision, onChange }: { readonly task: Task; readonly revision: number; readonly onChange: () => void }) {
  const files = (task.result?.["files"] as string[] | undefined) ?? [];
  if (isOpen(task)) {
    return (
      <div aria-live="polite" className="space-y-1">
        <p className="truncate text-soft">{task.doing || "waiting"}</p>
        <div className="flex items-center gap-2">
          <progress aria-label="progress of sending" value={task.progress} className="h-2 flex-1 accent-(--wave)" />
          <Button tone="quiet" onClick={() => void api.cancelTask(task.id).then(onChange, onChange)}>
            stop
          </Button>
        </div>
      </div>
    );
  }
  if (task.state === "done") {
    const limitedDb = Number(task.result?.["limited_db"] ?? 0);
    const heard = task.result?.["heard"] as Heard | null | undefined;
    const remains = (task.result?.["remains"] as string[] | undefined) ?? [];
    const over = Number(task.result?.["over"] ?? 0);
    return (
      <div className="space-y-1">
        {task.result?.["saved"] ? (
          <p>{task.title}.</p>
        ) : (
          <p>
            {task.request["rehearsal"] ? "" : "Sent: "}{task.title}. Peak <span className="num">{Number(task.result?.["peak_db"]).toFixed(1).replace("-", "−")} dB</span>
            {task.request["revision"] === revision ? "" : ", before the job was changed"}
            {over > 0 && <span className="text-fail">, {over} samples over full scale</span>}.
            {limitedDb < 0 && <> The limiter went down by <span className="num">{(-limitedDb).toFixed(1)} dB</span> at the most.</>}
            {heard && <HeardAgain heard={heard} />}
            {remains.map((text) => (
              <span key={text} className="block text-warn first-letter:uppercase">{text}.</span>
            ))}
          </p>
        )}
        <p className="truncate text-xs text-soft" title={String(task.result?.["folder"])}>
          {String(task.result?.["folder"])}
        </p>
        <div className="flex items-center justify-between gap-2">
          <a href={api.sentFileUrl(task.id)} download className="inline-flex min-w-0 items-center gap-1.5 underline">
            <Download size={14} aria-hidden className="shrink-0" /> <span className="truncate">{files.length > 1 ? `download ${files.length} files (zip)` : `download ${files[0] ?? ""}`}</span>
          </a>
          <Button tone="quiet" title="the job stays as it is; the bin is on the start page" onClick={() => void binSent(task.id, files.length, onChange)}>
            {files.length > 1 ? "move files to bin" : "move file to bin"}
          </Button>
        </div>
      </div>
    );
  }
  return (
    <div className="flex items-center justify-between gap-2">
      <p className={task.state === "failed" ? "text-fail" : "text-soft"}>
        {task.state === "interrupted" ? "Sending was interrupted." : String(task.error?.["message"] ?? task.state)}
      </p>
      <Button tone="quiet" onClick={() => void api.startAgain(task.id).then(onChange, onChange)}>
        try again
      </Button>
    </div>
  );
}
