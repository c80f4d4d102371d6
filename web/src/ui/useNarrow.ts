import { useSyncExternalStore } from "react";

/** Below this width a view is one column; as `xl` in the styles. */
const NARROW = "(max-width: 1279px)";

const list = () => window.matchMedia?.(NARROW);

function subscribe(listener: () => void) {
  const narrow = list();
  narrow?.addEventListener("change", listener);
  return () => narrow?.removeEventListener("change", listener);
}

/** Whether there is room for one column only. */
export const useNarrow = () => useSyncExternalStore(subscribe, () => list()?.matches ?? false);
