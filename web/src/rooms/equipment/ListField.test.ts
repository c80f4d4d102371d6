import { describe, expect, it } from "vitest";

import { parse, written } from "./ListField";

describe("a list of stations as text", () => {
  it("writes runs of whole numbers short and reads them back", () => {
    expect(written([40, 41, 42, 43, 50, 63, 80])).toBe("40..43 50 63 80");
    expect(written([1, 1.25, 1.6, 2])).toBe("1 1.25 1.6 2");
    for (const list of [[], [0.5], [1, 2, 3], [1, 2, 3, 4], [10, 11, 12, 13, 14.5, 20, 21]])
      expect(parse(written(list))).toEqual(list);
  });

  const series = { "R'10": [1, 1.25, 1.6, 2, 2.5, 3.2, 4, 5, 6.3, 8] };
  it("writes a run of a series by its name and reads it back, over decades", () => {
    const mas = [0.25, 0.32, 0.4, 0.5, 0.63, 0.8, 1, 1.25, 1.6, 2, 2.5, 3.2];
    expect(written(mas, series)).toBe("0.25..3.2 R'10");
    expect(written([...mas, 3.5, 100, 125, 160, 200, 250], series)).toBe("0.25..3.2 R'10 3.5 100..250 R'10");
    expect(parse("0,25..3,2 r10 3.5 100..250 R'10", series)).toEqual([...mas, 3.5, 100, 125, 160, 200, 250]);
    // What is one missing is no run over it, and whole numbers stay whole numbers.
    expect(written([1, 2, 3, 4, 5], series)).toBe("1..5");
    expect(
      written(
        mas.filter((one) => one !== 0.8),
        series,
      ),
    ).toBe("0.25..0.63 R'10 1..3.2 R'10");
    for (const wrong of ["1..5 R'7", "0..5 R'10", "1..2..3", "0.5..4"])
      expect(parse(wrong, series)).toBeNull();
  });

  it("takes decimal commas and any white space, and refuses what is no number", () => {
    expect(parse(" 0,5  1 \n 1,6 ")).toEqual([0.5, 1, 1.6]);
    expect(parse("40 fifty")).toBeNull();
    expect(parse("50..40")).toBeNull();
    expect(parse("1..9000")).toBeNull();
  });
});
