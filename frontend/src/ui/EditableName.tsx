import { useState } from "react";

interface Props {
  readonly name: string;
  /** What it is the name of: "lane", "clip". */
  readonly of: string;
  readonly className?: string;
  readonly onRename: (name: string) => void;
}

/** A name that is changed where it stands, everywhere by the same gesture: a click, or Enter while it has the focus. */
export function EditableName({ name, of, className = "", onRename }: Props) {
  const [editing, setEditing] = useState(false);
  if (editing) {
    return (
      <NameField
        name={name}
        label={`name of the ${of}`}
        className={className}
        onDone={(typed) => {
          setEditing(false);
          if (typed !== null && typed !== name) onRename(typed);
        }}
      />
    );
  }
  return (
    <button
      type="button"
      className={`truncate text-left hover:underline ${className}`}
      title={`${name} (click to rename the ${of})`}
      onClick={() => setEditing(true)}
    >
      <bdi>{name}</bdi>
    </button>
  );
}

/** The field of a name that is being changed: Enter takes it, Escape leaves it, and none of its keys is a command. */
export function NameField({ name, label, className = "", onDone }: { readonly name: string; readonly label: string; readonly className?: string; readonly onDone: (typed: string | null) => void }) {
  return (
    <input
      autoFocus
      aria-label={label}
      maxLength={200}
      className={`min-w-0 border-b border-join bg-transparent text-ink outline-none ${className}`}
      defaultValue={name}
      onFocus={(event) => event.target.select()}
      onBlur={(event) => onDone(event.target.value.trim() || null)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") onDone(null);
      }}
    />
  );
}
