// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import type { Chart } from "../../api/queries";

import {
  BANDED,
  CHART,
  FIXED,
  PROJECTIONS,
  ROOM,
  ROOM_2,
  listed,
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
  within,
} from "../../testing/server";
import { Adapt } from "./Adapt";
import { Build } from "./Build";
import { ImportChart } from "./import/ImportChart";
import { NewLine } from "./NewLine";

const making = () => ({
  room: ROOM,
  projections: PROJECTIONS,
  open: undefined,
  nextVersion: 3,
  making: false,
  error: null,
  onMake: vi.fn(),
  onTaken: vi.fn(),
  onCancel: vi.fn(),
});

// --- from a file

const PREVIEW = "POST /api/charts/import/preview";
const column = (given: string, taken_as: string | null, sample: string[] = []) => ({
  given,
  taken_as,
  sample,
});
const MADE = {
  line: FIXED,
  rows: [2],
  sources: {
    projection: { confidence: "exact", where: "row 2, Part" },
    receptor: { confidence: "assumed", where: "the room's usual one there" },
  },
  cells: [{ row: 2, thickness_cm: 21, kvp: 80, mas: 40, line_kvp: 80, line_mas: 40 }],
  di: [0.4, -1.2, 3.4],
  waits: [],
};
const FOUND = {
  columns: [
    column("Part", "projection", ["L-Spine AP"]),
    column("mAs", "mas@small", ["40"]),
    column("Who", null),
  ],
  ours: ["projection", "mas", "kvp", "sid_cm", "support", "receptor", "grid_ratio"],
  taken: [],
  faults: [],
  questions: [] as object[],
  made: [MADE],
  decided: ["Cells are separated by semicolon."],
  sheets: [
    {
      name: "Room 1",
      rows: [
        [1, ["Ward chart"]],
        [3, ["Part", "", "mAs"]],
      ],
    },
  ],
  unread: [],
  ready: true,
  lines: [FIXED],
};
const ASKS = {
  id: "projection:skull ap",
  kind: "projection",
  text: "Which projection is “Skull AP”?",
  given: "Skull AP",
  rows: [3, 4],
  choices: [
    { value: "skull-ap-axial", label: "Skull AP axial" },
    { value: "leave out", label: "leave out" },
  ],
  guess: "skull-ap-axial",
  answer: null,
  free: true,
};
const REMEMBER = "POST /api/charts/import/answers";

function chooseFile(name: string, content: string) {
  const field = document.querySelector<HTMLInputElement>("input[type=file]");
  if (!field) throw new Error("no field for a file");
  fireEvent.change(field, { target: { files: [new File([content], name)] } });
}

it("a file goes as its bytes, its columns are shown as they were taken, and another meaning is asked anew", async () => {
  const server = serve({ [PREVIEW]: FOUND });
  show(<ImportChart {...making()} />);
  const field = document.querySelector<HTMLInputElement>("input[type=file]") as HTMLInputElement;
  const bytes = new Uint8Array([80, 75, 3, 4, 0, 255, 128]);
  fireEvent.change(field, { target: { files: [new File([bytes], "Chart.XLSX")] } });
  await screen.findByText("Cells are separated by semicolon.");
  const sent = server.last(PREVIEW).body as { file: string };
  expect(sent).toMatchObject({ room: "room-1", mapping: {}, defaults: {}, answers: {} });
  expect([...atob(sent.file)].map((one) => one.charCodeAt(0))).toEqual([...bytes]);
  fireEvent.click(screen.getByText("How it is read"));
  await pick("Column Who is: left out", "SID, in");
  await waitFor(() => expect(server.last(PREVIEW).body).toMatchObject({ mapping: { Who: "sid_in" } }));
  await pick("Column Part is: projection", "left out");
  await waitFor(() =>
    expect(server.last(PREVIEW).body).toMatchObject({ mapping: { Who: "sid_in", Part: null } }),
  );
  expect(screen.getByRole("combobox", { name: "Column mAs is: mAs, small" })).toBeDefined();
  await pick(/^Heads stand elsewhere/, "row 3: Part | mAs");
  await waitFor(() => expect(server.last(PREVIEW).body).toMatchObject({ answers: { "heads:Room 1": "3" } }));
});

