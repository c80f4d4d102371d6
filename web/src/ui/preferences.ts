import { useSyncExternalStore } from "react";

/** What a person chose once, kept in this browser: theme, unit of length, room, and how single keys work. */
interface Preferences {
  theme: "night" | "day";
  unit: "cm" | "in";
  room: string | null;
  keys: "plain" | "alt" | "off";
}

const KEY = "oakbeam.preferences";
const DEFAULTS: Preferences = { theme: "night", unit: "cm", room: null, keys: "plain" };

function load(): Preferences {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Preferences>;
    return {
      theme: kept.theme === "day" ? "day" : "night",
      unit: kept.unit === "in" ? "in" : "cm",
      room: typeof kept.room === "string" ? kept.room : null,
      keys: kept.keys === "alt" || kept.keys === "off" ? kept.keys : "plain",
    };
  } catch {
    return DEFAULTS;
  }
}

let current = load();
const listeners = new Set<() => void>();

function show() {
  document.documentElement.dataset.theme = current.theme;
}

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

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function usePreferences(): Preferences {
  return useSyncExternalStore(subscribe, () => current);
}

show();
