import { expect, it } from "vitest";

import type { Exam, Room } from "../api/queries";
import { measuredSoFar, personOf, requestFor } from "./request";
import {
  type Action,
  changesOf,
  type DeskState,
  isView,
  leftBehind,
  nextOpen,
  NO_EXAM,
  openBefore,
  reduce,
  sideOf,
  standsAsFor,
  toCarryTo,
} from "./state";

const step = (projections: string[], more = {}) => ({
  projections,
  clearance: null,
  wait_min: null,
  ...more,
});
const TRAUMA = {
  id: "trauma",
  name: "Spine trauma",
  why: "nothing is moved before it is cleared",
  projections: ["c-lat", "c-ap"],
  steps: [
    step(["c-lat"]),
    step([], { clearance: "Reviewed" }),
    step(["c-ap", "c-ap-angled"]),
    step([], { wait_min: 5 }),
  ],
} as unknown as Exam;
const CHEST = {
  ...TRAUMA,
  id: "chest",
  projections: ["pa", "lat"],
  steps: [step(["pa"]), step(["lat"])],
} as Exam;
const ROOM = { id: "room-1" } as Room;

/** The chest in hand, on its second view. */
const start = () => after(NO_EXAM, { do: "exam", exam: CHEST }, { do: "go", to: 1 });
const after = (state: DeskState, ...actions: Action[]) => actions.reduce(reduce, state);
const view = (state: DeskState) => state.stops[state.at]?.projection;

it("begins with nobody, and the next patient is nobody again", () => {
  expect(view(NO_EXAM)).toBeUndefined();
  const busy = after(
    start(),
    { do: "thickness", cm: 24 },
    { do: "school", school: "model" },
    { do: "exposed" },
  );
  expect(reduce(busy, { do: "next-patient" })).toEqual(NO_EXAM);
});

it("the judging belongs to one view: another view, or a repeat, begins before its exposure", () => {
  const made = reduce(start(), { do: "exposed" });
  expect(made.exposed).toBe(made.stops[1]?.key);
  for (const away of [
    { do: "go", to: 0 },
    { do: "repeat" },
    { do: "add", projection: "pa" },
    { do: "before" },
    { do: "exam", exam: TRAUMA },
  ] as Action[])
    expect(reduce(made, away).exposed).toBeNull();
});

it("says how many things differ from the chart", () => {
  const set = after(
    start(),
    { do: "setup", change: { sid_cm: 110, kvp: 80 } },
    { do: "patient", change: { cast: "wet", sex: "female" } },
  );
  expect([changesOf(start()), changesOf(set), changesOf(reduce(set, { do: "as-charted" }))]).toEqual([
    0, 3, 0,
  ]);
});

it("leaves nothing of the last patient to the next exam", () => {
  const busy = after(
    start(),
    { do: "thickness", cm: 24 },
    { do: "patient", change: { age_band: "5y", cast: "plaster-dry" } },
    { do: "facts", change: { pelvis_cm: 22 } },
    { do: "measure", mat_cm: 2 },
    { do: "check", text: "Right side" },
    { do: "confirm" },
    { do: "setup", change: { sid_cm: 150 } },
  );
  const next = reduce(busy, {
    do: "exam",
    exam: TRAUMA,
    study: { key: "S-1", question: "fall", age_band: "10y" },
  });
  expect(next.patient).toEqual({ age_band: "10y" });
  expect([next.facts, next.mat_cm, next.confirmed, next.checked]).toEqual([{}, null, null, []]);
  expect(measuredSoFar(next)).toEqual({});
  expect(next.stops.every((one) => Object.keys(one.setup).length === 0)).toBe(true);
});

it("never stands on a clearance or a wait", () => {
  const exam = reduce(start(), { do: "exam", exam: TRAUMA });
  for (let to = -1; to < 6; to++)
    expect(isView(after(exam, { do: "go", to }).stops[after(exam, { do: "go", to }).at])).toBe(true);
  const shorter = after(exam, { do: "go", to: 2 }, { do: "remove", at: 2 });
  expect(view(shorter)).toBe("c-lat");
  expect(after(shorter, { do: "remove", at: 0 })).toEqual(shorter);
});

