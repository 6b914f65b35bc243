import { useEffect, useRef, useState } from "react";

interface Props {
  readonly label: string;
  readonly value: number;
  readonly unit: string;
  readonly lowest: number;
  readonly highest: number;
  /** What one arrow key and about three pixels of dragging change. */
  readonly step: number;
  readonly decimals?: number;
  readonly onChange: (value: number) => void;
}

/** A number in a sentence: dragged sideways, typed, or changed by arrow keys. Esc puts it back. */
export function Num({ label, value, unit, lowest, highest, step, decimals = 0, onChange }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const shown = value.toFixed(decimals).replace("-", "−");
  const put = (next: number) => onChange(Number(Math.min(Math.max(next, lowest), highest).toFixed(decimals)));
  const finish = () => {
    const text = (typed ?? "").replace("−", "-").replace(",", ".").trim();
    const inSeconds = unit === "ms" && /\d\s*s$/.test(text); // "6 s" is 6000 ms
    const next = Number(text.replace(inSeconds ? "s" : unit, "").trim()) * (inSeconds ? 1000 : 1);
    if (typed?.trim() && Number.isFinite(next)) put(next);
    setTyped(null);
  };

  useEffect(() => {
    if (typed !== null) input.current?.select();
  }, [typed === null]); // eslint-disable-line react-hooks/exhaustive-deps

  if (typed !== null) {
    return (
      <input
        ref={input}
        aria-label={label}
        className="num w-18 border-b-2 border-join bg-transparent text-center font-bold outline-none"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") finish();
          if (event.key === "Escape") setTyped(null);
        }}
      />
    );
  }
  return (
    <span
      role="spinbutton"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={value}
      aria-valuemin={lowest}
      aria-valuemax={highest}
      aria-valuetext={`${shown} ${unit}`}
      title={`${label}: drag, type, or use the arrow keys`}
      className="num cursor-ew-resize touch-none border-b-2 border-ink font-bold whitespace-nowrap select-none hover:border-join"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { x: event.clientX, from: value, moved: false };
      }}
      onPointerMove={(event) => {
        const start = drag.current;
        if (!start) return;
        const steps = Math.round((event.clientX - start.x) / 3);
        start.moved ||= steps !== 0;
        if (start.moved) put(start.from + steps * step);
      }}
      onPointerUp={() => {
        if (drag.current && !drag.current.moved) setTyped(shown);
        drag.current = null;
      }}
      onPointerCancel={() => (drag.current = null)}
      onKeyDown={(event) => {
        const size = event.shiftKey ? 10 * step : step;
        if (event.key === "ArrowUp" || event.key === "ArrowRight") put(value + size);
        else if (event.key === "ArrowDown" || event.key === "ArrowLeft") put(value - size);
        else if (event.key === "Enter") setTyped(shown);
        else if (event.key === "Escape" && drag.current) {
          put(drag.current.from);
          drag.current = null;
        } else return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      {shown}
      {unit && ` ${unit}`}
    </span>
  );
}
