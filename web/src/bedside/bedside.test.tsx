// @vitest-environment jsdom
import { beforeEach, expect, it } from "vitest";

import { App } from "../app/App";
import { fireEvent, press, Problem, screen, serve, show, SILENCE, waitFor } from "../testing/server";
import { prefer } from "../ui/preferences";
import { type BedsideChart, keep, keptCharts } from "./kept";

const CHART: BedsideChart = {
  room: "room-1",
  room_name: "Room 1",
  unit: "cm",
  version: 3,
  approved_at: "2026-11-20T10:00:00Z",
  approver: "ilse",
  review_by: "2027-11-20",
  lines: [
    {
      exam: "Knee",
      name: "AP",
      conditions: "Tabletop, 100 cm",
      control: "",
      receptor: "Loose panel",
      target: "EI 400",
      trust: "model",
      settings: [
        { thickness_cm: 10, kvp: 64, mas: 4 },
        { thickness_cm: 30, kvp: null, mas: null },
      ],
    },
    {
      ...({} as BedsideChart["lines"][0]),
      exam: "Chest",
      name: "PA",
      conditions: "",
      control: "",
      receptor: "",
      target: "",
      trust: "proven",
      settings: [],
    },
  ],
};
const AT = "GET /api/rooms/room-1/bedside";

beforeEach(() => {
  localStorage.removeItem("oakbeam.bedside");
  prefer({ room: "room-1" });
});

it("keeps the approved chart of the room that is chosen, and says that it is the one in use", async () => {
  const server = serve({ [AT]: CHART });
  show(<App />, "/bedside");
  expect((await screen.findByRole("status")).textContent).toContain(
    "version 3, approved 20 Nov 2026 by ilse. It is the one in use.",
  );
  expect(screen.getByText("64 kVp 4 mAs")).toBeDefined();
  expect(screen.getByText("not here")).toBeDefined();
  expect(screen.getByText("No image stands behind it.")).toBeDefined();
  await waitFor(() => expect(keptCharts()["room-1"]?.chart.version).toBe(3));
  fireEvent.change(screen.getByLabelText("Show only"), { target: { value: "chest" } });
  expect(screen.queryByText("64 kVp 4 mAs")).toBeNull();
  // It needs nothing that the other views begin with.
  expect(server.asked.map((one) => one.to)).toEqual([AT]);
});

it("without a server it shows what was kept, from when, and never as the one in use", async () => {
  keep({ ...CHART, review_by: "2026-01-01" });
  keep({ ...CHART, room: "room-2", room_name: "Room 2", version: 7 });
  serve({ [AT]: SILENCE, "GET /api/rooms/room-2/bedside": SILENCE });
  show(<App />, "/bedside");
  await waitFor(() =>
    expect(screen.getByRole("status").textContent).toContain("whether another is in use by now is not known"),
  );
  expect(screen.getByRole("status").textContent).toContain("It was to be looked at again by 01 Jan 2026");
  expect(screen.queryByText(/one in use\./)).toBeNull();
  press("Room 2");
  expect(screen.getByRole("status").textContent).toContain("Room 2, version 7");
});

it("says what to do where nothing was kept, and a room without a chart keeps none", async () => {
  serve({ [AT]: new Problem(404, "Room 1 has no approved chart.") });
  show(<App />, "/bedside");
  expect(await screen.findByText(/open this page once where there is a network/)).toBeDefined();
  expect(keptCharts()).toEqual({});
});
