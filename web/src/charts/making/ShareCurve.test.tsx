// @vitest-environment jsdom
import { expect, it } from "vitest";

import { screen, show } from "../../testing/server";
import { ShareCurve } from "./ShareCurve";

const CURVE = [
  { exposures: 0, share: 0.55 },
  { exposures: 1, share: 0.64 },
  { exposures: 4, share: 0.73 },
  { exposures: 5, share: 0.74 },
  { exposures: 7, share: 0.76 },
];

it("the curve says what to expect without, with those made, and with those suggested", () => {
  show(<ShareCurve curve={CURVE} believed={4} />);
  const picture = screen.getByRole("img");
  expect(picture.getAttribute("aria-label")).toBe(
    "Expected within ±1 DI: 55 % without a test exposure, 73 % with 4, 76 % with 7",
  );
  const numbers = [...picture.querySelectorAll("text")].map((one) => one.textContent);
  expect(numbers).toEqual(expect.arrayContaining(["0", "4", "7"]));
  expect(numbers).not.toContain("5");
});

it("what is made is a full line and what is suggested a dashed one, and they meet", () => {
  show(<ShareCurve curve={CURVE} believed={4} />);
  const [made, suggested] = [...screen.getByRole("img").querySelectorAll("path")];
  expect(made?.getAttribute("stroke-dasharray")).toBeNull();
  expect(suggested?.getAttribute("stroke-dasharray")).not.toBeNull();
  const ends = (one: Element | undefined) => one?.getAttribute("d")?.slice(1).split("L") ?? [];
  expect(ends(made).at(-1)).toBe(ends(suggested)[0]);
});

it("without a curve nothing is drawn", () => {
  show(<ShareCurve curve={[]} believed={0} />);
  expect(screen.queryByRole("img")).toBeNull();
});
