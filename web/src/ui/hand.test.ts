import { expect, it } from "vitest";

import { type Hand, inFingers, withFingers } from "./hand";

const HAND: Hand = [1.8, 3.6, 5.4, 7.2, 9.0];

it("names a length by the fingers it is near to, and none that are not", () => {
  expect([3.6, 5, 7.7, 1.8].map((cm) => inFingers(cm, HAND))).toEqual([
    "2 fingers",
    "3 fingers less a bit",
    "4 fingers and a bit",
    "1 finger",
  ]);
  expect([0.5, 14].map((cm) => inFingers(cm, HAND))).toEqual([null, null]);
});

it("puts them behind each length of a text, and nothing without a hand", () => {
  expect(withFingers("centre 5.4 cm below, 30 cm field", HAND)).toBe(
    "centre 5.4 cm (3 fingers) below, 30 cm field",
  );
  expect(withFingers("5 cm", null)).toBe("5 cm");
});
