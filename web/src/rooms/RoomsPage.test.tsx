// @vitest-environment jsdom
import { expect, it } from "vitest";

import type { Room } from "../api/queries";
import { person, ROOM, session, start } from "../testing/clinic";
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
  slow,
  waitFor,
  where,
} from "../testing/server";
import { RoomsPage } from "./RoomsPage";

/** The room's page with a physicist, who may change it, at the console. */
const served = (routes: Record<string, unknown>) =>
  serve({ "GET /api/start": start({ session: session(person("ilse", "physicist")) }), ...routes });
async function open(room: Room = ROOM) {
  show(<RoomsPage room={room} />);
  await screen.findByRole("button", { name: "Add room" });
}

const SAVE = "PUT /api/rooms/room-1";
const sent = (server: ReturnType<typeof serve>) => server.last(SAVE).body as Room;
const save = () => press("Save equipment");

it("nothing can be saved before something was changed, and an undone change is none", async () => {
  served({});
  await open();
  await screen.findByRole("button", { name: "Room 2" });
  expect(button("Save equipment").disabled).toBe(true);
  enter("Total filtration", "3.5");
  expect(button("Save equipment").disabled).toBe(false);
  press("Undo changes");
  expect(screen.getByLabelText<HTMLInputElement>("Total filtration").value).toBe("3.2");
  expect(button("Save equipment").disabled).toBe(true);
  // A number that is the same again is no change either.
  enter("Total filtration", "3.20");
  expect(button("Save equipment").disabled).toBe(true);
});

it("an emptied number keeps what it had: a room without filtration is not sent", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  enter("Total filtration", "");
  enter("Anode angle", "14");
  save();
  await waitFor(() => expect(sent(server).tube).toEqual({ ...ROOM.tube, anode_angle_deg: 14 }));
});

it("what is changed while the room is being saved stays, on the revision that then is", async () => {
  const first = slow<Room>();
  const server = served({ [SAVE]: () => first.answer });
  await open();
  enter("Added copper", "0.1");
  save();
  enter("mAs ceiling with AEC", "400");
  await first.arrive({ ...ROOM, revision: 4 });
  await waitFor(() => expect(button("Save equipment").disabled).toBe(false));
  save();
  await waitFor(() => expect(server.asked.filter((one) => one.to === SAVE)).toHaveLength(2));
  expect(sent(server)).toMatchObject({
    revision: 4,
    generator: { mas_ceiling: 400 },
    tube: { filtration_mm_cu: 0.1 },
  });
});

it("a refused room says what is allowed and keeps what was typed", async () => {
  served({ [SAVE]: new Problem(422, "anode_angle_deg is 90 deg; allowed is 5 to 25 deg.") });
  await open();
  enter("Anode angle", "90");
  save();
  expect((await screen.findByRole("alert")).textContent).toContain("allowed is 5 to 25");
  expect(screen.getByLabelText<HTMLInputElement>("Anode angle").value).toBe("90");
});

it("a grid comes whole, a film has a speed and no index, and the last AEC can go", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  await pick(/Built-in grid, Table Bucky/, "8:1");
  // What the grid had otherwise stays.
  fireEvent.click(screen.getByRole("radio", { name: "None" }));
  press("Add a loose grid");
  press("Add a receptor");
  save();
  await waitFor(() => sent(server));
  const room = sent(server);
  expect(room.supports[1]?.grid).toEqual({ ...ROOM.supports[1]?.grid, ratio: 8 });
  expect(room.aec).toBeNull();
  expect(room.loose_grids).toEqual([expect.objectContaining({ ratio: 8, focal_cm: 110 })]);
  expect(room.receptors.map((one) => one.id)).toEqual(["panel-43", "film-24", "receptor-3"]);
});

it("a filter is added, named and taken out again", async () => {
  const server = served({ [SAVE]: ROOM });
  await open({ ...ROOM, filters: [{ id: "cu", name: "0.1 mm Cu", mm_al: 0, mm_cu: 0.1 }] });
  press("Add a filter");
  fireEvent.click(screen.getByRole("button", { name: "Remove 0.1 mm Cu" }));
  save();
  await waitFor(() => sent(server));
  expect(sent(server).filters).toEqual([
    { id: "filter-2", name: "1 mm Al + 0.1 mm Cu", mm_al: 1, mm_cu: 0.1 },
  ]);
});

