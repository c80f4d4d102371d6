import { useState } from "react";

import { type Change, lineIn, type LineIn } from "../../api/bench";
import type { Line } from "../../api/queries";
import { Button } from "../../ui/Button";
import { usePreferences } from "../../ui/preferences";
import { figure, length, type Unit } from "../../ui/units";
import type { Conflict } from "./useWorkbench";

type Side = "mine" | "theirs";
type Flat = Record<string, unknown>;

const FIELD: Record<string, string> = {
  support: "Support",
  grid_ratio: "Grid",
  sid_cm: "SID",
  receptor: "Receptor",
  range_cm: "Range",
  target_ei: "Target index",
  field_cm: "Field",
  note: "Note",
  link: "Follows",
  "law.kvp": "kVp",
  "law.mas": "mAs",
  "law.thickness_cm": "At",
  "law.doubling_cm": "mAs doubles every",
  "law.kvp_per_cm": "kVp per cm",
  law: "Law",
};

/** A line as fields to choose between: the numbers of a law one by one where both have the same kind of law. */
function flat(line: LineIn, apart: boolean): Flat {
  const { law, ...rest } = line;
  const kept: Flat = { ...rest };
  if (apart) for (const [name, value] of Object.entries(law)) kept[`law.${name}`] = value;
  else kept.law = law;
  return kept;
}

function whole(fields: Flat): LineIn {
  const line: Record<string, unknown> = {};
  const law: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(fields)) {
    if (name.startsWith("law.")) law[name.slice(4)] = value;
    else line[name] = value;
  }
  return (line.law ? line : { ...line, law }) as unknown as LineIn;
}

interface Props {
  conflict: Conflict;
  /** The lines as they were read here. */
  lines: Line[];
  name: (projection: string) => string;
  onDone: (changes: Change[] | null) => void;
}

/** Somebody else was quicker: for each line that both changed, field by field, whose shall it be? Nothing is lost. */
export function Merge({ conflict, lines, name, onDone }: Props) {
  const { unit } = usePreferences();
  const [picked, setPicked] = useState<Record<string, Side>>({});
  const both = conflict.lines.flatMap((one) => {
    const mine = conflict.changes.find((change) => change.line === one.line);
    const base = lines.find((line) => line.id === one.line);
    return mine ? [{ line: one.line, now: one.now ?? null, mine, base }] : [];
  });
  /** What is not picked: theirs where nothing was changed here, mine elsewhere. */
  const side = (key: string, usual: Side = "mine"): Side => picked[key] ?? usual;
  const pick = (key: string, to: Side) => setPicked({ ...picked, [key]: to });

  function merged(): Change[] {
    return conflict.changes.flatMap((change): Change[] => {
      const one = both.find((each) => each.line === change.line);
      if (!one) return [change];
      const key = String(one.line);
      if (!one.now)
        return side(key) === "mine" && change.to ? [{ ...change, line: null, revision: null }] : [];
      if (!change.to) return side(key) === "mine" ? [{ ...change, revision: one.now.revision ?? null }] : [];
      const [mine, theirs] = pair(change.to, one.now);
      const usual = usualSides(change.to, one.base);
      const fields = Object.fromEntries(
        Object.keys({ ...theirs, ...mine }).map((field) => [
          field,
          (side(`${key} ${field}`, usual(field)) === "mine" ? mine : theirs)[field],
        ]),
      );
      return [{ ...change, revision: one.now.revision ?? null, to: whole(fields) }];
    });
  }

  return (
    <section role="alertdialog" aria-label="Merge" className="border-b-2 border-warn bg-sunken px-5 py-3">
      <h3 className="font-semibold text-warn">Somebody else changed the same line meanwhile</h3>
      <p className="text-ink-2">
        Nothing of yours is kept yet and nothing is lost. Choose field by field; the rest of both goes in.
      </p>
      {both.map((one) => {
        const projection = one.now?.projection ?? one.base?.projection ?? "";
        const key = String(one.line);
        if (!one.now || !one.mine.to)
          return (
            <div key={key} className="mt-2 flex flex-wrap items-center gap-4 border-t border-rule pt-2">
              <b>{name(projection)}</b>
              <Pick
                name={key}
                value={side(key)}
                mine={one.mine.to ? "yours: put it back with your numbers" : "yours: take the line out"}
                theirs={one.now ? "theirs: keep the line as it is now" : "theirs: the line was taken out"}
                onPick={(to) => pick(key, to)}
              />
            </div>
          );
        const [mine, theirs] = pair(one.mine.to, one.now);
        const usual = usualSides(one.mine.to, one.base);
        const fields = Object.keys({ ...theirs, ...mine }).filter(
          (field) => field !== "key" && !same(mine[field], theirs[field]),
        );
        return (
          <div key={key} className="mt-2 border-t border-rule pt-2">
            <b>{name(projection)}</b>
            {fields.length === 0 && <span className="text-ink-2">: both did the same.</span>}
            {fields.map((field) => (
              <div key={field} className="flex flex-wrap items-center gap-4">
                <span className="w-28 text-ink-2">{FIELD[field] ?? field}</span>
                <Pick
                  name={`${key} ${field}`}
                  value={side(`${key} ${field}`, usual(field))}
                  mine={`yours: ${words(field, mine[field], unit)}`}
                  theirs={`theirs: ${words(field, theirs[field], unit)}`}
                  onPick={(to) => pick(`${key} ${field}`, to)}
                />
              </div>
            ))}
          </div>
        );
      })}
      <div className="mt-3 flex gap-2">
        <Button tone="main" onClick={() => onDone(merged())}>
          Keep as chosen
        </Button>
        <Button tone="quiet" onClick={() => onDone(null)}>
          Leave theirs, drop mine
        </Button>
      </div>
    </section>
  );
}

