/** The queue of edits: one after the other, and what is in it is never dropped. */

let queue: Promise<void> = Promise.resolve();
let waiting = 0;

/** Do something when all that was asked before is done. */
export function inTurn(act: () => Promise<void>): Promise<void> {
  waiting += 1;
  queue = queue.then(act).finally(() => (waiting -= 1));
  return queue;
}

/** Done when the queue is empty, what is added meanwhile included. */
export async function editsDone(): Promise<void> {
  while (waiting > 0) await queue;
}

// A page that is closed or loaded again while edits are on their way asks first.
if (typeof window !== "undefined") {
  window.addEventListener("beforeunload", (event) => {
    if (waiting > 0) event.preventDefault();
  });
}
