import { useCallback, useEffect, useMemo, useReducer, useRef, useState } from "react";

import type { Projection, Room, TechniqueRequest } from "../api/queries";
import { requestFor } from "./request";
import { type Action, leftBehind, NO_EXAM, reduce } from "./state";
import { store, stored } from "./storage";

/** The exam in hand at the Desk of a room: its state, what may be done to it, and the request that it makes. */
export function useDesk(room: Room, projections: Projection[]) {
  const [state, dispatch] = useReducer(reduce, null, () => stored(room.id) ?? NO_EXAM);
  // What is left behind is asked once: the same press again goes on without it.
  const [asked, setAsked] = useState<{ of: string; says: string[]; putsAway: boolean } | null>(null);
  const latest = useRef({ state, asked, projections });
  useEffect(() => {
    latest.current = { state, asked, projections };
  });
  const act = useCallback(
    (action: Action) => {
      const { state, asked, projections } = latest.current;
      const says = leftBehind(state, action, (stop) => {
        const view = projections.find((one) => one.id === stop.projection);
        return view ? `${view.exam} ${view.name}` : "a view";
      });
      const of = kindOf(action);
      // Somebody else at the console is no question: what was in hand is put away, and said.
      if (says.length > 0 && asked?.of !== of && !(action.do === "next-patient" && action.why)) {
        setAsked({ of, says, putsAway: action.do === "next-patient" });
        return;
      }
      setAsked(null);
      dispatch(action.do === "exam" ? { ...action, supports: room.supports.map((one) => one.id) } : action);
    },
    [room],
  );
  useEffect(() => store(room.id, state), [room.id, state]);
  const now = state.stops[state.at];
  const projection = projections.find((one) => one.id === now?.projection);
  const request = useMemo(
    (): TechniqueRequest | null => (now && projection ? requestFor(room, state, now, projection.id) : null),
    [room, projection, state, now],
  );
  return { state, act, now, projection, request, asked, stay: () => setAsked(null) };
}

/** What makes two presses the same one. */
const kindOf = (action: Action): string =>
  JSON.stringify([
    action.do,
    action.do === "go" ? action.to : null,
    action.do === "exam" ? [action.exam.id, action.study?.key ?? ""] : null,
    action.do === "view" ? action.projection : null,
  ]);

export type Act = ReturnType<typeof useDesk>["act"];
