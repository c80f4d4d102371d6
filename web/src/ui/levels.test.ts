import { expect, it } from "vitest";

import { greyOf, greys, histogram, levelsOf } from "./levels";

const picture = (levels: number[]) => {
  const bytes = new Uint8Array(new Uint16Array(levels).buffer);
  return {
    rows: 1,
    columns: levels.length,
    pixel_mm: 1,
    dark: 40_000,
    light: 20_000,
    levels: btoa(String.fromCharCode(...bytes)),
  };
};

it("reads the levels as they were sent", () => {
  expect([...levelsOf(picture([0, 1, 256, 65_535]))]).toEqual([0, 1, 256, 65_535]);
});

it("what received more is darker, and inverse the other way about", () => {
  const window = { dark: 40_000, light: 20_000 };
  const shades = [0, 20_000, 25_000, 30_000, 35_000, 40_000, 65_535].map((one) => greyOf(one, window, false));
  expect(shades).toEqual([...shades].sort((a, b) => b - a));
  expect([shades[0], shades[1], shades[5], shades[6]]).toEqual([255, 255, 0, 0]);
  expect(Math.abs(greyOf(30_000, window, false) - 127.5)).toBeLessThan(1);
  for (const level of [22_000, 30_000, 38_000])
    expect(Math.abs(greyOf(level, window, true) + greyOf(level, window, false) - 255)).toBeLessThanOrEqual(1);
});

it("a table of greys is the same as asking for each", () => {
  const window = { dark: 50_000, light: 10_000 };
  const table = greys(window, false);
  for (const level of [0, 9_999, 30_000, 65_535])
    expect(Math.abs((table[level >> 4] ?? 0) - greyOf(level, window, false))).toBeLessThanOrEqual(1);
});

it("a histogram counts every pixel, and what lies at either end does not flatten the rest", () => {
  const levels = levelsOf(picture([...new Array<number>(90).fill(65_535), 20_000, 20_001, 30_000]));
  const counts = histogram(levels, 16);
  expect(counts[Math.floor((20_000 * 16) / 65_536)]).toBe(1);
  expect(counts[Math.floor((30_000 * 16) / 65_536)]).toBe(0.5);
  expect(counts[15]).toBe(1);
});
