import type { Exam, ExposureRequest, TechniqueRequest } from "../api/queries";

/** What differs from the chart line. A missing key means: as the chart says. */
export interface Overrides {
  sid_cm?: number;
  /** Nobody could measure it: a stretcher, a bed. */
  sid_guessed?: true;
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
  exposure_control?: "manual" | "aec" | "breathing";
  aec_cells?: string;
  aec_density?: number;
  filter?: string;
  focal_spot?: "small" | "large";
  /** The receptor lies corner to corner along the part. */
  diagonal?: true;
}

/** One stop of the run sheet: a view (with methods to choose from), a clearance, or a wait. */
export interface Stop {
  key: number;
  options: string[];
  projection: string | null;
  /** Which side of the exam's: the one asked for, the other, or both at once. */
  pair: "" | "asked" | "other" | "right" | "left" | "both";
  /** Which try of the view this is: 1 for the first. */
  attempt: number;
  /** A view that takes more images than one: which is next, from 1, of how many; null as many as the view usually takes. */
  image: number;
  images: number | null;
  clearance: string | null;
  /** A clearance, as a question of two or three words; may be empty. */
  asks: string;
  wait_min: number | null;
  when: string;
  note: string;
  status: "todo" | "done" | "skipped";
  thickness_cm: number | null;
  /** The side that an image of it was recorded for: it stays, whatever the exam's side becomes. */
  recorded_side: Side | null;
  /** The patient stays as brought: nothing may turn them for it. */
  as_brought: boolean;
  setup: Overrides;
  angle_school: string | null;
  turn_school: string | null;
  /** A clearance: what was recorded, in words. A wait: when it ends, in ms since 1970. */
  recorded: string | null;
  wait_until: number | null;
}

export type Person = NonNullable<TechniqueRequest["patient"]>;
type Facts = NonNullable<TechniqueRequest["facts"]>;

export type AgeBand = NonNullable<Person["age_band"]>;
export type Sex = NonNullable<Person["sex"]>;
export type Habitus = NonNullable<Person["habitus"]>;

export type Side = NonNullable<ExposureRequest["side"]>;

/** A finger or a toe asked for; empty for none. */
export type Digit = NonNullable<TechniqueRequest["digit"]>;

export interface Patient {
  age_band?: AgeBand;
  sex?: Sex;
  habitus?: Habitus;
  weight_kg?: number;
  height_cm?: number;
  condition?: string;
  cast?: string;
  hardware?: string;
  contrast?: string;
  cannot_keep_still?: true;
}

export interface DeskState {
  exam: string | null;
  why: string;
  study: string;
  question: string;
  /** The side that the request, or the technologist, names; empty where nobody did. */
  side: Side;
  /** The finger or toe asked for; empty where none is. */
  digit: Digit;
  stops: Stop[];
  at: number;
  /** The keys of the stops that were exposed, in the order in which it was done. */
  taken: number[];
  /** The stop that was in hand before, which was set up for even where it was not exposed. */
  came_from: number | null;
  /** Who holds the patient, by role; empty for nobody. */
  held_by: string;
  patient: Patient;
  facts: Facts;
  mat_cm: number | null;
  jaw_cm: number | null;
  /** A reading far outside the usual that was read again, for the stop it was read for. */
  confirmed: number | null;
  /** The method to calculate by; null leaves it to the room. */
  school: "rules" | "model" | null;
  checked: string[];
  /** Why the exam before was put away without anybody saying so; empty where somebody did. */
  putAway: string;
  /** The stop whose exposure was made: its image is judged now. */
  exposed: number | null;
  /** The stop whose exposure was made and is not recorded yet; null for none. */
  unrecorded: number | null;
}

/** What the worklist says of a request. */
export interface Study {
  key: string;
  question: string;
  side?: Side;
  digit?: Digit;
  age_band?: AgeBand;
  cast?: string;
  weight_kg?: number;
  /** Projections of which an image was accepted before. */
  done?: string[];
}

type Changes<T> = { [K in keyof T]?: T[K] | null };

