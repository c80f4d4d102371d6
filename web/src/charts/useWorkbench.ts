import { useState } from "react";

import { type Change, type Changed, lineIn, type LineIn, useChanges } from "../api/bench";
import { Refused, type Schemas } from "../api/client";
import type { Chart, Line } from "../api/queries";

type LineNow = Schemas["LineNow"];

/** What undoes (or does again) one change: lines by their key, since a line that comes back gets a new id. */
interface Entry {
  parts: { key: number; to: LineIn | null; position: number | null }[];
  /** What each line said after the change; where it says something else now, somebody else was there. */
  made: Map<number, string>;
  why: string;
}

export interface Conflict {
  changes: Change[];
  why: string;
  lines: LineNow[];
}

export interface Workbench {
  editable: boolean;
  busy: boolean;
  error: unknown;
  conflict: Conflict | null;
  send: (changes: Change[], why: string) => Promise<Changed | null>;
  settle: (changes: Change[] | null) => void;
  undo: (() => void) | null;
  redo: (() => void) | null;
}

const said = (line: Line | undefined) => (line ? JSON.stringify(lineIn(line)) : "");

/** Changes of a draft that are made together, undone and done again; and what to do where somebody else was quicker. */
export function useWorkbench(chart: Chart | undefined, mayEdit: boolean): Workbench {
  const changes = useChanges();
  const [past, setPast] = useState<Entry[]>([]);
  const [future, setFuture] = useState<Entry[]>([]);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const [stale, setStale] = useState<string | null>(null);

  async function make(wanted: Change[], why: string): Promise<Changed | null> {
    if (!chart || wanted.length === 0) return null;
    setStale(null);
    try {
      return await changes.mutateAsync({ chart: chart.id, changes: wanted, why });
    } catch (error) {
      if (error instanceof Refused && error.problem.conflicts)
        setConflict({ changes: wanted, why, lines: error.problem.conflicts });
      return null;
    }
  }

  async function send(wanted: Change[], why: string) {
    const done = await make(wanted, why);
    if (done) {
      setPast((before) => [...before, entryOf(done, why)]);
      setFuture([]);
    }
    return done;
  }

  async function step(how: string, entry: Entry, drop: () => void, keep: (entry: Entry) => void) {
    const wanted: Change[] = [];
    for (const part of entry.parts) {
      const now = chart?.lines.find((line) => line.key === part.key);
      if ((entry.made.get(part.key) ?? "") !== said(now)) {
        setStale("Somebody else changed the line since; it is left as it is.");
        drop();
        return;
      }
      wanted.push({
        line: now?.id ?? null,
        revision: now?.revision ?? null,
        to: part.to,
        position: part.position,
      });
    }
    const done = await make(wanted, `${how}: ${entry.why}`);
    if (done) {
      drop();
      keep(entryOf(done, entry.why));
    }
  }

  const last = past[past.length - 1];
  const next = future[future.length - 1];
  const shown = changes.error instanceof Refused && changes.error.problem.conflicts ? null : changes.error;
  return {
    editable: mayEdit && chart?.status === "draft",
    busy: changes.isPending,
    error: stale ?? shown,
    conflict,
    send,
    settle: (merged) => {
      const why = conflict?.why ?? "";
      setConflict(null);
      if (merged && merged.length > 0) void send(merged, why);
    },
    undo:
      last && !changes.isPending
        ? () =>
            void step(
              "undone",
              last,
              () => setPast((all) => all.slice(0, -1)),
              (entry) => setFuture((all) => [...all, entry]),
            )
        : null,
    redo:
      next && !changes.isPending
        ? () =>
            void step(
              "done again",
              next,
              () => setFuture((all) => all.slice(0, -1)),
              (entry) => setPast((all) => [...all, entry]),
            )
        : null,
  };
}

function entryOf(done: Changed, why: string): Entry {
  const parts = done.undo.flatMap((change) => {
    const key =
      change.line === null ? change.to?.key : done.chart.lines.find((line) => line.id === change.line)?.key;
    if (key == null) return [];
    return [{ key, to: change.to ? lineIn(change.to) : null, position: change.position ?? null }];
  });
  const made = new Map(
    parts.map(({ key }) => [key, said(done.chart.lines.find((line) => line.key === key))] as const),
  );
  return { parts, made, why };
}
