// @vitest-environment jsdom
import { expect, it } from "vitest";

import { PROJECTIONS, ROOM } from "../testing/clinic";
import { fireEvent, Problem, screen, serve, show, slow, waitFor, within } from "../testing/server";
import { LogPage } from "./LogPage";

const share = (part: number, of: number) => ({ part, of, share: part / of, low: 0.02, high: 0.2 });
const middle = (median: number, n = 20) => ({
  n,
  low: median - 0.5,
  median,
  high: median + 0.5,
  median_low: median - 0.1,
  median_high: median + 0.1,
});
const view = (projection: string, change = {}) => ({
  projection,
  made: 20,
  di: middle(0.4),
  within: share(18, 20),
  histogram: Array.from({ length: 16 }, (_, i) => (i === 8 ? 20 : 0)),
  rejects: share(1, 20),
  kerma_mgy: middle(2),
  kap_mgycm2: middle(300),
  ...change,
});
const BOARD = {
  room: "room-1",
  since: "2026-10-01",
  until: "2026-11-20",
  board: {
    exposures: 24,
    rejects_known: 20,
    rejects: share(1, 20),
    said: "",
    within: share(18, 20),
    by_reason: [["motion", 1]],
    by_role: [],
    views: [
      view("lspine-ap"),
      view("hand-pa", { made: 4, di: middle(3, 4), within: share(3, 4), rejects: null, kerma_mgy: null }),
    ],
  },
  levels: [{ projection: "lspine-ap", kerma_mgy: 1.5 }],
  incidents: [
    {
      exposure: 7,
      taken_at: "2026-11-19T10:00:00Z",
      room: "room-1",
      projection: "lspine-ap",
      why: "DI +3.6, over +3",
      note: null,
    },
  ],
};
const COST = { repeats: {}, kap_share: 0.05, newest: null, said: ["300 mGy·cm² went into rejected images."] };
const clinic = (more = {}) =>
  serve({
    "GET /api/log/board": BOARD,
    "GET /api/log/repeats": COST,
    "GET /api/log/alerts": [],
    ...more,
  });

it("says of four images three of four, and not known where nobody says what was rejected", async () => {
  clinic();
  show(<LogPage room={ROOM} />, "/log");
  const [, spine, hand] = within(await screen.findByRole("table")).getAllByRole("row");
  expect(spine?.textContent).toContain("90 %");
  expect(spine?.textContent).toContain("over its level 1.5");
  expect(hand?.textContent).toContain("3 of 4");
  expect(hand?.textContent).toContain("4 only");
  expect(hand?.textContent).toContain("not known");
  expect(screen.getByText("of the 20 of which it is known")).toBeDefined();
});

it("everything leads to the exposures behind it, of the same room and days", async () => {
  clinic();
  show(<LogPage room={ROOM} />, "/log");
  const to = async (name: string | RegExp) => {
    const link = await screen.findByRole<HTMLAnchorElement>("link", { name });
    return Object.fromEntries(new URL(link.href).searchParams);
  };
  const period = { part: "list", room: "room-1", since: "2026-10-01", until: "2026-11-20" };
  expect(await to("24")).toEqual(period);
  expect(await to("Patient moved")).toEqual({ ...period, outcome: "rejected", reason: "motion" });
  expect(await to(/^Lumbar spine AP( \(or PA\))?$/)).toEqual({ ...period, projection: PROJECTIONS[0]?.id });
  expect(await to(/DI \+3.6, over \+3/)).toEqual({ part: "list", room: "room-1", exposure: "7" });
});

it("what rejects cost stands beside the figures of the same days", async () => {
  const server = clinic();
  show(<LogPage room={ROOM} />, "/log?since=2026-10-01&until=2026-11-20");
  expect(await screen.findByText("300 mGy·cm² went into rejected images.")).toBeDefined();
  expect(Object.fromEntries(server.last("GET /api/log/repeats").query)).toEqual({
    room: "room-1",
    since: "2026-10-01",
    until: "2026-11-20",
  });
});

it("a refused cost leaves the board", async () => {
  clinic({ "GET /api/log/repeats": new Problem(422, "Choose a last day.") });
  show(<LogPage room={ROOM} />, "/log");
  expect((await screen.findByRole("alert")).textContent).toContain("Choose a last day.");
  expect(screen.getByRole("table")).toBeDefined();
});

it("figures of other days are gone while the new ones are read", async () => {
  const late = slow<unknown>();
  let asked = 0;
  clinic({ "GET /api/log/board": () => (asked++ === 0 ? BOARD : late.answer) });
  show(<LogPage room={ROOM} />, "/log");
  await screen.findByRole("table");
  fireEvent.click(screen.getByRole("radio", { name: "This month" }));
  await waitFor(() => expect(screen.queryByRole("table")).toBeNull());
  await late.arrive({ ...BOARD, board: { ...BOARD.board, exposures: 3 } });
  expect(await screen.findByRole("link", { name: "3" })).toBeDefined();
});

it("a period without exposures says so", async () => {
  clinic({
    "GET /api/log/board": { ...BOARD, board: { ...BOARD.board, exposures: 0, views: [] }, incidents: [] },
  });
  show(<LogPage room={ROOM} />, "/log");
  expect(await screen.findByText("No exposure in this period")).toBeDefined();
});
