import { expect, it } from "vitest";

import type { Line } from "../../api/queries";
import { canType, cellText, cellValue, COLUMNS, fits, pasted } from "./cells";

const line = (law: object, more = {}) =>
  ({
    id: 1,
    projection: "knee-ap",
    support: "tabletop",
    receptor: "p",
    grid_ratio: 0,
    sid_cm: 100,
    note: "",
    link: null,
    law,
    ...more,
  }) as unknown as Line;
const FIXED = line({ name: "fixed_kvp", thickness_cm: 12, kvp: 66, mas: 5, doubling_cm: 4.5 });
const VARIABLE = line({ name: "variable_kvp", thickness_cm: 12, kvp: 66, mas: 5, kvp_per_cm: 2 });
const BANDED = line({
  name: "banded",
  bands: [
    { name: "small", min_cm: 8, max_cm: 11, kvp: 60, mas: 4 },
    { name: "average", min_cm: 11, max_cm: 13, kvp: 64, mas: 5 },
    { name: "large", min_cm: 13, max_cm: 16, kvp: 68, mas: 6 },
  ],
});
const LEVELLED = line({
  name: "levelled",
  base_cm: 12,
  points: [
    { thickness_cm: 10, kvp: 66, mas: 3 },
    { thickness_cm: 12, kvp: 66, mas: 5 },
  ],
});
const at = (id: string) => COLUMNS.findIndex((one) => one.id === id);

it("reads each kind of line at its own thickness", () => {
  expect([FIXED, VARIABLE, BANDED, LEVELLED].map((one) => cellValue(one, "mas"))).toEqual([5, 5, 5, 5]);
  expect([BANDED, LEVELLED].map((one) => cellValue(one, "thickness_cm"))).toEqual([12, 12]);
  expect([FIXED, VARIABLE, BANDED].map((one) => cellValue(one, "parameter"))).toEqual([4.5, 2, null]);
  expect(cellText(FIXED, "parameter", "cm")).toBe("×2 / 4.5 cm");
  expect(cellText(BANDED, "parameter", "cm")).toBe("3 bands");
  expect(cellText(FIXED, "sid_cm", "in")).toBe("39.4");
  expect(cellText(FIXED, "grid_ratio", "cm")).toBe("–");
});

it("opens only cells that the line has a number of its own for", () => {
  expect(canType(BANDED, "mas")).toBe(true);
  expect(canType(BANDED, "parameter") || canType(LEVELLED, "thickness_cm")).toBe(false);
  const linked = line(FIXED.law, { link: { to: 3 } });
  expect(COLUMNS.filter((one) => canType(linked, one.id)).map((one) => one.id)).toEqual([
    "grid_ratio",
    "sid_cm",
  ]);
});

it("lays a pasted block over the cells, in order, and leaves out what is no number or has no cell", () => {
  const cells = pasted("70\t8\r\n72\t9,5\n", [FIXED, BANDED], 0, at("kvp"), "cm");
  expect(cells.map((one) => [one.line, one.column, one.value])).toEqual([
    [FIXED, "kvp", 70],
    [FIXED, "mas", 8],
    [BANDED, "kvp", 72],
    [BANDED, "mas", 9.5],
  ]);
  expect(pasted("x\t1,250\t\n80", [FIXED], 0, at("kvp"), "cm")).toEqual([]);
  expect(pasted("12\t13\t14\t15", [BANDED], 0, at("mas"), "cm").map((one) => one.column)).toEqual(["mas"]);
});

it("takes pasted lengths in the unit on screen", () => {
  expect(pasted("40", [FIXED], 0, at("sid_cm"), "in")[0]?.value).toBeCloseTo(101.6);
});

it("finds a line by any words of what it says of itself", () => {
  expect(fits(FIXED, undefined, "KNEE tabletop no grid fixed")).toBe(true);
  expect(fits(FIXED, undefined, "knee bucky")).toBe(false);
});
