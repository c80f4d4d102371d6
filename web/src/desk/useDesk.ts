import { useCallback, useEffect, useMemo, useReducer } from "react";

import type { Projection, Room, TechniqueRequest } from "../api/queries";
import { requestFor } from "./request";
import { type Action, NO_EXAM, reduce } from "./state";
import { store, stored } from "./storage";

/** The exam in hand at the Desk of a room: its state, what may be done to it, and the request that it makes. */
export function useDesk(room: Room, projections: Projection[]) {
  const [state, dispatch] = useReducer(reduce, null, () => stored(room.id) ?? NO_EXAM);
  const act = useCallback(
    (action: Action) =>
      dispatch(action.do === "exam" ? { ...action, supports: room.supports.map((one) => one.id) } : action),
    [room],
  );
  useEffect(() => store(room.id, state), [room.id, state]);
  const now = state.stops[state.at];
  const projection = projections.find((one) => one.id === now?.projection);
  const request = useMemo(
    (): TechniqueRequest | null => (now && projection ? requestFor(room, state, now, projection.id) : null),
    [room, projection, state, now],
  );
  return { state, act, now, projection, request };
}

export type Act = ReturnType<typeof useDesk>["act"];
