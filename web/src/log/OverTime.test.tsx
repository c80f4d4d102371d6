// @vitest-environment jsdom
import { expect, it } from "vitest";

import type { Control } from "../api/log";
import { person, ROOM, session, start } from "../testing/clinic";
import { fireEvent, press, Problem, screen, serve, show, waitFor } from "../testing/server";
import { OverTime } from "./OverTime";

const KEEPER = start({ session: session(person("joren", "keeper")) });
const SERIES = {
  key: "hand-pa|bucky|0",
  projection: "hand-pa",
  support: "tabletop",
  grid_ratio: 0,
  receptor: "panel",
  exposure_control: "manual",
  images: 60,
};
const taken = (i: number) => new Date(Date.UTC(2026, 4, 1 + i)).toISOString();
const N = 60;

function control(change: Partial<Control["chart"]> = {}, baseline: Control["baseline"] = null): Control {
  const flat = (value: number) => Array.from({ length: N }, () => value);
  return {
    series: SERIES,
    points: Array.from({ length: N }, (_, i) => ({
      id: i + 1,
      taken_at: taken(i),
      di: i < 30 ? 0.1 : 0.9,
      version: 1,
      outcome: i === 40 ? "rejected" : "accepted",
    })),
    chart: {
      centre: [...flat(0.1).slice(30), ...flat(0.9).slice(30)],
      about: flat(0.1),
      spread: 0.7,
      ewma: flat(0.2),
      ewma_limit: 0.5,
      up: flat(0).map((_, i) => (i < 30 ? 0 : i - 29)),
      down: flat(0),
      cusum_limit: 6.5,
      shifts: [{ begins: 30, size: 0.8, low: 0.5, high: 1.1, before: 0.1, after: 0.9, n: 30 }],
      creep: null,
      accepted: null,
      ...change,
    },
    events: [{ at: taken(20), name: "version 2 came", kind: "version" }],
    baseline,
  };
}

const CHART = "GET /api/rooms/room-1/control-chart";
const routes = (more: object = {}) => ({
  "GET /api/start": KEEPER,
  "GET /api/log/alerts": [],
  "GET /api/rooms/room-1/series": [SERIES],
  [CHART]: control(),
  ...more,
});

it("says when a view moved and by how much, and that its sum is out of control", async () => {
  serve(routes());
  show(<OverTime room={ROOM} />, "/log?part=time");
  expect(await screen.findByText(/About 31 May it moved by \+0\.8 DI \(\+0\.5 to \+1\.1\)/)).toBeDefined();
  expect(
    screen.getByRole("img", { name: "Cumulative sums: out of control at the last image" }),
  ).toBeDefined();
  const picture = screen.getByRole("img", { name: /Hand PA, .*: 60 images over time/ });
  expect(picture.textContent).toContain("version 2 came");
  // A ring where rejected: it is not filled.
  expect(picture.querySelectorAll('circle[fill="none"]')).toHaveLength(1);
});

it("sums within their limit are said to be so, and nothing moved is said too", async () => {
  serve(routes({ [CHART]: control({ up: Array.from({ length: N }, () => 1), shifts: [] }) }));
  show(<OverTime room={ROOM} />, "/log?part=time");
  expect(await screen.findByText(/Nothing moved that is more than chance/)).toBeDefined();
  expect(
    screen.getByRole("img", { name: "Cumulative sums: within their limit at the last image" }),
  ).toBeDefined();
});

it("a keeper accepts a period; one with too few images is refused in words, and nothing is changed", async () => {
  const PUT = "PUT /api/rooms/room-1/control-chart/baseline";
  let refuses = true;
  const kept = { since: "2026-05-01", until: "2026-05-25", at: "2026-11-27T10:00:00Z", by: "joren" };
  const server = serve(
    routes({
      [CHART]: () => (refuses ? control() : control({ accepted: [0, 25] }, kept)),
      [PUT]: () =>
        refuses
          ? new Problem(422, "3 of the images that are drawn lie in that period.")
          : control({ accepted: [0, 25] }, kept),
    }),
  );
  show(<OverTime room={ROOM} />, "/log?part=time");
  expect(await screen.findByText(/no period is accepted/)).toBeDefined();
  fireEvent.click(await screen.findByRole("button", { name: "Accept a period…" }));
  // It offers what is drawn.
  expect(screen.getByLabelText<HTMLInputElement>("From").value).toBe("2026-05-01");
  fireEvent.change(screen.getByLabelText("To"), { target: { value: "2026-05-03" } });
  press("Accept it");
  expect((await screen.findByRole("alert")).textContent).toContain("3 of the images");
  expect(screen.getByText(/no period is accepted/)).toBeDefined();
  refuses = false;
  fireEvent.change(screen.getByLabelText("To"), { target: { value: "2026-05-25" } });
  press("Accept it");
  expect(await screen.findByText(/stand on 01 May to 25 May, accepted by joren/)).toBeDefined();
  expect(server.last(PUT).body).toEqual({ series: SERIES.key, since: "2026-05-01", until: "2026-05-25" });
  fireEvent.click(await screen.findByRole("button", { name: "Accept none" }));
  await waitFor(() =>
    expect(server.last(PUT).body).toEqual({ series: SERIES.key, since: null, until: null }),
  );
});

it("who may not keep the chart reads the limits and accepts nothing", async () => {
  serve(routes({ "GET /api/start": start({ session: session(person("tamsin", "technologist")) }) }));
  show(<OverTime room={ROOM} />, "/log?part=time");
  expect(await screen.findByText(/no period is accepted/)).toBeDefined();
  expect(screen.queryByRole("button", { name: "Accept a period…" })).toBeNull();
});