it.each([
  ["the far end alone is both", null, [["Furthest SID", "120"]], [120, 120]],
  [
    "a near end before a far one",
    null,
    [
      ["Furthest SID", "120"],
      ["Nearest SID", "90"],
    ],
    [90, 120],
  ],
  ["a near end beyond the far one takes it along", [90, 120], [["Nearest SID", "150"]], [150, 150]],
  ["an emptied end leaves none", [90, 120], [["Nearest SID", ""]], null],
] as const)("the tube's travel: %s", async (_, before, typed, after) => {
  const server = served({ [SAVE]: ROOM });
  const supports = ROOM.supports.map((one, i) => (i === 0 ? { ...one, sid_range_cm: before } : one));
  await open({ ...ROOM, supports } as Room);
  for (const [name, text] of typed) {
    const field = screen.getByLabelText<HTMLInputElement>(`${name}, Tabletop`);
    fireEvent.change(field, { target: { value: text } });
    fireEvent.blur(field);
  }
  save();
  await waitFor(() => expect(sent(server).supports[0]?.sid_range_cm).toEqual(after));
});

it("a receptor turned to film loses its targets and gets a speed, and back", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  await pick("Kind, Fixed panel: DR panel, CsI", "Film-screen");
  save();
  await waitFor(() => sent(server));
  expect(sent(server).receptors[0]).toMatchObject({
    kind: "film_screen",
    target_ei: null,
    speed: 200,
    region_targets: [],
  });
});

it("a target of a region is set, and emptied it is the receptor's again", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  enter("Leg, Fixed panel", "420");
  enter("Spine, Fixed panel", "");
  save();
  await waitFor(() => sent(server));
  expect(sent(server).receptors[0]?.region_targets).toEqual([["lower_limb", 420]]);
});

it("a console with a scale of its own: what it shows is seen, and readings fix its constant", async () => {
  const scale = (constant: number) => ({ name: "Sensitivity", form: "inverse", constant, per_decade: 0 });
  const server = served({
    [SAVE]: ROOM,
    "POST /api/index-scales": ({ body }: { body: { constant?: number; readings?: unknown[] } }) => ({
      scale: scale(body.constant ?? 1740),
      largest_residual_di: body.readings ? 0.9 : null,
      falls: true,
      shown: [
        { di: -3, ei: 125, kerma_ugy: 1.25, shown: 800 },
        { di: 0, ei: 250, kerma_ugy: 2.5, shown: 400 },
        { di: 3, ei: 500, kerma_ugy: 5, shown: 200 },
      ],
    }),
  });
  await open();
  const [first] = screen.getAllByRole("combobox", { name: /Console shows/ });
  fireEvent.click(first as HTMLElement);
  fireEvent.click(await screen.findByRole("option", { name: "Falls with exposure" }));
  enter("Called", "Sensitivity");
  const says = await screen.findByText(/Sensitivity is constant ÷ kerma/);
  await waitFor(() =>
    expect(says.textContent).toContain(
      "800 at DI −3.0 (1.25 µGy), 400 at the target (2.5 µGy), 200 at DI +3.0",
    ),
  );
  press("Work it out of readings");
  enter("Kerma 1", "2.5");
  enter("Sensitivity 1", "696");
  expect((await screen.findByText(/Worst reading/)).textContent).toContain("0.9 DI off: read it again");
  press("Take constant 1740");
  save();
  await waitFor(() => expect(sent(server).receptors[0]?.index_scale).toEqual(scale(1740)));
});

it("the tube's rating is a table: a time more has what stands before it, a power emptied is between the others", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  enter("Another time, ms", "100");
  enter("kW for 100 ms, Large focus", "60");
  enter("kW for 1000 ms, Small focus", "");
  enter("Exposure of 10 ms", "20");
  save();
  await waitFor(() => sent(server));
  const [small, large] = sent(server).generator.focal_spots;
  expect(small?.power).toEqual([
    { time_ms: 20, power_kw: 30 },
    { time_ms: 100, power_kw: 30 },
  ]);
  expect(large?.power).toEqual([
    { time_ms: 20, power_kw: 80 },
    { time_ms: 100, power_kw: 60 },
  ]);
  // The last power of a focus stays: a tube without a rating is not sent. A time goes with all its powers.
  enter("kW for 10 ms, Large focus", "");
  press("Remove 1000 ms");
  save();
  await waitFor(() => expect(sent(server).generator.focal_spots[0]?.power).toHaveLength(1));
  expect(sent(server).generator.focal_spots[1]?.power).toEqual([{ time_ms: 10, power_kw: 80 }]);
});

