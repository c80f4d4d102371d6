// @vitest-environment jsdom
import { expect, it } from "vitest";

import { exposure, person, ROOM, session, start } from "../testing/clinic";
import { button, enter, fireEvent, press, screen, serve, show, waitFor } from "../testing/server";
import { LogPage } from "./LogPage";

const EMPTY = {
  points: [],
  count: 0,
  rejected: 0,
  reject_rate: null,
  median_di: null,
  within_acceptable: null,
};
const known = (id: number, change = {}, more = {}) => ({
  exposure: { ...exposure(id), far_over: true, ...change },
  repeats: null,
  repeated_by: null,
  line: null,
  forecast: null,
  images: 0,
  incident: null,
  far_over: "DI +3.6, over +3",
  history: [],
  ...more,
});
const rejected = { outcome: "rejected", reject_reason: "motion" };
const clinic = (more = {}) =>
  serve({
    "GET /api/start": start({ session: session(person("tamsin", "technologist")) }),
    "GET /api/exposures": [],
    "GET /api/exposures/trend": EMPTY,
    "GET /api/exposures/7": known(7, rejected, { repeated_by: 8 }),
    "GET /api/exposures/8": known(8, {}, { repeats: 7 }),
    ...more,
  });

it("a repeat leads to what it repeats, and back", async () => {
  clinic();
  show(<LogPage room={ROOM} />, "/log?part=list&room=room-1&exposure=8");
  fireEvent.click(await screen.findByRole("link", { name: "exposure 7" }));
  const told = await screen.findByText(/Rejected: Patient moved\. Repeated by/);
  expect(told.textContent).toContain("Repeated by exposure 8.");
  fireEvent.click(screen.getByRole("link", { name: "exposure 8" }));
  expect(await screen.findByText(/It repeats/)).toBeDefined();
});

it("what was begun of one exposure's note never stands at another's", async () => {
  const server = clinic({ "POST /api/exposures/8/incident": null });
  show(<LogPage room={ROOM} />, "/log?part=list&room=room-1&exposure=8");
  expect(await screen.findByText("Far over: DI +3.6, over +3")).toBeDefined();
  fireEvent.click(screen.getByRole("link", { name: "exposure 7" }));
  await screen.findByText(/Rejected: Patient moved/);
  fireEvent.click(screen.getByRole("link", { name: "exposure 8" }));
  await screen.findByText(/It repeats/);
  // Both are known by now: what stood at one is not carried to the other.
  enter("What happened", "The grid was left in.");
  fireEvent.click(screen.getByRole("link", { name: "exposure 7" }));
  await screen.findByText(/Rejected: Patient moved/);
  expect(screen.getByLabelText<HTMLInputElement>("What happened").value).toBe("");
  expect(button("Write it down").disabled).toBe(true);
  fireEvent.click(screen.getByRole("link", { name: "exposure 8" }));
  await screen.findByText(/It repeats/);
  enter("What happened", "The grid was left in.");
  enter("Who was told", "The physicist");
  press("Write it down");
  await waitFor(() =>
    expect(server.last("POST /api/exposures/8/incident").body).toEqual({
      happened: "The grid was left in.",
      told: "The physicist",
    }),
  );
});

it("an incident is closed by a keeper, once, with what came of it; a technologist reads it", async () => {
  const written = {
    exposure: 8,
    at: "2026-11-20T10:00:00Z",
    by: "tamsin",
    happened: "The grid was left in.",
    told: "The physicist",
    closed_at: null,
    closed_by: null,
    outcome: "",
  };
  let incident: object = written;
  const routes = {
    "GET /api/exposures/8": () => known(8, {}, { incident }),
    "POST /api/exposures/8/incident/close": ({ body }: { body: unknown }) =>
      (incident = { ...written, ...(body as object), closed_at: "2026-11-21T10:00:00Z", closed_by: "joren" }),
  };
  clinic(routes);
  const { unmount } = show(<LogPage room={ROOM} />, "/log?part=list&room=room-1&exposure=8");
  expect(await screen.findByText(/Told: The physicist/)).toBeDefined();
  expect(screen.queryByLabelText("What it is closed with")).toBeNull();
  unmount();
  const server = clinic({
    ...routes,
    "GET /api/start": start({ session: session(person("joren", "keeper")) }),
  });
  show(<LogPage room={ROOM} />, "/log?part=list&room=room-1&exposure=8");
  await screen.findByLabelText("What it is closed with");
  enter("What it is closed with", "The technique is on the wall now.");
  press("Close it");
  expect(await screen.findByText(/Closed: The technique is on the wall now\./)).toBeDefined();
  expect(server.last("POST /api/exposures/8/incident/close").body).toEqual({
    outcome: "The technique is on the wall now.",
  });
  expect(screen.queryByLabelText("What it is closed with")).toBeNull();
});
