// @vitest-environment jsdom
import { beforeEach, expect, it, vi } from "vitest";

import type { TechniqueRequest, TechniqueResponse } from "../api/queries";
import { prefer } from "../ui/preferences";
import { ANSWER, EXAMS, exposure, person, ROOM, session, start } from "../testing/clinic";
import {
  button,
  fireEvent,
  press,
  Problem,
  screen,
  serve,
  show,
  SILENCE,
  slow,
  waitFor,
} from "../testing/server";
import { DeskPage } from "./DeskPage";

const TECHNIQUE = "POST /api/techniques";
const RECORD = "POST /api/exposures";

beforeEach(() => {
  sessionStorage.clear();
  prefer({ unit: "cm" });
});

/** The technique that a thickness asks for: 40 mAs at 21 cm, double every 4.5 cm. */
function answer(request: TechniqueRequest): TechniqueResponse {
  const cm = request.thickness_cm ?? 21;
  const mas = Math.round(40 * 2 ** ((cm - 21) / 4.5));
  return {
    ...ANSWER,
    technique: { ...ANSWER.technique, mas },
    thickness: { ...ANSWER.thickness, cm, estimated: request.thickness_cm == null, said: "Not measured." },
  };
}

function desk(routes: Record<string, unknown> = {}) {
  const server = serve({
    "GET /api/start": start({ session: session(person("tamsin", "technologist")) }),
    "GET /api/exposures": [],
    [TECHNIQUE]: ({ body }: { body: unknown }) => answer(body as TechniqueRequest),
    ...routes,
  });
  show(<DeskPage room={ROOM} />);
  return server;
}
const mas = () => screen.getByTestId("number-mas").textContent;
const key = (pressed: string) => fireEvent.keyDown(document.body, { key: pressed });
function measure(text: string) {
  const field = screen.getByLabelText(/thickness/i, { selector: "input" });
  fireEvent.change(field, { target: { value: text } });
  fireEvent.keyDown(field, { key: "Enter" });
  fireEvent.blur(field);
}
const ready = async () => waitFor(() => expect(mas()).toBe("40"));

it("a measured thickness gives its technique, and only then can it be recorded", async () => {
  const server = desk();
  await ready();
  expect(screen.getByTestId("not-measured").textContent).toContain("Not measured.");
  expect(button(/Accept/).disabled).toBe(true);
  measure("25.5");
  await waitFor(() => expect(mas()).toBe("80"));
  expect(server.last(TECHNIQUE).body).toMatchObject({
    room: "room-1",
    projection: "lspine-ap",
    thickness_cm: 25.5,
  });
  expect(screen.queryByTestId("not-measured")).toBeNull();
  expect(button(/Accept/).disabled).toBe(false);
});

it("a refused set-up shows what is allowed and no technique at all", async () => {
  desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) =>
      (body as TechniqueRequest).thickness_cm === 50
        ? new Problem(422, "thickness_cm is 50 cm; allowed is 13 to 36 cm.", { field: "thickness_cm" })
        : answer(body as TechniqueRequest),
  });
  await ready();
  measure("50");
  expect((await screen.findByRole("alert")).textContent).toContain("allowed is 13 to 36 cm");
  expect(screen.queryByTestId("numbers")).toBeNull();
  expect(button(/Accept/).disabled).toBe(true);
  key("a");
  measure("21");
  await ready();
});

it("while an answer is on its way the numbers say that they are of the request before", async () => {
  const late = slow<TechniqueResponse>();
  desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) =>
      (body as TechniqueRequest).thickness_cm === 30 ? late.answer : answer(body as TechniqueRequest),
  });
  await ready();
  measure("30");
  await waitFor(() => expect(screen.getByTestId("numbers").getAttribute("aria-busy")).toBe("true"));
  await late.arrive({ ...answer({ thickness_cm: 30 } as TechniqueRequest) });
  await waitFor(() => expect(screen.getByTestId("numbers").getAttribute("aria-busy")).toBe("false"));
  expect(mas()).toBe("160");
});

it("what is recorded is what the screen shows: request, settings, exam", async () => {
  const server = desk({ [RECORD]: { exposure: exposure(5), judgement: null } });
  await ready();
  measure("21");
  await waitFor(() => expect(button(/Accept/).disabled).toBe(false));
  key("a");
  await waitFor(() => server.last(RECORD));
  expect(server.last(RECORD)).toMatchObject({
    body: { kvp: 80, mas: 40, outcome: "accepted", technique: { thickness_cm: 21, projection: "lspine-ap" } },
    token: "token-of-tamsin",
  });
});

it("where the methods part, the model's technique is one press away", async () => {
  const text =
    "The rules of thumb and the physics model part here: with 80 kVp and 40 mAs expect DI −1.3; by the model 54 mAs.";
  const server = desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) => {
      const asked = body as TechniqueRequest;
      const cautions = [{ level: "note" as const, text, cites: "methods part" }];
      return { ...answer(asked), cautions: asked.school === "model" ? [] : cautions };
    },
  });
  await ready();
  expect(screen.getByText(text)).toBeDefined();
  press("Take the model's");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ school: "model" }));
  await waitFor(() => expect(screen.queryByText(text)).toBeNull());
});

