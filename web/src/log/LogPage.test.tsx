// @vitest-environment jsdom
import { expect, it } from "vitest";

import { exposure, person, ROOM, session, start } from "../testing/clinic";
import {
  button,
  fireEvent,
  pick,
  press,
  Problem,
  screen,
  serve,
  show,
  SILENCE,
  waitFor,
} from "../testing/server";
import { LogPage } from "./LogPage";

const TREND = {
  points: [
    { id: 1, taken_at: "2026-11-19T10:00:00Z", projection: "lspine-ap", di: -0.4, outcome: "accepted" },
    { id: 2, taken_at: "2026-11-20T10:00:00Z", projection: "lspine-ap", di: 3.6, outcome: "rejected" },
  ],
  count: 2,
  rejected: 1,
  reject_rate: 0.5,
  median_di: 1.6,
  within_acceptable: 0.5,
};
const NOTHING = {
  points: [],
  count: 0,
  rejected: 0,
  reject_rate: null,
  median_di: null,
  within_acceptable: null,
};
const LIST = "GET /api/exposures";

it("says of each exposure what was set and, where it was another, what was suggested", async () => {
  serve({
    [LIST]: [
      exposure(2, { mas: 80, di: 3.6, outcome: "rejected", reject_reason: "motion", reliable: false }),
      exposure(1, { ei: null, optical_density: 1.32, di: null }),
    ],
    "GET /api/exposures/trend": TREND,
  });
  show(<LogPage room={ROOM} />, "/log?part=list");
  await screen.findByText("✕ Patient moved");
  const [first, second] = screen.getAllByRole("row").slice(1);
  expect(first?.textContent).toContain("80 kVp 80 mAssuggested 80, 63");
  expect(first?.textContent).toContain("+3.6not reliable");
  expect(second?.textContent).toContain("OD 1.32");
  expect(second?.textContent).not.toContain("suggested");
  // A missing index is a dash, not a nought.
  expect(second?.textContent).toContain("–");
  expect(screen.getByText("50.0 %")).toBeDefined();
  const picture = screen.getByRole("img", { name: "Deviation index of 2 exposures over time" });
  expect([picture.querySelectorAll("circle").length, picture.querySelectorAll("path").length]).toEqual([
    1, 1,
  ]);
});

it("the filter goes to the list, the trend and the file alike", async () => {
  const server = serve({ [LIST]: [exposure(1)], "GET /api/exposures/trend": TREND });
  show(<LogPage room={ROOM} />, "/log?part=list");
  await screen.findByText("262");
  await pick("Projection: All projections", "Hand PA");
  fireEvent.click(screen.getByRole("radio", { name: "Rejected" }));
  await waitFor(() => {
    for (const to of [LIST, "GET /api/exposures/trend"])
      expect(Object.fromEntries(server.last(to).query)).toMatchObject({
        room: "room-1",
        projection: "hand-pa",
        outcome: "rejected",
      });
  });
  const file = new URL(screen.getByRole<HTMLAnchorElement>("link", { name: "CSV" }).href);
  expect(Object.fromEntries(file.searchParams)).toEqual({
    room: "room-1",
    projection: "hand-pa",
    outcome: "rejected",
  });
});

it("a filter is kept under a name, chosen again, and kept no longer", async () => {
  let kept: { name: string; address: string }[] = [
    { name: "Low hands", address: "projection=hand-pa&q=low" },
  ];
  const server = serve({
    "GET /api/start": start({ session: session(person("tamsin", "technologist")) }),
    [LIST]: [exposure(1)],
    "GET /api/exposures/trend": TREND,
    "GET /api/log/filters": () => kept,
    "PUT /api/log/filters": ({ body }: { body: unknown }) => (kept = [...kept, body as (typeof kept)[0]]),
    "DELETE /api/log/filters": () => (kept = kept.slice(0, 1)),
  });
  show(<LogPage room={ROOM} />, "/log?part=list&outcome=rejected");
  fireEvent.click(await screen.findByRole("button", { name: "Keep this filter…" }));
  fireEvent.change(screen.getByLabelText("Its name"), { target: { value: "All rejected" } });
  press("Keep");
  expect(await screen.findByRole("button", { name: "Keep it no longer" })).toBeDefined();
  expect(server.last("PUT /api/log/filters").body).toEqual({
    name: "All rejected",
    address: "outcome=rejected",
  });
  // Another replaces the whole of it: what that one does not say is not left over from this.
  await pick("Kept filters: All rejected", "Low hands");
  await waitFor(() => {
    const asked = Object.fromEntries(server.last(LIST).query);
    expect(asked).toMatchObject({ projection: "hand-pa", q: "low" });
    expect(asked).not.toHaveProperty("outcome");
  });
  press("Keep it no longer");
  await waitFor(() => expect(server.last("DELETE /api/log/filters").query.get("name")).toBe("Low hands"));
});

