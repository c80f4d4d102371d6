// @vitest-environment jsdom
import { describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import type { Line } from "../../api/queries";
import {
  CHOICES,
  BANDED,
  CHART,
  FIXED,
  LEVELLED,
  PROJECTIONS,
  ROOM,
  lists,
  tableOf,
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
import { Curve } from "./Curve";
import { EditRule } from "./EditRule";
import { Links } from "./Links";
import { Many } from "./Many";
import { Merge } from "./Merge";
import type { Workbench } from "./useWorkbench";

const bench = (more: Partial<Workbench> = {}): Workbench & { send: ReturnType<typeof vi.fn> } => {
  const send = vi.fn(() => Promise.resolve({} as Schemas["ChangedOut"]));
  return {
    editable: true,
    busy: false,
    error: null,
    conflict: null,
    settle: vi.fn(),
    undo: null,
    redo: null,
    ...more,
    send,
  };
};

describe("the numbers of a line", () => {
  function edit(line: Line) {
    const onSave = vi.fn<(body: Schemas["LineIn"]) => void>();
    const onRemove = vi.fn();
    show(<EditRule line={line} saving={false} error={null} onSave={onSave} onRemove={onRemove} />);
    return { onSave, onRemove, saved: () => onSave.mock.lastCall?.[0] };
  }

  it("is saved only once changed, with the conditions as they were", () => {
    const { saved, onSave } = edit(FIXED);
    expect(button("Save line").disabled).toBe(true);
    enter("mAs", "45");
    press("Save line");
    expect(saved()).toMatchObject({
      projection: "lspine-ap",
      sid_cm: 107,
      law: { name: "fixed_kvp", thickness_cm: 21, kvp: 80, mas: 45, doubling_cm: 4.5 },
    });
    expect(saved()).not.toHaveProperty("id");
    // An emptied field keeps its number: a line without kVp is not sent.
    enter("kVp", "");
    press("Save line");
    expect(onSave.mock.lastCall?.[0].law).toMatchObject({ kvp: 80 });
  });

  it("each band has its own", () => {
    const { saved } = edit(BANDED);
    fireEvent.change(document.getElementById("band-mas-1") as HTMLElement, { target: { value: "2.5" } });
    fireEvent.blur(document.getElementById("band-mas-1") as HTMLElement);
    press("Save line");
    expect(saved()?.law).toMatchObject({ bands: [{ mas: 1.2 }, { name: "large", kvp: 57, mas: 2.5 }] });
  });

  it("a levelled line begins at its own point, says when it was changed by hand, and names its base as the API does", async () => {
    const { saved } = edit(LEVELLED);
    expect(screen.getByRole("combobox", { name: "Point: 21 cm" })).toBeDefined();
    await pick("Point: 21 cm", "36 cm");
    expect(screen.getByLabelText<HTMLInputElement>("mAs").value).toBe("160");
    enter("mAs", "150");
    expect(screen.getByText(/Changed by hand/)).toBeDefined();
    press("Save line");
    expect(saved()?.law).toEqual({
      name: "levelled",
      thickness_cm: 21,
      points: [
        ...(LEVELLED.law.name === "levelled" ? LEVELLED.law.points.slice(0, 2) : []),
        { thickness_cm: 36, kvp: 90, mas: 150 },
      ],
    });
  });

  it("a line is taken out by its own button", () => {
    const { onRemove, onSave } = edit(FIXED);
    press("Remove line");
    expect(onRemove).toHaveBeenCalledOnce();
    expect(onSave).not.toHaveBeenCalled();
  });
});

describe("many lines at once", () => {
  const ADJUST = "POST /api/charts/11/adjust";
  const proposal = (id: number, line: Line | null, refusal: string | null = null) => ({
    id,
    revision: 1,
    line,
    what: "kVp +5",
    refusal,
  });
  function many(answer: unknown, at = bench()) {
    const server = serve({ [ADJUST]: answer });
    const onDone = vi.fn();
    show(<Many chart={CHART} room={ROOM} bench={at} lines={[FIXED, BANDED]} onDone={onDone} />);
    return { server, onDone, at };
  }

  it("nothing chosen to change is nothing to press, and letters are no number", () => {
    many([]);
    expect(button("Change 2").disabled).toBe(true);
    enter("kVp ±", "five");
    expect(screen.getByLabelText("kVp ±").getAttribute("aria-invalid")).toBe("true");
    expect(button("Change 2").disabled).toBe(true);
    enter("kVp ±", "0");
    expect(button("Change 2").disabled).toBe(true);
  });

  it("one change of all of them is worked out, then made as one", async () => {
    const { server, onDone, at } = many([proposal(1, FIXED), proposal(2, BANDED)]);
    enter("kVp ±", "−5");
    enter("mAs ± %", "+12,5");
    await pick("Grid: as it is", "No grid");
    fireEvent.click(screen.getByRole("checkbox", { name: "Hold the receptor exposure" }));
    press("Change 2");
    await waitFor(() => expect(onDone).toHaveBeenCalledOnce());
    expect(server.last(ADJUST).body).toEqual({
      lines: [1, 2],
      hold: false,
      on_stations: false,
      kvp_added: -5,
      mas_percent: 12.5,
      grid_ratio: 0,
    });
    expect(at.send.mock.calls).toHaveLength(1);
    const [changes, why] = at.send.mock.calls[0] as [Schemas["ChangeIn"][], string];
    expect(changes.map((one) => one.line)).toEqual([1, 2]);
    expect(why).toBe("2 lines: kVp +5");
  });

  it("what cannot follow stays as it is, is said, and the choice stands", async () => {
    const { onDone, at } = many([proposal(1, FIXED), proposal(2, null, "A tabletop has no grid.")]);
    await pick("Grid: as it is", "12:1");
    press("Change 2");
    expect((await screen.findByRole("status")).textContent).toBe(
      "1 of them stay as they are: A tabletop has no grid.",
    );
    expect((at.send.mock.calls[0] as [unknown[]])[0]).toHaveLength(1);
    expect(onDone).not.toHaveBeenCalled();
  });

  it("a refusal of all is shown and nothing is sent", async () => {
    const { at } = many(new Problem(422, "kvp_added is 300; allowed is −60 to 60."));
    enter("kVp ±", "300");
    press("Change 2");
    expect((await screen.findByRole("alert")).textContent).toContain("allowed is −60 to 60");
    expect(at.send).not.toHaveBeenCalled();
  });

  it("lines are taken out together; where that failed they stay chosen", async () => {
    const at = bench();
    at.send.mockResolvedValueOnce(null);
    const { onDone } = many([], at);
    press("Take out");
    await waitFor(() => expect(at.send).toHaveBeenCalledOnce());
    expect(onDone).not.toHaveBeenCalled();
    press("Take out");
    await waitFor(() => expect(onDone).toHaveBeenCalledOnce());
    expect((at.send.mock.calls[1] as [Schemas["ChangeIn"][]])[0].map((one) => one.to)).toEqual([null, null]);
  });
});

describe("two editors", () => {
  const law = (change: object) => ({ ...FIXED.law, ...change });
  const mine = {
    ...FIXED,
    law: law({ mas: 45, kvp: 82 }),
    id: undefined,
    revision: undefined,
  } as unknown as Schemas["LineIn"];
  function merge(now: Line | null, to: Schemas["LineIn"] | null = mine, more: Schemas["ChangeIn"][] = []) {
    const onDone = vi.fn<(changes: Schemas["ChangeIn"][] | null) => void>();
    const change = { line: 1, revision: 1, to, position: null };
    show(
      <Merge
        conflict={{
          changes: [change, ...more],
          why: "typed",
          lines: [{ line: 1, now }] as Schemas["LineNow"][],
        }}
        lines={[FIXED]}
        name={() => "Lumbar spine AP"}
        onDone={onDone}
      />,
    );
    return { onDone, done: () => onDone.mock.lastCall?.[0] };
  }
  const theirs: Line = { ...FIXED, revision: 2, sid_cm: 115, law: law({ mas: 50 }) };

  it("what only one of both changed goes in by itself; what both changed is asked, and begins with mine", () => {
    const { done } = merge(theirs);
    const radio = (name: string) => screen.getByRole<HTMLInputElement>("radio", { name });
    expect(radio("yours: 45").checked).toBe(true);
    expect(radio("theirs: 115 cm").checked).toBe(true);
    press("Keep as chosen");
    expect(done()).toEqual([
      expect.objectContaining({
        line: 1,
        revision: 2,
        to: expect.objectContaining({
          sid_cm: 115,
          law: expect.objectContaining({ mas: 45, kvp: 82 }) as object,
        }) as object,
      }),
    ]);
    fireEvent.click(radio("theirs: 50"));
    press("Keep as chosen");
    expect(done()?.[0]?.to?.law).toMatchObject({ mas: 50, kvp: 82, doubling_cm: 4.5 });
  });

  it("two kinds of rule are one choice, never a mixture", () => {
    const { done } = merge({ ...LEVELLED, id: 1, key: 1, revision: 2 });
    fireEvent.click(screen.getByRole("radio", { name: "theirs: levelled, 3 points" }));
    press("Keep as chosen");
    expect(done()?.[0]?.to?.law).toMatchObject({ name: "levelled", base_cm: 21 });
    fireEvent.click(screen.getByRole("radio", { name: /yours: fixed kvp/ }));
    press("Keep as chosen");
    expect(done()?.[0]?.to?.law).toEqual({ ...FIXED.law, mas: 45, kvp: 82 });
  });

  it("a line that is gone comes back with my numbers only if I say so; a change of another line is not lost", () => {
    const other = { line: 2, revision: 1, to: null, position: null };
    const { done } = merge(null, mine, [other]);
    press("Keep as chosen");
    expect(done()).toEqual([{ line: null, revision: null, to: mine, position: null }, other]);
    fireEvent.click(screen.getByRole("radio", { name: "theirs: the line was taken out" }));
    press("Keep as chosen");
    expect(done()).toEqual([other]);
  });

  it("taking out a line that somebody changed is asked too; leaving theirs drops mine", () => {
    const { done, onDone } = merge(theirs, null);
    fireEvent.click(screen.getByRole("radio", { name: "theirs: keep the line as it is now" }));
    press("Keep as chosen");
    expect(done()).toEqual([]);
    press("Leave theirs, drop mine");
    expect(onDone.mock.lastCall).toEqual([null]);
  });
});

describe("families of lines", () => {
  const child: Line = {
    ...FIXED,
    id: 5,
    key: 5,
    link: { to: 1, kvp_added: -4, mas_factor: 0.5, thicker_cm: 2, why: "" },
  };
  const names = new Map(PROJECTIONS.map((one) => [one.id, one]));
  function family(line: Line, editable: boolean) {
    const onChange = vi.fn();
    show(
      <Links
        chart={11}
        line={line}
        lines={[FIXED, child, BANDED]}
        name={(one) => names.get(one.projection)?.exam ?? ""}
        projections={names}
        editable={editable}
        onChange={onChange}
      />,
    );
    return onChange;
  }

  it("is read in words by whoever may not edit, from both ends", () => {
    family(child, false);
    expect(screen.getByText(/Follows/).textContent).toBe(
      "Follows Lumbar spine, 12:1: −4 kVp, mAs ×0.5, +2.0 cm thicker.",
    );
    family(FIXED, false);
    expect(screen.getByText(/One line follows this one: Lumbar spine/)).toBeDefined();
  });

  it("a line follows with what leaves its numbers as they are, and only a line of its own region is offered", async () => {
    const server = serve({
      "GET /api/charts/11/lines/3/link": { to: 1, kvp_added: 0, mas_factor: 1.1, thicker_cm: 0 },
    });
    const onChange = family({ ...LEVELLED, link: null }, true);
    fireEvent.keyDown(screen.getByRole("combobox", { name: /Follows: nobody/ }), { key: "Enter" });
    expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual([
      "•nobody: its own numbers",
      "Lumbar spine, 12:1",
      "Lumbar spine, 12:1",
    ]);
    fireEvent.keyDown(screen.getAllByRole("option")[1] as HTMLElement, { key: "Enter" });
    await screen.findByLabelText("kVp ±");
    enter("kVp ±", "−3");
    press("Follow with these");
    expect(server.last("GET /api/charts/11/lines/3/link").query.get("to")).toBe("1");
    expect(onChange).toHaveBeenCalledWith({ to: 1, kvp_added: -3, mas_factor: 1.1, thicker_cm: 0 });
  });

  it("a habit of departments is offered with its reason where both lines stand, and goes in with it", async () => {
    const habit = { projection: "lspine-ap", follows: "lspine-ap", kvp_added: 5, why: "Thicker so." };
    serve({ "GET /api/lists": lists({ choices: { ...CHOICES, kvp_habits: [habit] } }) });
    const onChange = family({ ...LEVELLED, link: null }, true);
    fireEvent.click((await screen.findAllByRole("button", { name: /\+5 kVp/ }))[0] as HTMLElement);
    expect(screen.getByLabelText<HTMLInputElement>("Why").value).toBe("Thicker so.");
    press("Follow with these");
    expect(onChange).toHaveBeenCalledWith({
      to: 1,
      kvp_added: 5,
      mas_factor: 1,
      thicker_cm: 0,
      why: "Thicker so.",
    });
  });

  it("and can stand alone again", async () => {
    const onChange = family(child, true);
    await pick(/^Follows: Lumbar spine/, /nobody/);
    press("Let it stand alone");
    expect(onChange).toHaveBeenCalledWith(null);
  });
});

describe("the curve", () => {
  it("a point is moved by keys a twentieth at a time, to three figures, and only where it may be", () => {
    const onLaw = vi.fn();
    show(<Curve table={tableOf(FIXED)} unit="cm" onLaw={onLaw} />);
    const point = screen.getByRole("slider", { name: "mAs at 21 cm" });
    fireEvent.keyDown(point, { key: "ArrowUp" });
    fireEvent.keyDown(point, { key: "ArrowDown" });
    fireEvent.keyDown(point, { key: "ArrowLeft" });
    expect(onLaw.mock.calls.map(([law]) => (law as { mas: number }).mas)).toEqual([42, 38.1]);
    show(<Curve table={tableOf(FIXED)} unit="cm" />);
    expect(screen.getAllByRole("slider")).toHaveLength(1);
  });

  it.each([
    ["bands", BANDED, ["mAs at 2.3 cm", "mAs at 4 cm"]],
    ["points", LEVELLED, ["mAs at 13 cm", "mAs at 21 cm", "mAs at 36 cm"]],
  ])("a line of %s has a handle for each, and moves that one", (_, line, names) => {
    const onLaw = vi.fn();
    show(<Curve table={tableOf(line)} unit="cm" onLaw={onLaw} />);
    expect(screen.getAllByRole("slider").map((one) => one.getAttribute("aria-label"))).toEqual(names);
    fireEvent.keyDown(screen.getAllByRole("slider")[1] as HTMLElement, { key: "ArrowUp" });
    const before =
      line.law.name === "banded" ? line.law.bands : line.law.name === "levelled" ? line.law.points : [];
    const moved = onLaw.mock.lastCall?.[0] as { bands?: { mas: number }[]; points?: { mas: number }[] };
    const after = moved.bands ?? moved.points ?? [];
    expect(after.map((one, i) => one.mas !== before[i]?.mas)).toEqual(before.map((_one, i) => i === 1));
  });

  it("says what the index does from thin to thick to whoever cannot see it", () => {
    show(<Curve table={tableOf(FIXED)} unit="in" />);
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe(
      "kVp and mAs over thickness; expected deviation index from +0.2 to +0.2",
    );
    show(<Curve table={{ ...tableOf(FIXED), rows: [] }} unit="cm" />);
    expect(screen.getAllByRole("img")).toHaveLength(1);
  });
});
