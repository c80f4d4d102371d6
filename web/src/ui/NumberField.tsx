import { type KeyboardEvent, useEffect, useRef, useState } from "react";

import { trimmed, typed } from "./units";

const SETTLE_MS = 220;

interface Props {
  id: string;
  label: string;
  unit?: string;
  /** The number in force; null shows the placeholder. */
  value: number | null;
  placeholder?: string;
  onChange: (value: number | null) => void;
  digits?: number;
  /** The key that brings the cursor here. */
  hint?: string;
  className?: string;
  invalid?: boolean;
  /** In a table, whose head names the column: the label is only read out. */
  bare?: boolean;
  /** True while a typed number can only be the start of a longer one: it is then kept back until the field is left. */
  unfinished?: (value: number) => boolean;
}

/**
 * A number typed by a person. While the field has the cursor it keeps the text as typed; the number goes out when the typing
 * rests, and at once on Enter or on leaving. Empty means null. Escape leaves the field.
 */
export function NumberField({
  id,
  label,
  unit,
  value,
  placeholder,
  onChange,
  digits = 2,
  hint,
  className = "",
  invalid = false,
  bare = false,
  unfinished,
}: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const timer = useRef<number>(undefined);
  const shown = draft ?? (value === null ? "" : trimmed(value, digits));
  const wrong = invalid || (draft !== null && draft.trim() !== "" && typed(draft) === null);

  useEffect(() => () => window.clearTimeout(timer.current), []);

  function send(text: string) {
    const number = typed(text);
    if (number !== null || text.trim() === "") onChange(number);
  }

  function type(text: string) {
    setDraft(text);
    window.clearTimeout(timer.current);
    const number = typed(text);
    if (number !== null && unfinished?.(number)) return;
    timer.current = window.setTimeout(() => send(text), SETTLE_MS);
  }

  function leave() {
    window.clearTimeout(timer.current);
    if (draft !== null) send(draft);
    setDraft(null);
  }

  function key(event: KeyboardEvent<HTMLInputElement>) {
    if (event.key === "Enter" || event.key === "Escape") event.currentTarget.blur();
    // No number holds a letter: it is meant for the view. The field is left, its number goes out, then the key counts.
    if (/^[a-z]$/i.test(event.key) && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault();
      event.currentTarget.blur();
      const pressed = event.key;
      window.setTimeout(() =>
        document.body.dispatchEvent(new window.KeyboardEvent("keydown", { key: pressed, bubbles: true })),
      );
    }
  }

  return (
    <div className={className}>
      <div
        className={`flex ${bare ? "min-h-10" : "min-h-[2.875rem]"} items-center rounded-sm border px-2.5 focus-within:border-beam ${wrong ? "border-bad" : "border-rule-strong"}`}
      >
        <div className="min-w-0 flex-1 leading-tight">
          <label htmlFor={id} className={bare ? "sr-only" : "label block truncate"}>
            {label}
          </label>
          <input
            id={id}
            inputMode="decimal"
            autoComplete="off"
            aria-invalid={wrong}
            className="block w-full bg-transparent leading-tight outline-none"
            value={shown}
            placeholder={placeholder}
            onFocus={(event) => event.currentTarget.select()}
            onChange={(event) => type(event.currentTarget.value)}
            onBlur={leave}
            onKeyDown={key}
          />
        </div>
        {!bare && (
          <div className="pl-1 text-right text-note leading-tight text-ink-3">
            <span aria-hidden className="block text-[0.6875rem]">
              {hint ?? "\u00a0"}
            </span>
            {unit ?? "\u00a0"}
          </div>
        )}
      </div>
    </div>
  );
}
