/**
 * The page's own store: the show that is run, every block of its bodies, and the page itself. What is in it needs no server. Blocks
 * are named by what they hold, so an edit of one cue loads that cue alone.
 */
import { api } from "../api/client";
import type { Show, ShowPlan } from "../api/types";

const PAGE = "wemble-show-page";
const AT_ONCE = 4;

export interface KeptShow {
  readonly jobId: string;
  readonly name: string;
  readonly revision: number;
  readonly show: Show;
  /** Where events go. */
  readonly address: string;
}

const nameOf = (jobId: string): string => `wemble-show-${jobId}`;
const pathOf = (key: string, block: number): string => `/show-store/${key}/${block}`;

/** Keep the page, with everything it has loaded and what it will load, for the service worker to give back. */
export async function keepPage(more: readonly string[]): Promise<void> {
  if (!("serviceWorker" in navigator) || !("caches" in globalThis)) return;
  await navigator.serviceWorker.register("/show-worker.js");
  const cache = await caches.open(PAGE);
  const loaded = performance.getEntriesByType("resource").map(({ name }) => new URL(name).pathname).filter((path) => path.startsWith("/assets/"));
  await cache.addAll([...new Set([...loaded, ...more, location.pathname, "/icon.svg"])]);
}

export async function keepShow(kept: KeptShow): Promise<void> {
  const cache = await caches.open(nameOf(kept.jobId));
  await cache.put("/show-store/show", new Response(JSON.stringify(kept)));
  const wanted = new Set(kept.show.plan.bodies.map(({ key }) => key));
  for (const request of await cache.keys()) {
    const key = /^\/show-store\/([^/]+)\/\d+$/.exec(new URL(request.url).pathname)?.[1];
    if (key !== undefined && !wanted.has(key)) await cache.delete(request);
  }
}

export async function keptShow(jobId: string): Promise<KeptShow | null> {
  const found = await (await caches.open(nameOf(jobId))).match("/show-store/show");
  return found ? ((await found.json()) as KeptShow) : null;
}

/** The blocks of a show: from the store, else from the server and into the store. */
export class BlockStore {
  private readonly cache: Promise<Cache>;
  private readonly kept = new Set<string>();
  private stopped = false;
  /** Whether the browser gives the page no more room. */
  private full = false;

  constructor(
    private readonly jobId: string,
    private readonly revision: number,
    private readonly plan: ShowPlan,
  ) {
    this.cache = caches.open(nameOf(jobId));
  }

  /** How many of all blocks are in the store. */
  get part(): number {
    const all = this.plan.bodies.reduce((sum, body) => sum + this.blocksOf(body), 0);
    return all === 0 ? 1 : this.kept.size / all;
  }

  async get(body: number, block: number): Promise<Float32Array | null> {
    const key = this.plan.bodies[body]?.key;
    if (key === undefined) return null;
    const path = pathOf(key, block);
    const cache = await this.cache;
    const found = await cache.match(path);
    if (found) {
      this.kept.add(path);
      return new Float32Array(await found.arrayBuffer());
    }
    const samples = await api.bodyBlock(this.jobId, this.revision, key, block);
    await this.keep(cache, path, samples).catch(() => (this.full = true)); // what does not fit still plays, from the server
    return samples;
  }

  /** Load everything, from a cue on and then from the first; a full disk or a server that is away ends it. */
  async loadAll(from: number, onPart: (part: number) => void): Promise<void> {
    const order = [...this.plan.bodies.entries()].sort(([, a], [, b]) => Number(a.cue < from) - Number(b.cue < from) || a.cue - b.cue);
    const left = order.flatMap(([body, planned]) => Array.from({ length: this.blocksOf(planned) }, (_, block) => [body, block] as const));
    const inStore = new Set((await (await this.cache).keys()).map(({ url }) => new URL(url).pathname));
    let at = 0;
    const work = async () => {
      while (at < left.length && !this.stopped) {
        const [body, block] = left[(at += 1) - 1] as readonly [number, number];
        const path = pathOf(this.plan.bodies[body]?.key ?? "", block);
        if (inStore.has(path)) this.kept.add(path);
        else await this.get(body, block);
        if (this.full) throw new Error(await this.howFull());
        if (at % 8 === 0 || at === left.length) onPart(this.part);
      }
    };
    try {
      await Promise.all(Array.from({ length: AT_ONCE }, work));
    } finally {
      onPart(this.part);
    }
  }

  private async howFull(): Promise<string> {
    const { usage = 0, quota = 0 } = (await navigator.storage?.estimate?.().catch(() => undefined)) ?? {};
    const needed = this.plan.bodies.reduce((sum, body) => sum + (body.lead + body.frames) * this.plan.channels * 4, 0);
    const mb = (bytes: number) => `${Math.round(bytes / 1e6).toLocaleString("en")} MB`;
    return `the browser gives this page ${mb(quota)}, ${mb(usage)} of it used, and the show needs ${mb(needed)}: the rest plays from the server, which has to stay on. Free disk space, or remove other shows`;
  }

  stop(): void {
    this.stopped = true;
  }

  private async keep(cache: Cache, path: string, samples: Float32Array): Promise<void> {
    await cache.put(path, new Response(samples.slice().buffer));
    this.kept.add(path);
  }

  private blocksOf(body: { readonly lead: number; readonly frames: number }): number {
    return Math.ceil((body.lead + body.frames) / this.plan.block_frames);
  }
}
