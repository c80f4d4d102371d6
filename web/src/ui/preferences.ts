import { useSyncExternalStore } from "react";

/** What a person chose once, kept in this browser: theme, unit of length, room, and how single keys work. */
interface Preferences {
  theme: "night" | "day";
  unit: "cm" | "in";
  room: string | null;
  keys: "plain" | "alt" | "off";
}

/** As kept: a unit that nobody chose here is the department's. */
type Kept = Omit<Preferences, "unit"> & { unit: Preferences["unit"] | null };

const KEY = "oakbeam.preferences";
const DEFAULTS: Kept = { theme: "night", unit: null, room: null, keys: "plain" };

function load(): Kept {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Preferences>;
    return {
      theme: kept.theme === "day" ? "day" : "night",
      unit: kept.unit === "in" || kept.unit === "cm" ? kept.unit : null,
      room: typeof kept.room === "string" ? kept.room : null,
      keys: kept.keys === "alt" || kept.keys === "off" ? kept.keys : "plain",
    };
  } catch {
    return DEFAULTS;
  }
}

let current = load();
let usualUnit: Preferences["unit"] = "cm";
let shown: Preferences = { ...current, unit: current.unit ?? usualUnit };
const listeners = new Set<() => void>();

function show() {
  shown = { ...current, unit: current.unit ?? usualUnit };
  document.documentElement.dataset.theme = current.theme;
}

/** What is preferred now, for what is no part of the page. */
export const preferences = () => shown;

export function prefer(change: Partial<Preferences>) {
  current = { ...current, ...change };
  try {
    localStorage.setItem(KEY, JSON.stringify(current));
  } catch {
    // Private windows may refuse storage; the choice then lasts for this page.
  }
  show();
  for (const listener of listeners) listener();
}

/** The unit that the department reads lengths in: that of a console on which nobody chose another. */
export function preferUsually(unit: Preferences["unit"]) {
  if (unit === usualUnit) return;
  usualUnit = unit;
  show();
  for (const listener of listeners) listener();
}

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function usePreferences(): Preferences {
  return useSyncExternalStore(subscribe, () => shown);
}

show();
