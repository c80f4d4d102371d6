// @vitest-environment jsdom
import { act } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";

import type { Exam, TechniqueRequest, TechniqueResponse } from "../api/queries";
import { prefer } from "../ui/preferences";
import { ANSWER, EXAMS, exposure, JUDGEMENT, lists, person, ROOM, session, start } from "../testing/clinic";
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
  slow,
  waitFor,
} from "../testing/server";
import { DeskPage } from "./DeskPage";
import { NO_EXAM, reduce } from "./state";
import { store } from "./storage";

const TECHNIQUE = "POST /api/techniques";
const RECORD = "POST /api/exposures";
const JUDGE = "POST /api/judgements";

beforeEach(() => {
  sessionStorage.clear();
  prefer({ unit: "cm" });
});

/** The technique that a thickness asks for: 40 mAs at 21 cm, double every 4.5 cm; both by hand as they are. */
function answer(request: TechniqueRequest): TechniqueResponse {
  const cm = request.thickness_cm ?? 21;
  const mas = request.setup?.mas ?? Math.round(40 * 2 ** ((cm - 21) / 4.5));
  return {
    ...ANSWER,
    technique: { ...ANSWER.technique, mas },
    thickness: {
      ...ANSWER.thickness,
      cm,
      source: request.thickness_cm == null ? "estimated" : "measured",
      said: "Not measured.",
    },
  };
}

const me = session(person("tamsin", "technologist"));

/** The Desk with an exam in hand, or with nobody. */
function desk(routes: Record<string, unknown> = {}, exam: Exam | null = EXAMS[0] as Exam) {
  const server = serve({
    "GET /api/start": start({ session: me }),
    "GET /api/exposures": [],
    "GET /api/waiting": [],
    [TECHNIQUE]: ({ body }: { body: unknown }) => answer(body as TechniqueRequest),
    [JUDGE]: ({ body }: { body: unknown }) => judged(body as { ei: number }),
    ...routes,
  });
  if (exam) store(ROOM.id, reduce(NO_EXAM, { do: "exam", exam }));
  const { queries } = show(<DeskPage room={ROOM} />);
  return { ...server, queries };
}
const judged = ({ ei }: { ei: number }, asks: string[] = []) => ({
  ...JUDGEMENT,
  evaluation: { ...JUDGEMENT.evaluation, di: 10 * Math.log10(ei / 250) },
  asks,
});
const mas = () => screen.getByTestId("number-mas").textContent;
const key = (pressed: string, more = {}) => fireEvent.keyDown(document.body, { key: pressed, ...more });
const field = (label: string | RegExp) =>
  screen.getByLabelText<HTMLInputElement>(label, { selector: "input" });
function type(into: HTMLInputElement, text: string) {
  fireEvent.change(into, { target: { value: text } });
  fireEvent.keyDown(into, { key: "Enter" });
  fireEvent.blur(into);
}
const measure = (text: string) => type(field(/^thickness/i), text);
const ready = async () => waitFor(() => expect(mas()).toBe("40"));
const accepted = () => button(/Record as accepted/);

it("opens on who waits, with no technique for no one; a request from the worklist brings its exam", async () => {
  const waiting = {
    study_key: "S-1",
    exam: "lumbar",
    side: "",
    age_band: "adult",
    question: "Pain",
    arrives: "walking",
  };
  const server = desk({ "GET /api/waiting": [waiting] }, null);
  fireEvent.click(await screen.findByRole("button", { name: /Lumbar spine/ }));
  expect(server.asked.map((one) => one.to)).not.toContain(TECHNIQUE);
  await ready();
  press(/Next patient/);
  expect(screen.getByText(/Still due: Lumbar spine.*The request stays in the list\./)).toBeDefined();
  press(/Next patient/);
  expect(screen.queryByTestId("numbers")).toBeNull();
  expect(screen.getByText("Who is next?")).toBeDefined();
});

