// @vitest-environment jsdom
import { beforeEach, expect, it } from "vitest";

import type { Exam } from "../api/queries";
import { firstState, reduce } from "./state";
import { store, stored } from "./storage";

const EXAM = {
  id: "chest",
  name: "Chest",
  why: "",
  projections: ["pa"],
  steps: [{ projections: ["pa"] }],
} as unknown as Exam;
const state = reduce(firstState([EXAM], new Set(["pa"])), { do: "thickness", cm: 24 });

beforeEach(() => sessionStorage.clear());

it("gives back what was in hand in this tab, for its own room", () => {
  store("room-1", state);
  expect(stored("room-1")).toEqual(state);
  expect(stored("room-2")).toBeNull();
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
    JSON.stringify({ version: 2 }),
  ]) {
    sessionStorage.setItem("oakbeam.desk.room-1", text);
    expect(stored("room-1")).toBeNull();
  }
  store("room-1", { ...state, at: 7 });
  expect(stored("room-1")).toBeNull();
});
