import { Button } from "./Button";

/** How far long work is, in words and as a bar, and how to stop it. */
export function Progress({ name, part, onStop }: { readonly name: string; readonly part: number; readonly onStop?: () => void }) {
  return (
    <div role="status" className="space-y-1.5">
      <p className="flex items-center justify-between text-soft">
        <span>
          {name}, <span className="num">{Math.round(part * 100)} %</span>
        </span>
        {onStop && <Button onClick={onStop}>Stop</Button>}
      </p>
      <progress className="h-1 w-full accent-(--wave)" max={1} value={part} aria-label={name} />
    </div>
  );
}
