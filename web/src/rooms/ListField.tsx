import { useState } from "react";

import { trimmed, typed } from "../ui/units";

interface Props {
  id: string;
  label: string;
  values: number[];
  onChange: (values: number[]) => void;
}

/** A rising list of numbers, written with spaces between them. "40..150" stands for every whole number between. */
export function ListField({ id, label, values, onChange }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const parsed = draft === null ? values : parse(draft);

  function leave() {
    if (parsed) {
      if (draft !== null) onChange(parsed);
      setDraft(null);
    }
  }

  return (
    <div>
      <label htmlFor={id} className="label">
        {label} ({(parsed ?? values).length})
      </label>
      <textarea
        id={id}
        rows={written(values).length > 64 ? 2 : 1}
        aria-invalid={parsed === null}
        className={`block w-full resize-y rounded-sm border bg-transparent px-2 py-1 leading-snug ${parsed === null ? "border-bad" : "border-rule-strong"}`}
        value={draft ?? written(values)}
        onChange={(event) => setDraft(event.currentTarget.value)}
        onBlur={leave}
      />
      {parsed === null && <p className="text-note text-bad">Numbers with spaces between, or 40..150.</p>}
    </div>
  );
}

/** The list as text; a run of four or more whole numbers becomes "from..to". */
export function written(values: number[]): string {
  const parts: string[] = [];
  for (let i = 0; i < values.length;) {
    let j = i;
    while (Number.isInteger(values[i]) && values[j + 1] === (values[j] ?? NaN) + 1) j++;
    if (j - i >= 3) {
      parts.push(`${values[i]}..${values[j]}`);
      i = j + 1;
    } else {
      parts.push(trimmed(values[i] ?? 0, 4));
      i++;
    }
  }
  return parts.join(" ");
}

/** The numbers of such a text; null where a part is neither a number nor a run. */
export function parse(text: string): number[] | null {
  const found: number[] = [];
  for (const part of text
    .trim()
    .split(/[\s;]+/)
    .filter(Boolean)) {
    const run = /^(\d+)\.\.(\d+)$/.exec(part);
    if (run) {
      const [from, to] = [Number(run[1]), Number(run[2])];
      if (to < from || to - from > 400) return null;
      for (let value = from; value <= to; value++) found.push(value);
      continue;
    }
    const number = typed(part);
    if (number === null) return null;
    found.push(number);
  }
  return found;
}
