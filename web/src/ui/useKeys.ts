import { useEffect, useRef } from "react";

/** One line of the keyboard map: what is pressed, what it does, and where it is listed in the help. */
interface KeyBinding {
  keys: string[];
  shown: string;
  does: string;
  /** Let the key reach the field that `run` put the cursor into. */
  pass?: boolean;
  run: (event: KeyboardEvent) => void;
}

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  return target.closest("input, textarea, select, [role=listbox], [role=dialog]") !== null;
}

/** Runs bindings on plain key presses, except while a person types or picks from a list. */
export function useKeys(bindings: KeyBinding[]) {
  const latest = useRef(bindings);
  useEffect(() => {
    latest.current = bindings;
  });
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
      if (isTyping(event.target)) return;
      const found = latest.current.find((binding) => binding.keys.includes(event.key));
      if (!found) return;
      if (!found.pass) event.preventDefault();
      found.run(event);
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

/** Puts the cursor into the field of that id, its text selected. */
export function focusField(id: string) {
  const field = document.getElementById(id);
  field?.focus();
  if (field instanceof HTMLInputElement) field.select();
}
