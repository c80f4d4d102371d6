import { useState } from "react";

import { type Change, type Changed, useChanges } from "../../api/bench";
import { Refused, type Schemas } from "../../api/client";
import type { Chart } from "../../api/queries";
import { useDraft } from "../../ui/drafts";
import { changesOf, type Done, type Entry, entryOf, reduceDone, type Step } from "./undo";

type LineNow = Schemas["LineNow"];

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

/** Changes of a draft that are made together, undone and done again; and what to do where somebody else was quicker. */
export function useWorkbench(chart: Chart | undefined, mayEdit: boolean): Workbench {
  const changes = useChanges();
  // What can be undone outlives a reload, as the changes themselves do.
  const [done, setDone] = useDraft<Done>(`undo ${chart?.id ?? "none"}`, () => ({ past: [], future: [] }));
  const step = (taken: Step) => setDone((now) => reduceDone(now, taken));
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
    const made = await make(wanted, why);
    if (made) step({ do: "made", entry: entryOf(made, why) });
    return made;
  }

  async function again(how: "undone" | "redone", entry: Entry) {
    const wanted = chart ? changesOf(entry, chart) : null;
    if (wanted === null) {
      setStale("Somebody else changed the line since; it is left as it is.");
      step({ do: how, entry: null });
      return;
    }
    const made = await make(wanted, `${how === "undone" ? "undone" : "done again"}: ${entry.why}`);
    if (made) step({ do: how, entry: entryOf(made, entry.why) });
  }

  const last = done.past[done.past.length - 1];
  const next = done.future[done.future.length - 1];
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
    undo: last && !changes.isPending ? () => void again("undone", last) : null,
    redo: next && !changes.isPending ? () => void again("redone", next) : null,
  };
}
