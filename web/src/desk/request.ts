import type { Room, RunSheetRequest, TechniqueRequest } from "../api/queries";
import { type DeskState, type Overrides, type Patient, type Person, sideOf, type Stop } from "./state";

/** The request for a technique that the view in hand makes. */
export function requestFor(room: Room, state: DeskState, now: Stop, projection: string): TechniqueRequest {
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
    ...schoolsOf(now),
    digit: state.digit,
    setup: setupOf(now.setup),
    as_brought: now.as_brought,
    ...(state.school ? { school: state.school } : {}),
  };
}

const schoolsOf = ({ angle_school, turn_school }: Stop) => ({
  ...(angle_school ? { angle_school } : {}),
  ...(turn_school ? { turn_school } : {}),
});

type Setup = NonNullable<TechniqueRequest["setup"]>;

const setupOf = (setup: Overrides): Setup =>
  ({ sid_guessed: false, diagonal: false, grid_offset_cm: 0, grid_tilt_deg: 0, ...setup }) as Setup;

/** A stop as the run sheet takes a view. */
export const viewOf = (state: DeskState, one: Stop): NonNullable<RunSheetRequest["views"]>[number] => ({
  projection: one.projection ?? "",
  ...(one.thickness_cm === null ? {} : { thickness_cm: one.thickness_cm }),
  setup: setupOf(one.setup),
  side: sideOf(state, one),
  digit: state.digit,
  as_brought: one.as_brought,
  ...schoolsOf(one),
});

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
