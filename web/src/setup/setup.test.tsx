// @vitest-environment jsdom
import { expect, it } from "vitest";

import type { Setup } from "../api/setup";
import { CHART, person, ROOM, session, start, versions } from "../testing/clinic";
import { button, enter, fireEvent, press, Problem, screen, serve, show, waitFor } from "../testing/server";
import { SetupPage } from "./SetupPage";

const NAMES = [
  "administrator",
  "department",
  "people",
  "room",
  "readings",
  "chart",
  "approval",
  "desk",
] as const;

/** A department that has done the first few steps. */
function upTo(done: number, change: Partial<Setup> = {}): Setup {
  return {
    open: done === 0,
    ready: done > 6,
    department: { name: done > 1 ? "Lindenmoor" : "", length_unit: "cm", system: null },
    steps: NAMES.map((name, i) => ({
      name,
      done: i < done,
      needed: !["department", "readings", "desk"].includes(name),
      says: `${name} says`,
    })),
    ...change,
  };
}
const MARA = session(person("mara", "admin", "keeper", "physicist"));
const served = (setup: Setup, routes: Record<string, unknown> = {}, who = MARA, rooms = [ROOM]) =>
  serve({
    "GET /api/setup": setup,
    "GET /api/start": start({ session: who, rooms }),
    "GET /api/agreement": { another_approves: true, idle_minutes: 15, open_records: false },
    "GET /api/people": [MARA.person],
    ...routes,
  });

it("while nobody may sign in there is one thing to do, and a wrong code keeps what was typed", async () => {
  const server = served(
    upTo(0),
    { "POST /api/setup": new Problem(403, "This is not the code.") },
    session(null),
    [],
  );
  show(<SetupPage />, "/setup?step=chart");
  await screen.findByRole("heading", { name: "Who sets it up" });
  expect(button(/Chart/).disabled).toBe(true);
  expect(button("Begin").disabled).toBe(true);
  for (const [label, text] of [
    ["Code from setup-code.txt", "abcde"],
    ["Your name", "Mara Quill"],
    ["Short name to sign in with", "Mara"],
    ["Your password, 10 letters or more", "violet ladder nine"],
  ] as const)
    fireEvent.change(screen.getByLabelText(label), { target: { value: text } });
  fireEvent.click(screen.getByRole("checkbox", { name: "Technologist" }));
  press("Begin");
  expect((await screen.findByRole("alert")).textContent).toContain("This is not the code.");
  expect(server.last("POST /api/setup").body).toEqual({
    code: "abcde",
    id: "mara",
    name: "Mara Quill",
    password: "violet ladder nine",
    roles: ["admin", "keeper", "physicist", "technologist"],
  });
  expect(screen.getByLabelText<HTMLInputElement>("Your name").value).toBe("Mara Quill");
});

it("opens at the first thing that is needed, and asks who is signed out to sign in with the way back", async () => {
  served(upTo(3), {}, session(null));
  show(<SetupPage />, "/setup");
  await screen.findByRole("heading", { name: "Room" });
  expect(screen.getByRole("button", { name: /Room/, current: "step" })).toBeDefined();
  expect(screen.getByRole("link", { name: "Sign in" }).getAttribute("href")).toContain("step%3Droom");
});

const TEMPLATES = [
  { id: "fixed-dr", name: "Fixed digital room", says: "Two Buckys.", room: ROOM },
  { id: "portable", name: "Portable unit", says: "A loose panel.", room: { ...ROOM, aec: null } },
];

it("a room comes from the template that is chosen, or from a file; what is no room's file is said", async () => {
  const server = served(upTo(3), {
    "GET /api/room-templates": TEMPLATES,
    "POST /api/rooms": { ...ROOM, id: "theatre", name: "Theatre" },
    "POST /api/rooms/import": new Problem(422, "'Room 1' is taken."),
    "POST /api/rooms/import/xlsx": new Problem(422, "row 2, column power: pairs."),
  });
  show(<SetupPage />, "/setup?step=room");
  fireEvent.click(await screen.findByRole("radio", { name: /Portable unit.*no AEC/ }));
  const file = document.querySelector("input[type=file]") as HTMLInputElement;
  fireEvent.change(file, { target: { files: [new File(["no json"], "room.txt")] } });
  expect((await screen.findByRole("alert")).textContent).toContain("room.txt is neither JSON nor a workbook");
  fireEvent.change(file, { target: { files: [new File([JSON.stringify(ROOM)], "room.json")] } });
  expect(await screen.findByText("'Room 1' is taken.")).toBeDefined();
  expect(server.last("POST /api/rooms/import").body).toMatchObject({ id: "room-1", name: "Room 1" });
  enter("What the room is called", "Theatre");
  fireEvent.change(file, { target: { files: [new File(["PK"], "Room.XLSX")] } });
  expect(await screen.findByText("row 2, column power: pairs.")).toBeDefined();
  expect(server.last("POST /api/rooms/import/xlsx").body).toEqual({ xlsx: btoa("PK"), name: "Theatre" });
  press("Add this room");
  await waitFor(() =>
    expect(server.last("POST /api/rooms").body).toEqual({ name: "Theatre", template: "portable" }),
  );
  await screen.findByRole("heading", { name: "Output" });
  expect(screen.getByText("Output known")).toBeDefined();
});

it("a first chart is drafted in the department's system", async () => {
  const server = served(
    upTo(5, { department: { name: "Lindenmoor", length_unit: "cm", system: "variable_kvp" } }),
    {
      "GET /api/chart-versions": [],
      "POST /api/rooms/room-1/draft-from-model": { ...CHART, status: "draft" },
    },
  );
  show(<SetupPage />, "/setup");
  fireEvent.click(await screen.findByRole("button", { name: "Draft it" }));
  await waitFor(() =>
    expect(server.last("POST /api/rooms/room-1/draft-from-model").body).toEqual({
      name: "Room 1 chart",
      system: "variable_kvp",
    }),
  );
});

it.each([
  ["mara", "another physicist approves it", 0],
  ["otto", "Approve version 2", 1],
] as const)("of a chart by mara, %s is offered: %s", async (who, says, approvals) => {
  const proposed = { ...CHART, id: 11, version: 2, status: "proposed" as const, author: "mara" };
  const server = served(
    upTo(6),
    {
      "GET /api/chart-versions": versions(proposed),
      "POST /api/charts/11/approve": { ...proposed, status: "approved" },
    },
    session(person(who, "physicist")),
  );
  show(<SetupPage />, "/setup");
  const found = await screen.findByText(new RegExp(says));
  if (found instanceof HTMLButtonElement) fireEvent.click(found);
  await waitFor(() =>
    expect(server.asked.filter((one) => one.to === "POST /api/charts/11/approve")).toHaveLength(approvals),
  );
});