it("each field says what it is for and what follows where nobody knows it; a support is taken out and brought back", async () => {
  const server = served({ [SAVE]: ROOM });
  await open();
  const section = screen.getByRole("region", { name: "Tube" });
  fireEvent.focus(screen.getByLabelText("Total filtration"));
  expect(section.textContent).toContain("Not known: leave 3 mm Al");
  press("Remove Table Bucky");
  expect(screen.queryByLabelText("Skin to receptor, Table Bucky")).toBeNull();
  press("Add Table Bucky");
  press("Add Upright Bucky");
  expect(screen.getByRole("img", { name: "Supports from the side, to scale" }).textContent).toContain(
    "Upright Bucky",
  );
  save();
  await waitFor(() => sent(server));
  expect(sent(server).supports.map((one) => one.id)).toEqual(["tabletop", "table_bucky", "upright_bucky"]);
});

it("what failed and what is overdue stands at the room's head and beside its name", async () => {
  const test = (name: string) => ({ test: name.toLowerCase(), name, receptor: null });
  const due = { room: "room-1", calibration_due_on: "2026-01-05", calibration_overdue: true };
  served({
    "GET /api/rooms-due": [
      { ...due, overdue: ["Output", "Linearity", "Timer", "HVL"].map(test), failed: [test("Light field")] },
      { ...due, room: "room-2", calibration_overdue: false, overdue: [], failed: [] },
    ],
    "GET /api/constancy-tests": [],
    "GET /api/rooms/room-1/constancy": { due: [], done: [], simulated: false },
  });
  await open();
  expect(await screen.findByText("1 failed, 5 overdue")).toBeDefined();
  expect(screen.getByText(/Calibration overdue since/).className).toContain("text-warn");
  expect(screen.getByText(/^Overdue:/).textContent).toBe("Overdue: Output, Linearity, Timer and 1 more");
  fireEvent.click(screen.getByRole("link", { name: "Light field" }));
  expect(screen.getByRole("radio", { name: "Constancy" }).getAttribute("aria-checked")).toBe("true");
  expect(where()).toContain("test=light+field");
  expect(screen.getByRole("button", { name: "Room 2" }).textContent).toBe("Room 2");
});

it("a room is added like this one, and a name that is taken is refused beside its field", async () => {
  const server = served({ "POST /api/rooms": new Problem(409, "There is a Room 2 already.") });
  await open();
  expect(button("Add room").disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("New room, like this one"), { target: { value: "Room 2" } });
  press("Add room");
  expect((await screen.findByRole("alert")).textContent).toContain("There is a Room 2 already.");
  expect(server.last("POST /api/rooms").body).toEqual({ name: "Room 2", like: "room-1" });
  expect(screen.getByLabelText<HTMLInputElement>("New room, like this one").value).toBe("Room 2");
});

const FIT = {
  outputs: [],
  output_scale: 1.02,
  checks: [
    { name: "Linearity", where: "80 kVp", value_percent: 3.2, limit_percent: 10, kept: true },
    { name: "Reproducibility", where: "80 kVp", value_percent: 7, limit_percent: 5, kept: false },
  ],
  filtration_mm_al: null,
  hvl_residual_percent: null,
  indices: [{ receptor: "panel-43", ei_scale: 1.1, residual_percent: 2 }],
  notices: ["One reading is far from the others."],
  slips: [] as unknown[],
  effects: [
    { projection: "lspine-ap", support: "table_bucky", di_change: 0.8, kerma_change_percent: 12, off: true },
  ],
};

