import { useEffect, useRef } from "react";

import { usePreferences } from "./preferences";

/** One line of the keyboard map: what is pressed, what it does, and where it is listed in the help. */
interface KeyBinding {
  keys: string[];
  shown: string;
  does: string;
  /** Let the key reach the field that `run` put the cursor into. */
  pass?: boolean;
  /** Not switched off with the single keys: a person expects it everywhere. */
  always?: boolean;
  run: (event: KeyboardEvent) => void;
}

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  // A list that has been told to open has the next letters, though its first option has not the cursor yet.
  return (
    target.closest(
      `input, textarea, select, [role=listbox], [role=dialog], [role=combobox][aria-expanded="true"]`,
    ) !== null
  );
}

/**
 * Runs bindings on key presses, except while a person types or picks from a list. A key that is held down counts once: what a
 * key does is never done again by leaning on it. Single keys go by the person's preference: plain, with Alt, or not at all.
 */
export function useKeys(bindings: KeyBinding[]) {
  const { keys } = usePreferences();
  const latest = useRef(bindings);
  useEffect(() => {
    latest.current = bindings;
  });
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.ctrlKey || event.metaKey || event.defaultPrevented || event.repeat) return;
      if (isTyping(event.target)) return;
      const pressed = keys === "alt" && event.altKey ? letterOf(event) : event.key;
      const found = latest.current.find((binding) => binding.keys.includes(pressed));
      if (!found) return;
      if (found.always ? event.altKey : keys === "off" || event.altKey !== (keys === "alt")) return;
      if (!found.pass) event.preventDefault();
      found.run(event);
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [keys]);
}

/** The letter or digit of a key, whatever Alt makes of it on this keyboard. */
const letterOf = (event: KeyboardEvent) => {
  const found = /^(?:Key|Digit)(.)$/.exec(event.code);
  return found?.[1] ? (event.shiftKey ? found[1] : found[1].toLowerCase()) : event.key;
};

/** Puts the cursor into the field of that id, its text selected. */
export function focusField(id: string) {
  const field = document.getElementById(id);
  field?.focus();
  if (field instanceof HTMLInputElement) field.select();
}
