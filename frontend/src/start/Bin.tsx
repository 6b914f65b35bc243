import { useState } from "react";
import { api } from "../api/client";
import type { RemovedDelivery, RemovedJob } from "../api/types";
import { Button } from "../ui/Button";
import { Modal } from "../ui/Modal";
import { counted, formatBytes, formatDay } from "../ui/figures";

interface Props {
  readonly removed: readonly RemovedJob[];
  readonly deliveries: readonly RemovedDelivery[];
  readonly onAct: (act: () => Promise<unknown>) => void;
}

/** Jobs and deliveries in the bin: they can be restored for 30 days; deleting them for good is asked twice. */
export function Bin({ removed, deliveries, onAct }: Props) {
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
          <Row key={job.id} name={job.name} deletedAt={job.deleted_at} onRestore={() => onAct(() => api.restoreJob(job.id))} />
        ))}
        {deliveries.map((sent) => (
          <Row key={sent.task_id} name={`${sent.job_name}: ${counted(sent.files, "exported file")}`} deletedAt={sent.deleted_at} onRestore={() => onAct(() => api.restoreDelivery(sent.task_id))} />
        ))}
      </ul>
      <Modal
        title="Empty the bin?"
        about={`${[...(removed.length ? [counted(removed.length, "job")] : []), ...(deliveries.length ? [counted(deliveries.length, "delivery", "deliveries")] : [])].join(" and ")} will be deleted for good${removed.length ? ", with all history and everything that was sent. Recordings that no other job uses are deleted too" : ""}. Files outside Wemble stay as they are.`}
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

function Row({ name, deletedAt, onRestore }: { readonly name: string; readonly deletedAt: number; readonly onRestore: () => void }) {
  return (
    <li className="flex items-center gap-3 border-b border-rule py-1">
      <bdi className="min-w-0 flex-1 truncate">{name}</bdi>
      <span className="text-soft">removed {formatDay(deletedAt)}</span>
      <Button aria-label={`restore ${name}`} onClick={onRestore}>
        restore
      </Button>
    </li>
  );
}