it("repeats a view with its reading and set-up behind it, and adds another after the one in hand", () => {
  const set = after(start(), { do: "thickness", cm: 33 }, { do: "setup", change: { kvp: 90, sid_cm: 150 } });
  const again = reduce(set, { do: "repeat" });
  expect(again.stops.map((one) => one.projection)).toEqual(["pa", "lat", "lat"]);
  expect(again.stops[again.at]).toMatchObject({
    thickness_cm: 33,
    setup: { kvp: 90, sid_cm: 150 },
    note: "Try 2.",
    attempt: 2,
  });
  expect(new Set(again.stops.map((one) => one.key)).size).toBe(3);
  expect(view(reduce(again, { do: "add", projection: "pa" }))).toBe("pa");
});

it("takes a change of set-up back with null, and all of it as charted", () => {
  const set = after(
    start(),
    { do: "setup", change: { kvp: 90, grid_ratio: 0 } },
    { do: "setup", change: { kvp: null } },
  );
  expect(set.stops[set.at]?.setup).toEqual({ grid_ratio: 0 });
  const plain = after(
    set,
    { do: "patient", change: { cast: "x", habitus: "sthenic" } },
    { do: "as-charted" },
  );
  expect(plain.stops[plain.at]?.setup).toEqual({});
  expect(plain.patient).toEqual({ habitus: "sthenic" });
});

it("a new method or reading forgets what belonged to the old one", () => {
  const exam = after(
    start(),
    { do: "exam", exam: TRAUMA },
    { do: "go", to: 2 },
    { do: "thickness", cm: 13 },
    { do: "confirm" },
  );
  expect(exam.confirmed).toBe(exam.stops[2]?.key);
  expect(reduce(exam, { do: "thickness", cm: 14 }).confirmed).toBeNull();
  const other = reduce(exam, { do: "method", at: 2, projection: "c-ap-angled" });
  expect(other.stops[2]).toMatchObject({ projection: "c-ap-angled", thickness_cm: null, setup: {} });
});

it("asks for the view in hand only what was said of it", () => {
  const state = after(
    start(),
    { do: "thickness", cm: 33 },
    { do: "measure", mat_cm: 1 },
    { do: "patient", change: { condition: "ascites", cast: "plaster-dry" } },
    { do: "setup", change: { support: "tabletop" } },
  );
  const now = state.stops[state.at];
  if (!now) throw new Error("no view");
  const asked = requestFor(ROOM, state, now, "lat");
  expect(asked).toMatchObject({
    room: "room-1",
    projection: "lat",
    thickness_cm: 33,
    mat_cm: 1,
    measured: { lat: 33 },
  });
  expect(asked.setup).toEqual({
    support: "tabletop",
    sid_guessed: false,
    diagonal: false,
    grid_offset_cm: 0,
    grid_tilt_deg: 0,
  });
  expect(asked).not.toHaveProperty("school");
  expect(personOf(state.patient)).toEqual({
    cannot_keep_still: false,
    conditions: ["ascites"],
    cast: "plaster-dry",
  });
  const unmeasured = requestFor(ROOM, state, { ...now, thickness_cm: null }, "lat");
  expect(unmeasured).not.toHaveProperty("thickness_cm");
  expect(unmeasured.mat_cm).toBe(0);
});

// --- the order in which the views are taken

const three = () =>
  after(NO_EXAM, { do: "exam", exam: { ...CHEST, steps: [...CHEST.steps, step(["obl"])] } as Exam });

