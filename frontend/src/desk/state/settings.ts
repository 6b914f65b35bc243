/** Settings of the desk's views, kept with the job: a card that was left, or a page that was closed, comes back as it was. */
import { useMemo } from "react";
import { api } from "../../api/client";
import { desk, set, useOpen } from "./desk";

const SAVE_AFTER_MS = 400;
const pending = new Map<string, ReturnType<typeof setTimeout>>();

/** A view's setting by name, and how to change it; what was saved under another shape is filled up from `initial`, a constant. */
export function useSetting<T extends object>(name: string, initial: T): [T, (value: T) => void] {
  const saved = useOpen((state) => state.settings[name]) as Partial<T> | undefined;
  const value = useMemo(() => (saved ? { ...initial, ...saved } : initial), [saved, initial]);
  return [value, (next) => keepSetting(name, next)];
}

export function keepSetting(name: string, value: object): void {
  const { id, settings } = desk();
  set({ settings: { ...settings, [name]: value } });
  clearTimeout(pending.get(name));
  pending.set(name, setTimeout(() => void api.keepSetting(id, name, value).catch(() => undefined), SAVE_AFTER_MS)); // a view's setting is not worth a message
}
