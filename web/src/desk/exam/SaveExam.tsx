import { Popover } from "radix-ui";
import { useState } from "react";

import type { Exam } from "../../api/queries";
import { useMay, useSaveLocal } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { TextField } from "../../ui/TextField";
import { type DeskState, type Stop } from "../state";

const slug = (name: string) =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 60);

/** A stop as the catalogue writes a step. */
function stepOf(stop: Stop): object {
  const when = stop.when ? { when: stop.when } : {};
  if (stop.clearance !== null)
    return { clearance: stop.clearance, ...(stop.asks ? { asks: stop.asks } : {}) };
  if (stop.wait_min !== null) return { wait_min: stop.wait_min, text: stop.note };
  const own = stop.note !== "" && stop.note !== "Added." && stop.attempt === 1;
  const more = {
    ...when,
    ...(own ? { note: stop.note } : {}),
    ...(stop.pair ? { side: stop.pair } : {}),
    ...(stop.setup.support ? { support: stop.setup.support } : {}),
  };
  return stop.options.length > 1 ? { one_of: stop.options, ...more } : { p: stop.projection, ...more };
}

/** Keeps the views as they stand now, in this order, as an exam set of the department. */
export function SaveExam({ state, exams }: { state: DeskState; exams: Exam[] }) {
  const now = exams.find((one) => one.id === state.exam);
  const [name, setName] = useState("");
  const [why, setWhy] = useState("");
  const save = useSaveLocal();
  const maySave = useMay("keeper", "physicist", "admin");
  const id = slug(name);
  const taken = exams.find((one) => one.id === id);
  if (!maySave) return null;
  return (
    <Popover.Root onOpenChange={() => save.reset()}>
      <Popover.Trigger className="min-h-touch px-2 whitespace-nowrap text-ink-2 hover:text-ink">
        Save as exam
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Keep this order"
          className="z-50 flex w-96 flex-col gap-2 rounded-sm border border-rule-strong bg-raised p-4 shadow-lg"
        >
          <h2 className="text-body">Keep these views as a set of our department</h2>
          <p className="text-note text-ink-2">
            {state.stops.length} steps as they stand now{now ? `, from “${now.name}”` : ""}. What ships stays
            as it is.
          </p>
          <TextField id="set-name" label="Name of the set" value={name} onChange={setName} live />
          <TextField id="set-why" label="Why in this order" value={why} onChange={setWhy} live />
          {taken && !taken.local && (
            <p className="text-note text-warn">
              “{taken.name}” ships under this name: yours would be taken in its place.
            </p>
          )}
          <Button
            tone="main"
            disabled={!id || !why.trim() || save.isPending}
            onClick={() =>
              save.mutate({
                kind: "exam",
                id,
                body: { name: name.trim(), why: why.trim(), steps: state.stops.map(stepOf) },
              })
            }
          >
            Keep
          </Button>
          {save.isSuccess && (
            <p role="status" className="text-good">
              Kept: the search finds it as “{name.trim()}”.
            </p>
          )}
          {save.isError && <Refusal error={save.error} />}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
