import { type DeskState, isView, keysAbove } from "./state";

/** Raised whenever DeskState changes its shape: what an older version left in the tab is then not taken for today's. */
const VERSION = 8;
const place = (room: string) => `oakbeam.desk.${room}`;

/** The exam in hand outlives a reload and a look at another view, in this tab only. */
export function store(room: string, state: DeskState) {
  sessionStorage.setItem(place(room), JSON.stringify({ version: VERSION, state }));
}

/** What was in hand in this tab; null where there is nothing, or nothing that can still be read. */
export function stored(room: string): DeskState | null {
  try {
    const kept = JSON.parse(sessionStorage.getItem(place(room)) ?? "null") as {
      version?: number;
      state?: DeskState;
    } | null;
    if (kept?.version !== VERSION || !kept.state) return null;
    const { state } = kept;
    if (state.stops.length > 0 && !isView(state.stops[state.at])) return null;
    keysAbove(Math.max(0, ...state.stops.map((one) => one.key)));
    return state;
  } catch {
    return null;
  }
}
