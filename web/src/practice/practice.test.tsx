// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import type { PracticeImage } from "../api/practice";
import { person, PICTURE, session, start } from "../testing/clinic";
import {
  enter,
  fireEvent,
  pick,
  press,
  Problem,
  screen,
  serve,
  show,
  waitFor,
  within,
} from "../testing/server";
import { PracticePage } from "./PracticePage";

HTMLCanvasElement.prototype.getContext = vi.fn(() => null) as never;

const image = (change: Partial<PracticeImage> = {}): PracticeImage => ({
  picture: PICTURE,
  ei: 250,
  di: 0,
  optical_density: null,
  recognised: true,
  mas: 4,
  back_up: false,
  incident_air_kerma_mgy: 0.3,
  kap_mgycm2: 100,
  scatter_over_primary: 0.5,
  judged: { verdict: "On target" } as PracticeImage["judged"],
  ...change,
});
const USUAL = {
  kvp: 70,
  mas: 4,
  sid_cm: 100,
  grid_ratio: 0,
  gap_cm: 0,
  receptor: "dr_csi",
  chambers: [],
  density_factor: 1,
  spot_mm: 1.2,
  field_cm: null,
  filtration_mm_al: 3,
  filtration_mm_cu: 0,
};
const SQUARE = [
  [0.2, 0.2],
  [0.8, 0.2],
  [0.8, 0.8],
  [0.2, 0.8],
];
const SEEN = {
  picture: PICTURE,
  field: SQUARE,
  cells: { L: SQUARE, C: SQUARE, R: SQUARE },
  at_receptor_cm: [24, 30],
  on_skin_cm: [20, 25],
  ssd_cm: 83,
};
const room = (more: object = {}) =>
  serve({
    "GET /api/practice/lists": {
      projections: ["hand-pa", "lspine-ap"],
      one_sided: ["hand-pa"],
      of_left: [],
      conditions: { "": "none" },
    },
    "POST /api/practice/usual": USUAL,
    "POST /api/practice/exposures": image(),
    "POST /api/practice/light-field": SEEN,
    ...more,
  });
const EXPOSE = "POST /api/practice/exposures";

it("exposes what is set, and holds the last exposure beside it by a line that the arrow keys move", async () => {
  const server = room();
  show(<PracticePage />, "/practice");
  fireEvent.click(await screen.findByRole("button", { name: "Expose" }));
  expect(await screen.findByText("On target")).toBeDefined();
  expect(server.last(EXPOSE).body).toMatchObject({
    case: { projection: "lspine-ap", thickness_cm: 21 },
    console: { kvp: 70, mas: 4 },
    wrong: { artefacts: ["marker R"] },
  });
  expect(screen.queryByLabelText(/Swipe line/)).toBeNull();
  fireEvent.change(screen.getByRole("textbox", { name: "kVp" }), { target: { value: "85" } });
  fireEvent.blur(screen.getByRole("textbox", { name: "kVp" }));
  fireEvent.click(screen.getByRole("checkbox", { name: "Moved 4 mm" }));
  press("Expose");
  const line = await screen.findByRole("slider", { name: /Swipe line/ });
  expect(server.last(EXPOSE).body).toMatchObject({ console: { kvp: 85 }, wrong: { moved_mm: 4 } });
  fireEvent.change(line, { target: { value: "40" } });
  expect((line as HTMLInputElement).value).toBe("40");
  const shots = ["This exposure", "Last exposure"].map(
    (name) => screen.getByRole("region", { name }).textContent,
  );
  expect(shots[0]).toContain("85 kVp");
  expect(shots[0]).toContain("moved 4 mm");
  expect(shots[1]).toContain("70 kVp");
});

it("chambers end the exposure where they are chosen, and the mAs is then the back-up", async () => {
  const server = room();
  show(<PracticePage />, "/practice");
  await screen.findByRole("combobox", { name: /^Chambers: By hand/ });
  await pick(/^Chambers: By hand/, "L+R");
  expect(screen.getByRole("textbox", { name: "Back-up mAs" })).toBeDefined();
  press("Expose");
  expect(await screen.findByText("On target")).toBeDefined();
  expect(server.last(EXPOSE).body).toMatchObject({ console: { chambers: ["L", "R"] } });
});

