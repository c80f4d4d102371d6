// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import type { Line, Projection, Room } from "../../api/queries";
import { LineGrid } from "./LineGrid";

afterEach(cleanup);

const line = (id: number, projection: string, law: object) =>
  ({
    id,
    key: id,
    revision: 1,
    projection,
    support: "tabletop",
    receptor: "p",
    grid_ratio: 0,
    sid_cm: 100,
    range_cm: [2, 20],
    exposure_control: "manual",
    link: null,
    law,
  }) as unknown as Line;
const LINES = [
  line(1, "hand", { name: "fixed_kvp", thickness_cm: 3, kvp: 57, mas: 1.6, doubling_cm: 4.5 }),
  line(2, "knee", { name: "variable_kvp", thickness_cm: 12, kvp: 66, mas: 5, kvp_per_cm: 2 }),
];
const NAMES = new Map(
  LINES.map((one) => [
    one.projection,
    { exam: one.projection, name: "AP", ages: [], thickness_cm: { small: 2 } } as unknown as Projection,
  ]),
);

function grid(chosen: number[] = []) {
  const calls = {
    onTyped: vi.fn(),
    onPast: vi.fn(),
    onFind: vi.fn(),
    onUndo: vi.fn(),
    onRedo: vi.fn(),
    onChoose: vi.fn(),
    onSelect: vi.fn(),
  };
  render(
    <LineGrid
      lines={LINES}
      projections={NAMES}
      strips={new Map()}
      trust={new Map([[2, { line: 2, trust: "model", said: "Typed or imported: watch the first image." }]])}
      marks={new Map()}
      room={{ receptors: [] } as unknown as Room}
      unit="cm"
      editable
      selected={1}
      chosen={new Set(chosen)}
      {...calls}
    />,
  );
  return { ...calls, cell: (name: string) => screen.getByRole("gridcell", { name }) };
}

it("each line says what stands behind it, and one that no image does says what to do", () => {
  grid();
  expect(screen.getByText(/no image yet/).title).toBe("Typed or imported: watch the first image.");
});

it("a digit opens the cell and Enter keeps the number and goes down", () => {
  const { cell, onTyped } = grid();
  fireEvent.keyDown(cell("kVp of hand AP"), { key: "6" });
  const field = screen.getByRole("textbox", { name: "kVp of hand AP" });
  fireEvent.change(field, { target: { value: "62,5" } });
  fireEvent.keyDown(field, { key: "Enter" });
  expect(onTyped).toHaveBeenCalledWith([{ line: LINES[0], column: "kvp", text: "62,5" }]);
  expect(cell("kVp of knee AP").tabIndex).toBe(0);
});

it("Escape leaves the cell as it was, the same text and no text are no change", () => {
  const { cell, onTyped } = grid();
  for (const [text, key] of [
    ["70", "Escape"],
    ["57", "Enter"],
    [" ", "Enter"],
  ] as const) {
    fireEvent.click(cell("kVp of hand AP"));
    fireEvent.keyDown(cell("kVp of hand AP"), { key: "F2" });
    const field = screen.getByRole("textbox", { name: "kVp of hand AP" });
    fireEvent.change(field, { target: { value: text } });
    fireEvent.keyDown(field, { key });
  }
  expect(onTyped).not.toHaveBeenCalled();
});

it("a pasted block arrives as one change of many cells", () => {
  const { cell, onTyped } = grid();
  fireEvent.paste(cell("kVp of hand AP"), { clipboardData: { getData: () => "60\t2\n70\t6" } });
  expect(onTyped).toHaveBeenCalledTimes(1);
  expect(onTyped.mock.calls[0]?.[0]).toHaveLength(4);
});

it("a row that is pasted past the end is offered, not dropped", () => {
  const { cell, onTyped, onPast } = grid();
  fireEvent.click(cell("Projection of knee AP"));
  fireEvent.paste(cell("Projection of knee AP"), {
    clipboardData: { getData: () => "knee AP\t5:1\nSkull PA\t12:1" },
  });
  expect(onTyped).toHaveBeenCalledWith([{ line: LINES[1], column: "grid_ratio", text: "5:1" }]);
  expect(onPast).toHaveBeenCalledWith([["Skull PA", "12:1"]], 0);
});

it("fills down from above or into the chosen rows, and copies rows as a table with heads", () => {
  const first = grid();
  fireEvent.click(first.cell("kVp of knee AP"));
  fireEvent.keyDown(first.cell("kVp of knee AP"), { key: "d", ctrlKey: true });
  expect(first.onTyped).toHaveBeenCalledWith([{ line: LINES[1], column: "kvp", text: "57" }]);
  cleanup();
  const { cell, onTyped } = grid([1, 2]);
  fireEvent.keyDown(cell("Control of hand AP"), { key: "ArrowLeft" });
  fireEvent.click(cell("SID of hand AP"));
  fireEvent.keyDown(cell("SID of hand AP"), { key: "d", ctrlKey: true });
  expect(onTyped).toHaveBeenCalledWith([{ line: LINES[1], column: "sid_cm", text: "100" }]);
  const setData = vi.fn();
  fireEvent.copy(cell("SID of hand AP"), { clipboardData: { setData } });
  expect(
    (setData.mock.calls[0]?.[1] as string).split("\n").map((row) => row.split("\t").slice(0, 4)),
  ).toEqual([
    ["Projection", "Grid", "SID (cm)", "Range (cm)"],
    ["hand AP", "–", "100", "2–20"],
    ["knee AP", "–", "100", "2–20"],
  ]);
});

it("letters in the table are the table's: a control is typed, no single key of the view runs", () => {
  const { cell, onFind } = grid();
  const outside = vi.fn();
  window.addEventListener("keydown", outside);
  fireEvent.keyDown(cell("kVp of hand AP"), { key: "c" });
  fireEvent.click(cell("Control of hand AP"));
  fireEvent.keyDown(cell("Control of hand AP"), { key: "a" });
  expect(outside).not.toHaveBeenCalled();
  expect(screen.getByRole<HTMLInputElement>("textbox", { name: "Control of hand AP" }).value).toBe("a");
  fireEvent.keyDown(screen.getByRole("textbox"), { key: "Escape" });
  fireEvent.keyDown(cell("Control of hand AP"), { key: "/" });
  expect(onFind).toHaveBeenCalled();
  window.removeEventListener("keydown", outside);
});

it("keys undo, redo and choose", () => {
  const { cell, onUndo, onRedo, onChoose } = grid();
  const at = cell("kVp of hand AP");
  fireEvent.keyDown(at, { key: "z", ctrlKey: true });
  fireEvent.keyDown(at, { key: "z", ctrlKey: true, shiftKey: true });
  fireEvent.keyDown(at, { key: "y", ctrlKey: true });
  expect([onUndo.mock.calls.length, onRedo.mock.calls.length]).toEqual([1, 2]);
  fireEvent.keyDown(at, { key: "a", ctrlKey: true });
  const change = onChoose.mock.calls[0]?.[0] as (now: ReadonlySet<number>) => ReadonlySet<number>;
  expect(change(new Set())).toEqual(new Set([1, 2]));
  expect(change(new Set([1, 2]))).toEqual(new Set());
});