it("what the file has no column for can be said once for all lines", async () => {
  const server = serve({ [PREVIEW]: FOUND });
  show(<ImportChart {...making()} />);
  chooseFile("chart.txt", "Part,mAs\nx,1\n");
  await screen.findByText(/The file has no column for these/);
  await pick(/^support/, "Table Bucky");
  await waitFor(() =>
    expect(server.last(PREVIEW).body).toMatchObject({ defaults: { support: "table_bucky" } }),
  );
  await pick(/^grid ratio/, "12:1");
  enter(/^SID/, "107");
  await waitFor(() =>
    expect(server.last(PREVIEW).body).toMatchObject({
      defaults: { support: "table_bucky", grid_ratio: "12", sid_cm: "107" },
    }),
  );
});

it("a question names the likeliest answer and waits for a person's; no draft is made before", async () => {
  const server = serve({
    [PREVIEW]: ({ body }: { body: unknown }) => {
      const answer = (body as { answers: Record<string, string> }).answers[ASKS.id] ?? null;
      const made = { ...MADE, rows: [3], waits: answer ? [] : [ASKS.id] };
      return { ...FOUND, questions: [{ ...ASKS, answer }], made: [MADE, made], ready: answer !== null };
    },
    [REMEMBER]: {},
  });
  const props = making();
  show(<ImportChart {...props} />);
  chooseFile("Ward chart.csv", "Part\n");
  expect(await screen.findByText("1 question open")).toBeDefined();
  expect(screen.getByText("Likely: Skull AP axial")).toBeDefined();
  expect(screen.getByText(/1 of them waiting/)).toBeDefined();
  const make = () => screen.getByRole<HTMLButtonElement>("button", { name: /version 3/i });
  expect(make().disabled).toBe(true);
  await pick(/Which projection is “Skull AP”/, "Skull AP axial");
  await screen.findByText("All questions are answered");
  await waitFor(() => expect(make().disabled).toBe(false));
  fireEvent.click(make());
  expect(props.onMake).toHaveBeenCalledWith("Ward chart", [FIXED], "Imported from Ward chart.");
  await waitFor(() => expect(server.last(REMEMBER).body).toEqual({ [ASKS.id]: "skull-ap-axial" }));
});

