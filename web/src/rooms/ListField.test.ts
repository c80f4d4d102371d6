import { describe, expect, it } from "vitest";

import { parse, written } from "./ListField";

describe("a list of stations as text", () => {
  it("writes runs of whole numbers short and reads them back", () => {
    expect(written([40, 41, 42, 43, 50, 63, 80])).toBe("40..43 50 63 80");
    expect(written([1, 1.25, 1.6, 2])).toBe("1 1.25 1.6 2");
    for (const list of [[], [0.5], [1, 2, 3], [1, 2, 3, 4], [10, 11, 12, 13, 14.5, 20, 21]])
      expect(parse(written(list))).toEqual(list);
  });

  it("takes decimal commas and any white space, and refuses what is no number", () => {
    expect(parse(" 0,5  1 \n 1,6 ")).toEqual([0.5, 1, 1.6]);
    expect(parse("40 fifty")).toBeNull();
    expect(parse("50..40")).toBeNull();
    expect(parse("1..9000")).toBeNull();
  });
});