it("a measured thickness gives its technique; an estimate is recorded as one, and says so", async () => {
  const server = desk();
  await ready();
  expect(screen.getByTestId("not-measured").textContent).toContain("Not measured.");
  key("Enter");
  expect(accepted().disabled).toBe(false);
  expect(screen.getByText(/The thickness was not measured: it is kept as an estimate/)).toBeDefined();
  key("Escape");
  measure("25.5");
  await waitFor(() => expect(mas()).toBe("80"));
  expect(server.last(TECHNIQUE).body).toMatchObject({
    room: "room-1",
    projection: "lspine-ap",
    thickness_cm: 25.5,
  });
  expect(screen.queryByTestId("not-measured")).toBeNull();
  key("Enter");
  expect(screen.queryByText(/kept as an estimate/)).toBeNull();
  expect(server.asked.map((one) => one.to)).not.toContain(RECORD);
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
  expect(mas()).not.toMatch(/\d/);
  measure("21");
  await ready();
});

it("while an answer is on its way there are no numbers, and nothing can be recorded", async () => {
  const late = slow<TechniqueResponse>();
  const server = desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) =>
      (body as TechniqueRequest).thickness_cm === 30 ? late.answer : answer(body as TechniqueRequest),
  });
  await ready();
  measure("21");
  await ready();
  key("Enter");
  // From the first key on what stands there is of no measured thickness any more.
  fireEvent.change(field("Thickness"), { target: { value: "3" } });
  expect(mas()).not.toMatch(/\d/);
  measure("30");
  expect(mas()).not.toMatch(/\d/);
  expect(screen.getByTestId("numbers").getAttribute("aria-busy")).toBe("true");
  expect(accepted().disabled).toBe(true);
  key("a");
  await screen.findByText("Working…");
  await late.arrive({ ...answer({ thickness_cm: 30 } as TechniqueRequest) });
  await waitFor(() => expect(mas()).toBe("160"));
  expect(server.asked.map((one) => one.to)).not.toContain(RECORD);
});

it("a field that only some views have stays while its answer is on the way, with what was typed", async () => {
  const late = slow<TechniqueResponse>();
  const way = {
    school: "pelvis",
    name: "By ASIS",
    why: "",
    deg: 0,
    rule: "knee_by_pelvis" as const,
    toward: "",
  };
  const knee = (request: TechniqueRequest) => ({
    ...answer(request),
    angle: { ...ANSWER.angle, school: "pelvis", schools: [way] },
  });
  const server = desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) =>
      (body as TechniqueRequest).facts ? late.answer : knee(body as TechniqueRequest),
  });
  await ready();
  type(field("ASIS to table"), "26");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ facts: { pelvis_cm: 26 } }));
  expect(mas()).not.toMatch(/\d/);
  expect(field("ASIS to table").value).toBe("26");
  // A side of the field is kept too, though no answer says what the other one is.
  fireEvent.change(field("Field width"), { target: { value: "30" } });
  fireEvent.blur(field("Field width"));
  await late.arrive(knee({} as TechniqueRequest));
  expect(field("Field width").value).toBe("30");
});

/** Measured, exposed, and an index typed. */
async function exposed(index: string) {
  await ready();
  measure("21");
  await ready();
  key("Enter");
  if (index) type(field("Index (EI)"), index);
  await waitFor(() => expect(accepted().disabled).toBe(false));
}

it("what is recorded is what the screen shows: request, chart, settings, index; a held key records once", async () => {
  const server = desk({ [RECORD]: { exposure: exposure(5), judgement: null } });
  await exposed("250");
  expect(screen.getByText(/DI 0.0 ·/)).toBeDefined();
  key("a");
  for (let i = 0; i < 10; i++) key("a", { repeat: true });
  await screen.findByText(/Recorded as accepted/);
  key("a");
  expect(server.asked.filter((one) => one.to === RECORD)).toHaveLength(1);
  expect(server.last(RECORD)).toMatchObject({
    body: {
      kvp: 80,
      mas: 40,
      ei: 250,
      outcome: "accepted",
      technique: { thickness_cm: 21, projection: "lspine-ap", chart: ANSWER.chart.id },
    },
    token: "token-of-tamsin",
  });
  // The last view is done: the next is the next patient.
  expect(screen.getAllByRole("button", { name: /Next patient/ })).toHaveLength(2);
});