it("another patient leaves no image of the last one, and a refusal none at all", async () => {
  room({ [EXPOSE]: image({ back_up: true, ei: null, di: null, optical_density: 1.3 }) });
  const { unmount } = show(<PracticePage />, "/practice");
  fireEvent.click(await screen.findByRole("button", { name: "Expose" }));
  expect(await screen.findByText("Ended by the back-up.")).toBeDefined();
  expect(screen.getByText("OD 1.30")).toBeDefined();
  fireEvent.click(screen.getByRole("button", { name: "Surprise me" }));
  expect(screen.queryByText("OD 1.30")).toBeNull();
  expect(await screen.findByRole("img", { name: /^The part as the tube sees it/ })).toBeDefined();
  unmount();
  room({ [EXPOSE]: new Problem(422, "kVp must be from 40 to 150.") });
  show(<PracticePage />, "/practice");
  fireEvent.click(await screen.findByRole("button", { name: "Expose" }));
  expect((await screen.findByRole("alert")).textContent).toContain("40 to 150");
  expect(screen.queryByRole("img", { name: /^Computed radiograph/ })).toBeNull();
});

it("the light field is seen before anything is exposed, and the Desk's keys work", async () => {
  const server = room();
  show(<PracticePage />, "/practice");
  expect(await screen.findByText(/24 × 30 cm at the receptor, 20 × 25 cm on the skin/)).toBeDefined();
  const jaw = screen.getByRole("slider", { name: "Thickness" });
  fireEvent.keyDown(jaw, { key: "ArrowRight" });
  await waitFor(() =>
    expect(server.last("POST /api/practice/light-field").body).toMatchObject({
      case: { thickness_cm: 21.5 },
    }),
  );
  fireEvent.keyDown(document.body, { key: "k" });
  expect(document.activeElement).toBe(screen.getByRole("textbox", { name: "kVp" }));
  (document.activeElement as HTMLElement).blur();
  fireEvent.keyDown(document.body, { key: "Enter" });
  expect(await screen.findByText("On target")).toBeDefined();
  expect(server.last(EXPOSE).body).toMatchObject({ case: { thickness_cm: 21.5 } });
});

it("the window is moved by the arrow keys, inverted and put back, and says nothing of what is to be seen", async () => {
  room();
  show(<PracticePage />, "/practice");
  fireEvent.click(await screen.findByRole("button", { name: "Expose" }));
  const picture = await screen.findByRole("img", { name: /^Computed radiograph/ });
  expect(picture.getAttribute("aria-label")).not.toMatch(/target|noise|wrong/i);
  const back = screen.getByRole<HTMLButtonElement>("button", { name: /As at first/ });
  expect(back.disabled).toBe(true);
  for (const key of ["ArrowRight", "ArrowUp"]) fireEvent.keyDown(picture, { key });
  expect(back.disabled).toBe(false);
  fireEvent.keyDown(picture, { key: "i" });
  expect(screen.getByRole("button", { name: /Inverse/ }).getAttribute("aria-pressed")).toBe("true");
  fireEvent.keyDown(picture, { key: "m" });
  expect(screen.getByRole("button", { name: /Magnify/ }).getAttribute("aria-pressed")).toBe("true");
  fireEvent.keyDown(picture, { key: "Home" });
  expect(back.disabled).toBe(true);
});

const DRILLS = [
  { id: "mat", track: "measure", name: "The mat", aim: "Read it.", answers: 2, mean: 0.5, due_in: 0 },
  {
    id: "judge",
    track: "expose and judge",
    name: "Grain",
    aim: "See it.",
    answers: 0,
    mean: null,
    due_in: null,
  },
];
const task = (change: object = {}) => ({
  drill: "mat",
  seed: 7,
  track: "measure",
  name: "The mat",
  aim: "Read it.",
  given: "The calipers read 24 cm over a 2 cm mat.",
  asked: [{ name: "cm", label: "Thickness", unit: "cm", options: {} }],
  has_image: false,
  hint_costs: 0.25,
  level: 2,
  level_name: "usual",
  ...change,
});
const judged = (credit: number, change: object = {}) => ({
  credit,
  said: [credit === 1 ? "Thickness: 22 cm. Right." : "Thickness: 24 cm is too much: 22 cm."],
  worked: "24 − 2 = 22 cm.",
  model_answer: { cm: 22 },
  image: null,
  image_says: "",
  kept: true,
  ...change,
});
const ANSWER = "POST /api/practice/drills/mat/answers";
const TRAINEE = start({ session: session(person("ada", "trainee")) });
const drills = (more: object = {}) =>
  serve({
    "GET /api/start": TRAINEE,
    "GET /api/practice/drills": DRILLS,
    "GET /api/practice/next": task(),
    "GET /api/practice/confusions": {},
    [ANSWER]: judged(0),
    ...more,
  });

