import { useState } from "react";
import { api } from "../api/client";
import type { RemovedJob } from "../api/types";
import { Button } from "../ui/Button";
import { Modal } from "../ui/Modal";
import { formatBytes, formatDay } from "../ui/figures";

interface Props {
  readonly removed: readonly RemovedJob[];
  readonly onAct: (act: () => Promise<unknown>) => void;
}

/** Jobs in the bin: they can be restored for 30 days; deleting them for good is asked twice. */
export function Bin({ removed, onAct }: Props) {
  const [asks, setAsks] = useState(false);
  const [freed, setFreed] = useState<number | null>(null);
  return (
    <section aria-label="bin" className="mt-6">
      <div className="flex items-center justify-between border-b border-rule pb-1">
        <h2 className="font-bold">
          Bin <span className="font-normal text-soft">restorable for 30 days</span>
        </h2>
        <Button tone="quiet" onClick={() => setAsks(true)}>
          empty the bin
        </Button>
      </div>
      <ul>
        {removed.map((job) => (
          <li key={job.id} className="flex items-center gap-3 border-b border-rule py-1">
            <bdi className="min-w-0 flex-1 truncate">{job.name}</bdi>
            <span className="text-soft">removed {formatDay(job.deleted_at)}</span>
            <Button aria-label={`restore ${job.name}`} onClick={() => onAct(() => api.restoreJob(job.id))}>
              restore
            </Button>
          </li>
        ))}
      </ul>
      <Modal
        title="Empty the bin?"
        about={`${removed.length === 1 ? "One job is" : `${removed.length} jobs are`} deleted for good, with all history and everything that was sent. Recordings that no other job uses are deleted too. Files outside Wemble stay as they are.`}
        open={asks}
        onClose={() => setAsks(false)}
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setAsks(false)}>Keep them</Button>
          <Button
            tone="strong"
            onClick={() => {
              setAsks(false);
              onAct(async () => setFreed((await api.emptyBin()).freed_bytes));
            }}
          >
            Delete for good
          </Button>
        </div>
      </Modal>
      {freed !== null && <p className="mt-1 text-soft">{formatBytes(freed)} freed.</p>}
    </section>
  );
}
