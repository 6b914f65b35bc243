/** What a page that was left could not do any more: told where the user is now. */
import { create } from "zustand";

export const useLost = create<{ readonly text: string | null }>(() => ({ text: null }));