it("an empty log says how it fills, an empty filter that it is the filter", async () => {
  serve({ [LIST]: [], "GET /api/exposures/trend": NOTHING });
  show(<LogPage room={ROOM} />, "/log?part=list");
  expect(await screen.findByText(/Record one at the Desk/)).toBeDefined();
  expect(screen.queryByRole("button", { name: "Undo last record" })).toBeNull();
  fireEvent.click(screen.getByRole("radio", { name: "Accepted" }));
  expect(await screen.findByText(/None fits this filter/)).toBeDefined();
});

const mine = { ...exposure(9), recorded_by: "tamsin" };
const hers = { ...exposure(8), recorded_by: "ilse" };
const rows = (role: "technologist" | "keeper", more = {}) =>
  serve({
    "GET /api/start": start({ session: session(person("tamsin", role)) }),
    [LIST]: [mine, hers],
    "GET /api/exposures/trend": TREND,
    ...more,
  });

it("takes back one's own record after a question; another's is not offered to who may not", async () => {
  const server = rows("technologist", { "POST /api/exposures/9/undo": mine });
  show(<LogPage room={ROOM} />, "/log?part=list");
  fireEvent.click(await screen.findByRole("button", { name: /^Take back/ }));
  expect(screen.getByText(/which you recorded/)).toBeDefined();
  press("Yes, take it back");
  await waitFor(() => server.last("POST /api/exposures/9/undo"));
});

it("a chart keeper takes back another's with a reason, and is told where it is refused", async () => {
  const server = rows("keeper", { "POST /api/exposures/8/undo": new Problem(409, "It was undone before.") });
  show(<LogPage room={ROOM} />, "/log?part=list");
  const all = await screen.findAllByRole("button", { name: /^Take back/ });
  fireEvent.click(all[1] as HTMLElement);
  expect(screen.getByText(/recorded by ilse/)).toBeDefined();
  expect(button("Yes, take it back").disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Why"), { target: { value: "wrong room" } });
  press("Yes, take it back");
  expect((await screen.findByRole("alert")).textContent).toContain("undone before");
  expect(server.last("POST /api/exposures/8/undo").body).toEqual({ why: "wrong room" });
});

it("shows more by the hundred while there may be more", async () => {
  const server = serve({
    [LIST]: ({ query }: { query: URLSearchParams }) =>
      Array.from({ length: Math.min(Number(query.get("limit")), 150) }, (_, i) => exposure(i + 1)),
    "GET /api/exposures/trend": TREND,
  });
  show(<LogPage room={ROOM} />, "/log?part=list");
  fireEvent.click(await screen.findByRole("button", { name: "Show more" }));
  await waitFor(() => expect(screen.getAllByRole("row")).toHaveLength(151));
  expect(server.last(LIST).query.get("limit")).toBe("200");
  expect(screen.queryByRole("button", { name: "Show more" })).toBeNull();
});

it("who is not signed in is told so, with the way there and back", async () => {
  serve({
    [LIST]: new Problem(401, "Sign in to read the log."),
    "GET /api/exposures/trend": new Problem(401, "Sign in."),
  });
  show(<LogPage room={ROOM} />, "/log?part=list");
  expect((await screen.findByRole<HTMLAnchorElement>("link", { name: "Sign in" })).getAttribute("href")).toBe(
    "/sign-in?back=%2Flog%3Fpart%3Dlist",
  );
});

it("a silent server is asked again, then said; no old row stays as if it were the answer", async () => {
  const server = serve({ [LIST]: SILENCE, "GET /api/exposures/trend": SILENCE });
  show(<LogPage room={ROOM} />, "/log?part=list");
  expect((await screen.findByRole("alert")).textContent).toContain("does not answer");
  expect(screen.queryByRole("table")).toBeNull();
  expect(server.asked.filter((one) => one.to === LIST && one.query.get("limit") === "100")).toHaveLength(3);
});