it("words known from earlier files are seen, and one is forgotten without the others", async () => {
  let known: Record<string, string> = { "projection:sacrum": "lspine-ap", "support:bay 2": "table_bucky" };
  serve({
    "GET /api/charts/import/answers": () => known,
    "PUT /api/charts/import/answers": ({ body }: { body: Record<string, string> }) => (known = body),
  });
  show(<ImportChart {...making()} />);
  fireEvent.click(await screen.findByText(/2 of the department's own words are known/));
  expect(screen.getByText("Lumbar spine AP")).toBeDefined();
  press("Forget sacrum");
  await waitFor(() => expect(known).toEqual({ "support:bay 2": "table_bucky" }));
  expect(await screen.findByText(/1 of the department's own words is known/)).toBeDefined();
});

it("faults are named, their rows can be left out in one press, and until then no draft is made", async () => {
  const server = serve({
    [PREVIEW]: { ...FOUND, ready: false, faults: [{ row: 4, column: "mAs", problem: "'4o' is no number." }] },
  });
  show(<ImportChart {...making()} />);
  chooseFile("chart.csv", "x");
  expect((await screen.findByRole("alert")).textContent).toContain("1 cell is not right");
  expect(screen.getByText("'4o' is no number.")).toBeDefined();
  expect(screen.getByRole<HTMLButtonElement>("button", { name: /version 3/i }).disabled).toBe(true);
  fireEvent.click(screen.getByRole("button", { name: "Leave out row 4" }));
  await waitFor(() => expect(server.last(PREVIEW).body).toMatchObject({ answers: { "row:4": "leave out" } }));
});

it("another sheet forgets what was said of the last one's rows, and nothing else", async () => {
  const sheet = {
    ...ASKS,
    id: "sheet:which",
    text: "Which sheet?",
    choices: [{ value: "Ankle", label: "Ankle: 2 rows" }],
    free: false,
  };
  const server = serve({
    [PREVIEW]: {
      ...FOUND,
      ready: false,
      questions: [ASKS, sheet],
      faults: [{ row: 4, column: "mAs", problem: "'4o' is no number." }],
    },
  });
  show(<ImportChart {...making()} />);
  chooseFile("chart.csv", "x");
  fireEvent.click(await screen.findByRole("button", { name: "Leave out row 4" }));
  await pick(/Which projection is “Skull AP”/, "Skull AP axial");
  await pick(/Which sheet/, "Ankle: 2 rows");
  await waitFor(() =>
    expect((server.last(PREVIEW).body as { answers: object }).answers).toEqual({
      "projection:skull ap": "skull-ap-axial",
      "sheet:which": "Ankle",
    }),
  );
});

it("each line says what was assumed and the index to expect; a file that is none is refused", async () => {
  let answer: unknown = new Problem(422, "This is no table.");
  serve({ [PREVIEW]: () => answer });
  show(<ImportChart {...making()} />);
  chooseFile("Ward chart.csv", "?");
  expect((await screen.findByRole("alert")).textContent).toContain("This is no table.");
  answer = FOUND;
  chooseFile("Ward chart.csv", "Part\n");
  const lines = await screen.findByRole("region", { name: "Lines" });
  expect(within(lines).getByTitle("Assumed: the room's usual one there").textContent).toBe("Fixed panel");
  expect(lines.textContent).toContain("+0.4 −1.2 +3.4");
  expect(lines.textContent).toContain("80 kVp 40 mAs at 21 cm");
});

// --- into the version that is open

it("lines go into the open draft once what they add and change was seen and chosen", async () => {
  const other = { ...FIXED, projection: "hand-pa" };
  const server = serve({
    [PREVIEW]: { ...FOUND, lines: [FIXED, other] },
    "POST /api/charts/9/difference": [
      {
        change: "changed",
        before: { ...FIXED, id: 41, revision: 3 },
        after: FIXED,
        what: ["mAs 40 to 32"],
        sizes: [],
      },
      { change: "added", before: null, after: other, what: [], sizes: [] },
      { change: "same", before: BANDED, after: BANDED, what: [], sizes: [] },
    ],
    "POST /api/charts/9/changes": { chart: { ...CHART, id: 9 }, changed: [] },
    [REMEMBER]: {},
  });
  const props = { ...making(), open: { ...listed(CHART), id: 9, version: 3, status: "draft" as const } };
  show(<ImportChart {...props} />);
  chooseFile("Ward chart.csv", "Part\n");
  fireEvent.click(await screen.findByRole("button", { name: "See what 2 lines would change in version 3" }));
  const seen = await screen.findByRole("region", { name: "What would change in version 3" });
  expect(seen.textContent).toContain("1 added, 1 changed in version 3, 1 stand there already");
  expect(seen.textContent).toContain("changes: mAs 40 to 32");
  press("Only what is missing");
  press("Put 1 line into version 3");
  await waitFor(() => expect(props.onTaken).toHaveBeenCalled());
  const sent = server.last("POST /api/charts/9/changes").body as {
    changes: { line: number | null }[];
    why: string;
  };
  expect(sent.why).toBe("Imported from Ward chart.");
  expect(sent.changes).toEqual([
    expect.objectContaining({
      line: null,
      to: expect.objectContaining({ projection: "hand-pa" }) as unknown,
    }),
  ]);
  press("All of them");
  press("Put 2 lines into version 3");
  await waitFor(() =>
    expect(server.last("POST /api/charts/9/changes").body).toMatchObject({
      changes: [{ line: 41, revision: 3 }, { line: null }],
    }),
  );
});

// --- from test exposures

const BUILD = "POST /api/rooms/room-1/build";
const BUILT = {
  readings: [{ exposure: { projection: "hand-pa" }, off_di: 0.9, left_di: 1.4 }],
  suggestions: [
    {
      line: FIXED,
      thickness_cm: 21,
      kvp: 80,
      mas: 40,
      mean_before_di: 0.62,
      mean_after_di: 0.41,
      share_after: 0.81,
    },
  ],
  curve: [
    { exposures: 0, share: 0.5 },
    { exposures: 2, share: 0.74 },
    { exposures: 3, share: 0.81 },
  ],
  suspects: [],
  left_out: [],
  drafts: [
    {
      line: FIXED,
      spread_di: 1.3,
      correction_di: -0.4,
      shares: [
        [0, 0.72],
        [1, 0.01],
      ],
      refusal: null,
      trust: "supported",
    },
    {
      line: BANDED,
      spread_di: 0.5,
      correction_di: 0,
      shares: [[0, 0.02]],
      refusal: "No such bands here.",
      trust: "model",
    },
  ],
};

function exposed(i: number, thickness: string, kvp: string, mas: string, ei: string) {
  for (const [name, text] of Object.entries({ thickness, kVp: kvp, mAs: mas, index: ei }))
    enter(`${name} of exposure ${i}`, text);
}

it("only exposures that are whole are counted, and a chart is drafted from those", async () => {
  const server = serve({ [BUILD]: BUILT });
  const props = making();
  show(<Build {...props} lines={[FIXED]} />);
  expect(button(/Draft the chart/).disabled).toBe(true);
  exposed(1, "3", "57", "1.6", "380");
  enter("kVp of exposure 2", "80");
  press("Draft the chart from 1 exposure");
  await screen.findByText("2 drafted lines");
  expect(server.last(BUILD).body).toMatchObject({
    school: "levelled",
    exposures: [
      {
        projection: "hand-pa",
        support: "tabletop",
        grid_ratio: 0,
        thickness_cm: 3,
        kvp: 57,
        mas: 1.6,
        shown_index: 380,
        layers: null,
      },
    ],
  });
  // What a line rests on is said by the exposures that weigh; a line that could not be drafted so says why.
  expect(screen.getByText(/exposure 1 \(72 %\)/)).toBeDefined();
  expect(screen.getByText(/none of them/).textContent).toContain("levelled instead: No such bands here.");
  expect(screen.getByText("±1.3 DI").className).toContain("text-warn");
  expect(screen.getByText("+1.4 left").className).toContain("text-warn");
  fireEvent.click(screen.getByRole("button", { name: /2 lines|version 3/ }));
  expect(props.onMake).toHaveBeenCalledWith(
    expect.stringContaining("Room 1 chart"),
    [FIXED, BANDED],
    "Drafted from 1 test exposure; ±0.9 DI on average.",
  );
});

it("an exposure that is left out is named with its reason and its number stands as it was", async () => {
  const why = "its index is ×10 what the other exposures call for; the chart is built without it.";
  const server = serve({ [BUILD]: { ...BUILT, suspects: [{ exposure: 0, why }] } });
  show(<Build {...making()} lines={[]} />);
  exposed(1, "3", "57", "1.6", "3800");
  exposed(2, "21", "80", "32", "250");
  press(/Draft the chart/);
  const left = await screen.findByRole("region", { name: "Exposures left out" });
  expect(left.textContent).toContain(`One exposure is left out: look at itExposure 1, Hand PA: ${why}`);
  expect(screen.getByText("left out", { selector: "b" })).toBeDefined();
  expect(screen.getByText("from the model only").className).toContain("text-warn");
  expect(screen.getByLabelText<HTMLInputElement>("index of exposure 1").value).toBe("3800");
  // One press takes it out of the table too, and the others draft the chart anew.
  press("Take it out of the table");
  await waitFor(() =>
    expect(screen.getByLabelText<HTMLInputElement>("index of exposure 1").value).toBe("250"),
  );
  await waitFor(() =>
    expect(
      (server.last(BUILD).body as { exposures: { shown_index: number }[] }).exposures.map(
        (one) => one.shown_index,
      ),
    ).toEqual([250]),
  );
});

it("a deviation index typed for an index becomes its index with one press", async () => {
  const suspect = {
    exposure: 0,
    why: "an index of 1.2 is not that of an accepted image here.",
    index_of_di: 461,
  };
  const server = serve({ [BUILD]: { ...BUILT, suspects: [suspect] } });
  show(<Build {...making()} lines={[]} />);
  exposed(1, "3", "57", "1.6", "1.2");
  exposed(2, "21", "80", "32", "250");
  press(/Draft the chart/);
  fireEvent.click(await screen.findByRole("button", { name: "It is a DI: the index was 461" }));
  await waitFor(() =>
    expect(
      (server.last(BUILD).body as { exposures: { shown_index: number }[] }).exposures.map(
        (one) => one.shown_index,
      ),
    ).toEqual([461, 250]),
  );
  expect(screen.getByLabelText<HTMLInputElement>("index of exposure 1").value).toBe("461");
});

it("a phantom's layers go as pairs, wrong ones too, so that the refusal can name them", async () => {
  const server = serve({
    [BUILD]: new Problem(422, "Layer 2: 'alu' is no material; one of: soft, aluminium."),
  });
  show(<Build {...making()} lines={[]} />);
  press("With a phantom");
  exposed(1, "20", "70", "10", "300");
  fireEvent.change(screen.getByLabelText("Layers of exposure 1"), { target: { value: "soft 19, ALU 0.5" } });
  press(/Draft the chart/);
  expect((await screen.findByRole("alert")).textContent).toContain("'alu' is no material");
  expect(server.last(BUILD).body).toMatchObject({
    exposures: [
      {
        layers: [
          ["soft", 19],
          ["alu", 0.5],
        ],
      },
    ],
  });
});

it("exposures come and go by row and never lose the others' numbers", () => {
  serve({});
  show(<Build {...making()} lines={[]} />);
  exposed(1, "3", "57", "1.6", "380");
  exposed(2, "21", "80", "40", "250");
  press("Take exposure 1 away");
  expect(screen.getByLabelText<HTMLInputElement>("index of exposure 1").value).toBe("250");
  press("Another exposure");
  expect(screen.getByLabelText<HTMLInputElement>("index of exposure 2").value).toBe("");
  expect(screen.getByLabelText<HTMLInputElement>("mAs of exposure 1").value).toBe("40");
});

// --- from another room

const CARRIED = [
  {
    source: FIXED,
    line: FIXED,
    factor: 1.42,
    factors: [{ name: "Output", factor: 1.42, why: "34 for 48 µGy/mAs." }],
    test: ["output measured a year ago", "another grid"],
    refusal: null,
  },
  {
    source: BANDED,
    line: BANDED,
    factor: 0.9,
    factors: [],
    test: ["output measured a year ago"],
    refusal: null,
  },
  {
    source: { ...FIXED, id: 9 },
    line: null,
    factor: null,
    factors: [],
    test: [],
    refusal: "No such support here.",
  },
];
const OTHERS: Chart[] = [
  CHART,
  { ...CHART, id: 20, room: "room-2", name: "Second", version: 1, status: "approved" },
  { ...CHART, id: 21, room: "room-2", name: "Old", version: 0, status: "superseded" },
];

it("a chart of another room is carried: what holds for all lines is said once, what cannot be carried with its reason", async () => {
  const server = serve({
    "GET /api/chart-versions": versions(...OTHERS),
    "POST /api/rooms/room-1/adapt": CARRIED,
  });
  const props = making();
  show(<Adapt {...props} />);
  const list = await screen.findByRole("combobox", { name: /Chart to adapt: Room 2: Second, version 1/ });
  fireEvent.keyDown(list, { key: "Enter" });
  expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual(["•Room 2: Second, version 1"]);
  fireEvent.keyDown(screen.getByRole("option"), { key: "Escape" });
  press("Work it out");
  expect(await screen.findByText(/2 of 3 lines can be carried/)).toBeDefined();
  expect(server.last("POST /api/rooms/room-1/adapt").body).toEqual({ chart: 20 });
  expect(screen.getByText(/For all of them a test exposure is wise/).textContent).toContain(
    "output measured a year ago.",
  );
  expect(screen.getByText("1 want one for a reason of their own.")).toBeDefined();
  expect(screen.getByText("another grid").className).toContain("text-warn");
  expect(screen.getByText("Not adapted: No such support here.")).toBeDefined();
  fireEvent.click(screen.getByRole("button", { name: /2 lines|version 3/ }));
  expect(props.onMake).toHaveBeenCalledWith(
    "Room 1 chart, from Room 2",
    [FIXED, BANDED],
    "Adapted from Room 2, version 1.",
  );
});

it("with no other room's chart there is a way back and nothing to press", async () => {
  serve({ "GET /api/chart-versions": versions(CHART) });
  const props = making();
  show(<Adapt {...props} />);
  await screen.findByText("No other room has a chart");
  expect(screen.queryByRole("button", { name: "Work it out" })).toBeNull();
  press("Back");
  expect(props.onCancel).toHaveBeenCalled();
});

// --- from an accepted exposure

const LINE_PREVIEW = "POST /api/rooms/room-1/line-preview";

function newLine(onAdd = vi.fn()) {
  show(
    <NewLine
      room={ROOM_2.id === ROOM.id ? ROOM_2 : ROOM}
      lines={[]}
      projections={PROJECTIONS}
      unit="cm"
      projection={null}
      goesTo="version 3"
      adding={false}
      error={null}
      onAdd={onAdd}
      onCancel={vi.fn()}
    />,
  );
  return onAdd;
}

it("the line is shown before it is added, and says what the index was worth", async () => {
  const server = serve({ [LINE_PREVIEW]: tableOf(FIXED) });
  const onAdd = newLine();
  expect(screen.getByText("The line appears here")).toBeDefined();
  expect(button("Add to version 3").disabled).toBe(true);
  enter("Measured thickness", "21");
  enter("kVp", "80");
  enter("mAs", "40");
  enter("Index, if there is one", "300");
  expect((await screen.findByText(/The exposure was DI/)).textContent).toBe(
    "The exposure was DI +0.8; on target it would have been 33 mAs. The line starts there.",
  );
  const body = server.last(LINE_PREVIEW).body;
  expect(body).toEqual({
    line: {
      projection: "lspine-ap",
      receptor: "panel-43",
      support: "tabletop",
      grid_ratio: 0,
      sid_cm: 107,
      filter: null,
      exposure_control: "manual",
      aec_cells: null,
      aec_density: 0,
      note: "",
    },
    thickness_cm: 21,
    kvp: 80,
    mas: 40,
    school: "fixed_kvp",
    shown_index: 300,
  });
  press("Add to version 3");
  expect(onAdd).toHaveBeenCalledWith(body);
});

it("a system has its own parameter, which does not outlive it; half a range takes the usual other half", async () => {
  const server = serve({ [LINE_PREVIEW]: tableOf(FIXED) });
  newLine();
  for (const [label, text] of [
    ["Measured thickness", "21"],
    ["kVp", "80"],
    ["mAs", "40"],
    ["mAs doubles every", "5"],
    ["Range from", "15"],
  ] as const)
    enter(label, text);
  await waitFor(() =>
    expect(server.last(LINE_PREVIEW).body).toMatchObject({ parameter: 5, line: { range_cm: [15, 36] } }),
  );
  fireEvent.click(screen.getByRole("radio", { name: "Variable kVp" }));
  await waitFor(() => expect(server.last(LINE_PREVIEW).body).toMatchObject({ school: "variable_kvp" }));
  expect(server.last(LINE_PREVIEW).body).not.toHaveProperty("parameter");
});

it("a film has no index to give, and a refused line cannot be added", async () => {
  serve({ [LINE_PREVIEW]: new Problem(422, "kvp is 300 kVp; allowed is 30 to 150 kVp.") });
  newLine();
  await pick("Receptor: Fixed panel", "Film cassette");
  expect(screen.queryByLabelText("Index, if there is one")).toBeNull();
  expect(screen.getByText("Film: no target index.")).toBeDefined();
  enter("Measured thickness", "21");
  enter("kVp", "300");
  enter("mAs", "40");
  expect((await screen.findByRole("alert")).textContent).toContain("allowed is 30 to 150");
  expect(button("Add to version 3").disabled).toBe(true);
});
