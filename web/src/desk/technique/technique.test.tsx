// @vitest-environment jsdom
import { cleanup } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import type { Choice, Projection, TechniqueRequest, TechniqueResponse, Way } from "../../api/queries";
import { ANSWER, PROJECTIONS, ROOM } from "../../testing/clinic";
import { fireEvent, press, Problem, screen, serve, show } from "../../testing/server";
import { Cautions } from "./Cautions";
import { Forecast, MoreFigures } from "./Forecast";
import { Methods } from "./Methods";
import { Numbers } from "./Numbers";
import { Steps } from "./Steps";
import { WhatIf } from "./WhatIf";

const numbers = (technique: Partial<TechniqueResponse["technique"]> = {}) =>
  show(
    <Numbers
      answer={{ ...ANSWER, technique: { ...ANSWER.technique, ...technique } }}
      projection={PROJECTIONS[0] as Projection}
      unit="in"
      machine="in"
      measured
      filter={null}
      forecast={null}
    />,
  );
const number = (name: string) => screen.getByTestId(`number-${name}`).textContent;

it("the four numbers stand in their own units; without an answer their places stay, with no digit in them", () => {
  numbers();
  const read = () => [number("kvp"), number("mas"), number("sid"), number("grid")];
  expect(read()).toEqual(["80", "63", "42.1in", "12:1"]);
  cleanup();
  show(
    <Numbers
      answer={undefined}
      projection={PROJECTIONS[0] as Projection}
      unit="in"
      machine="in"
      measured
      filter={null}
      forecast={null}
    />,
  );
  expect(read().join("")).not.toMatch(/\d/);
  expect(screen.getByTestId("numbers").getAttribute("aria-busy")).toBe("true");
});

it("warnings stand whole and first; notes that have no room are one press away", () => {
  const caution = (level: "warning" | "note", text: string) => ({ level, text, cites: "x" });
  const cautions = [
    caution("note", "First note."),
    caution("warning", "First warning."),
    caution("note", "Second note."),
    caution("warning", "Second warning."),
  ];
  show(<Cautions answer={{ ...ANSWER, cautions }} act={vi.fn()} />);
  expect(screen.getAllByRole("listitem").map((one) => one.textContent)).toEqual([
    "CheckFirst warning.",
    "CheckSecond warning.",
  ]);
  press("2 more notes");
  expect(screen.getByText("First note.")).toBeDefined();
  expect(screen.getByText("Second note.")).toBeDefined();
});

it("with AEC the mAs is a prediction, and the chamber and the back-up stand beside it", () => {
  numbers({ exposure_control: "aec", aec_cells: "L+R", aec_backup_mas: 95, grid_ratio: 0 });
  expect(screen.getByText("mAs, predicted")).toBeDefined();
  expect(number("chamber")).toBe("L+R");
  expect(screen.getByText(/back-up 95 mAs · grid none/)).toBeDefined();
});

it("the kVp usual on this support is said, not the projection's in general", () => {
  show(
    <Numbers
      answer={ANSWER}
      projection={{ ...(PROJECTIONS[0] as Projection), kvp_on: [["table_bucky", [70, 78]]] }}
      unit="cm"
      machine="cm"
      measured
      filter="1 mm Al + 0.1 mm Cu"
      forecast={null}
    />,
  );
  expect(screen.getByText(/70 to 78 usual/).textContent).toContain("1 mm Al + 0.1 mm Cu");
});

const forecast = (
  change: Partial<TechniqueResponse["forecast"]> = {},
  trust: TechniqueResponse["trust"] = "supported",
) => show(<Forecast answer={{ ...ANSWER, trust, forecast: { ...ANSWER.forecast, ...change } }} />);

it("a child is held against a KAP by weight, and against nothing else", () => {
  const level = {
    kg: [15, 30] as [number, number],
    quantity: "kerma_area_product" as const,
    value: 50,
    unit: "mGy·cm²",
    of_whom: "a child of 15 to 30 kg",
    source: "example",
    as_of: "",
  };
  forecast({ levels: [level], kap_mgycm2: 62 });
  expect(screen.getByText(/KAP over 50 mGy·cm², an example level/)).toBeDefined();
  expect(screen.getByTitle(/a child of 15 to 30 kg/)).toBeDefined();
  cleanup();
  forecast({ levels: [{ ...level, source: "our survey" }], kap_mgycm2: 62 });
  expect(screen.getByText(/KAP over 50 mGy·cm², our level/)).toBeDefined();
});

it("a line that no image stands behind says what to do, a proven one by how many it is", () => {
  forecast({ seen: 0 }, "model");
  expect(screen.getByText("No image of this line yet: watch the first.")).toBeDefined();
  forecast({ seen: 14 }, "proven");
  expect(screen.getByText("Line proven, 14 images.")).toBeDefined();
});

