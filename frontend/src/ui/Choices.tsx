import type { KeyboardEvent, ReactNode } from "react";

interface Choice<T extends string> {
  readonly value: T;
  readonly label: string;
  /** A control that belongs to the choice, beside its name. */
  readonly extra?: ReactNode;
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
  const onKeyDown = (event: KeyboardEvent<HTMLElement>, index: number) => {
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const next = move === undefined ? undefined : choices[(index + move + choices.length) % choices.length];
    if (!next) return;
    event.preventDefault();
    event.stopPropagation();
    onChange(next.value);
    const radios = event.currentTarget.closest("[role=radiogroup]")?.querySelectorAll<HTMLElement>("[role=radio]");
    radios?.[choices.indexOf(next)]?.focus();
  };
  return (
    <div role="radiogroup" aria-label={label} className="overflow-hidden rounded-(--radius) border border-rule bg-sheet">
      {choices.map((choice, index) => (
        <div
          key={choice.value}
          className={`flex items-center gap-1 border-b border-rule px-2.5 last:border-b-0 ${
            choice.value === value ? "bg-ink text-on-ink [&_.num]:border-on-ink" : "hover:bg-shade"
          }`}
        >
          <span
            role="radio"
            aria-checked={choice.value === value}
            tabIndex={choice.value === value ? 0 : -1}
            className={`py-1 ${choice.extra ? "" : "flex-1"}`}
            onClick={() => onChange(choice.value)}
            onKeyDown={(event) => onKeyDown(event, index)}
          >
            {choice.label}
          </span>
          {choice.extra}
          <span className={`num py-1 text-right ${choice.extra ? "flex-1" : ""}`} onClick={() => onChange(choice.value)}>
            {choice.figure}
          </span>
        </div>
      ))}
    </div>
  );
}
