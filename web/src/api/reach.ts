import { useSyncExternalStore } from "react";

/** Whether the server is within reach: no network, or a server that does not answer, is said at once. */
export type Reach = "here" | "no-network" | "no-server";

const inBrowser = typeof window !== "undefined";
let reach: Reach = inBrowser && !navigator.onLine ? "no-network" : "here";
const listeners = new Set<() => void>();

function set(next: Reach) {
  if (next === reach) return;
  reach = next;
  for (const listener of listeners) listener();
}

/** From each request: whether it was answered, by whatever status. */
export function heard(answered: boolean) {
  set(answered ? "here" : navigator.onLine ? "no-server" : "no-network");
}

if (inBrowser) {
  window.addEventListener("offline", () => set("no-network"));
  // That there is a network again is not that the server answers: the next answer says so.
  window.addEventListener("online", () => set(reach === "here" ? "here" : "no-server"));
}

const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

export const useReach = () => useSyncExternalStore(subscribe, () => reach);
