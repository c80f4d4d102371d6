import { describe, expect, it } from "vitest";

import {
  fieldSize,
  figure,
  fromCm,
  length,
  lengthsIn,
  readAs,
  receptorSize,
  signed,
  toCm,
  trimmed,
  typed,
  typedAngle,
  typedLength,
} from "./units";

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

describe("what people type", () => {
  it.each([
    ["24", "cm", 24],
    ["24 cm", "cm", 24],
    ["24cm", "in", 24 / 2.54],
    ["240 mm", "cm", 24],
    ["1 m", "cm", 100],
    ["1,5", "cm", 1.5],
    [".5", "cm", 0.5],
    ["9.5 in", "cm", 24.13],
    ['9 1/2"', "cm", 24.13],
    ["9 1/2", "in", 9.5],
    ["1/2 in", "in", 0.5],
    ['7"', "cm", 17.78],
    ["7″", "in", 7],
  ] as const)("%s in %s", (text, unit, wanted) => expect(typedLength(text, unit)).toBeCloseTo(wanted, 9));

  it.each(["", "cm", "24 kg", "24a", "-3", "1 2", "9 1/", "1/0 in", "1,250", "2 4 cm"])(
    "no length: %s",
    (text) => expect(typedLength(text, "cm")).toBeNull(),
  );

  it.each([
    ["10", 10],
    ["-10", -10],
    ["−10°", -10],
    ["10 caudal", -10],
    ["-10 ca", 10],
    ["15° ceph", 15],
    ["12,5 cephalad", 12.5],
  ] as const)("angle %s", (text, wanted) => expect(typedAngle(text)).toBe(wanted));

  it.each(["", "caudal", "10 c", "10 x", "--3", "1e2"])("no angle: %s", (text) =>
    expect(typedAngle(text)).toBeNull(),
  );

  it("a plain number may have its field's own unit behind it, and no other", () => {
    expect([readAs("number", "80 kVp", "kVp"), readAs("number", "80kvp", "kVp")]).toEqual([80, 80]);
    expect(readAs("number", "80 mAs", "kVp")).toBeNull();
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

describe("sentences in inches", () => {
  it.each([
    ["Chart covers 13 to 36 cm", "Chart covers 5.1 to 14.2 in"],
    ["At 20° put the focus 101.3 cm up to keep 100 cm.", "At 20° put the focus 39.9 in up to keep 39.4 in."],
    ["35 × 43 cm and 18, 24 or 30.5 cm", "13.8 × 16.9 in and 7.1, 9.4 or 12 in"],
    ["2 kVp per cm from 20 cm", "5.1 kVp per in from 7.9 in"],
    ["120 cm², 36 mm, 40 lines/cm, 5 mGy·cm²", "120 cm², 36 mm, 40 lines/cm, 5 mGy·cm²"],
    ["Chart 12, 40 kVp", "Chart 12, 40 kVp"],
  ])("%s", (text, wanted) => {
    expect(lengthsIn(text, "in")).toBe(wanted);
    expect(lengthsIn(text, "cm")).toBe(text);
  });

  it.each([
    ["5 cm (3 fingers) below", "2 in (3 fingers) below"],
    ["2.5 to 5 cm above the crest", "1 to 2 in above the crest"],
    ["1.3 cm below", "½ in below"],
    ["0.2 cm", "¼ in"],
    ["7 cm", "2¾ in"],
  ])("on a body: %s", (text, wanted) => expect(lengthsIn(text, "in", true)).toBe(wanted));
});

it.each([
  [[35, 43], "35 × 43 cm", "14 × 17 in"],
  [[43, 35], "43 × 35 cm", "17 × 14 in"],
  [[18, 24], "18 × 24 cm", "8 × 10 in"],
  [[42.6, 43.2], "42.6 × 43.2 cm", "17 × 17 in"],
  [[26, 20], "26 × 20 cm", "10.2 × 7.9 in"],
])("a receptor of %s is named", (cm, inCm, inInches) => {
  expect(receptorSize(cm, "cm")).toBe(inCm);
  expect(receptorSize(cm, "in")).toBe(inInches);
});

it("a field is measured, also where a receptor of its size has a name", () =>
  expect(fieldSize([24.2, 30.3], "in")).toBe("9.5 × 11.9 in"));

it.each([
  ["length", "-2", "cm", -2],
  ["length", "−1 in", "cm", -2.54],
  ["length", "+1.5", "cm", 1.5],
  ["number", "-5", "kVp", -5],
  ["number", "− 0", undefined, 0],
  ["length", "-", "cm", null],
] as const)("a %s of %s %s has its sign", (reading, text, unit, wanted) => {
  const found = readAs(reading, text, unit);
  if (wanted === null) expect(found).toBeNull();
  else expect(found).toBeCloseTo(wanted);
});
