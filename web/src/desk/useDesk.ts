import { useEffect, useMemo, useReducer } from "react";

import type { Exam, Projection, Room, TechniqueRequest } from "../api/queries";

/** What differs from the chart line. A missing key means: as the chart says. */
export interface Overrides {
  sid_cm?: number;
  tube_height_cm?: number;
  tube_angle_deg?: number;
  support?: string;
  grid_ratio?: number;
  grid_offset_cm?: number;
  grid_tilt_deg?: number;
  gap_cm?: number;
  field_cm?: [number, number];
  receptor?: string;
  kvp?: number;
  mas?: number;
  exposure_control?: "aec" | "breathing";
  aec_cells?: string;
  aec_density?: number;
}

/** One stop of the run sheet: a view (with methods to choose from), a clearance, or a wait. */
export interface Stop {
  key: number;
  options: string[];
  projection: string | null;
  clearance: string | null;
  wait_min: number | null;
  when: string;
  note: string;
  status: "todo" | "done" | "skipped";
  thickness_cm: number | null;
  setup: Overrides;
  angle_school: string | null;
  /** A clearance: what was recorded, in words. A wait: when it ends, in ms since 1970. */
  recorded: string | null;
  wait_until: number | null;
}

type Person = NonNullable<TechniqueRequest["patient"]>;
type Facts = NonNullable<TechniqueRequest["facts"]>;

export type AgeBand = NonNullable<Person["age_band"]>;
export type Sex = NonNullable<Person["sex"]>;
export type Habitus = NonNullable<Person["habitus"]>;

export interface Patient {
  age_band?: AgeBand;
  sex?: Sex;
  habitus?: Habitus;
  weight_kg?: number;
  height_cm?: number;
  condition?: string;
  cast?: string;
  contrast?: string;
  cannot_keep_still?: true;
}

export interface DeskState {
  exam: string | null;
  why: string;
  study: string;
  question: string;
  stops: Stop[];
  at: number;
  patient: Patient;
  facts: Facts;
  mat_cm: number | null;
  jaw_cm: number | null;
  /** A reading far outside the usual that was read again, for the stop it was read for. */
  confirmed: number | null;
  /** Which school rules the ladder; null leaves it to the room. */
  school: "rules" | "model" | null;
  checked: string[];
}

/** What the worklist says of a request. */
export interface Study {
  key: string;
  question: string;
  age_band?: AgeBand;
}

type Changes<T> = { [K in keyof T]?: T[K] | null };

type Action =
  | { do: "exam"; exam: Exam; study?: Study }
  | { do: "view"; projection: string }
  | { do: "go"; to: number }
  | { do: "mark"; at: number; status: Stop["status"] }
  | { do: "add"; projection: string }
  | { do: "repeat" }
  | { do: "remove"; at: number }
  | { do: "method"; at: number; projection: string }
  | { do: "clearance"; at: number; recorded: string }
  | { do: "wait"; at: number; until: number | null }
  | { do: "thickness"; cm: number | null }
  | { do: "confirm" }
  | { do: "setup"; change: Changes<Overrides> }
  | { do: "angle-school"; school: string | null }
  | { do: "patient"; change: Changes<Patient> }
  | { do: "facts"; change: Changes<Facts> }
  | { do: "measure"; mat_cm?: number | null; jaw_cm?: number | null }
  | { do: "school"; school: DeskState["school"] }
  | { do: "check"; text: string }
  | { do: "as-charted" };

const NOBODY = { patient: {}, facts: {}, mat_cm: null, jaw_cm: null, confirmed: null, checked: [] };

let last = 0;

function stop(options: string[], more: Partial<Stop> = {}): Stop {
  last += 1;
  return {
    key: last,
    options,
    projection: options[0] ?? null,
    clearance: null,
    wait_min: null,
    when: "",
    note: "",
    status: "todo",
    thickness_cm: null,
    setup: {},
    angle_school: null,
    recorded: null,
    wait_until: null,
    ...more,
  };
}

