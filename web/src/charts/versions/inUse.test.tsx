// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import type { Chart } from "../../api/queries";
import { CHART, FIXED, person, PROJECTIONS, session, start } from "../../testing/clinic";
import { enter, fireEvent, press, Problem, screen, serve, show, waitFor } from "../../testing/server";
import { InUse } from "./InUse";
import { OffSinceCalibration } from "./OffSinceCalibration";
import { PrintChart } from "./PrintChart";

const NAMES = new Map(PROJECTIONS.map((one) => [one.id, one]));
const APPROVED: Chart = { ...CHART, version: 2, status: "approved", review_by: "2020-01-31" };
const as = (...roles: Parameters<typeof person>[1][]) => ({
  "GET /api/start": start({ session: session(person("somebody", ...roles)) }),
});
const readers = "GET /api/charts/11/readers";

it("an overdue review and who has not read are said; a physicist says that it stands, until a day or for a year", async () => {
  const review = "POST /api/charts/11/reviews";
  const server = serve({
    ...as("physicist"),
    [readers]: [
      { person: "pim", name: "Pim Adler", read_at: null },
      { person: "tamsin", name: "Tamsin Orrel", read_at: "2026-11-26T09:00:00Z" },
    ],
    [review]: APPROVED,
  });
  show(<InUse chart={APPROVED} />);
  expect((await screen.findByText("Was to be looked at again by 31 Jan 2020.")).className).toContain(
    "text-warn",
  );
  expect(await screen.findByText("Not yet read by Pim Adler.")).toBeDefined();
  press("Looked at again…");
  enter("What was found", "Ten images, all on target");
  press("It stands for a year");
  await waitFor(() =>
    expect(server.last(review).body).toEqual({ review_by: null, note: "Ten images, all on target" }),
  );
  await waitFor(() => expect(screen.queryByRole("form")).toBeNull());
  press("Looked at again…");
  enter("Next by", "2027-05-01");
  press("It stands");
  await waitFor(() => expect(server.last(review).body).toEqual({ review_by: "2027-05-01", note: "" }));
});

it("a keeper sees who has read, but reviews nothing; a technologist asks for neither", async () => {
  serve({
    ...as("keeper"),
    [readers]: [{ person: "pim", name: "Pim Adler", read_at: "2026-11-26T09:00:00Z" }],
  });
  const { unmount } = show(<InUse chart={{ ...APPROVED, review_by: "2999-01-31" }} />);
  expect(await screen.findByText("Everybody has read what changed.")).toBeDefined();
  expect(screen.getByText("To be looked at again by 31 Jan 2999.").className).not.toContain("text-warn");
  expect(screen.queryByRole("button", { name: /Looked at/ })).toBeNull();
  unmount();
  const server = serve(as("technologist"));
  show(<InUse chart={{ ...APPROVED, review_by: "" }} />);
  expect(await screen.findByText("No day set for its next review.")).toBeDefined();
  expect(server.asked.filter((one) => one.to === readers)).toEqual([]);
});

const OFF = {
  ...{ line: FIXED.id, since: "2026-11-12T08:00:00Z", di_change: -1.4, kerma_change_percent: -28 },
  ...{ mas_factor: 1.38, corrected: FIXED, why: "Images moved by −1.4 DI: mAs ×1.38." },
};

it("lines that a calibration left off are counted and corrected in one draft", async () => {
  const onDrafted = vi.fn();
  const server = serve({
    ...as("keeper"),
    "GET /api/charts/11/since-calibration": [OFF],
    "POST /api/rooms/room-1/corrected-draft": { ...CHART, id: 12 },
  });
  show(<OffSinceCalibration chart={APPROVED} projections={NAMES} onDrafted={onDrafted} />);
  expect((await screen.findByText("1 line off since 12 Nov 2026.")).className).toContain("text-warn");
  expect(screen.getByText(/mAs ×1.38. Dose shown −28 %/)).toBeDefined();
  press("Correct them in a draft");
  await waitFor(() => expect(onDrafted.mock.calls[0]?.[0]).toMatchObject({ id: 12 }));
  expect(server.last("POST /api/rooms/room-1/corrected-draft").body).toBeNull();
});

it("what mAs does not correct is said without a button, and nothing is said where nothing is off", async () => {
  serve({
    ...as("keeper"),
    "GET /api/charts/11/since-calibration": [{ ...OFF, corrected: null, mas_factor: null }],
  });
  const { unmount } = show(<OffSinceCalibration chart={APPROVED} projections={NAMES} onDrafted={vi.fn()} />);
  await screen.findByText("1 line off since 12 Nov 2026.");
  expect(screen.queryByRole("button")).toBeNull();
  unmount();
  const server = serve(as("keeper"));
  show(<OffSinceCalibration chart={APPROVED} projections={NAMES} onDrafted={vi.fn()} />);
  await waitFor(() => server.last("GET /api/charts/11/since-calibration"));
  expect(screen.queryByLabelText("Since the calibration")).toBeNull();
});

it("a print is looked at as it will be saved: the same questions go to the picture and to the PDF", async () => {
  const preview = "GET /api/charts/11/print-preview";
  const shown = { pages: 14, shown: [{ width_mm: 297, height_mm: 420, png: "AAAA" }], lines: 31, of: 215 };
  const server = serve({ [preview]: shown });
  show(<PrintChart chart={APPROVED} onDone={vi.fn()} />);
  expect(await screen.findByRole("img", { name: "Page 1 of 14" })).toBeDefined();
  expect(screen.getByText(/31 of 215 lines, 14 pages/)).toBeDefined();
  expect(screen.getByText("The other 13 pages are in the PDF.")).toBeDefined();
  fireEvent.click(screen.getByRole("radio", { name: "Every step" }));
  fireEvent.click(screen.getByRole("radio", { name: "All" }));
  await waitFor(() => expect(server.last(preview).query.get("only")).toBe("all"));
  const saved = new URL(screen.getByRole<HTMLAnchorElement>("link", { name: "Save the PDF" }).href);
  expect(saved.pathname).toBe("/api/charts/11/pdf");
  expect(Object.fromEntries(saved.searchParams)).toEqual(Object.fromEntries(server.last(preview).query));
  expect(saved.searchParams.get("rows")).toBe("steps");
});

it("a print that is refused says why, and a pocket card asks nothing that is the wall's", async () => {
  serve({ "GET /api/charts/11/print-preview": new Problem(422, "The room has no such grid.") });
  show(<PrintChart chart={APPROVED} onDone={vi.fn()} />);
  expect((await screen.findByRole("alert")).textContent).toContain("The room has no such grid.");
  fireEvent.click(screen.getByRole("radio", { name: "Pocket" }));
  expect(screen.queryByRole("radio", { name: "Every step" })).toBeNull();
  expect(screen.getByText(/fold lengthwise/)).toBeDefined();
});