export type Action =
  | { do: "exam"; exam: Exam; study?: Study; supports?: string[] }
  | { do: "view"; projection: string }
  | { do: "go"; to: number }
  | { do: "move"; at: number; by: 1 | -1 }
  | { do: "mark"; at: number; status: Stop["status"] }
  | { do: "accepted"; of: number }
  | { do: "rejected" }
  | { do: "images"; of: number }
  | { do: "side"; side: Side }
  | { do: "digit"; digit: Digit }
  | { do: "held-by"; who: string }
  | { do: "same-set-up" }
  | { do: "add"; projection: string }
  | { do: "repeat" }
  | { do: "remove"; at: number }
  | { do: "method"; at: number; projection: string }
  | { do: "clearance"; at: number; recorded: string }
  | { do: "wait"; at: number; until: number | null }
  | { do: "thickness"; cm: number | null }
  | { do: "confirm" }
  | { do: "setup"; change: Changes<Overrides> }
  | { do: "method-of"; of: "angle_school" | "turn_school"; school: string | null }
  | { do: "patient"; change: Changes<Patient> }
  | { do: "facts"; change: Changes<Facts> }
  | { do: "measure"; mat_cm?: number | null; jaw_cm?: number | null }
  | { do: "school"; school: DeskState["school"] }
  | { do: "check"; text: string }
  | { do: "as-charted" }
  | { do: "exposed" }
  | { do: "before" }
  | { do: "next-patient"; why?: string };

/** What belongs to one patient and goes with them. */
const NOBODY = {
  patient: {},
  facts: {},
  mat_cm: null,
  jaw_cm: null,
  confirmed: null,
  checked: [],
  exposed: null,
  unrecorded: null,
  putAway: "",
  taken: [],
  came_from: null,
  held_by: "",
};

/** Nobody is chosen: no exam, no view, and so no technique. */
export const NO_EXAM: DeskState = {
  exam: null,
  why: "",
  study: "",
  question: "",
  side: "",
  digit: "",
  stops: [],
  at: 0,
  school: null,
  ...NOBODY,
};

let last = 0;

/** Keys given from now on are above this one: a state that was stored has some already. */
export function keysAbove(key: number) {
  last = Math.max(last, key);
}

function stop(options: string[], more: Partial<Stop> = {}): Stop {
  last += 1;
  return {
    key: last,
    options,
    projection: options[0] ?? null,
    pair: "",
    attempt: 1,
    image: 1,
    images: null,
    clearance: null,
    asks: "",
    wait_min: null,
    when: "",
    note: "",
    status: "todo",
    thickness_cm: null,
    recorded_side: null,
    as_brought: false,
    setup: {},
    angle_school: null,
    turn_school: null,
    recorded: null,
    wait_until: null,
    ...more,
  };
}

/** The stops of an exam; supports: those of the room, where the exam's own one is only taken if it is there. */
function stopsOf(exam: Exam, supports: string[]): Stop[] {
  return exam.steps.map((step) =>
    stop(step.projections ?? [], {
      clearance: step.clearance ?? null,
      asks: step.asks ?? "",
      wait_min: step.wait_min ?? null,
      when: step.when ?? "",
      note: step.note ?? "",
      pair: step.side ?? "",
      as_brought: step.as_brought ?? false,
      setup: step.support && supports.includes(step.support) ? { support: step.support } : {},
    }),
  );
}

/** What everything is set up for when another stop is gone to. */
const leaving = (state: DeskState, to: number) =>
  to === state.at ? state.came_from : (state.stops[state.at]?.key ?? null);

function merged<T extends object>(now: T, change: Changes<T>): T {
  const entries = Object.entries({ ...now, ...change }).filter(([, value]) => value !== null);
  return Object.fromEntries(entries) as T;
}

const here = (state: DeskState, change: Partial<Stop>, at = state.at): Stop[] =>
  state.stops.map((one, i) => (i === at ? { ...one, ...change } : one));

export const isView = (one: Stop | undefined) => one?.projection != null;

const OTHER: Record<Side, Side> = { right: "left", left: "right", both: "both", "": "" };

/** The side that a stop examines; empty where nobody said one. */
export const sideOf = (state: DeskState, one: Stop): Side =>
  one.recorded_side ??
  (one.pair === "" || one.pair === "asked"
    ? state.side
    : one.pair === "other"
      ? OTHER[state.side]
      : one.pair);