function stopsOf(exam: Exam): Stop[] {
  return exam.steps.map((step) =>
    stop(step.projections ?? [], {
      clearance: step.clearance ?? null,
      wait_min: step.wait_min ?? null,
      when: step.when ?? "",
      note: step.note ?? "",
    }),
  );
}

function merged<T extends object>(now: T, change: Changes<T>): T {
  const entries = Object.entries({ ...now, ...change }).filter(([, value]) => value !== null);
  return Object.fromEntries(entries) as T;
}

const here = (state: DeskState, change: Partial<Stop>, at = state.at): Stop[] =>
  state.stops.map((one, i) => (i === at ? { ...one, ...change } : one));

const isView = (one: Stop | undefined) => one?.projection != null;

function reduce(state: DeskState, action: Action): DeskState {
  switch (action.do) {
    case "exam": {
      const { exam, study } = action;
      const stops = stopsOf(exam);
      return {
        ...state,
        ...NOBODY,
        patient: study?.age_band ? { age_band: study.age_band } : {},
        exam: exam.id,
        why: exam.why,
        study: study?.key ?? "",
        question: study?.question ?? "",
        stops,
        at: Math.max(0, stops.findIndex(isView)),
      };
    }
    case "view":
      return {
        ...state,
        ...NOBODY,
        exam: null,
        why: "",
        study: "",
        question: "",
        stops: [stop([action.projection])],
        at: 0,
      };
    case "go":
      return isView(state.stops[action.to]) ? { ...state, at: action.to } : state;
    case "mark":
      return { ...state, stops: here(state, { status: action.status }, action.at) };
    case "add": {
      const stops = [...state.stops];
      stops.splice(state.at + 1, 0, stop([action.projection], { note: "Added." }));
      return { ...state, stops, at: state.at + 1 };
    }
    case "repeat": {
      const now = state.stops[state.at];
      if (!now) return state;
      const again = {
        ...stop(now.options),
        projection: now.projection,
        thickness_cm: now.thickness_cm,
        note: "Repeat.",
      };
      const stops = [...state.stops];
      stops.splice(state.at + 1, 0, { ...again, setup: now.setup, angle_school: now.angle_school });
      return { ...state, stops, at: state.at + 1 };
    }
    case "remove": {
      const stops = state.stops.filter((_, i) => i !== action.at);
      const at = Math.min(state.at > action.at ? state.at - 1 : state.at, stops.length - 1);
      const view = isView(stops[at]) ? at : stops.findIndex(isView);
      return view < 0 ? state : { ...state, stops, at: view };
    }
    case "method":
      return {
        ...state,
        stops: here(state, { projection: action.projection, thickness_cm: null, setup: {} }, action.at),
      };
    case "clearance":
      return { ...state, stops: here(state, { recorded: action.recorded, status: "done" }, action.at) };
    case "wait":
      return { ...state, stops: here(state, { wait_until: action.until }, action.at) };
    case "thickness":
      return { ...state, confirmed: null, stops: here(state, { thickness_cm: action.cm }) };
    case "confirm":
      return { ...state, confirmed: state.stops[state.at]?.key ?? null };
    case "setup": {
      const now = state.stops[state.at];
      return now ? { ...state, stops: here(state, { setup: merged(now.setup, action.change) }) } : state;
    }
    case "angle-school":
      return { ...state, stops: here(state, { angle_school: action.school }) };
    case "patient":
      return { ...state, patient: merged(state.patient, action.change) };
    case "facts":
      return { ...state, facts: merged(state.facts, action.change as Changes<Facts>) };
    case "measure":
      return {
        ...state,
        mat_cm: action.mat_cm === undefined ? state.mat_cm : action.mat_cm,
        jaw_cm: action.jaw_cm === undefined ? state.jaw_cm : action.jaw_cm,
      };
    case "school":
      return { ...state, school: action.school };
    case "check": {
      const had = state.checked.includes(action.text);
      return {
        ...state,
        checked: had ? state.checked.filter((one) => one !== action.text) : [...state.checked, action.text],
      };
    }
    case "as-charted":
      return {
        ...state,
        patient: merged(state.patient, { condition: null, cast: null, contrast: null }),
        stops: here(state, { setup: {}, angle_school: null }),
      };
  }
}

