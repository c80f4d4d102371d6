import { useMemo, useReducer } from "react";

import type { Projection, Room, TechniqueRequest } from "../api/queries";

/** What differs from the chart line. A missing key means: as the chart says. */
export interface Overrides {
  sid_cm?: number;
  support?: string;
  grid_ratio?: number;
  receptor?: string;
  kvp?: number;
  mas?: number;
  exposure_control?: "aec" | "breathing";
}

export interface DeskState {
  exam: string;
  projection: string;
  /** Null until a thickness was measured for this projection. */
  thickness_cm: number | null;
  setup: Overrides;
  condition: string | null;
  cast: string | null;
  /** Which school rules the ladder; null leaves it to the room. */
  school: "rules" | "model" | null;
}

type Action =
  | { do: "exam"; exam: string; projection: string }
  | { do: "projection"; projection: string }
  | { do: "thickness"; cm: number | null }
  | { do: "setup"; change: { [K in keyof Overrides]?: Overrides[K] | null } }
  | { do: "condition"; id: string | null }
  | { do: "cast"; id: string | null }
  | { do: "school"; school: DeskState["school"] }
  | { do: "as-charted" };

const CHARTED = { setup: {}, condition: null, cast: null };

function reduce(state: DeskState, action: Action): DeskState {
  switch (action.do) {
    case "exam":
      return { ...state, ...CHARTED, exam: action.exam, projection: action.projection, thickness_cm: null };
    case "projection":
      // Each projection has its own measurement and set-up; only the patient's condition and cast go along.
      return { ...state, projection: action.projection, thickness_cm: null, setup: {} };
    case "thickness":
      return { ...state, thickness_cm: action.cm };
    case "setup": {
      const merged = Object.entries({ ...state.setup, ...action.change });
      return { ...state, setup: Object.fromEntries(merged.filter(([, value]) => value !== null)) };
    }
    case "condition":
      return { ...state, condition: action.id };
    case "cast":
      return { ...state, cast: action.id };
    case "school":
      return { ...state, school: action.school };
    case "as-charted":
      return { ...state, ...CHARTED };
  }
}

export function useDesk(room: Room, projections: Projection[], first: { exam: string; projection: string }) {
  const [state, act] = useReducer(reduce, { ...CHARTED, ...first, thickness_cm: null, school: null });
  const projection = projections.find((one) => one.id === state.projection);
  const request = useMemo((): TechniqueRequest | null => {
    if (!projection) return null;
    return {
      room: room.id,
      projection: projection.id,
      thickness_cm: state.thickness_cm ?? projection.thickness_cm.average,
      patient: {
        conditions: state.condition ? [state.condition] : [],
        ...(state.cast ? { cast: state.cast } : {}),
      },
      setup: { exposure_control: "manual", ...state.setup } as NonNullable<TechniqueRequest["setup"]>,
      ...(state.school ? { school: state.school } : {}),
    };
  }, [room.id, projection, state]);
  return { state, act, projection, request };
}

export type Act = ReturnType<typeof useDesk>["act"];
