import { useState } from "react";

import { type Compared, lineIn, useChanges, useDifference } from "../../api/bench";
import type { Line, Version } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { signed } from "../../ui/units";
import { projectionName, SUPPORT } from "../../ui/words";
import type { Making } from "./making";

/** Lines made elsewhere go into the version that is open: what they add and what they change is shown first, and chosen. */
export function IntoDraft({
  making,
  open,
  lines,
  waits,
  why,
}: {
  making: Making;
  open: Version;
  lines: Line[];
  waits: string;
  why: string;
}) {
  const difference = useDifference();
  const changes = useChanges();
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const found = difference.data?.filter((one) => one.change !== "same") ?? [];
  const chosen = found.filter((_, i) => !left.has(i));
  const added = found.filter((one) => one.change === "added").length;
  if (!difference.data)
    return (
      <>
        <Button
          tone="main"
          disabled={lines.length === 0 || waits !== "" || difference.isPending}
          onClick={() => difference.mutate({ chart: open.id, lines: lines.map(lineIn) })}
        >
          See what {lines.length} {lines.length === 1 ? "line" : "lines"} would change in version{" "}
          {open.version}
        </Button>
        {difference.isError && <Refusal error={difference.error} className="mt-2" />}
      </>
    );
  return (
    <section aria-label={`What would change in version ${open.version}`} className="mt-2">
      <h3 className="font-semibold">
        {added} added, {found.length - added} changed in version {open.version}
        {found.length < difference.data.length && (
          <span className="font-normal text-ink-2">
            , {difference.data.length - found.length} stand there already
          </span>
        )}
      </h3>
      <div className="flex flex-wrap gap-2 py-1">
        <Button tone="quiet" onClick={() => setLeft(new Set())}>
          All of them
        </Button>
        <Button
          tone="quiet"
          onClick={() => setLeft(new Set(found.flatMap((one, i) => (one.change === "added" ? [] : [i]))))}
        >
          Only what is missing
        </Button>
      </div>
      <ul className="max-h-80 overflow-auto border-t border-rule">
        {found.map((one, i) => (
          <li key={i} className="border-b border-rule">
            <label className="flex min-h-touch items-start gap-3 py-1.5">
              <input
                type="checkbox"
                className="mt-1 size-5 shrink-0 accent-(--ink)"
                checked={!left.has(i)}
                onChange={() => setLeft(toggled(left, i))}
              />
              <span>
                {named(one, making)} <span className="text-ink-2">{said(one)}</span>
              </span>
            </label>
          </li>
        ))}
      </ul>
      <Button
        tone="main"
        className="mt-2"
        disabled={chosen.length === 0 || changes.isPending}
        onClick={() =>
          changes.mutate(
            {
              chart: open.id,
              why,
              changes: chosen.flatMap((one) =>
                one.after
                  ? [
                      {
                        line: one.before?.id ?? null,
                        revision: one.before?.revision ?? null,
                        to: lineIn(one.after),
                        position: null,
                      },
                    ]
                  : [],
              ),
            },
            { onSuccess: making.onTaken },
          )
        }
      >
        Put {chosen.length} {chosen.length === 1 ? "line" : "lines"} into version {open.version}
      </Button>
      {changes.isError && <Refusal error={changes.error} className="mt-2" />}
    </section>
  );
}

function toggled(all: ReadonlySet<number>, one: number): ReadonlySet<number> {
  const next = new Set(all);
  if (!next.delete(one)) next.add(one);
  return next;
}

function named(one: Compared, making: Making) {
  const line = one.after ?? one.before;
  if (!line) return null;
  const projection = making.projections.find((each) => each.id === line.projection);
  return (
    <b className="font-semibold">
      {projectionName(projection, line.projection)}, {SUPPORT[line.support] ?? line.support}
    </b>
  );
}

/** What becomes of a line: new, or what is different and how the average patient's index moves by it. */
function said(one: Compared): string {
  if (one.change === "added") return "is added";
  const by = one.sizes.find((size) => size.who === "average")?.di_change;
  const moves = by == null ? "" : `; DI ${signed(by)} for the average adult`;
  return `changes: ${one.what.join("; ") || "its numbers"}${moves}`;
}