const kept = (room: string) => `oakbeam.desk.${room}`;

/** The exam in hand survives a look at another view, in this tab only. */
function start(room: Room, exams: Exam[], charted: Set<string>): DeskState {
  const blank: DeskState = {
    exam: null,
    why: "",
    study: "",
    question: "",
    stops: [],
    at: 0,
    school: null,
    ...NOBODY,
  };
  const possible = exams.filter((one) => one.projections.some((id) => charted.has(id)));
  const exam = possible.find((one) => one.id === "chest") ?? possible[0] ?? exams[0];
  const fresh = exam ? reduce(blank, { do: "exam", exam }) : blank;
  const at = fresh.stops.findIndex((one) => one.projection !== null && charted.has(one.projection));
  const first = at < 0 ? fresh : { ...fresh, at };
  try {
    const text = sessionStorage.getItem(kept(room.id));
    if (!text) return first;
    const before = JSON.parse(text) as DeskState;
    last = Math.max(last, ...before.stops.map((one) => one.key));
    return before.stops.length > 0 && isView(before.stops[before.at]) ? { ...first, ...before } : first;
  } catch {
    return first;
  }
}

export function useDesk(room: Room, projections: Projection[], exams: Exam[], charted: Set<string>) {
  const [state, act] = useReducer(reduce, null, () => start(room, exams, charted));
  useEffect(() => {
    sessionStorage.setItem(kept(room.id), JSON.stringify(state));
  }, [room.id, state]);
  const now = state.stops[state.at];
  const projection = projections.find((one) => one.id === now?.projection);
  const request = useMemo(
    (): TechniqueRequest | null => (now && projection ? requestFor(room, state, now, projection.id) : null),
    [room, projection, state, now],
  );
  return { state, act, now, projection, request };
}

function requestFor(room: Room, state: DeskState, now: Stop, projection: string): TechniqueRequest {
  return {
    room: room.id,
    projection,
    ...(now.thickness_cm === null ? {} : { thickness_cm: now.thickness_cm }),
    mat_cm: now.thickness_cm === null ? 0 : (state.mat_cm ?? 0),
    jaw_cm: now.thickness_cm === null ? 0 : (state.jaw_cm ?? 0),
    thickness_confirmed: state.confirmed === now.key,
    measured: measuredSoFar(state),
    patient: personOf(state.patient),
    ...(Object.keys(state.facts).length ? { facts: state.facts } : {}),
    ...(now.angle_school ? { angle_school: now.angle_school } : {}),
    setup: {
      exposure_control: "manual",
      grid_offset_cm: 0,
      grid_tilt_deg: 0,
      aec_density: 0,
      ...now.setup,
    } as NonNullable<TechniqueRequest["setup"]>,
    ...(state.school ? { school: state.school } : {}),
  };
}

/** The patient as the API takes them. */
export function personOf({ condition, cast, ...person }: Patient): Person {
  return {
    cannot_keep_still: false,
    ...person,
    conditions: condition ? [condition] : [],
    ...(cast ? { cast } : {}),
  };
}

/** Thickness by projection, as far as it was read in this exam. */
export function measuredSoFar(state: DeskState): Record<string, number> {
  const found: Record<string, number> = {};
  for (const one of state.stops)
    if (one.projection !== null && one.thickness_cm !== null) found[one.projection] = one.thickness_cm;
  return found;
}

export type Act = ReturnType<typeof useDesk>["act"];
