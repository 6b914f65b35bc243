import { useRef, useState } from "react";

interface Props {
  readonly label: string;
  readonly value: string;
  /** What stands there while it is typed, where that is finer than what is shown. */
  readonly edited?: string;
  readonly title?: string;
  readonly placeholder?: string;
  readonly className?: string;
  readonly onFocus?: () => void;
  readonly onTake: (text: string) => void;
}

/** Something that is typed where it stands: Enter, or leaving it, takes it; Esc puts it back. Untouched or empty it is nothing. */
export function TypedText({ label, value, edited = value, title, placeholder, className = "", onFocus, onTake }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const began = useRef("");
  const leave = () => requestAnimationFrame(() => (document.activeElement as HTMLElement | null)?.blur());
  return (
    <input
      aria-label={label}
      title={title}
      placeholder={placeholder}
      className={`num ${className}`}
      value={typed ?? value}
      onFocus={(event) => {
        began.current = edited;
        setTyped(edited);
        event.target.select();
        onFocus?.();
      }}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => {
        if (typed?.trim() && typed !== began.current) onTake(typed);
        setTyped(null);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur(); // at once: the next key is a command again
        if (event.key === "Escape") {
          setTyped(null);
          leave();
        }
      }}
    />
  );
}
