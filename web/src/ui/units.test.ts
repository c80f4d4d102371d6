import { describe, expect, it } from "vitest";

import { figure, fromCm, length, signed, toCm, trimmed, typed } from "./units";

describe("lengths", () => {
  it("go to inches and back unchanged", () => {
    for (const cm of [0.5, 2.54, 24, 45]) expect(toCm(fromCm(cm, "in"), "in")).toBeCloseTo(cm, 12);
    expect(length(25.4, "in")).toBe("10 in");
    expect(length(24.5, "cm")).toBe("24.5 cm");
  });
});

describe("typed numbers", () => {
  it("take a decimal comma or point", () => {
    expect(typed(" 24,5 ")).toBe(24.5);
    expect(typed("24.5")).toBe(24.5);
    expect(typed("24.")).toBe(24);
  });
  it("leave a comma before three digits to the person", () => {
    expect([typed("1,250"), typed("12,500")]).toEqual([null, null]);
    expect([typed("0,250"), typed("1.250"), typed("1,25")]).toEqual([0.25, 1.25, 1.25]);
  });
  it("refuse what is none", () => {
    for (const text of ["", ".", "-3", "1e3", "12 cm", "1,2,3"]) expect(typed(text)).toBeNull();
  });
});

describe("shown numbers", () => {
  it("keep what matters and no zeros behind it", () => {
    expect([0.8333, 6.348, 63.49, 2149.1].map(figure)).toEqual(["0.833", "6.35", "63.5", "2149"]);
    expect(trimmed(100, 2)).toBe("100");
  });
  it("have a real minus, and none before zero", () => {
    expect([0.42, -1.2, -0.04, 0].map((value) => signed(value))).toEqual(["+0.4", "−1.2", "0.0", "0.0"]);
  });
});
