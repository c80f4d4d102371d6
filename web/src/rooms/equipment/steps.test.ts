import { expect, it } from "vitest";

import { gapsOf, stepsOf } from "./steps";

it("steps are told as differences or ratios, and a setting left out shows as a gap", () => {
  expect(stepsOf([60, 61, 62, 63], true)).toBe("steps of 1");
  expect(stepsOf([1, 1.25, 1.6, 2, 2.5], false)).toBe("steps of ×1.25 to ×1.28");
  expect(gapsOf([1, 1.25, 1.6, 2, 2.5, 3.2, 4], false)).toEqual([]);
  expect(gapsOf([1, 1.25, 2, 2.5, 3.2, 4], false)).toEqual([[1.25, 2]]);
  expect(gapsOf([60, 62, 64, 70, 72], true)).toEqual([[64, 70]]);
});
