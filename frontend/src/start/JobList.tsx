import { Archive, Copy, Ellipsis, Pencil, SkipForward, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type ReactNode } from "react";
import { Link } from "wouter";
import { api } from "../api/client";
import type { JobCard } from "../api/types";
import { formatTime } from "../time/format";
import { NameField } from "../ui/EditableName";
import { formatBytes, formatDay } from "../ui/figures";
import { JobPicture } from "./JobPicture";
import { lastTouched } from "./jobOrder";
import { SavedJob } from "./SavedJob";

interface Props {
  readonly jobs: readonly JobCard[];
  /** Do something to a job, then look at the list again; what goes wrong is said on the page. */
  readonly onAct: (act: () => Promise<unknown>) => void;
}

/** One row a job, with a picture of its sound. */
export function JobList({ jobs, onAct }: Props) {
  const [renaming, setRenaming] = useState<string | null>(null);
  const [saving, setSaving] = useState<{ readonly jobId: string; readonly taskId: string } | null>(null);
  return (
    <table className="w-full border-collapse">
      <thead>
        <tr className="border-b border-ink text-left text-xs text-soft">
          <th className="w-32 py-1 font-normal">
            <span className="sr-only">picture</span>
          </th>
          <th className="py-1 font-normal">name</th>
          <th className="py-1 font-normal">waiting for</th>
          <th className="py-1 text-right font-normal">length</th>
          <th className="py-1 pl-4 text-right font-normal">on disk</th>
          <th className="py-1 pl-4 text-right font-normal">opened</th>
          <th className="w-9">
            <span className="sr-only">more</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {jobs.map((job) => (
          <tr key={job.id} className="border-b border-rule hover:bg-sheet">
            <td className="py-1.5 pr-3">
              <JobPicture job={job} />
            </td>
            <td className="max-w-64 py-1.5 pr-3">
              {renaming === job.id ? (
                <NameField
                  name={job.name}
                  label={`new name of ${job.name}`}
                  className="block w-full text-base font-semibold"
                  onDone={(name) => {
                    setRenaming(null);
                    if (name !== null && name !== job.name) onAct(() => api.renameJob(job.id, name));
                  }}
                />
              ) : (
                <Link href={`/jobs/${job.id}`} title={job.name} className="block truncate text-base font-semibold hover:underline">
                  <bdi>{job.name}</bdi>
                </Link>
              )}
              <span className="text-xs text-soft">{job.brief}</span>
            </td>
            <td className={`py-1.5 ${{ look: "text-warn", done: "text-fine" }[job.waits_for as string] ?? ""}`}>
              {job.waiting_for}
              {saving?.jobId === job.id && <SavedJob jobId={job.id} taskId={saving.taskId} onDone={() => setSaving(null)} />}
            </td>
            <td className="num py-1.5 text-right whitespace-nowrap">{formatTime(Math.round(job.length_s * 10), 10, "clock", 1)}</td>
            <td className="num py-1.5 pl-4 text-right whitespace-nowrap">{formatBytes(job.size_bytes)}</td>
            <td className="py-1.5 pl-4 text-right whitespace-nowrap text-soft">{formatDay(lastTouched(job))}</td>
            <td className="py-1.5 text-right">
              <Menu job={job}>
                <Item icon={<Pencil size={14} aria-hidden />} onSelect={() => setRenaming(job.id)}>
                  rename
                </Item>
                <Item icon={<Copy size={14} aria-hidden />} onSelect={() => onAct(() => api.duplicateJob(job.id))}>
                  duplicate
                </Item>
                <Item icon={<SkipForward size={14} aria-hidden />} onSelect={() => onAct(() => api.nextJob(job.id))}>
                  next one like this
                </Item>
                <Item icon={<Archive size={14} aria-hidden />} onSelect={() => onAct(async () => setSaving({ jobId: job.id, taskId: await api.save(job.id, job.revision) }))}>
                  save as one file
                </Item>
                <Item icon={<Trash2 size={14} aria-hidden />} onSelect={() => onAct(() => api.removeJob(job.id))}>
                  move to the bin
                </Item>
              </Menu>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Menu({ job, children }: { readonly job: JobCard; readonly children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger aria-label={`more for ${job.name}`} className="rounded-(--radius) border border-transparent p-1 text-soft hover:border-rule hover:text-ink">
        <Ellipsis size={16} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={2} className="z-50 min-w-44 rounded-(--radius) border border-rule bg-sheet p-1 shadow-float">
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const Item = ({ icon, onSelect, children }: { readonly icon: ReactNode; readonly onSelect: () => void; readonly children: ReactNode }) => (
  <DropdownMenu.Item className="flex items-center gap-2 rounded-(--radius) px-2 py-1 outline-none data-highlighted:bg-shade" onSelect={onSelect}>
    {icon} {children}
  </DropdownMenu.Item>
);
