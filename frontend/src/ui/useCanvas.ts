import { useEffect, useRef, useState, type RefObject } from "react";

export interface Surface {
  readonly widthPx: number;
  readonly heightPx: number;
}

/** A canvas as large as its box in device pixels, painted at most once a frame whenever `paint` is a new function. */
export function useCanvas(paint: (ink: CanvasRenderingContext2D, surface: Surface) => void): [RefObject<HTMLCanvasElement | null>, Surface] {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [surface, setSurface] = useState<Surface>({ widthPx: 0, heightPx: 0 });

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setSurface({ widthPx: Math.round(entry.contentRect.width), heightPx: Math.round(entry.contentRect.height) });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  useEffect(() => {
    const frame = requestAnimationFrame(() => {
      const element = canvas.current;
      const ink = element?.getContext("2d");
      if (!element || !ink || surface.widthPx === 0) return;
      const ratio = window.devicePixelRatio || 1;
      const [width, height] = [Math.round(surface.widthPx * ratio), Math.round(surface.heightPx * ratio)];
      if (element.width !== width || element.height !== height) {
        element.width = width;
        element.height = height;
      }
      ink.setTransform(ratio, 0, 0, ratio, 0, 0);
      ink.clearRect(0, 0, surface.widthPx, surface.heightPx);
      paint(ink, surface);
    });
    return () => cancelAnimationFrame(frame);
  }, [paint, surface]);

  return [canvas, surface];
}

/** Listen to the wheel without letting the page scroll. */
export function useWheel(element: RefObject<HTMLElement | null>, onWheel: (event: WheelEvent) => void): void {
  const handler = useRef(onWheel);
  useEffect(() => {
    handler.current = onWheel;
  });
  useEffect(() => {
    const target = element.current;
    if (!target) return;
    const listen = (event: WheelEvent) => {
      event.preventDefault();
      handler.current(event);
    };
    target.addEventListener("wheel", listen, { passive: false });
    return () => target.removeEventListener("wheel", listen);
  }, [element]);
}
