import { CircleHelp } from "lucide-react";
import { useEffect, useReducer, useState } from "react";
import { GLOSSARY } from "./glossary";
import { Button } from "../../ui/Button";
import { Modal } from "../../ui/Modal";
import { type Command, COMMANDS, GROUPS, keyName, keysOf, keyText, onCommand, setOwnKey, setSingleKeys, singleKeysOn } from "../commands/commands";

/** The keys, which can be changed, and the words. */
export function Help() {
  const [open, setOpen] = useState(false);
  const [single, setSingle] = useState(singleKeysOn());
  useEffect(() => onCommand("help", () => setOpen(true)), []);
  return (
    <>
      <Button tone="quiet" title="?" onClick={() => setOpen(true)}>
        <CircleHelp size={14} aria-hidden /> help
      </Button>
      <Modal title="Keys and words" wide about="Keys work while the desk has the focus, never while you type. To change one, click it and press the key you want; Delete restores it." open={open} onClose={() => setOpen(false)}>
        <label className="mb-3 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--ink)"
            checked={single}
            onChange={(event) => {
              setSingleKeys(event.target.checked);
              setSingle(event.target.checked);
            }}
          />
          single-key commands
        </label>
        <div className="columns-3 gap-6">
          {Object.entries(GROUPS).map(([group, title]) => (
            <section key={group} className="mb-3 break-inside-avoid">
              <h3 className="mb-1 font-bold">{title}</h3>
              <dl>
                {COMMANDS.filter((command) => command.group === group).map((command) => (
                  <div key={command.name} className="flex items-center justify-between gap-2 border-b border-rule py-0.5">
                    <dt>{command.name}</dt>
                    <dd>
                      <Key command={command} />
                    </dd>
                  </div>
                ))}
              </dl>
            </section>
          ))}
        </div>
        <h3 className="mt-2 mb-1 font-bold">Words</h3>
        <dl className="columns-2 gap-6">
          {GLOSSARY.map(([word, meaning]) => (
            <div key={word} className="break-inside-avoid border-b border-rule py-0.5">
              <dt className="inline font-semibold">{word}: </dt>
              <dd className="inline">{meaning}</dd>
            </div>
          ))}
        </dl>
        <p className="mt-3 text-soft">
          The wheel zooms, Shift and wheel scrolls, Ctrl and wheel in a lens zooms the level. Drag a clip by its name to move it. Type any time as 1:02.5, 45000f, +5ms, 3b2 or “bar 3 beat 2”.
        </p>
      </Modal>
    </>
  );
}

const MODIFIERS = new Set(["Shift", "Control", "Meta", "Alt"]);
const RESERVED = new Set(["Tab", "Escape", "Enter"]);

function Key({ command }: { readonly command: Command }) {
  const [waiting, setWaiting] = useState(false);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const shown = keysOf(command).filter(Boolean).map(keyName).join(" or ") || "–";
  return (
    <button
      type="button"
      aria-label={`key of ${command.name}: ${shown}`}
      className={`num rounded-(--radius) border px-1.5 whitespace-nowrap ${waiting ? "border-join bg-shade" : "border-transparent text-soft hover:border-rule"}`}
      onClick={() => setWaiting(true)}
      onBlur={() => setWaiting(false)}
      onKeyDown={(event) => {
        if (!waiting || MODIFIERS.has(event.key)) return;
        event.preventDefault();
        event.stopPropagation();
        if (event.key === "Delete") setOwnKey(command.name, null);
        else if (!RESERVED.has(event.key)) setOwnKey(command.name, keyText(event));
        setWaiting(false);
        redraw();
      }}
    >
      {waiting ? "press a key" : shown}
    </button>
  );
}
