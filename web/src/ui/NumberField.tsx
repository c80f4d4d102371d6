import { type KeyboardEvent, useEffect, useRef, useState } from "react";

import { useTellPending } from "./pending";
import { readAs, type Reading, trimmed } from "./units";

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
  /** Where outside checks find the field. */
  part?: string;
  /** Left of zero too. */
  signed?: boolean;
  /** An angle whose direction stands beside it as a switch: caudal or not, and the other way. */
  caudal?: { on: boolean; turn: () => void };
  /** For a narrow column: short words with the unit over the number; the label is read out. */
  slim?: string;
  /** True while a typed number can only be the start of a longer one: it is then kept back until the field is left. */
  unfinished?: (value: number) => boolean;
}

/** What can be typed, where what was typed is not it. */
const SAY: Record<Reading, string> = {
  number: "Type a number, as 12.5.",
  length: 'Type a length, as 24.5, 24 cm or 9 1/2".',
  angle: "Type an angle, as 10, −10 or 10 caudal.",
};
const readingOf = (unit: string | undefined): Reading =>
  unit === "cm" || unit === "in" ? "length" : unit === "°" ? "angle" : "number";

/**
 * A number typed by a person. While the field has the cursor it keeps the text as typed; the number goes out when the typing
 * rests, and at once on Enter or on leaving. Empty means null. Escape takes back what was typed and leaves. What cannot be
 * read stays in the field, with what can be typed said under it; no key pressed here reaches the view.
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
  part,
  signed = false,
  caudal,
  slim,
  unfinished,
}: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const timer = useRef<number>(undefined);
  const reading = readingOf(unit);
  const read = (text: string) => {
    const number = readAs(reading, text, unit, caudal?.on);
    return number !== null && number < 0 && !signed ? null : number;
  };
  // The switch says the direction, so that the number needs no sign.
  const shown = draft ?? (value === null ? "" : trimmed(caudal ? Math.abs(value) : value, digits));
  const unread = draft !== null && draft.trim() !== "" && read(draft) === null;
  const wrong = invalid || unread;
  const same = (text: string) => {
    const number = text.trim() === "" ? null : read(text);
    return number === value || (number !== null && value !== null && Math.abs(number - value) < 1e-9);
  };
  useTellPending(id, draft !== null && (unread || !same(draft)));

  useEffect(() => () => window.clearTimeout(timer.current), []);

  function send(text: string) {
    const number = read(text);
    if (number !== null || text.trim() === "") onChange(number);
  }

  function type(text: string) {
    setDraft(text);
    window.clearTimeout(timer.current);
    const number = read(text);
    if (number !== null && unfinished?.(number)) return;
    timer.current = window.setTimeout(() => send(text), SETTLE_MS);
  }

  function leave() {
    window.clearTimeout(timer.current);
    if (draft !== null) send(draft);
    if (!unread) setDraft(null);
  }

  function key(event: KeyboardEvent<HTMLInputElement>) {
    const field = event.currentTarget;
    if (event.key === "Enter") field.blur();
    if (event.key === "Escape") {
      window.clearTimeout(timer.current);
      setDraft(null);
      // After the draft is gone, so that leaving sends nothing.
      window.setTimeout(() => field.blur());
    }
  }

  return (
    <div className={className}>
      <div
        className={`flex ${bare ? "min-h-touch" : "min-h-[2.875rem]"} items-center rounded-sm border ${slim ? "px-2" : "px-2.5"} focus-within:border-ink ${wrong ? "border-bad" : "border-rule-strong"}`}
      >
        <div className="min-w-0 flex-1 leading-tight">
          <div className={bare ? "sr-only" : "flex gap-1"}>
            <label htmlFor={id} className={bare || slim ? "sr-only" : "label min-w-0 flex-1 truncate"}>
              {label}
            </label>
            {slim && (
              <span aria-hidden className="label truncate">
                {slim}, {unit}
              </span>
            )}
            {hint && (
              <span aria-hidden className="text-note leading-tight text-ink-3">
                {hint}
              </span>
            )}
          </div>
          <div className="flex items-center gap-1">
            <input
              id={id}
              inputMode="decimal"
              autoComplete="off"
              data-part={part}
              aria-invalid={wrong}
              aria-describedby={unread ? `${id}-say` : undefined}
              className="block w-full min-w-0 scroll-mt-56 bg-transparent leading-tight outline-none xl:scroll-mt-0"
              value={shown}
              placeholder={placeholder}
              onFocus={(event) => event.currentTarget.select()}
              onChange={(event) => type(event.currentTarget.value)}
              onBlur={leave}
              onKeyDown={key}
            />
            {caudal ? (
              <button
                type="button"
                aria-label={`Direction: ${caudal.on ? "caudal" : "cephalad"}; switch`}
                title="Cephalad: toward the head, on a limb toward the trunk. Caudal: the other way."
                onClick={caudal.turn}
                className="-my-2.5 -mr-2 min-h-touch shrink-0 rounded-sm px-2 text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink"
              >
                ° {caudal.on ? "caudal" : "cephalad"}
              </button>
            ) : (
              !bare &&
              !slim &&
              unit && <span className="text-note leading-tight whitespace-nowrap text-ink-3">{unit}</span>
            )}
          </div>
        </div>
      </div>
      {unread && (
        <p id={`${id}-say`} className={bare ? "sr-only" : "mt-0.5 text-note text-bad"}>
          {SAY[reading]}
        </p>
      )}
    </div>
  );
}