/** The view that everything stands as for now: the one exposed last, or set up for last where none was; null for none. */
export function standsAsFor(state: DeskState): Stop | null {
  const others = state.stops.filter((one, i) => i !== state.at && isView(one));
  const of = (key: number | null) => others.find((one) => one.key === key);
  return state.taken.flatMap((key) => of(key) ?? []).at(-1) ?? of(state.came_from) ?? null;
}

/** The next view that is still to do: after the one in hand, or else one that was passed over. */
export function nextOpen(state: DeskState): number | null {
  const open = state.stops.flatMap((one, i) =>
    isView(one) && one.status === "todo" && i !== state.at ? [i] : [],
  );
  return open.find((i) => i > state.at) ?? open[0] ?? null;
}

/** The stops that must come before the one in hand and have not: a clearance not recorded, a wait that is not over. */
export const openBefore = (state: DeskState, now: number): Stop[] =>
  state.stops
    .slice(0, state.at)
    .filter((one) =>
      one.clearance !== null
        ? one.recorded === null
        : one.wait_min !== null && (one.wait_until === null || one.wait_until > now),
    );

/** What a technologist set by hand that goes for the views to come as well. */
const CARRIED = [
  "sid_cm",
  "sid_guessed",
  "support",
  "grid_ratio",
  "receptor",
  "filter",
  "exposure_control",
  "aec_density",
  "kvp",
] as const;

/** How many views to come do not have yet what was set for this one. */
export function toCarryTo(state: DeskState): number {
  const now = state.stops[state.at];
  const set = Object.entries(now ? carried(now) : {});
  return state.stops.filter(
    (one, i) =>
      i > state.at &&
      isView(one) &&
      one.status === "todo" &&
      set.some(([key, value]) => one.setup[key as keyof Overrides] !== value),
  ).length;
}

export const carried = ({ setup }: Stop): Overrides =>
  Object.fromEntries(Object.entries(setup).filter(([key]) => (CARRIED as readonly string[]).includes(key)));

