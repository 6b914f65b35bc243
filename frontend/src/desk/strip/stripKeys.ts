/** Keys of the strip's view. */
import { useEffect, type Dispatch, type SetStateAction } from "react";
import { scrolled, showing, zoomedAt, type Limits, type Viewport } from "../../wave/geometry";
import { onCommand } from "../commands/commands";

export function useStripKeys(setView: Dispatch<SetStateAction<Viewport>>, limits: Limits, wholeFrame: number): void {
  useEffect(() => {
    const zoom = (factor: number) => () => setView((now) => zoomedAt(now, now.widthPx / 2, factor, limits));
    const scroll = (part: number) => () => setView((now) => scrolled(now, part * now.widthPx, limits));
    const off = [
      onCommand("zoom in", zoom(0.5)),
      onCommand("zoom out", zoom(2)),
      onCommand("show everything", () => setView((now) => showing(now, limits.lowestFrame, wholeFrame, limits))),
      onCommand("scroll forward", scroll(0.5)),
      onCommand("scroll back", scroll(-0.5)),
    ];
    return () => off.forEach((remove) => remove());
  }, [setView, limits, wholeFrame]);
}
