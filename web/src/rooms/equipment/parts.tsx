import { type ReactNode, useState } from "react";

import { Button } from "../../ui/Button";
import { LengthField } from "../../ui/LengthField";
import { NumberField } from "../../ui/NumberField";
import { ABOUT } from "./about";

/** One part of the equipment: what it is, the fields, and under them what the field in hand means. */
export function Section({ title, says, children }: { title: string; says: string; children: ReactNode }) {
  const [about, setAbout] = useState<string | null>(null);
  return (
    <section
      aria-label={title}
      className="flex min-w-0 flex-col gap-2"
      onFocus={(event) => {
        const named = event.target.closest<HTMLElement>("[data-about]")?.dataset.about;
        setAbout(ABOUT[named ?? event.target.id.split(":")[0] ?? ""] ?? null);
      }}
    >
      <h3 className="border-b border-rule-strong pb-1 text-body">{title}</h3>
      <p aria-live="polite" className="min-h-8 max-w-4xl text-note text-ink-2">
        {about ?? says}
      </p>
      {children}
    </section>
  );
}

interface FigureProps {
  id: string;
  label: string;
  unit?: string;
  value: number | null;
  set: (value: number) => void;
  bare?: boolean;
}

/** A number that is always there: an emptied field keeps the number it had. */
export function Figure({ unit, set, ...rest }: FigureProps) {
  const onChange = (number: number | null) => number !== null && set(number);
  return unit === "cm" ? (
    <LengthField {...rest} onChange={onChange} digits={2} />
  ) : (
    <NumberField {...rest} onChange={onChange} {...(unit ? { unit } : {})} digits={4} />
  );
}

/** Rows under a head that names the columns; the first column is the row's name. */
export function Rows({ label, heads, children }: { label: string; heads: string[]; children: ReactNode }) {
  return (
    <div className="overflow-x-auto">
      <table aria-label={label} className="w-full text-left [&_td]:py-1 [&_td]:pr-2 [&_td]:align-middle">
        <thead className="text-note text-ink-3">
          <tr>
            {heads.map((head, i) => (
              <th key={i} scope="col" className="pr-2 pb-1 align-bottom font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>{children}</tbody>
      </table>
    </div>
  );
}

/** Takes a row out; read out with the row's name. */
export function Remove({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <Button tone="quiet" aria-label={`Remove ${what}`} onClick={onClick}>
      Remove
    </Button>
  );
}