/** The exam in hand after one thing that a person did. Pure: the same state and action give the same state. */
export function reduce(state: DeskState, action: Action): DeskState {
  switch (action.do) {
    case "exam": {
      const { exam, study, supports = [] } = action;
      const before = study?.done ?? [];
      const stops = stopsOf(exam, supports).map((one) =>
        one.options.some((view) => before.includes(view)) ? { ...one, status: "done" as const } : one,
      );
      const open = stops.findIndex((one) => isView(one) && one.status === "todo");
      return {
        ...state,
        ...NOBODY,
        patient: merged<Patient>(
          {},
          {
            // A set that is for one age is for that age where the request says none.
            age_band: study?.age_band ?? exam.age_band ?? null,
            cast: study?.cast ?? null,
            weight_kg: study?.weight_kg ?? null,
          },
        ),
        exam: exam.id,
        why: exam.why,
        study: study?.key ?? "",
        question: study?.question ?? "",
        side: study?.side ?? "",
        digit: study?.digit ?? "",
        stops,
        at: Math.max(0, open < 0 ? stops.findIndex(isView) : open),
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
        side: "",
        digit: "",
        stops: [stop([action.projection])],
        at: 0,
      };
    case "go":
      return isView(state.stops[action.to])
        ? { ...state, at: action.to, came_from: leaving(state, action.to), exposed: null }
        : state;
    case "move": {
      const stops = [...state.stops];
      const [one] = stops.splice(action.at, 1);
      const to = action.at + action.by;
      if (!one || to < 0 || to > stops.length) return state;
      stops.splice(to, 0, one);
      const now = state.stops[state.at]?.key;
      return { ...state, stops, at: stops.findIndex((other) => other.key === now) };
    }
    case "mark":
      return { ...state, stops: here(state, { status: action.status }, action.at) };
    case "accepted": {
      const now = state.stops[state.at];
      const image = now?.image ?? 1;
      const more = image < action.of;
      const recorded_side = now ? sideOf(state, now) : null;
      return {
        ...state,
        unrecorded: null,
        stops: here(state, { recorded_side, ...(more ? { image: image + 1 } : { status: "done" }) }),
      };
    }
    case "rejected":
      return {
        ...state,
        unrecorded: null,
        stops: here(state, { attempt: (state.stops[state.at]?.attempt ?? 0) + 1 }),
      };
    case "images":
      return { ...state, stops: here(state, { images: action.of }) };
    case "digit":
      return { ...state, digit: action.digit };
    case "side":
      // Once something is recorded of a side, pressing it again does not take it back.
      if (action.side === "" && state.stops.some((one) => one.recorded_side !== null)) return state;
      return { ...state, side: action.side };
    case "held-by":
      return { ...state, held_by: action.who };
    case "same-set-up": {
      const now = state.stops[state.at];
      if (!now) return state;
      return {
        ...state,
        stops: state.stops.map((one, i) =>
          i > state.at && isView(one) && one.status === "todo"
            ? { ...one, setup: { ...one.setup, ...carried(now) } }
            : one,
        ),
      };
    }
    case "add": {
      const stops = [...state.stops];
      stops.splice(state.at + 1, 0, stop([action.projection], { note: "Added." }));
      return { ...state, stops, at: state.at + 1, came_from: leaving(state, state.at + 1), exposed: null };
    }
    case "repeat": {
      const now = state.stops[state.at];
      if (!now) return state;
      const tries = state.stops.filter((one) => one.projection === now.projection && one.pair === now.pair);
      const attempt = Math.max(...tries.map((one) => one.attempt)) + 1;
      const { projection, pair, images, thickness_cm, setup, angle_school, turn_school } = now;
      const again = stop(now.options, { note: `Try ${attempt}.`, attempt });
      const stops = [...state.stops];
      stops.splice(state.at + 1, 0, {
        ...again,
        projection,
        pair,
        images,
        thickness_cm,
        setup,
        angle_school,
        turn_school,
      });
      return { ...state, stops, at: state.at + 1, came_from: now.key, exposed: null };
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
    case "method-of":
      return { ...state, stops: here(state, { [action.of]: action.school }) };
    case "patient":
      return { ...state, patient: merged(state.patient, action.change) };
    case "facts":
      return { ...state, facts: merged(state.facts, action.change) };
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
        patient: merged(state.patient, { condition: null, cast: null, hardware: null, contrast: null }),
        stops: here(state, { setup: {}, angle_school: null, turn_school: null }),
      };
    case "exposed": {
      const key = state.stops[state.at]?.key;
      if (key === undefined) return state;
      const taken = [...state.taken.filter((one) => one !== key), key];
      // A view that is recorded is opened again to be looked at: that is no new exposure.
      const unrecorded = state.stops[state.at]?.status === "done" ? state.unrecorded : key;
      return { ...state, exposed: key, unrecorded, taken };
    }
    case "before":
      return { ...state, exposed: null };
    case "next-patient":
      return { ...NO_EXAM, putAway: action.why ?? "" };
  }
}

const LEAVES: readonly Action["do"][] = ["go", "exam", "view", "add", "repeat", "next-patient"];
const PUTS_AWAY: readonly Action["do"][] = ["exam", "view", "next-patient"];

/**
 * What would be left behind by an action, as questions; nothing where it may simply be done. An exposure that was made is recorded
 * or said not to be; views of a patient that are due are not put away by a slip.
 */
export function leftBehind(state: DeskState, action: Action, nameOf: (stop: Stop) => string): string[] {
  if (!LEAVES.includes(action.do) || (action.do === "go" && action.to === state.at)) return [];
  const found = [];
  const open = state.stops.find((one) => one.key === state.unrecorded);
  if (open) found.push(`The exposure of ${nameOf(open)} is not recorded.`);
  const recorded = (one: Stop) => isView(one) && (one.status === "done" || one.attempt > 1 || one.image > 1);
  const begun = state.study !== "" || state.stops.some(recorded);
  const due = state.stops.filter(
    (one) => isView(one) && one.status === "todo" && one.when === "" && one !== open,
  );
  if (PUTS_AWAY.includes(action.do) && state.exam !== null && begun && due.length > 0) {
    const stays = state.study === "" ? "" : " The request stays in the list.";
    found.push(`Still due: ${due.length > 2 ? `${due.length} views` : due.map(nameOf).join(", ")}.${stays}`);
  }
  return found;
}

/** How many things differ from the chart, and from a patient of whom nothing is known, for the view in hand. */
export const changesOf = (state: DeskState) =>
  Object.keys(state.stops[state.at]?.setup ?? {}).length +
  [state.patient.condition, state.patient.cast, state.patient.hardware, state.patient.contrast].filter(
    Boolean,
  ).length;
