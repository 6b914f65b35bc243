/** The pictures of sources: asked for once, kept for as long as the page is. Whoever draws is told when more has come. */
import { api } from "../../api/client";
import type { Job } from "../../api/types";
import { SpectralTiles } from "../../wave/spectra";
import { SourceTiles } from "../../wave/tiles";

const sources = new Map<string, SourceTiles>();
const spectra = new Map<string, SpectralTiles>();
const asked = new Map<string, Promise<void>>();
let announce = (): void => undefined;

/** Say who is to be told that a picture came. */
export function onArrival(listener: () => void): void {
  announce = listener;
}

const arrived = (): void => announce();

/** The tiles of a source; undefined while it is being asked for. */
export function tilesOf(sourceId: string): SourceTiles | undefined {
  const tiles = sources.get(sourceId);
  if (!tiles) void askFor(sourceId);
  return tiles;
}

/** The spectral picture of a source; undefined while the source is being asked for. */
export function spectraOf(sourceId: string): SpectralTiles | undefined {
  const info = tilesOf(sourceId)?.info;
  if (info && !spectra.has(sourceId)) spectra.set(sourceId, new SpectralTiles(sourceId, info.levels, info.frames, arrived));
  return spectra.get(sourceId);
}

/** Let the first picture ask for its tiles before anything that keeps the server busy for longer. */
export async function firstPicture(job: Job): Promise<void> {
  await Promise.all(Object.keys(job.sources).slice(0, 8).map(askFor));
  for (let frame = 0; frame < 4; frame += 1) await new Promise(requestAnimationFrame);
}

function askFor(sourceId: string): Promise<void> {
  const underWay = asked.get(sourceId);
  if (underWay) return underWay;
  const asking = api.source(sourceId).then(
    (info) => {
      sources.set(sourceId, new SourceTiles(info, arrived));
      arrived();
    },
    () => void asked.delete(sourceId),
  );
  asked.set(sourceId, asking);
  return asking;
}
