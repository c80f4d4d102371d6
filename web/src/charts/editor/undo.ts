import { type Change, type Changed, lineIn, type LineIn } from "../../api/bench";
import type { Chart, Line } from "../../api/queries";

/** What undoes (or does again) one change: lines by their key, since a line that comes back gets a new id. */
export interface Entry {
  parts: { key: number; to: LineIn | null; position: number | null }[];
  /** What each line said after the change, by key; where it says something else now, somebody else was there. */
  made: Record<number, string>;
  why: string;
}

const said = (line: Line | undefined) => (line ? JSON.stringify(lineIn(line)) : "");

/** What was done, the newest last, and what was undone and can be done again. */
export interface Done {
  past: Entry[];
  future: Entry[];
}

export type Step =
  | { do: "made"; entry: Entry }
  | { do: "undone"; entry: Entry | null }
  | { do: "redone"; entry: Entry | null };

/** After a change, an undo or a redo; entry null: that step could not be made and is forgotten. Pure. */
export function reduceDone(state: Done, step: Step): Done {
  const { past, future } = state;
  const added = step.entry ? [step.entry] : [];
  switch (step.do) {
    case "made":
      return { past: [...past, ...added], future: [] };
    case "undone":
      return { past: past.slice(0, -1), future: [...future, ...added] };
    case "redone":
      return { past: [...past, ...added], future: future.slice(0, -1) };
  }
}

/** The changes that make an entry; null where somebody else changed one of its lines since. */
export function changesOf(entry: Entry, chart: Chart): Change[] | null {
  const wanted: Change[] = [];
  for (const part of entry.parts) {
    const now = chart.lines.find((line) => line.key === part.key);
    if ((entry.made[part.key] ?? "") !== said(now)) return null;
    wanted.push({
      line: now?.id ?? null,
      revision: now?.revision ?? null,
      to: part.to,
      position: part.position,
    });
  }
  return wanted;
}

/** What undoes what was just done. */
export function entryOf(done: Changed, why: string): Entry {
  const parts = done.undo.flatMap((change) => {
    const key =
      change.line === null ? change.to?.key : done.chart.lines.find((line) => line.id === change.line)?.key;
    if (key == null) return [];
    return [{ key, to: change.to ? lineIn(change.to) : null, position: change.position ?? null }];
  });
  const made = Object.fromEntries(
    parts.map(({ key }) => [key, said(done.chart.lines.find((line) => line.key === key))]),
  );
  return { parts, made, why };
}
