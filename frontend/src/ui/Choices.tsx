import type { ReactNode } from "react";

interface Choice<T extends string> {
  readonly value: T;
  readonly label: ReactNode;
  readonly figure?: ReactNode;
}

interface Props<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly choices: readonly Choice<T>[];
  readonly onChange: (value: T) => void;
}

/** A short list of which one is chosen: rows of a table, the chosen one in ink. */
export function Choices<T extends string>({ label, value, choices, onChange }: Props<T>) {
  return (
    <div role="radiogroup" aria-label={label} className="overflow-hidden rounded-(--radius) border border-rule bg-sheet">
      {choices.map((choice, index) => (
        <div
          key={choice.value}
          role="radio"
          aria-checked={choice.value === value}
          tabIndex={choice.value === value ? 0 : -1}
          onClick={() => onChange(choice.value)}
          onKeyDown={(event) => {
            if (event.target !== event.currentTarget) return;
            const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
            const next = move === undefined ? undefined : choices[(index + move + choices.length) % choices.length];
            if (!next) return;
            event.preventDefault();
            event.stopPropagation();
            onChange(next.value);
            const sibling = event.currentTarget.parentElement?.children[choices.indexOf(next)];
            if (sibling instanceof HTMLElement) sibling.focus();
          }}
          className={`flex items-center justify-between border-b border-rule px-2.5 py-1 last:border-b-0 ${
            choice.value === value ? "bg-ink text-on-ink [&_.num]:border-on-ink" : "hover:bg-shade"
          }`}
        >
          <span>{choice.label}</span>
          <span className="num">{choice.figure}</span>
        </div>
      ))}
    </div>
  );
}
