import { useEffect, useRef, useState } from "react";
import { Modal } from "../../ui/Modal";
import { COMMANDS, found, GROUPS, keyName, keysOf, onCommand } from "../commands/commands";

/** Every command by name: type, choose with the arrows, Enter. */
export function Palette() {
  const [open, setOpen] = useState(false);
  useEffect(() => onCommand("search commands", () => setOpen(true)), []);
  return (
    <Modal title="Search commands" open={open} onClose={() => setOpen(false)}>
      {open && <Search onDone={() => setOpen(false)} />}
    </Modal>
  );
}

function Search({ onDone }: { readonly onDone: () => void }) {
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const list = useRef<HTMLUListElement>(null);
  const hits = found(COMMANDS, typed);
  const chosen = hits[Math.min(at, hits.length - 1)];
  useEffect(() => {
    void list.current?.querySelector("[aria-selected=true]")?.scrollIntoView({ block: "nearest" });
  }, [at]);
  const run = (index: number) => {
    onDone();
    const command = hits[index];
    if (command) setTimeout(command.run); // once the dialog has given the focus back
  };
  return (
    <>
      <input
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls="commands"
        aria-activedescendant={chosen ? `command-${COMMANDS.indexOf(chosen)}` : undefined}
        aria-label="name of a command"
        className="mb-2 w-full border-b-2 border-join bg-transparent py-1 text-base outline-none"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (event.key === "Enter") run(Math.min(at, hits.length - 1));
          if (!move) return;
          event.preventDefault();
          setAt((now) => Math.min(Math.max(now + move, 0), hits.length - 1));
        }}
      />
      <ul id="commands" ref={list} role="listbox" aria-label="commands" className="h-80 overflow-auto">
        {hits.map((command, index) => (
          <li
            key={command.name}
            id={`command-${COMMANDS.indexOf(command)}`}
            role="option"
            aria-selected={command === chosen}
            className={`flex items-center justify-between gap-3 border-b border-rule px-2 py-1 ${command === chosen ? "bg-ink text-on-ink" : "hover:bg-shade"}`}
            onClick={() => run(index)}
          >
            <span>
              {command.name} <span className={command === chosen ? "" : "text-soft"}>· {GROUPS[command.group].toLowerCase()}</span>
            </span>
            <kbd className="num">{keysOf(command).filter(Boolean).map(keyName).join(" or ")}</kbd>
          </li>
        ))}
        {hits.length === 0 && <li className="p-2 text-soft">No command has these words.</li>}
      </ul>
    </>
  );
}