it("only whole rows are readings; the fit is seen before it is accepted, and what is accepted is what was seen", async () => {
  const server = served({
    "POST /api/rooms/room-1/calibration/fit": FIT,
    "POST /api/rooms/room-1/calibration": { ...ROOM, revision: 4 },
  });
  await open();
  fireEvent.click(screen.getByRole("radio", { name: "Calibration" }));
  enter("kvp of reading 1", "80");
  enter("ma of reading 1", "200");
  enter("mas of reading 1", "10");
  expect(server.asked.map((one) => one.to)).not.toContain("POST /api/rooms/room-1/calibration/fit");
  expect(screen.getByText("The fit appears here")).toBeDefined();
  enter("kerma of reading 1", "480");
  expect(await screen.findByText(/One reading is far/)).toBeDefined();
  const asked = server.last("POST /api/rooms/room-1/calibration/fit").body;
  expect(asked).toEqual({
    outputs: [{ kvp: 80, ma: 200, mas: 10, distance_cm: 100, kerma_ugy: 480 }],
    hvls: [],
    indices: [],
    note: "",
    instrument: "",
    read_on: null,
    due_on: null,
    revision: 3,
    room_as_it_was: false,
  });
  expect(screen.getByText(/Linearity/).previousSibling?.textContent).toBe("Kept");
  expect(screen.getByText(/Reproducibility/).previousSibling?.textContent).toBe("Over");
  expect(screen.getByText("+0.80").className).toContain("text-warn");
  press("Accept calibration");
  expect(await screen.findByText(/Accepted: the room is now calibrated/)).toBeDefined();
  expect(server.last("POST /api/rooms/room-1/calibration").body).toEqual(asked);
});

it("what can hardly be so is left out with one press, or looked at before it is accepted", async () => {
  const odd = {
    of: "outputs",
    readings: [1],
    all: false,
    says: "Reading 2 is ×10 what the others call for.",
  };
  const alike = { of: "outputs", readings: [0], all: true, says: "All readings are ÷1000; likely mGy." };
  const server = served({
    "POST /api/rooms/room-1/calibration/fit": ({ body }: { body: { outputs: unknown[] } }) => ({
      ...FIT,
      slips: body.outputs.length > 1 ? [odd] : [alike],
    }),
    "POST /api/rooms/room-1/calibration": { ...ROOM, revision: 4 },
  });
  await open();
  fireEvent.click(screen.getByRole("radio", { name: "Calibration" }));
  for (const [row, kvp, kerma] of [
    [1, "80", "480"],
    [3, "100", "7500"],
  ] as const)
    for (const [what, text] of [
      ["kvp", kvp],
      ["ma", "200"],
      ["mas", "10"],
      ["kerma", kerma],
    ] as const)
      enter(`${what} of reading ${row}`, text);
  expect(await screen.findByText(odd.says, { exact: false })).toBeDefined();
  fireEvent.change(screen.getByLabelText("Read on"), { target: { value: "2026-11-27" } });
  enter("Instrument", "Chamber 2");
  expect(button("Accept calibration").disabled).toBe(true);
  // The row in between is not whole: the second reading is that of the third row.
  press("Leave it out");
  await waitFor(() => expect(screen.queryByDisplayValue("7500")).toBeNull());
  expect(screen.getByDisplayValue("480")).toBeDefined();
  await screen.findByText(alike.says, { exact: false });
  expect(screen.queryByRole("button", { name: "Leave it out" })).toBeNull();
  expect(button("Accept calibration").disabled).toBe(true);
  fireEvent.click(screen.getByRole("checkbox", { name: "They are right as they stand" }));
  press("Accept calibration");
  await waitFor(() =>
    expect(server.last("POST /api/rooms/room-1/calibration").body).toMatchObject({
      instrument: "Chamber 2",
      read_on: "2026-11-27",
      due_on: null,
    }),
  );
});

it("a change of the equipment is told figure by figure, and put back to be looked at before it is saved", async () => {
  const before = { tube: { ...ROOM.tube, filtration_mm_al: 2.9 } };
  const detail = { revision: 3, changed: ["tube"], before, after: { tube: ROOM.tube } };
  const server = served({
    "GET /api/rooms/room-1/history": [
      {
        id: 3,
        at: "2026-11-20T10:00:00Z",
        actor: "ilse",
        action: "room.save",
        subject: "room:room-1",
        detail,
      },
    ],
    [SAVE]: ROOM,
  });
  await open();
  fireEvent.click(screen.getByRole("radio", { name: "History" }));
  fireEvent.click(await screen.findByText("1 figure"));
  expect(screen.getByText(/tube total filtration, mm Al: 2.9 →/).textContent).toContain("3.2");
  press("Put these back, to look at and save");
  expect(screen.getByLabelText<HTMLInputElement>("Total filtration").value).toBe("2.9");
  expect(server.asked.map((one) => one.to)).not.toContain(SAVE);
  save();
  await waitFor(() => expect(sent(server).tube?.filtration_mm_al).toBe(2.9));
});

