import { useState } from "react";

import { trimmed, typed } from "../../ui/units";

type Series = Record<string, number[]>;

interface Props {
  id: string;
  label: string;
  values: number[];
  /** Series of preferred numbers that may stand for their members: from 1 to under 10, by name. */
  series?: Series;
  onChange: (values: number[]) => void;
  placeholder?: string | undefined;
  /** In a table, whose head names the column: the label is only read out. */
  bare?: boolean;
}

/** A rising list of numbers, written with spaces between them. "40..150" stands for every whole number between, "10..630 R'10" for
 * the numbers of that series. */
export function ListField({ id, label, values, series = {}, onChange, placeholder, bare = false }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const parsed = draft === null ? values : parse(draft, series);

  function leave() {
    if (parsed) {
      if (draft !== null) onChange(parsed);
      setDraft(null);
    }
  }

  return (
    <div>
      <label htmlFor={id} className={bare ? "sr-only" : "label"}>
        {label}
        {!bare && ` (${(parsed ?? values).length})`}
      </label>
      <textarea
        id={id}
        placeholder={placeholder}
        rows={written(values, series).length > 64 ? 2 : 1}
        aria-invalid={parsed === null}
        className={`block w-full resize-y rounded-sm border bg-transparent px-2 py-1 leading-snug ${parsed === null ? "border-bad" : "border-rule-strong"}`}
        value={draft ?? written(values, series)}
        onChange={(event) => setDraft(event.currentTarget.value)}
        onBlur={leave}
      />
      {parsed === null && (
        <p className="text-note text-bad">Numbers with spaces between, 40..150, or 10..630 R&apos;10.</p>
      )}
    </div>
  );
}

/** The numbers of a series from one to another. */
function members(decade: number[], from: number, to: number): number[] {
  const found: number[] = [];
  for (let power = Math.floor(Math.log10(from)); power <= Math.log10(to); power++)
    for (const digit of decade) {
      const value = Number((digit * 10 ** power).toPrecision(6));
      if (value >= from && value <= to) found.push(value);
    }
  return found;
}

/** How many numbers of a list, from a place on, are the series' own, one behind the other. */
function run(values: number[], from: number, decade: number[]): number {
  const expected = members(decade, values[from] ?? 1, values[values.length - 1] ?? 1);
  let long = 0;
  while (long < expected.length && values[from + long] === expected[long]) long++;
  return long;
}

const SHORTEST_RUN = 4;

/** The list as text; a run of four or more whole numbers, or of a series, becomes "from..to". */
export function written(values: number[], series: Series = {}): string {
  const parts: string[] = [];
  for (let i = 0; i < values.length;) {
    let whole = 1;
    while (Number.isInteger(values[i]) && values[i + whole] === (values[i] ?? NaN) + whole) whole++;
    const [name, long] = Object.entries(series)
      .map(([name, decade]): [string, number] => [name, run(values, i, decade)])
      .reduce((best, one) => (one[1] > best[1] ? one : best), ["", 0]);
    const length = Math.max(whole, long);
    if (length >= SHORTEST_RUN) {
      const range = `${trimmed(values[i] ?? 0, 4)}..${trimmed(values[i + length - 1] ?? 0, 4)}`;
      parts.push(whole >= long ? range : `${range} ${name}`);
      i += length;
    } else {
      parts.push(trimmed(values[i] ?? 0, 4));
      i++;
    }
  }
  return parts.join(" ");
}

const MOST = 400;

/** The numbers of such a text; null where a part is neither a number nor a run. */
export function parse(text: string, series: Series = {}): number[] | null {
  const found: number[] = [];
  const parts = text
    .trim()
    .split(/[\s;]+/)
    .filter(Boolean);
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i] ?? "";
    const [from, to, more] = part.split("..").map(typed);
    if (from == null || to === null || more !== undefined) return null;
    if (to === undefined) {
      found.push(from);
      continue;
    }
    const named = /^r'?(\d+)$/i.exec(parts[i + 1] ?? "");
    const decade = named && series[`R'${named[1]}`];
    if (named) i++;
    if (to < from || from <= 0 || (named && !decade)) return null;
    if (decade) found.push(...members(decade, from, to));
    else if (!Number.isInteger(from) || !Number.isInteger(to) || to - from > MOST) return null;
    else for (let value = from; value <= to; value++) found.push(value);
  }
  return found;
}