it("where the chart was superseded meanwhile it says so, and the new chart's numbers take the place of the old", async () => {
  let version = 2;
  const server = desk({
    [TECHNIQUE]: ({ body }: { body: unknown }) => ({
      ...answer(body as TechniqueRequest),
      chart: { ...ANSWER.chart, id: 9 + version, version },
    }),
    [RECORD]: () => {
      version = 3;
      return new Problem(409, "Version 2 was on screen; another version was approved meanwhile.");
    },
  });
  await exposed("250");
  key("a");
  expect((await screen.findByRole("alert")).textContent).toContain("another version was approved");
  await waitFor(() => expect(accepted().disabled).toBe(false));
  key("a");
  await waitFor(() => expect(server.last(RECORD).body).toMatchObject({ technique: { chart: 12 } }));
});

it("nothing typed or recorded of one view stands at the next", async () => {
  const server = trauma({ [RECORD]: { exposure: exposure(5), judgement: null } });
  await exposed("250");
  key("a");
  await screen.findByText(/Recorded as accepted/);
  key("Enter");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ projection: "hand-pa" }));
  expect(field(/^thickness/i).value).toBe("");
  measure("21");
  await ready();
  key("Enter");
  expect(screen.getByRole("alert").textContent).toContain(
    "Clearance not recorded: Spine cleared by the physician.",
  );
  expect(screen.getByRole("alert").textContent).toContain("The wait of 5 min was not started: Contrast.");
  key("Enter");
  expect(field("Index (EI)").value).toBe("");
  expect(accepted().disabled).toBe(false);
  key("a");
  await waitFor(() =>
    expect(server.last(RECORD).body).toMatchObject({
      note: "Clearance not recorded: Spine cleared by the physician. The wait of 5 min was not started: Contrast.",
    }),
  );
});

it("who held the patient goes into the record, and stands where the next image is recorded", async () => {
  const server = trauma({ [RECORD]: { exposure: exposure(5), judgement: null } });
  await exposed("250");
  expect(screen.queryByLabelText(/Held by/)).toBeNull();
  fireEvent.click(screen.getByRole("button", { name: "Somebody held the patient" }));
  type(screen.getByLabelText(/Held by/), "parent");
  key("a");
  await screen.findByText(/Recorded as accepted/);
  expect(server.last(RECORD).body).toMatchObject({ held_by: "parent" });
  key("Enter");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ projection: "hand-pa" }));
  measure("21");
  await ready();
  key("Enter");
  key("Enter");
  expect(screen.getByLabelText<HTMLInputElement>(/Held by/).value).toBe("parent");
});

it("letters typed into the index stay there, and an unlikely index is asked back once", async () => {
  const server = desk({
    [RECORD]: { exposure: exposure(5), judgement: null },
    [JUDGE]: ({ body }: { body: unknown }) =>
      judged(body as { ei: number }, ["Index 3? The target is 250: read it once more."]),
  });
  await ready();
  measure("21");
  await ready();
  key("Enter");
  type(field("Index (EI)"), "3a");
  expect(field("Index (EI)").value).toBe("3a");
  // Neither as an index of 3 nor as none: it is not what stands there.
  expect(accepted().disabled).toBe(true);
  key("a");
  expect(server.asked.map((one) => one.to)).not.toContain(RECORD);
  expect(server.asked.map((one) => one.to)).not.toContain(JUDGE);
  type(field("Index (EI)"), "3");
  await waitFor(() => expect(accepted().disabled).toBe(false));
  key("a");
  expect((await screen.findByRole("alert")).textContent).toContain("Index 3? The target is 250");
  expect(server.asked.map((one) => one.to)).not.toContain(RECORD);
  key("a");
  await waitFor(() => expect(server.last(RECORD).body).toMatchObject({ ei: 3 }));
});