it("everything stands as for the view exposed last, whatever the order of the list", () => {
  const stands = (state: DeskState) => standsAsFor(state)?.projection ?? null;
  expect(stands(three())).toBeNull();
  // Nothing exposed yet: as for the one that was set up before.
  expect(stands(after(three(), { do: "go", to: 2 }))).toBe("pa");
  const last = after(three(), { do: "go", to: 2 }, { do: "exposed" });
  expect(stands(reduce(last, { do: "go", to: 0 }))).toBe("obl");
  expect(stands(after(last, { do: "go", to: 0 }, { do: "go", to: 1 }))).toBe("obl");
  expect(stands(after(last, { do: "go", to: 0 }, { do: "exposed" }, { do: "go", to: 1 }))).toBe("pa");
  // The view that was exposed itself: as for the one before it.
  expect(stands(after(last, { do: "go", to: 0 }, { do: "exposed" }))).toBe("obl");
});

it("next is the next view still open, and then one that was passed over", () => {
  const at = (state: DeskState) => nextOpen(state);
  expect(at(three())).toBe(1);
  const passed = after(three(), { do: "go", to: 2 });
  expect(at(passed)).toBe(0);
  expect(at(after(passed, { do: "mark", at: 0, status: "done" }))).toBe(1);
  expect(
    at(after(passed, { do: "mark", at: 0, status: "done" }, { do: "mark", at: 1, status: "skipped" })),
  ).toBeNull();
});

it("a view is moved and stays in hand; at the ends it stays where it is", () => {
  const order = (state: DeskState) => state.stops.map((one) => one.projection);
  const moved = reduce(three(), { do: "move", at: 0, by: 1 });
  expect(order(moved)).toEqual(["lat", "pa", "obl"]);
  expect(view(moved)).toBe("pa");
  expect(order(reduce(three(), { do: "move", at: 0, by: -1 }))).toEqual(["pa", "lat", "obl"]);
  expect(order(reduce(three(), { do: "move", at: 2, by: 1 }))).toEqual(["pa", "lat", "obl"]);
});

it("a view of two images is done after the second; a rejected one counts as a try", () => {
  const one = after(three(), { do: "images", of: 2 }, { do: "exposed" }, { do: "accepted", of: 2 });
  expect(one.stops[0]).toMatchObject({ image: 2, status: "todo" });
  expect(after(one, { do: "exposed" }, { do: "accepted", of: 2 }).stops[0]?.status).toBe("done");
  expect(reduce(one, { do: "rejected" }).stops[0]?.attempt).toBe(2);
});

it("what was set goes to the views still to come, and what belongs to this one alone does not", () => {
  const set = after(
    three(),
    { do: "mark", at: 1, status: "done" },
    { do: "setup", change: { sid_cm: 182, grid_ratio: 0, kvp: 70, tube_angle_deg: 5, field_cm: [10, 12] } },
    { do: "same-set-up" },
  );
  expect(toCarryTo(set)).toBe(0);
  expect(toCarryTo(reduce(set, { do: "setup", change: { kvp: 71 } }))).toBe(1);
  expect(set.stops.map((one) => one.setup)).toEqual([
    expect.objectContaining({ tube_angle_deg: 5 }),
    {},
    { sid_cm: 182, grid_ratio: 0, kvp: 70 },
  ]);
});

it("the second of a pair is the other side, a fixed side stays, and nobody's side is none", () => {
  const pair = after(NO_EXAM, {
    do: "exam",
    exam: {
      ...CHEST,
      steps: ["asked", "other", "left", "both"].map((side) => step(["obl"], { side })),
    } as Exam,
  });
  const sides = (state: DeskState) => state.stops.map((one) => sideOf(state, one));
  expect(sides(pair)).toEqual(["", "", "left", "both"]);
  expect(sides(reduce(pair, { do: "side", side: "right" }))).toEqual(["right", "left", "left", "both"]);
});

