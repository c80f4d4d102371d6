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
    link: null,
    law,
  }) as unknown as Line;
const LINES = [
  line(1, "hand", { name: "fixed_kvp", thickness_cm: 3, kvp: 57, mas: 1.6, doubling_cm: 4.5 }),
  line(2, "knee", { name: "variable_kvp", thickness_cm: 12, kvp: 66, mas: 5, kvp_per_cm: 2 }),
];
const NAMES = new Map(
  LINES.map((one) => [one.projection, { exam: one.projection, name: "AP" } as Projection]),
);

function grid() {
  const calls = { onTyped: vi.fn(), onUndo: vi.fn(), onRedo: vi.fn(), onChoose: vi.fn(), onSelect: vi.fn() };
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
      chosen={new Set()}
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
  expect(onTyped).toHaveBeenCalledWith([{ line: LINES[0], column: "kvp", value: 62.5 }]);
  expect(cell("kVp of knee AP").tabIndex).toBe(0);
});

it("Escape leaves the cell as it was, the same number and no number are no change", () => {
  const { cell, onTyped } = grid();
  for (const [text, key] of [
    ["70", "Escape"],
    ["57", "Enter"],
    ["x", "Enter"],
    ["1,250", "Enter"],
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