it("where the console shows another number than the exposure index, that is asked for, shown and kept", async () => {
  const own = { name: "Sensitivity", target: 400, expected: 385, falls: true };
  const forecast = { ...ANSWER.forecast, shown_index: own };
  const server = desk({
    [TECHNIQUE]: { ...answer({} as TechniqueRequest), forecast },
    [JUDGE]: { ...JUDGEMENT, ei: 500 },
    [RECORD]: { exposure: exposure(5), judgement: null },
  });
  await exposed("");
  expect(screen.getByRole("region", { name: "Forecast" }).textContent).toContain("Sensitivity 385, DI");
  type(field("Sensitivity"), "200");
  expect((await screen.findByText(/On this console more exposure/)).textContent).toContain(
    "lower Sensitivity",
  );
  expect(await screen.findByText("500")).toBeDefined();
  await waitFor(() => expect(accepted().disabled).toBe(false));
  key("a");
  await waitFor(() => expect(server.last(RECORD).body).toMatchObject({ shown_index: 200 }));
  expect(server.last(RECORD).body).not.toHaveProperty("ei");
});

it("a reject wants its reason before anything is kept", async () => {
  const server = desk({ [RECORD]: { exposure: exposure(5), judgement: null } });
  await exposed("");
  press(/Record as rejected/);
  expect(server.asked.map((one) => one.to)).not.toContain(RECORD);
  await pick(/Why rejected/, "Patient moved");
  await waitFor(() =>
    expect(server.last(RECORD).body).toMatchObject({ outcome: "rejected", reject_reason: "motion" }),
  );
});

it("metal that the technique speaks of is in the critique, and in the record", async () => {
  const metal = { level: "note" as const, text: "Plate and screws.", cites: "metal" };
  const server = desk({
    [TECHNIQUE]: { ...answer({} as TechniqueRequest), cautions: [metal] },
    [RECORD]: { exposure: exposure(5), judgement: null },
  });
  await exposed("250");
  await waitFor(() => expect(accepted().disabled).toBe(false));
  key("a");
  await screen.findByText(/Recorded as accepted/);
  expect(server.last(RECORD).body).toMatchObject({ findings: ["metal"] });
  expect(server.last(JUDGE).body).toMatchObject({ findings: ["metal"] });
});

it("after a reject the view can be exposed again, with fields of its own; one accepted is not recorded twice", async () => {
  let outcome = "rejected";
  const server = desk({ [RECORD]: () => ({ exposure: { ...exposure(5), outcome }, judgement: null }) });
  await exposed("250");
  press(/Record as rejected/);
  await pick(/Why rejected/, "Patient moved");
  await screen.findByText(/Recorded as rejected/);
  key("Escape");
  key("Enter");
  expect(field("Index (EI)").value).toBe("");
  outcome = "accepted";
  await waitFor(() => expect(accepted().disabled).toBe(false));
  key("a");
  await screen.findByText(/Recorded as accepted/);
  key("Escape");
  fireEvent.click(screen.getByRole("button", { name: "Exposed" }));
  expect(screen.queryByRole("button", { name: /Record as accepted/ })).toBeNull();
  expect(server.asked.filter((one) => one.to === RECORD)).toHaveLength(2);
});

it("a key that goes on from what is in force does nothing while nothing is", async () => {
  const late = slow<TechniqueResponse>();
  const server = desk({ [TECHNIQUE]: () => late.answer });
  await screen.findByTestId("numbers");
  for (const one of ["g", "b", "r"]) key(one);
  expect(screen.getByText("As charted.")).toBeDefined();
  await late.arrive(answer({} as TechniqueRequest));
  expect((server.last(TECHNIQUE).body as TechniqueRequest).setup).not.toHaveProperty("grid_ratio");
});

