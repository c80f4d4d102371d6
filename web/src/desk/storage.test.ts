// @vitest-environment jsdom
import { beforeEach, expect, it } from "vitest";

import type { Exam } from "../api/queries";
import { NO_EXAM, reduce } from "./state";
import { store, stored } from "./storage";

const EXAM = {
  id: "chest",
  name: "Chest",
  why: "",
  projections: ["pa"],
  steps: [{ projections: ["pa"] }],
} as unknown as Exam;
const chest = reduce(NO_EXAM, { do: "exam", exam: EXAM });
const state = reduce(chest, { do: "thickness", cm: 24 });

beforeEach(() => sessionStorage.clear());

it("gives back what was in hand in this tab, for its own room", () => {
  store("room-1", state);
  expect(stored("room-1")).toEqual(state);
  expect(stored("room-2")).toBeNull();
  store("room-2", NO_EXAM);
  expect(stored("room-2")).toEqual(NO_EXAM);
});

it("gives keys that no stored stop has", () => {
  store("room-1", { ...state, stops: state.stops.map((one) => ({ ...one, key: 5000 })) });
  const back = stored("room-1");
  const again = back && reduce(back, { do: "repeat" });
  expect(again?.stops.map((one) => one.key)).toEqual([5000, 5001]);
});

it("takes nothing from another version, or from what is not whole", () => {
  for (const text of [
    "{",
    "null",
    "[]",
    JSON.stringify(state),
    JSON.stringify({ version: 1, state }),
    JSON.stringify({ version: 2, state }),
    JSON.stringify({ version: 3 }),
  ]) {
    sessionStorage.setItem("oakbeam.desk.room-1", text);
    expect(stored("room-1")).toBeNull();
  }
  store("room-1", { ...state, at: 7 });
  expect(stored("room-1")).toBeNull();
});