it("the history says what each revision was, newest first as it comes", async () => {
  const row = (id: number, detail: object) => ({
    id,
    at: "2026-11-20T10:00:00Z",
    actor: "ilse",
    action: "room.change",
    subject: "room-1",
    detail,
  });
  served({
    "GET /api/rooms/room-1/history": [
      row(3, {
        revision: 3,
        readings: {
          outputs: [
            { kvp: 80, ma: 200, mas: 20, distance_cm: 100, kerma_ugy: 960 },
            { kvp: 100, ma: 200, mas: 20, distance_cm: 100, kerma_ugy: 1440 },
          ],
          hvls: [{ kvp: 80, hvl_mm_al: 3.1 }],
          instrument: "Chamber 2",
        },
      }),
      row(2, { revision: 2, changed: ["tube", "aec"] }),
      row(1, { revision: 1, like: "room-2" }),
    ],
  });
  await open();
  fireEvent.click(screen.getByRole("radio", { name: "History" }));
  await screen.findByText("revision 2: changed tube, aec");
  const said = screen
    .getAllByRole("row")
    .slice(1)
    .map((row) => row.lastElementChild?.textContent);
  expect(said).toEqual([
    "revision 3: calibration accepted, 2 output, 1 HVL and 0 index readings" +
      "Its readings, by Chamber 2" +
      "80 kVp, 200 mA, 20 mAs at 100 cm: 960 µGy100 kVp, 200 mA, 20 mAs at 100 cm: 1440 µGyHVL at 80 kVp: 3.1 mm Al" +
      "Report, to sign (PDF)",
    "revision 2: changed tube, aec",
    "revision 1: added, like room-2",
  ]);
});

it("who may not change a room sees it, and no button that would refuse", async () => {
  serve({ "GET /api/start": start({ session: session(person("noor", "trainee")) }) });
  show(<RoomsPage room={ROOM} />);
  expect(await screen.findByText("A physicist adds, changes and calibrates rooms.")).toBeDefined();
  expect(screen.queryByRole("button", { name: /Save|Add room/ })).toBeNull();
  expect(screen.getByLabelText<HTMLInputElement>("Total filtration").matches(":disabled")).toBe(true);
});

it("programs are chosen, ticked as entered, and what the generator holds otherwise is said", async () => {
  const row = (size: string, state: string, differs: string[] = []) => ({
    program: {
      line_key: 3,
      projection: "lspine-ap",
      support: "table_bucky",
      size,
      thickness_cm: 21,
      stored: {
        kvp: 80,
        mas: 63,
        ma: 400,
        time_ms: 160,
        focal_spot: "large",
        exposure_control: "aec",
        aec_cells: "C",
        aec_density: -1,
      },
    },
    exam: "Lumbar spine",
    view: "AP",
    state,
    differs,
    entered_at: null,
    entered_by: null,
    checked_at: null,
    checked_by: null,
  });
  const rows = [row("small", "to enter"), row("large", "changed", ["mAs 50, now 63"])];
  const server = served({
    "GET /api/rooms/room-1/programs": rows,
    "POST /api/rooms/room-1/programs": rows,
    "GET /api/rooms/room-1/history": [],
  });
  await open();
  fireEvent.click(screen.getByRole("radio", { name: "Programs" }));
  expect(await screen.findByText("Enter anew: mAs 50, now 63")).toBeDefined();
  expect(screen.getAllByText("AEC C −1, back-up")).toHaveLength(2);
  fireEvent.click(screen.getByRole("radio", { name: "Chart changed (1)" }));
  expect(screen.queryByLabelText("Lumbar spine AP, small")).toBeNull();
  fireEvent.click(screen.getByLabelText("Choose all shown"));
  press("Entered 1");
  await waitFor(() =>
    expect(server.last("POST /api/rooms/room-1/programs").body).toEqual({
      done: "entered",
      programs: [{ line_key: 3, size: "large" }],
    }),
  );
});