function pair(mine: LineIn, now: Line): [Flat, Flat] {
  const theirs = lineIn(now);
  const apart =
    mine.law.name === theirs.law.name && mine.law.name !== "banded" && mine.law.name !== "levelled";
  return [flat(mine, apart), flat(theirs, apart)];
}

/** Whose a field is to begin with: theirs where it was not changed here, by what the line said when it was read. */
function usualSides(mine: LineIn, base: Line | undefined): (field: string) => Side {
  if (!base) return () => "mine";
  const [ours, before] = pair(mine, base);
  return (field) => (field in before && same(ours[field], before[field]) ? "theirs" : "mine");
}

/** What the API leaves out is what it says as nothing. */
const same = (one: unknown, other: unknown) => JSON.stringify(one ?? null) === JSON.stringify(other ?? null);

/** A field's value to read; a length in the person's unit. */
function words(field: string, value: unknown, unit: Unit): string {
  if (value === null || value === undefined || value === "") return "nothing";
  if (typeof value === "number") return field.endsWith("_cm") ? length(value, unit) : figure(value);
  if (Array.isArray(value)) return value.map((one) => words(field, one, unit)).join(" to ");
  if (typeof value === "object") {
    const law = value as { name?: string; bands?: unknown[]; points?: unknown[] };
    return `${(law.name ?? "a link").replace("_", " ")}${law.bands ? `, ${law.bands.length} bands` : ""}${law.points ? `, ${law.points.length} points` : ""}`;
  }
  return typeof value === "string" ? value : JSON.stringify(value);
}

function Pick({
  name,
  value,
  mine,
  theirs,
  onPick,
}: {
  name: string;
  value: Side;
  mine: string;
  theirs: string;
  onPick: (to: Side) => void;
}) {
  return (
    <>
      {(
        [
          ["mine", mine],
          ["theirs", theirs],
        ] as const
      ).map(([to, text]) => (
        <label key={to} className="flex min-h-touch cursor-pointer items-center gap-2">
          <input
            type="radio"
            name={`merge ${name}`}
            className="h-4 w-4 accent-(--beam)"
            checked={value === to}
            onChange={() => onPick(to)}
          />
          {text}
        </label>
      ))}
    </>
  );
}