it("an exposure that is not recorded is asked about before anything leaves it", async () => {
  desk();
  await exposed("250");
  key("q");
  expect(screen.getByText("Exposure made")).toBeDefined();
  expect(screen.getByText(/is not recorded\. Press again to go on without\./)).toBeDefined();
  fireEvent.click(button("Stay"));
  expect(screen.queryByText(/is not recorded/)).toBeNull();
  // Back at the set-up it is still not recorded.
  key("Escape");
  key("q");
  expect(screen.getByText(/is not recorded/)).toBeDefined();
  key("q");
  expect(screen.getByText("Who is next?")).toBeDefined();
});

it("a record carries one key, made when its judging opens, and the same one after an answer that was lost", async () => {
  let outcome = "lost";
  const server = desk({
    [RECORD]: () => {
      if (outcome === "lost") return new Problem(503, "Busy.");
      return { exposure: { outcome: "accepted" }, judgement: null };
    },
  });
  await exposed("250");
  const accepted = () => button("Record as accepted");
  await waitFor(() => expect(accepted().disabled).toBe(false));
  fireEvent.click(accepted());
  await waitFor(() => expect(server.asked.filter((one) => one.to === RECORD)).toHaveLength(1));
  outcome = "accepted";
  await waitFor(() => expect(accepted().disabled).toBe(false));
  fireEvent.click(accepted());
  await screen.findByText(/Recorded as accepted/);
  const keys = server.asked.filter((one) => one.to === RECORD).map((one) => one.key);
  expect(keys).toHaveLength(2);
  expect(keys[0]).toMatch(/^[0-9a-f]{32}$/);
  expect(keys[1]).toBe(keys[0]);
});

it("back to the set-up and out again, what was typed and seen in the image still stands", async () => {
  desk();
  await exposed("400");
  press("Motion");
  type(field("kVp really set"), "82");
  key("Escape");
  expect(screen.queryByText("Exposure made")).toBeNull();
  expect(screen.getByText("As charted.")).toBeDefined();
  key("Enter");
  expect(field("Index (EI)").value).toBe("400");
  expect(field("kVp really set").value).toBe("82");
  expect(screen.getByRole("button", { name: /Motion/, pressed: true })).toBeDefined();
});

it("the simulated index is that of what was really set", async () => {
  const server = desk({ "POST /api/read-outs": { ei: 261, shown_index: 261, optical_density: null } });
  await exposed("");
  type(field("mAs really set"), "50");
  key("f");
  await waitFor(() => expect(field("Index (EI)").value).toBe("261"));
  expect(server.last("POST /api/read-outs").body).toMatchObject({ setup: { kvp: 80, mas: 50 } });
});

it("takes back one's own records by name, after a question", async () => {
  const server = desk({
    "GET /api/exposures": [{ ...exposure(7), recorded_by: "tamsin" }],
    "POST /api/exposures/7/undo": exposure(7),
  });
  await ready();
  await screen.findByText(/Your last record/);
  expect(server.last("GET /api/exposures").query.get("recorded_by")).toBe("tamsin");
  press("Take back…");
  press("Take back");
  expect(server.asked.map((one) => one.to)).not.toContain("POST /api/exposures/7/undo");
  press("Yes, take it back");
  await waitFor(() => server.last("POST /api/exposures/7/undo"));
});

it("kVp and mAs can both be by hand", async () => {
  const server = desk();
  await ready();
  fireEvent.click(screen.getByRole("radio", { name: "Exposure" }));
  type(field("kVp by hand"), "85");
  type(field("mAs by hand"), "22");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ setup: { kvp: 85, mas: 22 } }));
  await waitFor(() => expect(mas()).toBe("22"));
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
  expect(mas()).not.toMatch(/\d/);
  expect(field("Thickness").value).toBe("30");
  key("Enter");
  expect(accepted().disabled).toBe(true);
});

