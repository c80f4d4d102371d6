import { useState } from "react";

interface Props {
  id: string;
  label: string;
  value: string;
  onChange: (text: string) => void;
  /** Tell of each key, not only when the field is left. */
  live?: boolean;
  /** In a table, whose head names the column: the label is only read out. */
  bare?: boolean;
}

/** A short text typed by a person; it goes out trimmed when the field is left, or with each key. */
export function TextField({ id, label, value, onChange, live = false, bare = false }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <div
      className={`flex ${bare ? "min-h-touch" : "min-h-[2.875rem]"} flex-col justify-center rounded-sm border border-rule-strong px-2.5 leading-tight focus-within:border-ink`}
    >
      <label htmlFor={id} className={bare ? "sr-only" : "label block truncate"}>
        {label}
      </label>
      <input
        id={id}
        value={draft ?? value}
        maxLength={80}
        className="block w-full bg-transparent outline-none"
        onChange={(event) => {
          setDraft(event.currentTarget.value);
          if (live) onChange(event.currentTarget.value);
        }}
        onBlur={(event) => {
          onChange(event.currentTarget.value.trim());
          setDraft(null);
        }}
      />
    </div>
  );
}