it("the forecast says index, band and dose, and never a figure that is not there", () => {
  forecast();
  const text = screen.getByRole("region", { name: "Forecast" }).textContent ?? "";
  expect(text).toContain("EI 248, DI 0.0");
  expect(text).toContain("80 % of patients: DI −1.2 to +1.1");
  expect(text).toContain("under 5 mGy, an example level");
  show(<MoreFigures answer={ANSWER} unit="cm" />);
  expect(screen.getByText(/contrast 12.3 %,/).textContent).toContain("contrast 12.3 %, CNR 41");
  expect(screen.getByText(/the physics model alone expects DI/).parentElement?.textContent).toContain("−0.4");
});

it.each([
  ["film", { ei: null, optical_density: 1.24 }, "density 1.24", "EI"],
  [
    "no output at this kVp",
    { incident_air_kerma_mgy: null, kap_mgycm2: null },
    "No dose figure at this kVp.",
    "mGy",
  ],
  ["no level", { levels: [] }, "Skin kerma 4.2 mGy", "example level"],
  [
    "no answer of the model",
    { di_low: null, di_high: null, model_di: null, contrast: null },
    "EI 248",
    "physics model",
  ],
  ["images seen", { seen: 14 }, "Line supported, 14 images", "no image logged"],
  ["over the level", { incident_air_kerma_mgy: 7.5 }, "over 5 mGy, an example level", "under 5"],
])("with %s", (_, change, there, missing) => {
  forecast(change);
  const text = screen.getByRole("region", { name: "Forecast" }).textContent ?? "";
  expect(text).toContain(there);
  expect(text).not.toContain(missing);
});

it("the reasons come in order, the other method only where the two disagree", () => {
  show(<Steps answer={ANSWER} />);
  const [first, second] = screen.getAllByRole("listitem");
  expect(first?.textContent).toContain("80 kVp 40 mAs");
  expect(first?.textContent).not.toContain("×");
  expect(second?.textContent).toContain("×1.59");
  expect(second?.textContent).toContain("Methods disagree. The physics model says ×1.80 here.");
  const agreeing = ANSWER.steps.map((one) => ({ ...one, apart: false }));
  show(<Steps answer={{ ...ANSWER, steps: agreeing }} />);
  expect(screen.getAllByText(/Methods disagree/)).toHaveLength(1);
});

it("a step that moves the kVp says by how many kVp", () => {
  const moved = { ...(ANSWER.steps[0] as (typeof ANSWER.steps)[0]), name: "Cast", kvp_after: 85 };
  show(<Steps answer={{ ...ANSWER, steps: [ANSWER.steps[0] as typeof moved, moved] }} />);
  expect(screen.getAllByRole("listitem")[1]?.textContent).toContain("+5.0 kVp85 kVp 40 mAs");
});

const WHAT_IF = "POST /api/what-if";
const choice = (kvp: number, kerma: number, cnr: number, more: Partial<Choice> = {}): Choice => ({
  kvp,
  mas: 4000 / kvp,
  ma: 400,
  time_ms: 100,
  focal_spot: "large",
  grid_ratio: 12,
  sid_cm: 107,
  incident_air_kerma_mgy: kerma,
  contrast: 0.1,
  cnr,
  filter: null,
  energy_imparted_mj: 5 * kerma,
  merit: cnr / kerma,
  front: true,
  offered: true,
  current: false,
  said: "gains skin kerma −20 %",
  ...more,
});
const REQUEST = { room: "room-1", projection: "lspine-ap" } as TechniqueRequest;

function whatIf(choices: Choice[], dose = "skin_kerma") {
  serve({ [WHAT_IF]: { detail: "bone", least_cnr: 12, dose, choices } });
  const act = vi.fn();
  show(<WhatIf request={REQUEST} room={ROOM} unit="cm" reference={5} act={act} />);
  return act;
}

it("what is offered and what is set now are listed with what they gain, the others only drawn", async () => {
  whatIf([
    choice(90, 3, 35),
    choice(81, 4.1, 30, { current: true, front: false, offered: false }),
    choice(79, 6, 20, { front: false, offered: false }),
  ]);
  const rows = (await screen.findAllByRole("row")).slice(1);
  expect(rows).toHaveLength(2);
  expect(rows[0]?.textContent).toContain("gains skin kerma −20 %");
  expect(rows[1]?.textContent).toContain("now");
  expect(screen.getByRole("img").getAttribute("aria-label")).toBe(
    "3 choices by skin kerma and contrast-to-noise ratio; 1 that nothing beats. Now 4.1 mGy, CNR 30",
  );
});

it("the dose can be energy imparted, and the figures say so", async () => {
  whatIf([choice(80, 4, 40, { current: true }), choice(90, 3, 35)], "energy_imparted");
  expect((await screen.findByRole("img")).getAttribute("aria-label")).toContain("Now 20 mJ");
  expect(screen.getByRole("columnheader", { name: "mJ" })).toBeDefined();
});

