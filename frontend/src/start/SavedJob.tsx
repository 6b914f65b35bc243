import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { api } from "../api/client";
import { isOpen } from "../api/tasks";

/** A job that is being packed into one file, then the file to download. */
export function SavedJob({ jobId, taskId, onDone }: { readonly jobId: string; readonly taskId: string; readonly onDone: () => void }) {
  const tasks = useQuery({ queryKey: ["tasks", jobId], queryFn: () => api.tasks(jobId), refetchInterval: ({ state }) => ((state.data ?? [{ state: "waiting" as const }]).some(isOpen) ? 250 : false) });
  const task = tasks.data?.find((one) => one.id === taskId);
  if (!task || isOpen(task)) {
    return (
      <span className="flex items-center gap-2 text-soft">
        packing <progress aria-label="progress of packing" value={task?.progress ?? 0} className="h-1.5 w-20 accent-(--wave)" />
      </span>
    );
  }
  if (task.state !== "done") return <span className="block text-fail">{String(task.error?.["message"] ?? task.state)}</span>;
  return (
    <a href={api.sentFileUrl(taskId)} download className="flex items-center gap-1.5 underline" onClick={onDone}>
      <Download size={13} aria-hidden /> download the file
    </a>
  );
}
