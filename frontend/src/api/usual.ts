/** What is meant where nothing was said: as the server has it. */
import type { RunSettings } from "./types";

export const USUAL_RUN: RunSettings = { stop_s: 1, fade_s: 3, once_s: 0.5 };