it("a clearance not recorded and a wait not over stand before the views behind them", () => {
  const late = after(NO_EXAM, { do: "exam", exam: TRAUMA }, { do: "go", to: 2 });
  expect(openBefore(late, 0).map((one) => one.clearance)).toEqual(["Reviewed"]);
  expect(openBefore(reduce(late, { do: "clearance", at: 1, recorded: "Cleared" }), 0)).toEqual([]);
  const waits = after(late, { do: "add", projection: "pa" }, { do: "move", at: 3, by: 1 });
  const cleared = after(waits, { do: "clearance", at: 1, recorded: "Cleared" });
  expect(openBefore(cleared, 0)).toHaveLength(1);
  const started = reduce(cleared, { do: "wait", at: 3, until: 5000 });
  expect([openBefore(started, 4999), openBefore(started, 5000)].map((open) => open.length)).toEqual([1, 0]);
});

const names = (one: { projection: string | null }) => one.projection ?? "";
const asks = (state: DeskState, action: Action) => leftBehind(state, action, names);

it("asks before an exposure that was made is left unrecorded, by whatever way", () => {
  const made = after(start(), { do: "exposed" });
  for (const action of [
    { do: "go", to: 0 },
    { do: "exam", exam: TRAUMA },
    { do: "view", projection: "hand" },
    { do: "add", projection: "hand" },
    { do: "next-patient" },
  ] as Action[]) {
    expect(asks(made, action)[0]).toBe("The exposure of lat is not recorded.");
    expect(asks(reduce(made, { do: "before" }), action)[0]).toBe("The exposure of lat is not recorded.");
    expect(asks(reduce(made, { do: "accepted", of: 1 }), action).join()).not.toContain("not recorded");
    expect(asks(reduce(made, { do: "rejected" }), action).join()).not.toContain("not recorded");
  }
  for (const action of [{ do: "thickness", cm: 20 }, { do: "before" }, { do: "go", to: 1 }] as Action[])
    expect(asks(made, action)).toEqual([]);
});

it("asks before the next patient while views are due, and not while nothing was begun", () => {
  expect(asks(start(), { do: "next-patient" })).toEqual([]);
  const one = after(start(), { do: "exposed" }, { do: "accepted", of: 1 });
  expect(asks(one, { do: "next-patient" })).toEqual(["Still due: pa."]);
  expect(asks(one, { do: "go", to: 0 })).toEqual([]);
  const all = after(one, { do: "go", to: 0 }, { do: "exposed" }, { do: "accepted", of: 1 });
  expect(asks(all, { do: "next-patient" })).toEqual([]);
  const study = { key: "S-1", question: "" };
  const request = after(NO_EXAM, { do: "exam", exam: CHEST, study });
  expect(asks(request, { do: "next-patient" })).toEqual([
    "Still due: pa, lat. The request stays in the list.",
  ]);
});

it("what was recorded of a side stays of it, and a press does not take the side back", () => {
  const exam = { ...CHEST, steps: [step(["knee"]), step(["knee-lat"])] } as unknown as Exam;
  const right = after(NO_EXAM, { do: "exam", exam }, { do: "side", side: "right" });
  expect(reduce(right, { do: "side", side: "" }).side).toBe("");
  const done = after(right, { do: "exposed" }, { do: "accepted", of: 1 });
  expect(reduce(done, { do: "side", side: "" }).side).toBe("right");
  const other = reduce(done, { do: "side", side: "left" });
  expect(other.stops.map((one) => sideOf(other, one))).toEqual(["right", "left"]);
});

it("a request that was begun goes on where it was left, and a set for one age is for that age", () => {
  const study = { key: "S-1", question: "", done: ["pa"] };
  const again = after(NO_EXAM, { do: "exam", exam: CHEST, study });
  expect(again.stops.map((one) => one.status)).toEqual(["done", "todo"]);
  expect(view(again)).toBe("lat");
  const newborn = { ...CHEST, age_band: "newborn" } as Exam;
  expect(after(NO_EXAM, { do: "exam", exam: newborn }).patient.age_band).toBe("newborn");
  const brought = { ...CHEST, steps: [step(["pa"], { as_brought: true }), step(["lat"])] } as unknown as Exam;
  const state = after(NO_EXAM, { do: "exam", exam: brought });
  expect(state.stops.map((one) => requestFor(ROOM, state, one, "pa").as_brought)).toEqual([true, false]);
});
