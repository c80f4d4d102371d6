import { useEffect, useState } from "react";

/** Raised whenever something typed changes its shape: what an older version left in the tab is then not read. */
const VERSION = 2;
const place = (of: string) => `oakbeam.draft.${VERSION}.${of}`;

function kept<T>(of: string): T | undefined {
  try {
    return (JSON.parse(sessionStorage.getItem(place(of)) ?? "null") as { typed: T } | null)?.typed;
  } catch {
    return undefined;
  }
}

/** Keeps something typed under a name, for the view that opens with it. */
export function keepDraft<T>(of: string, typed: T) {
  try {
    sessionStorage.setItem(place(of), JSON.stringify({ typed }));
  } catch {
    // More than the tab may hold, as a large spreadsheet: it then lasts while the view is open.
    sessionStorage.removeItem(place(of));
  }
}

/** Typed work that is not saved yet: it outlives a look at another view and a reload, in this tab only. */
export function useDraft<T>(of: string, start: () => T): [T, (next: T | ((now: T) => T)) => void] {
  const [typed, setTyped] = useState<T>(() => kept<T>(of) ?? start());
  useEffect(() => keepDraft(of, typed), [of, typed]);
  return [typed, setTyped];
}

/** Takes out what was typed under this name, and under every name that begins with it. */
export function forgetDrafts(of: string) {
  const found = Array.from({ length: sessionStorage.length }, (_, i) => sessionStorage.key(i) ?? "");
  for (const key of found) if (key.startsWith(place(of))) sessionStorage.removeItem(key);
}
