// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import { PICTURE } from "../testing/clinic";
import { fireEvent, press, Problem, screen, serve, show } from "../testing/server";
import { Pictures } from "./Pictures";

HTMLCanvasElement.prototype.getContext = vi.fn(() => null) as never;

const LISTS = { "GET /api/practice/lists": { projections: ["knee-ap"], conditions: {} } };
const USUAL = { kvp: 66, mas: 4, sid_cm: 100, grid_ratio: 0 };
const EXPOSE = "POST /api/practice/exposures";

it("shows a good image and what goes wrong, each with its cause, and lets the technique be tried", async () => {
  const server = serve({
    ...LISTS,
    "GET /api/practice/guide/knee-ap": [
      { seen: "As it should be", cause: "", picture: PICTURE },
      { seen: "Fibular head free", cause: "Turned in too far: turn out.", picture: PICTURE },
    ],
    "POST /api/practice/usual": USUAL,
    [EXPOSE]: { picture: PICTURE, ei: 125, di: -3, judged: { verdict: "Under-exposed" } },
  });
  show(<Pictures projection="knee-ap" thicknessCm={12.5} />, "/guide/knee-ap");
  expect(await screen.findByRole("img", { name: "Computed: As it should be" })).toBeDefined();
  expect(screen.getByText("Turned in too far: turn out.")).toBeDefined();
  const mas = await screen.findByRole("slider", { name: /mAs/ });
  fireEvent.change(mas, { target: { value: "-1" } });
  expect(mas.getAttribute("aria-valuetext")).toBe("2");
  fireEvent.change(screen.getByRole("slider", { name: /Grid/ }), { target: { value: "2" } });
  press("Expose");
  expect(await screen.findByText("Index 125, DI −3.0: Under-exposed.")).toBeDefined();
  expect(server.last(EXPOSE).body).toMatchObject({
    case: { projection: "knee-ap", thickness_cm: 12.5 },
    console: { kvp: 66, mas: 2, grid_ratio: 8 },
  });
});

it("a view that is not computed says so, and a refusal is said", async () => {
  serve(LISTS);
  const { unmount } = show(<Pictures projection="swimmers-upright" thicknessCm={28} />, "/guide/x");
  expect(await screen.findByText(/No body is computed/)).toBeDefined();
  unmount();
  serve({ ...LISTS, "GET /api/practice/guide/knee-ap": new Problem(503, "Busy. Come back in a moment.") });
  show(<Pictures projection="knee-ap" thicknessCm={12.5} />, "/guide/knee-ap");
  expect((await screen.findByRole("alert")).textContent).toContain("Busy");
});