it("a drill is failed, its working shown, and passed the next time; a hint is told to cost", async () => {
  let right = false;
  const server = drills({
    [ANSWER]: () => judged(right ? 1 : 0),
    "GET /api/practice/drills/mat/hint": "What of it is patient?",
    "GET /api/practice/next": () => task({ seed: right ? 8 : 7 }),
  });
  show(<PracticePage />, "/practice?part=drills");
  expect(await screen.findByText("50 %, due")).toBeDefined();
  press("Begin");
  expect(await screen.findByText(/over a 2 cm mat/)).toBeDefined();
  const answer = screen.getByRole<HTMLButtonElement>("button", { name: "Answer" });
  expect(answer.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Thickness"), { target: { value: "24" } });
  fireEvent.blur(screen.getByLabelText("Thickness"));
  press("Answer");
  expect(await screen.findByText("Not right: 0 % credit")).toBeDefined();
  expect(screen.getByText("24 − 2 = 22 cm.")).toBeDefined();
  expect(server.last(ANSWER).body).toMatchObject({ seed: 7, answer: { cm: 24 }, hinted: false });
  right = true;
  press("Next");
  fireEvent.click(await screen.findByRole("button", { name: "A hint (costs 25 %)" }));
  expect(await screen.findByText("What of it is patient?")).toBeDefined();
  fireEvent.change(screen.getByLabelText("Thickness"), { target: { value: "22" } });
  fireEvent.blur(screen.getByLabelText("Thickness"));
  press("Answer");
  expect(await screen.findByText("Right: 100 % credit")).toBeDefined();
  expect(server.last(ANSWER).body).toMatchObject({ seed: 8, hinted: true });
});

it("a critique shows its image without a word of it, and afterwards what was taken for what", async () => {
  const asked = [
    {
      name: "fault",
      label: "What is wrong?",
      unit: "",
      options: { none: "Nothing is wrong", noise: "Noise" },
    },
    { name: "repeat", label: "Repeat?", unit: "", options: { no: "No", yes: "Yes" } },
  ];
  const server = drills({
    "GET /api/practice/next": task({ drill: "judge", name: "Grain", asked, has_image: true }),
    "GET /api/practice/drills/judge/image": image({ ei: 60, di: -6.2 }),
    "POST /api/practice/drills/judge/answers": judged(0.5, {
      said: ["What is wrong?: Nothing, but it is noise."],
    }),
    "GET /api/practice/confusions": { Noise: { "Nothing is wrong": 2, Noise: 1 } },
  });
  show(<PracticePage />, "/practice?part=drills");
  fireEvent.click(await screen.findByRole("button", { name: "Begin" }));
  const picture = await screen.findByRole("img", { name: "The image of this task" });
  expect(picture).toBeDefined();
  expect(screen.getByText("−6.2")).toBeDefined();
  fireEvent.click(screen.getByRole("radio", { name: "Nothing is wrong" }));
  fireEvent.click(screen.getByRole("radio", { name: "No" }));
  press("Answer");
  expect(await screen.findByText("Partly right: 50 % credit")).toBeDefined();
  expect(picture.getAttribute("aria-label")).toBe("The image of this task. 24 − 2 = 22 cm.");
  expect(server.last("POST /api/practice/drills/judge/answers").body).toMatchObject({
    answer: { fault: "none", repeat: "no" },
  });
  const table = within(screen.getByRole("region", { name: "What you took for what" }));
  expect(
    table
      .getAllByRole("row")
      .slice(1)
      .map((one) => one.textContent),
  ).toEqual(["NoiseNothing is wrong2"]);
});

it("a pack goes image by image to the sum of it, as hard as was asked for", async () => {
  const asked = [
    { name: "fault", label: "What is wrong?", unit: "", options: { none: "Nothing", noise: "Noise" } },
  ];
  const one = (seed: number, level: number) =>
    task({
      drill: "judge",
      seed,
      level,
      level_name: "harder",
      given: `View ${seed}, 12 cm`,
      asked,
      has_image: true,
    });
  const server = drills({
    "GET /api/practice/pack": ({ query }: { query: URLSearchParams }) =>
      [1, 2].map((seed) => one(seed, Number(query.get("level")))),
    "GET /api/practice/drills/judge/image": image(),
    "POST /api/practice/drills/judge/answers": ({ body }: { body: unknown }) =>
      judged((body as { answer: { fault: string } }).answer.fault === "noise" ? 1 : 0),
  });
  show(<PracticePage />, "/practice?part=critique");
  fireEvent.click(await screen.findByRole("radio", { name: "Harder" }));
  press("Begin");
  for (const [fault, next] of [
    ["Noise", "Next image"],
    ["Nothing", "How it went"],
  ] as const) {
    fireEvent.click(await screen.findByRole("radio", { name: fault }));
    press("Answer");
    fireEvent.click(await screen.findByRole("button", { name: next }));
  }
  expect(await screen.findByText("50 % credit over the pack")).toBeDefined();
  expect(server.last("POST /api/practice/drills/judge/answers").body).toMatchObject({ seed: 2, level: 3 });
  const rows = within(screen.getByRole("region", { name: "How it went" })).getAllByRole("row");
  expect(rows[1]?.textContent).toContain("View 1");
  expect(rows[2]?.textContent).toContain("0 %");
});

const TEST = {
  id: 3,
  name: "Week 1",
  by: "joren",
  at: "2026-11-20T10:00:00Z",
  items: [
    { drill: "mat", name: "The mat", seed: 7, credit: 1 },
    { drill: "mat", name: "The mat", seed: 9, credit: null },
  ],
  results: [],
  by_drill: {},
};

it("a trainee goes on with a class test where it was left, and sees nobody else's", async () => {
  const server = serve({
    "GET /api/start": TRAINEE,
    "GET /api/practice/classes": [TEST],
    "GET /api/practice/drills/mat": ({ query }: { query: URLSearchParams }) =>
      task({ seed: Number(query.get("seed")) }),
    [ANSWER]: judged(1),
  });
  show(<PracticePage />, "/practice?part=classes");
  expect(await screen.findByText("Week 1")).toBeDefined();
  expect(screen.queryByText("Set a class test")).toBeNull();
  expect(screen.queryByRole("table")).toBeNull();
  press("Go on");
  expect(await screen.findByText("Week 1, task 2 of 2")).toBeDefined();
  fireEvent.change(await screen.findByLabelText("Thickness"), { target: { value: "22" } });
  fireEvent.blur(screen.getByLabelText("Thickness"));
  press("Answer");
  await screen.findByText("Right: 100 % credit");
  expect(server.last(ANSWER).body).toMatchObject({ seed: 9, in_class: 3 });
});

it("an instructor picks drills and sees everybody's results", async () => {
  const full = {
    ...TEST,
    results: [{ person: "ada", name: "Ada Quill", answered: 1, mean: 0.25, credits: [0.5, null] }],
    by_drill: { mat: 0.5 },
  };
  const server = serve({
    "GET /api/start": start({ session: session(person("joren", "keeper")) }),
    "GET /api/practice/classes": [full],
    "GET /api/practice/drills": DRILLS,
    "POST /api/practice/classes": full,
  });
  show(<PracticePage />, "/practice?part=classes");
  const row = await screen.findByRole("row", { name: /Ada Quill/ });
  expect(
    within(row)
      .getAllByRole("cell")
      .map((one) => one.textContent),
  ).toEqual(["Ada Quill", "50 %", "–", "25 %"]);
  expect(screen.getByRole<HTMLAnchorElement>("link", { name: "CSV" }).href).toContain("/classes/3/csv");
  fireEvent.click(screen.getByText("Set a class test"));
  fireEvent.change(screen.getByLabelText("Its name"), { target: { value: "Week 2" } });
  fireEvent.click(await screen.findByRole("checkbox", { name: "Grain" }));
  enter("Seed", "7");
  press("Set it");
  await waitFor(() =>
    expect(server.last("POST /api/practice/classes").body).toEqual({
      name: "Week 2",
      drills: ["judge"],
      seed: 7,
    }),
  );
});

it("who is not signed in is told that a class test is done by somebody", async () => {
  serve({});
  show(<PracticePage />, "/practice?part=classes");
  expect(await screen.findByText("Sign in for class tests")).toBeDefined();
});
