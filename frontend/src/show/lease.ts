/**
 * One performance, one window: whoever sounds holds a lock of the browser, and tells the others how it stands. A window that goes away
 * lets go of it by itself.
 */

/** How a performance stands in the window that has it. */
export interface Elsewhere {
  readonly began: number | null;
  readonly standing: string;
  readonly sounding: number;
}

const nameOf = (jobId: string): string => `wemble.performance.${jobId}`;
const TELL_EVERY_MS = 500;
const GONE_AFTER_MS = 2_500;

let release: (() => void) | null = null;
let channel: BroadcastChannel | null = null;
let toldAt = 0;
let gone: ReturnType<typeof setTimeout> | undefined;

/** Take the performance for this window, `steal` it if another has it; false if another has it and keeps it. */
export function holdLease(jobId: string, onLost: () => void, steal = false): Promise<boolean> {
  if (release) return Promise.resolve(true);
  if (!("locks" in navigator)) return Promise.resolve(true);
  return new Promise((answer) => {
    let held = false;
    navigator.locks
      .request(nameOf(jobId), steal ? { steal: true } : { ifAvailable: true }, (lock) => {
        answer(lock !== null);
        if (!lock) return undefined;
        held = true;
        return new Promise<void>((resume) => (release = resume));
      })
      .catch(() => {
        release = null;
        if (held) onLost();
        else answer(false);
      });
  });
}

export function leaveLease(): void {
  release?.();
  release = null;
  clearTimeout(gone);
  channel?.close();
  channel = null;
}

/** Say how the performance of this window stands, now and then. */
export function tellOthers(how: Elsewhere): void {
  if (!release || !channel || performance.now() - toldAt < TELL_EVERY_MS) return;
  toldAt = performance.now();
  channel.postMessage(how);
}

/** Hear of the performance of another window, and when it is gone. */
export function watchOthers(jobId: string, onChange: (elsewhere: Elsewhere | null) => void): void {
  channel?.close();
  if (!("BroadcastChannel" in globalThis)) return;
  channel = new BroadcastChannel(nameOf(jobId));
  channel.onmessage = ({ data }: MessageEvent<Elsewhere>) => {
    if (release) return;
    onChange(data);
    clearTimeout(gone);
    gone = setTimeout(() => onChange(null), GONE_AFTER_MS);
  };
}
