// @vitest-environment jsdom
import { useState } from "react";
import { expect, it, vi } from "vitest";

import type { TechniqueResponse } from "../../api/queries";
import { ANSWER, PICTURE } from "../../testing/clinic";
import { press, screen, serve, show } from "../../testing/server";
import { Look } from "./Look";

HTMLCanvasElement.prototype.getContext = vi.fn(() => null) as never;

const LOOKS = "POST /api/practice/looks";
const look = (answer: TechniqueResponse, projection = "lspine-ap") => (
  <Look
    answer={answer}
    projection={projection}
    patient={{ habitus: "sthenic" }}
    receptor="dr_csi"
    side="right"
  />
);

function Changing() {
  const [more, setMore] = useState(0);
  const technique = { ...ANSWER.technique, kvp: ANSWER.technique.kvp + more };
  return (
    <>
      <button onClick={() => setMore(5)}>Another kVp</button>
      {look({ ...ANSWER, technique })}
    </>
  );
}

it("is asked for by a press, says that it is not the patient, and is gone once anything changes", async () => {
  const server = serve({
    "GET /api/practice/lists": { projections: ["lspine-ap"], conditions: {} },
    [LOOKS]: { picture: PICTURE },
  });
  show(<Changing />, "/desk");
  await screen.findByRole("button", { name: /how it would look/ });
  expect(server.asked.filter((one) => one.to === LOOKS)).toEqual([]);
  press(/how it would look/);
  expect(await screen.findByText(/not your patient/)).toBeDefined();
  expect(server.last(LOOKS).body).toMatchObject({
    case: {
      projection: "lspine-ap",
      habitus: "sthenic",
      side: "right",
      thickness_cm: ANSWER.figures.thickness_cm,
    },
    kvp: ANSWER.technique.kvp,
    grid_ratio: ANSWER.technique.grid_ratio,
    di: ANSWER.forecast.di,
  });
  press("Another kVp");
  expect(await screen.findByRole("button", { name: /how it would look/ })).toBeDefined();
  expect(screen.queryByRole("img")).toBeNull();
});

it("is not offered for a view that is not computed", async () => {
  serve({ "GET /api/practice/lists": { projections: ["knee-ap"], conditions: {} } });
  const { container } = show(look(ANSWER), "/desk");
  await new Promise((resolve) => setTimeout(resolve, 30));
  expect(container.querySelector("button")).toBeNull();
});