it("somebody else at the console finds nothing of the last patient", async () => {
  let here = me;
  const { queries } = desk({ "GET /api/start": () => start({ session: here }) });
  await ready();
  measure("21");
  here = session(person("joren", "keeper"));
  await queries.invalidateQueries({ queryKey: ["start"] });
  expect(await screen.findByText("Who is next?")).toBeDefined();
  expect(screen.queryByTestId("numbers")).toBeNull();
});

it("a console left alone shows no one's numbers until somebody says whose they are", async () => {
  vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
  try {
    desk();
    await vi.waitFor(() => expect(mas()).toBe("40"), { timeout: 20_000 });
    act(() => void vi.advanceTimersByTime(10 * 60_000 + 1));
    expect(screen.queryByTestId("numbers")).toBeNull();
    press("Go on with this patient");
    expect(mas()).toBe("40");
  } finally {
    vi.useRealTimers();
  }
});

it("keys change support, grid and unit, and one key takes all of it back to the chart", async () => {
  const server = desk();
  await ready();
  const setup = () => (server.last(TECHNIQUE).body as TechniqueRequest).setup as Record<string, unknown>;
  key("b");
  await waitFor(() => expect(setup().support).toBe("tabletop"));
  expect(screen.getByText("1 thing changed.")).toBeDefined();
  key("x");
  expect(screen.queryByRole("button", { name: "Back to chart" })).toBeNull();
  type(field("SID (measured)"), "115");
  await waitFor(() => expect(setup().sid_cm).toBe(115));
  press("Back to chart");
  expect(field("SID (measured)").value).toBe("");
});

it("lengths typed in inches go out in centimetres", async () => {
  prefer({ unit: "in" });
  const server = desk();
  await ready();
  measure("10");
  await waitFor(() => expect(server.last(TECHNIQUE).body).toMatchObject({ thickness_cm: 25.4 }));
});

it("a room without an approved chart says so and asks for no technique", async () => {
  const server = desk({ "GET /api/start": start({ charted: null }), "GET /api/charted": {} });
  expect(await screen.findByText("Room 1 has no approved chart")).toBeDefined();
  expect(server.asked.map((one) => one.to)).not.toContain(TECHNIQUE);
});

// --- the exam's other stops

const CERVICAL = {
  id: "trauma",
  name: "Trauma spine",
  steps: [
    { projections: ["lspine-ap"], when: "", note: "", asks: "", side: "" as const, as_brought: false },
    {
      projections: [],
      clearance: "Spine cleared by the physician",
      when: "",
      note: "",
      asks: "Spine cleared?",
      side: "" as const,
      as_brought: false,
    },
    {
      projections: [],
      wait_min: 5,
      when: "",
      note: "Contrast",
      asks: "",
      side: "" as const,
      as_brought: false,
    },
    {
      projections: ["hand-pa"],
      when: "trauma of the hand",
      note: "",
      asks: "",
      side: "" as const,
      as_brought: false,
    },
  ],
  projections: ["lspine-ap", "hand-pa"],
  why: "",
  age_band: null,
  local: false,
};

function trauma(routes: Record<string, unknown> = {}) {
  return desk(
    {
      "GET /api/lists": lists({ exams: [CERVICAL, ...EXAMS] }),
      "POST /api/run-sheets": { steps: [] },
      ...routes,
    },
    CERVICAL,
  );
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
  expect(screen.getByText("Spine cleared?")).toBeDefined();
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
  press("Change views");
  press("Skip");
  expect(screen.getByRole("button", { name: /^PA, skipped, only: trauma of the hand/ })).toBeDefined();
  key("[");
  expect(screen.getByRole("button", { name: "AP" }).getAttribute("aria-current")).toBe("step");
  press("Change views");
  press("Another try");
  expect(screen.getAllByRole("button", { name: /^AP/ })).toHaveLength(2);
});
