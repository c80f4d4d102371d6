// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import type { Strip } from "../../api/bench";
import type { Chart } from "../../api/queries";
import {
  BANDED,
  CHART,
  FIXED,
  LEVELLED,
  listed,
  person,
  PROJECTIONS,
  ROOM,
  session,
  start,
  tableOf,
  versions,
} from "../../testing/clinic";
import {
  button,
  enter,
  fireEvent,
  pick,
  press,
  Problem,
  screen,
  serve,
  show,
  waitFor,
} from "../../testing/server";
import { ChartsPage } from "../ChartsPage";
import { Targets } from "../check/Targets";
import { CompareView } from "./CompareView";
import { Heading } from "./Heading";
import { HistoryView } from "./HistoryView";

const NAMES = new Map(PROJECTIONS.map((one) => [one.id, one]));
const as = (...roles: Parameters<typeof person>[1][]) => ({
  "GET /api/start": start({ session: session(person("somebody", ...roles)) }),
});

function heading(chart: Chart, routes: Record<string, unknown>) {
  const server = serve(routes);
  const calls = { onNewLine: vi.fn(), onPrint: vi.fn(), onGone: vi.fn() };
  show(<Heading chart={chart} mayEdit {...calls} />);
  return { server, ...calls };
}

it("a draft is proposed by a keeper, and an empty one cannot be", async () => {
  const { server } = heading(CHART, {
    ...as("keeper"),
    "GET /api/charts/11/lint": [],
    "POST /api/charts/11/propose": CHART,
  });
  expect(screen.queryByRole("button", { name: /Approve/ })).toBeNull();
  await waitFor(() => expect(button("Propose version 2").disabled).toBe(false));
  press("Propose version 2");
  await waitFor(() => server.last("POST /api/charts/11/propose"));
  heading({ ...CHART, lines: [] }, as("keeper"));
  expect(screen.getAllByRole<HTMLButtonElement>("button", { name: "Propose version 2" })[1]?.disabled).toBe(
    true,
  );
});

it("what the chart check calls unusable is given a reason before the version is proposed", async () => {
  const error = {
    rule: "tube_limit",
    severity: "error",
    lines: [1],
    title: "Cannot be set",
    what: "",
    why: "",
    fix: "",
  };
  const { server } = heading(CHART, {
    ...as("keeper"),
    "GET /api/charts/11/lint": [
      error,
      { ...error, lines: [2] },
      { ...error, rule: "drifts", severity: "warning" },
    ],
    "POST /api/charts/11/propose": CHART,
  });
  await waitFor(() => expect(server.asked.some((one) => one.to === "GET /api/charts/11/lint")).toBe(true));
  await waitFor(() => {
    press("Propose version 2");
    expect(screen.getByRole("region", { name: "What stands all the same" })).toBeDefined();
  });
  expect(button("Propose version 2").disabled).toBe(true);
  enter("Cannot be set (2): why it stands", "only on the portable");
  press("Propose version 2");
  await waitFor(() =>
    expect(server.last("POST /api/charts/11/propose").body).toEqual({
      reasons: { tube_limit: "only on the portable" },
    }),
  );
});

it("discarding asks twice, and forgets the question when one goes elsewhere", async () => {
  const { server, onGone } = heading(CHART, { ...as("keeper"), "DELETE /api/charts/11": null });
  press("Discard");
  fireEvent.blur(button("Discard: press again"));
  press("Discard");
  expect(server.asked.some((one) => one.to === "DELETE /api/charts/11")).toBe(false);
  press("Discard: press again");
  await waitFor(() => expect(onGone).toHaveBeenCalled());
});

it("a proposed version is approved by a physicist alone; four eyes are the server's to judge", async () => {
  const proposed: Chart = {
    ...CHART,
    status: "proposed",
    proposed_by: "keeper",
    proposed_at: "2026-11-11T08:00:00Z",
  };
  heading(proposed, {
    ...as("physicist"),
    "POST /api/charts/11/approve": new Problem(
      403,
      "You changed a line of this version: another person approves it.",
    ),
  });
  expect(screen.getByText(/waits for a physicist/)).toBeDefined();
  fireEvent.click(await screen.findByRole("button", { name: "Approve version 2" }));
  expect((await screen.findByRole("alert")).textContent).toContain("another person approves it");
});

