import { BANK, type Key, keyCap, type Pad } from "../../../model/pads";

interface Props {
  readonly keys: readonly Key[];
  /** Which ten keys of the map lie under the computer's keys. */
  readonly bank: number;
  readonly current: Pad | undefined;
  readonly onStrike: (pad: Pad) => void;
}

/** Every key of the map, a row each, with a pad for each strength. */
export function Pads({ keys, bank, current, onStrike }: Props) {
  return (
    <>
      {keys.map(({ key, note, name, pads }, n) => (
        <div key={key} className={`flex items-center gap-1.5 ${Math.floor(n / BANK) === bank ? "" : "text-soft"}`}>
          <span className="num w-8 shrink-0 text-xs text-soft">{note}</span>
          <bdi className="min-w-0 flex-1 truncate">{name}</bdi>
          {pads.map((pad, strength) => {
            const cap = Math.floor(n / BANK) === bank ? keyCap(n % BANK, strength) : "";
            return (
              <button
                key={pad.id}
                type="button"
                tabIndex={-1}
                aria-label={`strike ${pad.name}`}
                title={[pad.name, cap && `key ${cap}`, pad.takes.length > 1 && `${pad.takes.length} takes in turn`].filter(Boolean).join(", ")}
                className={`num h-5 min-w-6 shrink-0 rounded-(--radius) border px-0.5 text-xs ${pad === current ? "border-ink bg-ink text-on-ink" : "border-rule hover:border-ink"}`}
                onClick={() => onStrike(pad)}
              >
                {cap || "·"}
                {pad.takes.length > 1 && <sub className="text-[9px]">{pad.takes.length}</sub>}
              </button>
            );
          })}
        </div>
      ))}
    </>
  );
}