it("a choice is seen before it is set up, and set up as kVp, grid and SID with the mAs left to follow", async () => {
  const act = whatIf([
    choice(80, 4, 40, { current: true }),
    choice(90, 3, 35, { grid_ratio: 0, sid_cm: 115 }),
  ]);
  fireEvent.click(await screen.findByRole("button", { name: /^90 kVp/ }));
  expect(screen.getByText(/no grid, 115 cm: 100 ms/)).toBeDefined();
  press("Set up so");
  expect(act).toHaveBeenCalledWith({
    do: "setup",
    change: { kvp: 90, mas: null, grid_ratio: 0, sid_cm: 115 },
  });
});

it("where the room has filters each choice names its own, and takes the line's out where it has none", async () => {
  const room = { ...ROOM, filters: [{ id: "cu", name: "0.1 mm Cu", mm_al: 0, mm_cu: 0.1 }] };
  serve({
    [WHAT_IF]: {
      detail: "bone",
      least_cnr: 12,
      dose: "skin_kerma",
      choices: [choice(80, 4, 40, { current: true, filter: "cu" }), choice(90, 3, 35)],
    },
  });
  const act = vi.fn();
  show(<WhatIf request={REQUEST} room={room} unit="cm" reference={null} act={act} />);
  fireEvent.click(await screen.findByRole("button", { name: /^90 kVp/ }));
  expect(screen.getByText(/no added filter, 107 cm/)).toBeDefined();
  press("Set up so");
  expect(act.mock.calls[0]?.[0]).toMatchObject({ change: { filter: "none" } });
});

it("a room with no other way says so, and a refusal takes the place of old choices", async () => {
  whatIf([choice(80, 4, 40, { current: true })]);
  expect(await screen.findByText(/no other way to give the receptor the same/)).toBeDefined();
  serve({ [WHAT_IF]: new Problem(422, "thickness_cm is 70 cm; allowed is 13 to 36 cm.") });
  const asked = { ...REQUEST, thickness_cm: 70 };
  show(<WhatIf request={asked} room={ROOM} unit="cm" reference={null} act={vi.fn()} />);
  expect((await screen.findByRole("alert")).textContent).toContain("allowed is 13 to 36");
});

describe("methods beside each other", () => {
  const way = (change: object): Way => ({
    way: {
      of: "exposure control",
      name: "While breathing",
      why: "Ribs blur.",
      exposure_control: "breathing",
    },
    clears: ["kvp", "mas"],
    current: false,
    technique: { ...ANSWER.technique, kvp: 70, mas: 10, time_ms: 1000, sid_cm: 100, grid_ratio: 12 },
    di: 0.2,
    incident_air_kerma_mgy: 0.68,
    unsharpness_mm: 0.21,
    refused: null,
    ...change,
  });
  const request = { room: "room-1", projection: "lspine-ap" } as TechniqueRequest;

  it("each has its numbers and dose, the present one is marked, another is set by a press", async () => {
    serve({
      "POST /api/ways": [
        way({ current: true }),
        way({
          way: {
            of: "exposure control",
            name: "Breath held, by hand",
            why: "Short.",
            exposure_control: "manual",
          },
          incident_air_kerma_mgy: 0.57,
        }),
        way({
          way: { of: "support", name: "Table Bucky", why: "Less scatter.", support: "table_bucky" },
          technique: null,
          refused: "12:1 does not reach.",
        }),
      ],
    });
    const act = vi.fn();
    show(<Methods {...{ request, act }} room={ROOM} unit="cm" />);
    const [breathing, held] = await screen.findAllByRole("listitem");
    expect(breathing?.textContent).toMatch(/While breathing.*now.*70 kVp 10 mAs, 1000 ms, 100 cm, 12:1/);
    expect(held?.textContent).toContain("Skin kerma 0.57 mGy");
    expect(screen.getByText("12:1 does not reach.")).toBeDefined();
    fireEvent.click(screen.getByRole("button", { name: "Set" }));
    expect(act.mock.lastCall?.[0]).toMatchObject({
      do: "setup",
      change: { exposure_control: "manual", kvp: null, mas: null },
    });
  });

  it("without a hand on the set-up nothing is set, and one way only is said to be one", async () => {
    serve({ "POST /api/ways": [way({})] });
    show(<Methods request={request} room={ROOM} unit="cm" />);
    await screen.findByText("While breathing");
    expect(screen.queryByRole("button")).toBeNull();
    serve({ "POST /api/ways": [] });
    show(<Methods request={request} room={ROOM} unit="in" />);
    expect(await screen.findByText(/has one way for this view/)).toBeDefined();
  });
});