it("with no server nothing is shown and nothing is kept; typed numbers stay", async () => {
  let up = true;
  desk({ [TECHNIQUE]: ({ body }: { body: unknown }) => (up ? answer(body as TechniqueRequest) : SILENCE) });
  await ready();
  up = false;
  measure("30");
  expect((await screen.findByRole("alert")).textContent).toContain("does not answer");
  expect(screen.queryByTestId("numbers")).toBeNull();
  expect(screen.getByLabelText<HTMLInputElement>(/thickness/i, { selector: "input" }).value).toBe("30");
});

it("keys change support, grid and unit, and one key takes all of it back to the chart", async () => {
  const server = desk();
  await ready();
  const setup = () => (server.last(TECHNIQUE).body as TechniqueRequest).setup as Record<string, unknown>;
  key("b");
  await waitFor(() => expect(setup().support).toBe("tabletop"));
  key("x");
  expect(screen.queryByRole("button", { name: "Back to chart" })).toBeNull();
  fireEvent.change(document.getElementById("sid") as HTMLElement, { target: { value: "115" } });
  fireEvent.blur(document.getElementById("sid") as HTMLElement);
  await waitFor(() => expect(setup().sid_cm).toBe(115));
  press("Back to chart");
  expect(document.getElementById("sid")).toHaveProperty("value", "");
});

it("lengths typed in inches go out in centimetres", async () => {
  prefer({ unit: "in" });
  const server = desk();
  await ready();
  measure("10");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ thickness_cm: 25.4 }));
});

it("a room without an approved chart says so and asks for no technique", async () => {
  const server = desk({ "GET /api/start": start({ charted: {} }) });
  expect(await screen.findByText("Room 1 has no approved chart")).toBeDefined();
  expect(server.asked.map((one) => one.to)).not.toContain(TECHNIQUE);
});

// --- the exam's other stops

const CERVICAL = {
  id: "trauma",
  name: "Trauma spine",
  steps: [
    { projections: ["lspine-ap"], when: "", note: "" },
    { projections: [], clearance: "Spine cleared by the physician", when: "", note: "" },
    { projections: [], wait_min: 5, when: "", note: "Contrast" },
    { projections: ["hand-pa"], when: "trauma of the hand", note: "" },
  ],
  projections: ["lspine-ap", "hand-pa"],
  why: "",
  local: false,
};

function trauma(routes: Record<string, unknown> = {}) {
  return desk({
    "GET /api/start": start({
      exams: [CERVICAL, ...EXAMS],
      session: session(person("tamsin", "technologist")),
    }),
    "POST /api/run-sheets": { steps: [] },
    ...routes,
  });
}

it("a clearance is kept with who and when before it counts, and not applicable needs a reason", async () => {
  const server = trauma({
    "POST /api/clearances": { ...CERVICAL, id: 1, at: "2026-11-20T10:42:00Z" },
  });
  await ready();
  fireEvent.click(screen.getByRole("button", { name: /Clearance: Spine cleared.*open/ }));
  expect(button("Record clearance").disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Decided by (role or name)"), { target: { value: "Trauma lead" } });
  expect(button("Does not apply").disabled).toBe(true);
  press("Record clearance");
  await screen.findByRole("button", { name: /Clearance: Spine cleared.*Cleared \d\d:\d\d, Trauma lead/ });
  expect(server.last("POST /api/clearances").body).toMatchObject({
    decision: "cleared",
    decided_by: "Trauma lead",
    clearance: "Spine cleared by the physician",
    exam: "trauma",
  });
});

it("a clearance that is refused stays open", async () => {
  trauma({ "POST /api/clearances": new Problem(401, "Sign in to record a clearance.") });
  await ready();
  fireEvent.click(screen.getByRole("button", { name: /Clearance/ }));
  fireEvent.change(screen.getByLabelText("Decided by (role or name)"), { target: { value: "Lead" } });
  press("Record clearance");
  expect((await screen.findByRole("alert")).textContent).toContain("Sign in to record a clearance.");
  expect(screen.getByText("clearance")).toBeDefined();
});

it("a wait counts down by the clock and is over when it is over", async () => {
  vi.useFakeTimers({ toFake: ["setInterval", "clearInterval", "Date"] });
  try {
    trauma();
    await ready();
    press(/Wait, Contrast: wait 5 min/);
    vi.advanceTimersByTime(61_000);
    await waitFor(() => expect(button(/Wait, Contrast/).textContent).toContain("3:59 left"));
    vi.advanceTimersByTime(240_000);
    await waitFor(() => expect(button(/Wait, Contrast/).textContent).toContain("wait over"));
  } finally {
    vi.useRealTimers();
  }
});

it("views are gone through by keys, skipped ones are marked, and each asks for its own technique", async () => {
  const server = trauma();
  await ready();
  key("]");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ projection: "hand-pa" }));
  press("Skip");
  expect(screen.getByRole("button", { name: /^PA, skipped, only: trauma of the hand/ })).toBeDefined();
  key("[");
  expect(screen.getByRole("button", { name: "AP" }).getAttribute("aria-current")).toBe("step");
  press("Repeat");
  expect(screen.getAllByRole("button", { name: /^AP/ })).toHaveLength(2);
});
