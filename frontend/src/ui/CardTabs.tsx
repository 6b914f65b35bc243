import { Tabs } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  readonly label: string;
  readonly value: string;
  readonly onChange: (value: string) => void;
  /** What each tab is called by, its words, and what it shows. */
  readonly tabs: readonly (readonly [string, string, ReactNode])[];
}

const TAB = "border-b-2 border-transparent pb-1.5 text-soft data-[state=active]:border-ink data-[state=active]:font-bold data-[state=active]:text-ink";

/** A card of several sides. */
export function CardTabs({ label, value, onChange, tabs }: Props) {
  return (
    <Tabs.Root value={value} onValueChange={onChange} className="flex h-full flex-col">
      <Tabs.List aria-label={label} className="flex gap-4 border-b border-rule px-4 pt-3">
        {tabs.map(([name, words]) => (
          <Tabs.Trigger key={name} value={name} className={TAB}>{words}</Tabs.Trigger>
        ))}
      </Tabs.List>
      {tabs.map(([name, , side]) => (
        <Tabs.Content key={name} value={name} className="min-h-0 flex-1">{side}</Tabs.Content>
      ))}
    </Tabs.Root>
  );
}