it("a version goes back with a reason, never without", async () => {
  const proposed: Chart = {
    ...CHART,
    status: "proposed",
    proposed_by: "keeper",
    proposed_at: "2026-11-11T08:00:00Z",
  };
  const { server } = heading(proposed, { ...as("keeper"), "POST /api/charts/11/return": CHART });
  press("Return to author");
  expect(button("Return to author as draft").disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Why it goes back"), { target: { value: "Knee is too dark." } });
  press("Return to author as draft");
  await waitFor(() =>
    expect(server.last("POST /api/charts/11/return").body).toEqual({ why: "Knee is too dark." }),
  );
  await waitFor(() => expect(screen.queryByLabelText("Why it goes back")).toBeNull());
});

it("an approved version cannot be changed from here, and says who stands for it", () => {
  heading(
    { ...CHART, status: "approved", approver: "ilse", approved_at: "2026-11-12T08:00:00Z" },
    as("keeper", "physicist"),
  );
  expect(screen.getByText(/approved by ilse on 12 Nov 2026; never changes/)).toBeDefined();
  for (const name of [/Discard/, /Propose/, /Approve/, /Return/])
    expect(screen.queryByRole("button", { name })).toBeNull();
});

it("a draft's name and grid table are kept one at a time, an empty name never", async () => {
  const { server } = heading(CHART, { ...as("keeper"), "PUT /api/charts/11": CHART });
  press("name and grid factors");
  enter("Name of the chart", "  ");
  expect(server.asked.filter((one) => one.to.startsWith("PUT"))).toHaveLength(0);
  enter("Name of the chart", "Winter chart");
  await waitFor(() =>
    expect(server.last("PUT /api/charts/11").body).toEqual({
      name: "Winter chart",
      grid_table: "average",
      note: "",
    }),
  );
  await pick(/Grid factors/, /By kVp/);
  await waitFor(() =>
    expect(server.last("PUT /api/charts/11").body).toEqual({
      name: CHART.name,
      grid_table: "by_kvp",
      note: "",
    }),
  );
});

// --- against another version

const COMPARED = [
  {
    before: FIXED,
    after: FIXED,
    change: "changed",
    what: ["mAs 36 to 40"],
    sizes: [
      {
        who: "average",
        thickness_cm: 21,
        before: [80, 36],
        after: [80, 40],
        di_change: 0.46,
        dose_change_percent: 11,
      },
      {
        who: "large",
        thickness_cm: 30,
        before: [80, 100],
        after: null,
        di_change: -1.4,
        dose_change_percent: null,
      },
    ],
  },
  { before: BANDED, after: BANDED, change: "same", what: [], sizes: [] },
  { before: LEVELLED, after: null, change: "removed", what: [], sizes: [] },
];

it("is compared with the version before, and shows what differs and what that does", async () => {
  const before: Chart = { ...CHART, id: 10, version: 1, status: "approved" };
  serve({
    "GET /api/chart-versions": versions(CHART, before, { ...CHART, id: 30, room: "room-2", version: 7 }),
    "GET /api/charts/10/compare/11": COMPARED,
    "GET /api/charts/30/compare/11": [COMPARED[1]],
  });
  show(<CompareView chart={CHART} room={ROOM} projections={NAMES} />);
  await screen.findByText("2 of 3 lines differ.");
  const [first, second] = screen.getAllByRole("row").slice(1);
  expect(first?.textContent).toContain("mAs 36 to 40");
  expect(first?.textContent).toContain("21 cm: 36 → 40DI +0.5, dose +11 %");
  // No number is shown for what is no longer there.
  expect(first?.textContent).toContain("30 cm: 100 → –DI −1.4");
  expect(screen.getByText("DI −1.4").className).toContain("text-warn");
  expect(second?.textContent).toContain("− taken out");
  await pick(/Compare with: Room 1, version 1 \(approved\)/, /Room 2, version 7/);
  expect(await screen.findByText("No difference in 1 lines.")).toBeDefined();
});

it("one chart alone has nothing to be compared with", async () => {
  serve({ "GET /api/chart-versions": versions(CHART) });
  show(<CompareView chart={CHART} room={ROOM} projections={NAMES} />);
  expect(await screen.findByText("Nothing to compare with")).toBeDefined();
});

// --- what was said and done

it("many lines changed at once are one entry, and comments are settled by whoever may", async () => {
  const at = "2026-11-20T10:00:00Z";
  const row = (id: number, action: string, detail: object, actor = "joren") => ({
    id,
    at,
    actor,
    action,
    subject: "11",
    detail,
  });
  const changed = { projection: "lspine-ap", why: "mAs +10 %" };
  const server = serve({
    ...as("keeper"),
    "GET /api/charts/11/history": [
      row(5, "comment.add", { text: "Looks right." }),
      row(4, "line.change", changed),
      row(3, "line.change", changed),
      row(2, "line.change", changed, "ilse"),
      row(1, "chart.draft", {}),
    ],
    "GET /api/charts/11/comments": [
      {
        id: 8,
        chart: 11,
        line_key: 1,
        at,
        author: "ilse",
        text: "Too low?",
        resolved_at: null,
        resolved_by: null,
      },
      {
        id: 7,
        chart: 11,
        line_key: null,
        at,
        author: "tamsin",
        text: "Done.",
        resolved_at: at,
        resolved_by: "joren",
      },
    ],
    "POST /api/comments/8/resolve": {},
    "POST /api/charts/11/comments": {},
  });
  show(<HistoryView chart={CHART} projections={NAMES} />);
  await waitFor(() => expect(document.querySelectorAll("ol > li")).toHaveLength(4));
  const said = [...document.querySelectorAll("ol > li")].map((one) => one.lastElementChild?.textContent);
  expect(said).toEqual([
    "joren said  “Looks right.”",
    "joren changed 2 lines: mAs +10 %",
    "ilse changed Lumbar spine AP: mAs +10 %",
    "joren began the draft ",
  ]);
  expect(screen.getByText(/on Lumbar spine AP/)).toBeDefined();
  expect(screen.getByText(/settled by joren/)).toBeDefined();
  press("Settled");
  await waitFor(() => server.last("POST /api/comments/8/resolve"));
  fireEvent.change(screen.getByLabelText("Comment on this version"), {
    target: { value: "  Fine by me.  " },
  });
  press("Post");
  await waitFor(() =>
    expect(server.last("POST /api/charts/11/comments").body).toEqual({ text: "Fine by me.", line_key: null }),
  );
  await waitFor(() =>
    expect(screen.getByLabelText<HTMLInputElement>("Comment on this version").value).toBe(""),
  );
});

// --- the page of a room's charts

const strip = (line: number, level: boolean): Strip => ({
  line,
  places_cm: [18, 24],
  exact_di: [0, level ? 0 : 1.8],
  station_di: [0, level ? 0 : 1.8],
  offset_di: 0,
  worst_di: level ? 0 : 1.8,
  level,
});
const CHARTS = "GET /api/chart-versions";
const bench = (more: Record<string, unknown> = {}) => ({
  ...as("keeper"),
  [CHARTS]: versions(CHART),
  "GET /api/charts/11": { ...CHART, lines: [FIXED, BANDED] },
  "GET /api/charts/11/level": [],
  "GET /api/charts/11/lint": [],
  "GET /api/charts/11/lines/1/table": tableOf(FIXED),
  "GET /api/charts/11/lines/2/table": tableOf(BANDED),
  "GET /api/charts/11/comments": [],
  ...more,
});

it("a room without a chart leads to making one", async () => {
  const server = serve({
    ...as("keeper"),
    [CHARTS]: [],
    "POST /api/charts": { ...CHART, id: 12, lines: [] },
  });
  show(<ChartsPage room={ROOM} />);
  expect(await screen.findByText("Room 1 has no chart yet")).toBeDefined();
  press("Start version 1");
  await waitFor(() =>
    expect(server.last("POST /api/charts").body).toEqual({ room: "room-1", name: "Room 1 chart", note: "" }),
  );
});

it("of many versions a page is listed, and an address that names another room's falls back to ours", async () => {
  const many = Array.from({ length: 60 }, (_, i): Chart => ({
    ...CHART,
    id: 11 - i,
    version: 61 - i,
    status: "superseded",
  }));
  const newest = { ...CHART, status: "approved" as const };
  const server = serve({
    ...bench(),
    [CHARTS]: ({ query }: { query: URLSearchParams }) => {
      const before = Number(query.get("before") ?? "12");
      return [newest, ...many.slice(1)]
        .filter((one) => one.id < before)
        .slice(0, 50)
        .map(listed);
    },
    "GET /api/charts/99": { ...CHART, id: 99, room: "room-2" },
  });
  show(<ChartsPage room={ROOM} />, "/charts?chart=99");
  expect(await screen.findByText(/Room 1, versions/)).toBeDefined();
  await waitFor(() => expect(server.last("GET /api/charts/11")).toBeDefined());
  expect(screen.getAllByRole("button", { name: /^Version \d/ })).toHaveLength(50);
  press("Older versions");
  await waitFor(() => expect(screen.getAllByRole("button", { name: /^Version \d/ })).toHaveLength(60));
  expect(screen.queryByRole("button", { name: "Older versions" })).toBeNull();
});

it("typed cells are composed by the server, then sent on the revision that was read", async () => {
  const proposal = {
    id: 1,
    revision: 7,
    line: { ...FIXED, law: { ...FIXED.law, mas: 45 } },
    what: "mAs",
    refusal: null,
  };
  const server = serve(
    bench({
      "POST /api/charts/11/cells": [proposal],
      "POST /api/charts/11/changes": { chart: { ...CHART, revision: 6 }, undo: [] },
    }),
  );
  show(<ChartsPage room={ROOM} />);
  const cell = await screen.findByRole("gridcell", { name: "mAs of Lumbar spine AP" });
  fireEvent.click(cell);
  fireEvent.keyDown(cell, { key: "4" });
  const field = screen.getByRole("textbox", { name: "mAs of Lumbar spine AP" });
  fireEvent.change(field, { target: { value: "45" } });
  fireEvent.keyDown(field, { key: "Enter" });
  await waitFor(() => server.last("POST /api/charts/11/changes"));
  expect(server.last("POST /api/charts/11/cells").body).toMatchObject({
    lines: [{ line: 1, cells: [{ cell: "mas", text: "45", unit: "cm" }] }],
  });
  expect(server.last("POST /api/charts/11/changes").body).toMatchObject({
    why: "typed",
    changes: [{ line: 1, revision: 1, to: { law: { mas: 45 } } }],
  });
});

it("a cell that cannot stand so is said by the name of its line, and nothing is kept", async () => {
  const server = serve(
    bench({
      "POST /api/charts/11/cells": [
        { id: 1, revision: 1, line: null, what: "", refusal: "mas is 9000 mAs." },
      ],
    }),
  );
  show(<ChartsPage room={ROOM} />);
  const cell = await screen.findByRole("gridcell", { name: "mAs of Lumbar spine AP" });
  fireEvent.click(cell);
  fireEvent.keyDown(cell, { key: "9" });
  const field = screen.getByRole("textbox", { name: "mAs of Lumbar spine AP" });
  fireEvent.change(field, { target: { value: "9000" } });
  fireEvent.keyDown(field, { key: "Enter" });
  expect((await screen.findByRole("alert")).textContent).toContain("Lumbar spine AP: mas is 9000 mAs.");
  expect(server.asked.some((one) => one.to.endsWith("/changes"))).toBe(false);
});

it("the tabs count what is off target and what was found, and a finding opens its line", async () => {
  serve(
    bench({
      "GET /api/charts/11/level": [strip(1, false), strip(2, true)],
      "GET /api/charts/11/lint": [
        {
          rule: "grid",
          title: "No grid",
          severity: "error",
          lines: [2],
          what: "Thick, no grid.",
          why: "Scatter.",
          fix: "Take one.",
          proposal: null,
        },
      ],
    }),
  );
  show(<ChartsPage room={ROOM} />);
  expect(await screen.findByRole("radio", { name: "EI over thickness (1 off target)" })).toBeDefined();
  fireEvent.click(screen.getByRole("radio", { name: "Chart check (1)" }));
  expect(screen.getByText("Thick, no grid.")).toBeDefined();
  press("Open the line");
  expect(await screen.findByRole("heading", { name: "Hand PA" })).toBeDefined();
});

it("a target index is chosen from accepted images, with what it costs", async () => {
  const choice = (ei: number, says: string, dose_change_percent: number) => ({
    ...{ ei, says, dose_change_percent, near: 22, noisy: 3 },
  });
  const found = {
    projection: "lspine-ap",
    receptor: "panel-43",
    target_ei: 250,
    images: 30,
    median_ei: 236,
    low_ei: 204,
    high_ei: 272,
    noisy: 6,
    choices: [choice(205, "a fifth are below", -18), choice(250, "the target now", 0)],
  };
  const server = serve({
    "GET /api/charts/11/target-choices": [found],
    "POST /api/charts/11/target": { chart: CHART, touched: [1], undo: [] },
  });
  show(<Targets chart={CHART} room={ROOM} projections={NAMES} editable />);
  fireEvent.click(await screen.findByText(/Target index from accepted images: 1 view has enough/));
  expect(screen.getByText(/30 accepted, index 236 in the middle, 204 to 272/)).toBeDefined();
  expect(button(/250 the target now/).disabled).toBe(true);
  press(/205 a fifth are below: dose −18 %/);
  await waitFor(() =>
    expect(server.last("POST /api/charts/11/target").body).toEqual({
      projection: "lspine-ap",
      receptor: "panel-43",
      target_ei: 205,
    }),
  );
});
