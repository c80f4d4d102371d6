import { useState } from "react";

import { linkTo } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { useChoices, type Line, type Projection } from "../../api/queries";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { LengthField } from "../../ui/LengthField";
import { Quiet } from "../../ui/Quiet";
import { TextField } from "../../ui/TextField";
import { usePreferences } from "../../ui/preferences";
import { fromCm, signed, trimmed, type Unit } from "../../ui/units";
import { grid } from "../../ui/words";

type Link = Schemas["LinkIn"];
const ALONE = "alone";

interface Props {
  chart: number;
  line: Line;
  lines: Line[];
  name: (line: Line) => string;
  projections: Map<string, Projection>;
  editable: boolean;
  onChange: (link: Link | null) => void;
}

/** Which line this one follows and with what added, and which lines follow it. One edit moves them all. */
export function Links({ chart, line, lines, name, projections, editable, onChange }: Props) {
  const { unit } = usePreferences();
  const [link, setLink] = useState<Link | null>((line.link as Link | null | undefined) ?? null);
  const byKey = new Map(lines.map((one) => [one.key ?? -1, one]));
  const parent = line.link ? byKey.get(line.link.to) : undefined;
  const children = lines.filter((one) => one.link?.to === line.key);
  const own = projections.get(line.projection);
  const near = lines.filter(
    (one) =>
      one.key != null &&
      one.key !== line.key &&
      one.link?.to !== line.key &&
      projections.get(one.projection)?.region === own?.region,
  );
  const habits = useChoices().data?.kvp_habits ?? [];
  const offered = near.flatMap((one) => {
    const habit = habits.find(
      (it) =>
        it.projection === line.projection && it.follows === one.projection && one.support === line.support,
    );
    const same = link?.to === one.key && link?.kvp_added === habit?.kvp_added;
    return habit && one.key != null && !same ? [{ one, habit, to: one.key }] : [];
  });
  const changed = JSON.stringify(link) !== JSON.stringify(line.link ?? null);
  const label = (one: Line) => `${name(one)}, ${grid(one.grid_ratio).toLowerCase()}`;
  if (!editable && !parent && children.length === 0) return null;
  return (
    <section aria-label="Family" className="border-b border-rule py-2">
      {parent && !editable && (
        <p className="text-note text-ink-2">
          Follows <b>{label(parent)}</b>: {wordsOf(line.link as Link, unit)}.
        </p>
      )}
      {children.length > 0 && (
        <p className="text-note text-ink-2">
          {children.length === 1 ? "One line follows" : `${children.length} lines follow`} this one:{" "}
          {children.map(name).join(", ")}.
        </p>
      )}
      {editable && near.length > 0 && (
        <>
          <Select
            label="Follows"
            labelled
            value={link ? String(link.to) : ALONE}
            options={[
              { value: ALONE, label: "nobody: its own numbers" },
              ...near.map((one) => ({ value: String(one.key), label: label(one) })),
            ]}
            onChange={(key) => {
              if (key === ALONE || line.id == null) setLink(null);
              else void linkTo(chart, line.id, Number(key)).then(setLink, () => setLink(null));
            }}
          />
          {link && (
            <div key={link.to} className="mt-2 grid grid-cols-3 gap-2">
              <NumberField
                id="link-kvp"
                label="kVp ±"
                signed
                value={link.kvp_added ?? 0}
                onChange={(kvp) => setLink({ ...link, kvp_added: kvp ?? 0 })}
              />
              <NumberField
                id="link-mas"
                label="mAs ×"
                digits={3}
                value={link.mas_factor ?? 1}
                onChange={(value) => value !== null && setLink({ ...link, mas_factor: value })}
              />
              <LengthField
                id="link-cm"
                label="Thicker"
                signed
                value={link.thicker_cm ?? 0}
                onChange={(cm) => setLink({ ...link, thicker_cm: cm ?? 0 })}
              />
            </div>
          )}
          {offered.map(({ one, habit, to }) => (
            <p key={to} className="mt-1 text-note text-ink-2">
              <Quiet
                onClick={() =>
                  setLink({ to, kvp_added: habit.kvp_added, mas_factor: 1, thicker_cm: 0, why: habit.why })
                }
              >
                {label(one)} {signed(habit.kvp_added, 0)} kVp
              </Quiet>{" "}
              is a habit of some departments: {habit.why}
            </p>
          ))}
          {link && (
            <div className="mt-2">
              <TextField
                key={`${link.to} ${link.kvp_added}`}
                id="link-why"
                label="Why"
                value={link.why ?? ""}
                onChange={(why) => setLink({ ...link, why })}
              />
            </div>
          )}
          {changed && (
            <Button className="mt-2" onClick={() => onChange(link)}>
              {link ? "Follow with these" : "Let it stand alone"}
            </Button>
          )}
        </>
      )}
    </section>
  );
}

function wordsOf(link: Link, unit: Unit): string {
  const parts = [
    ...(link.kvp_added ? [`${signed(link.kvp_added, 0)} kVp`] : []),
    ...(link.mas_factor && link.mas_factor !== 1 ? [`mAs ×${trimmed(link.mas_factor, 3)}`] : []),
    ...(link.thicker_cm ? [`${signed(fromCm(link.thicker_cm, unit))} ${unit} thicker`] : []),
  ];
  return [parts.join(", ") || "the same numbers", link.why].filter(Boolean).join(". ");
}
