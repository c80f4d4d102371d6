import { expect, it } from "vitest";

import type { Line, Projection } from "../../api/queries";
import { asTable, block, canType, cellText, cellValue, COLUMNS, fits, pasted } from "./cells";

const line = (law: object, more = {}) =>
  ({
    id: 1,
    projection: "knee-ap",
    support: "tabletop",
    receptor: "p",
    grid_ratio: 0,
    sid_cm: 100,
    note: "",
    range_cm: [8, 16],
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
    "exposure_control",
  ]);
});

const names = (one: Line) => (one === FIXED ? "Knee AP" : "Hand PA");

it("lays a pasted block over the cells, in order; empty cells and cells that a line has not are left", () => {
  const { cells, past } = pasted(block("70 kV\t8\r\n72\t9,5\n"), [FIXED, BANDED], names, 0, at("kvp"));
  expect(past).toEqual([]);
  expect(cells.map((one) => [one.line, one.column, one.text])).toEqual([
    [FIXED, "kvp", "70 kV"],
    [FIXED, "mas", "8"],
    [BANDED, "kvp", "72"],
    [BANDED, "mas", "9,5"],
  ]);
  const more = pasted(block("12:1\t\t13–36\tAEC L+R\t12"), [BANDED], names, 0, at("grid_ratio")).cells;
  expect(more.map((one) => one.column)).toEqual(["grid_ratio", "range_cm", "exposure_control"]);
});

it("rows past the end, or of another view than the line there, are no lines yet and become a table", () => {
  const rows = block("Knee AP\t5:1\nC-spine lat\t12:1\nSkull PA\t12:1");
  const { cells, past } = pasted(rows, [FIXED, BANDED], names, 0, at("projection"));
  expect(cells).toEqual([{ line: FIXED, column: "grid_ratio", text: "5:1" }]);
  expect(past.map((one) => one[0])).toEqual(["C-spine lat", "Skull PA"]);
  expect(asTable(past, at("projection"), "in")).toBe("Projection\tGrid\nC-spine lat\t12:1\nSkull PA\t12:1");
  expect(asTable(block("Exam\tkVp\tmAs\nSkull PA\t75\t20"), 0, "cm").split("\n")[0]).toBe("Exam\tkVp\tmAs");
  expect(pasted(block("70\n72"), [FIXED], names, 0, at("kvp")).past).toEqual([["72"]]);
});

it("finds a line by any words of what it says of itself", () => {
  expect(fits(FIXED, undefined, "KNEE tabletop no grid fixed")).toBe(true);
  expect(fits(FIXED, undefined, "knee bucky")).toBe(false);
  expect(fits(FIXED, undefined, "adults no image", "no image yet")).toBe(true);
  expect(
    fits(
      FIXED,
      { ages: ["1y"], region: "chest", thickness_cm: { small: 9 } } as unknown as Projection,
      "adults",
    ),
  ).toBe(false);
});
