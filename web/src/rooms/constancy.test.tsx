// @vitest-environment jsdom
import { expect, it } from "vitest";

import type { ConstancyTest, Done, Standing } from "../api/constancy";
import { person, ROOM, session, start } from "../testing/clinic";
import { button, fireEvent, press, screen, serve, show, waitFor, within } from "../testing/server";
import { Constancy } from "./Constancy";

const TEST: ConstancyTest = {
  id: "kvp",
  name: "kVp",
  group: "Tube",
  how: "Set and measured.",
  columns: [
    { key: "kvp", name: "Set", unit: "kVp", may_be_zero: false },
    { key: "measured_kvp", name: "Measured", unit: "kVp", may_be_zero: false },
  ],
  rows: 1,
  unit: "% off",
  of_receptor: false,
  source: "after a standard",
  shipped_limit: 10,
  shipped_months: 12,
  tolerance: { limit: 10, months: 12, own: false },
};
const INDEX = { ...TEST, id: "index", name: "Exposure index", group: "Receptor", of_receptor: true };
const done = (id: number, done_on: string, value: number): Done => ({
  id,
  test: "kvp",
  receptor: null,
  done_on,
  kept_at: `${done_on}T10:00:00Z`,
  kept_by: "ilse",
  sheet: [],
  value,
  unit: "% off",
  most: 10,
  passed: value <= 10,
  note: id === 1 ? "tube changed" : "",
});
const DONE = [done(2, "2026-10-01", 12.345), done(1, "2025-10-01", 3)];
const DUE: Standing[] = [
  { test: "kvp", receptor: null, last: DONE[0] ?? null, due_on: "2027-10-01", overdue: false },
  { test: "index", receptor: "panel-43", last: null, due_on: null, overdue: false },
];
const at = "/api/rooms/room-1/constancy";
const served = (routes: Record<string, unknown> = {}, role: "physicist" | "technologist" = "physicist") =>
  serve({
    "GET /api/start": start({ session: session(person("ilse", role)) }),
    "GET /api/constancy-tests": [TEST, INDEX],
    [`GET ${at}`]: { due: DUE, done: DONE, simulated: true },
    [`POST ${at}/outcome`]: { value: 5, unit: "% off", limit: 10, passed: true },
    ...routes,
  });
const type = (label: string, text: string) => {
  const field = screen.getByLabelText(label);
  fireEvent.change(field, { target: { value: text } });
  fireEvent.blur(field);
};

it("says how each test stands, and how it went over time", async () => {
  served();
  show(<Constancy room={ROOM} />);
  const tests = await screen.findByRole("navigation", { name: "Tests" });
  expect(within(tests).getByText(/^failed 01 Oct 2026, next 01 Oct 2027/).className).toContain("text-bad");
  expect(within(tests).getByText("never done")).toBeDefined();
  const past = screen.getByRole("region", { name: "Over time" });
  expect(past.textContent).toContain("12.3 % off (at most 10)");
  expect(past.textContent).toContain("ilse: tube changed");
});

it("a whole sheet is computed and kept with its day; half a row is none", async () => {
  const server = served({ [`POST ${at}`]: done(3, "2026-11-20", 5) });
  show(<Constancy room={ROOM} />);
  await screen.findByLabelText("Set of row 1");
  type("Set of row 1", "80");
  expect(button("Keep it").disabled).toBe(true);
  expect(server.asked.map((one) => one.to)).not.toContain(`POST ${at}/outcome`);
  type("Measured of row 1", "84");
  expect(await screen.findByText("Passed")).toBeDefined();
  fireEvent.change(screen.getByLabelText("Done on"), { target: { value: "2026-11-20" } });
  press("Keep it");
  await waitFor(() =>
    expect(server.last(`POST ${at}`).body).toEqual({
      test: "kvp",
      rows: [{ kvp: 80, measured_kvp: 84 }],
      done_on: "2026-11-20",
      note: "",
    }),
  );
  // The next one starts from a blank sheet.
  await waitFor(() => expect(screen.getByLabelText<HTMLInputElement>("Set of row 1").value).toBe(""));
});

it("the demo's instruments fill a sheet, and a test of a receptor names it", async () => {
  const server = served({ [`GET ${at}/index/simulated`]: [{ kvp: 2.5, measured_kvp: 250 }] });
  show(<Constancy room={ROOM} />);
  fireEvent.click(await screen.findByRole("button", { name: /Exposure index/ }));
  press("Simulated instruments (demo)");
  await screen.findByText("Passed");
  expect(server.last(`POST ${at}/outcome`).body).toMatchObject({ test: "index", receptor: "panel-43" });
});

it("a tolerance of our own is set and taken back by who may, and only read by others", async () => {
  const own = { ...TEST, tolerance: { limit: 5, months: 6, own: true } };
  const server = served({ "GET /api/constancy-tests": [own, INDEX], "PUT /api/constancy-tests/kvp": own });
  const { unmount } = show(<Constancy room={ROOM} />);
  await screen.findByText(/Our own; ships as 10 every 12 months/);
  type("At most", "4");
  await waitFor(() =>
    expect(server.last("PUT /api/constancy-tests/kvp").body).toEqual({ limit: 4, months: 6 }),
  );
  press("As it ships");
  await waitFor(() => expect(server.last("PUT /api/constancy-tests/kvp").body).toEqual({}));
  unmount();
  served({}, "technologist");
  show(<Constancy room={ROOM} />);
  await screen.findByText(/An example, after a standard/);
  expect(screen.queryByRole("button", { name: "Keep it" })).toBeNull();
  expect(screen.getByLabelText<HTMLInputElement>("At most").matches(":disabled")).toBe(true);
});
