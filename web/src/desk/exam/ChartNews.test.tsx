// @vitest-environment jsdom
import { expect, it } from "vitest";

import { BANDED, FIXED, LEVELLED, ROOM, start } from "../../testing/clinic";
import { press, Problem, screen, serve, show, waitFor } from "../../testing/server";
import { ChartNews } from "./ChartNews";

const NEWS = "GET /api/rooms/room-1/chart-news";
const size = (before: number[] | null, after: number[] | null) => ({
  ...{ who: "average", thickness_cm: 21, before, after, di_change: 1, dose_change_percent: 20 },
});
const news = {
  ...{ chart: 12, version: 4, approved_at: "2026-11-26T08:00:00Z", approver: "ilse", since_version: 3 },
  asked: true,
  changes: [
    {
      ...{ change: "changed", before: FIXED, after: FIXED, what: ["SID 100 to 107 cm", "40 to 50 mAs"] },
      sizes: [size([80, 40], [80, 50])],
    },
    { change: "added", before: null, after: BANDED, what: [], sizes: [size(null, [57, 1.6])] },
    { change: "removed", before: LEVELLED, after: null, what: [], sizes: [] },
  ],
};

it("says what each line was and is, once what the numbers say, and nothing of it after it was read", async () => {
  let asked = true;
  const server = serve({
    "GET /api/start": start(),
    [NEWS]: () => ({ ...news, asked }),
    "POST /api/charts/12/read": () => {
      asked = false;
      return null;
    },
  });
  show(<ChartNews room={ROOM} />);
  const shown = await screen.findByRole("region", { name: "New in the chart" });
  expect(shown.textContent).toContain(
    "3 lines of Room 1 changed with version 4, approved by ilse on 26 Nov 2026",
  );
  const [changed, added, removed] = screen.getAllByRole("listitem").map((one) => one.textContent);
  expect(changed).toContain("average patient 80 kVp 40 mAs, now 80 kVp 50 mAs; SID 100 to 107 cm");
  expect(changed).not.toContain("40 to 50 mAs");
  expect(added).toContain("new: 57 kVp 1.6 mAs");
  expect(removed).toContain("no longer in the chart");
  press("I have read it");
  await waitFor(() => expect(screen.queryByRole("region")).toBeNull());
  expect(server.last("POST /api/charts/12/read").body).toBeNull();
});

it("keeps asking where the reading could not be kept, and says why", async () => {
  serve({ [NEWS]: news, "POST /api/charts/12/read": new Problem(409, "Version 4 is superseded.") });
  show(<ChartNews room={ROOM} />);
  await screen.findByRole("region", { name: "New in the chart" });
  press("I have read it");
  expect((await screen.findByRole("alert")).textContent).toContain("Version 4 is superseded.");
  expect(screen.getByRole("button", { name: "I have read it" })).toBeDefined();
});
