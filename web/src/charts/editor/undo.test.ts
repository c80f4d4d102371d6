// @vitest-environment jsdom
import { expect, it } from "vitest";

import type { Changed } from "../../api/bench";
import type { Chart, Line } from "../../api/queries";
import { changesOf, entryOf, reduceDone } from "./undo";

const line = (id: number, key: number, mas: number, revision = 1) =>
  ({
    id,
    key,
    revision,
    projection: "p",
    receptor: "r",
    support: "tabletop",
    grid_ratio: 0,
    sid_cm: 100,
    range_cm: [1, 5],
    note: "",
    link: null,
    target_ei: null,
    field_cm: null,
    law: { name: "fixed_kvp", thickness_cm: 3, kvp: 57, mas, doubling_cm: 4.5 },
  }) as unknown as Line;
const chart = (...lines: Line[]) => ({ id: 1, lines }) as unknown as Chart;
const changed = (after: Chart, undo: object[]) => ({ chart: after, touched: [], undo }) as unknown as Changed;

it("undoes by key, from the revision that stands now", () => {
  const entry = entryOf(
    changed(chart(line(7, 3, 2, 5)), [{ line: 7, revision: 5, to: line(7, 3, 1.6), position: null }]),
    "typed",
  );
  // The line came back with another id meanwhile: its key is what counts.
  const [change] = changesOf(entry, chart(line(9, 3, 2, 8))) ?? [];
  expect(change).toMatchObject({ line: 9, revision: 8, position: null });
  expect(change?.to?.law).toMatchObject({ mas: 1.6 });
});

it("leaves a line alone that somebody else changed or took out since", () => {
  const entry = entryOf(
    changed(chart(line(7, 3, 2)), [{ line: 7, revision: 1, to: line(7, 3, 1.6), position: null }]),
    "typed",
  );
  expect(changesOf(entry, chart(line(7, 3, 2.5)))).toBeNull();
  expect(changesOf(entry, chart())).toBeNull();
});

it("brings a line back that was taken out, at its place", () => {
  const entry = entryOf(
    changed(chart(), [{ line: null, revision: null, to: line(7, 3, 2), position: 4 }]),
    "taken out",
  );
  expect(changesOf(entry, chart())).toMatchObject([{ line: null, revision: null, position: 4 }]);
});

it("a new change ends what could be done again; a step that could not be made is forgotten", () => {
  const [a, b, c] = ["a", "b", "c"].map((why) => ({ parts: [], made: {}, why }));
  if (!a || !b || !c) throw new Error();
  let state = reduceDone({ past: [], future: [] }, { do: "made", entry: a });
  state = reduceDone(state, { do: "undone", entry: b });
  expect(state).toEqual({ past: [], future: [b] });
  expect(reduceDone(state, { do: "redone", entry: c })).toEqual({ past: [c], future: [] });
  expect(reduceDone(state, { do: "redone", entry: null })).toEqual({ past: [], future: [] });
  expect(reduceDone(state, { do: "made", entry: c })).toEqual({ past: [c], future: [] });
});
