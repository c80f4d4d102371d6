import { useState } from "react";

import type { Schemas } from "../../api/client";
import { type Room, useIndexScale } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { TextField } from "../../ui/TextField";
import { figure, signed, trimmed } from "../../ui/units";

type Receptor = Room["receptors"][number];
type Scale = NonNullable<Receptor["index_scale"]>;
type Form = Scale["form"];

const IEC = "iec";
const FORMS: { value: Form | typeof IEC; label: string; rule: string }[] = [
  { value: IEC, label: "EI (IEC)", rule: "" },
  { value: "inverse", label: "Falls with exposure", rule: "constant ÷ kerma, µGy" },
  { value: "logarithmic", label: "Logarithmic", rule: "constant + step × log₁₀ of the kerma, µGy" },
  { value: "proportional", label: "Rises with exposure", rule: "constant × kerma, µGy" },
];
/** What each form starts with: speed class 1000 / K, 1000 for each ten times of kerma, EI itself. Only to begin from. */
const BEGINS: Record<Form, Pick<Scale, "constant" | "per_decade">> = {
  inverse: { constant: 1000, per_decade: 0 },
  logarithmic: { constant: 1600, per_decade: 1000 },
  proportional: { constant: 100, per_decade: 0 },
};

interface Reading {
  kerma_ugy: number | null;
  shown: number | null;
}
const NONE: Reading = { kerma_ugy: null, shown: null };

/** What the console of a receptor shows: the exposure index, or a number on a scale of its own. */
export function ConsoleShows({
  label,
  scale,
  onChange,
}: {
  label: string;
  scale: Scale | null;
  onChange: (scale: Scale | null) => void;
}) {
  return (
    <Select
      label={label}
      value={scale?.form ?? IEC}
      options={FORMS}
      onChange={(next) =>
        onChange(
          next === IEC ? null : { name: scale?.name ?? "Index", form: next as Form, ...BEGINS[next as Form] },
        )
      }
    />
  );
}

/** A scale of the console's own: its name and constants, what it shows, and how readings fix it. */
export function IndexScaleFields({
  receptor,
  scale,
  onChange,
}: {
  receptor: Receptor;
  scale: Scale;
  onChange: (scale: Scale) => void;
}) {
  const form = FORMS.find((one) => one.value === scale.form);
  const put = (change: Partial<Scale>) => onChange({ ...scale, ...change });
  return (
    <div className="flex flex-col gap-2">
      <div className="grid grid-cols-4 gap-2">
        <TextField
          id={`scale:name-${receptor.id}`}
          label="Called"
          value={scale.name}
          onChange={(name) => name !== "" && put({ name })}
        />
        <NumberField
          id={`scale:constant-${receptor.id}`}
          label="Constant"
          value={scale.constant}
          digits={4}
          signed
          onChange={(constant) => constant !== null && put({ constant })}
        />
        {scale.form === "logarithmic" && (
          <NumberField
            id={`scale:step-${receptor.id}`}
            label="For ×10 in kerma"
            value={scale.per_decade ?? 0}
            digits={4}
            signed
            onChange={(per_decade) => per_decade !== null && put({ per_decade })}
          />
        )}
      </div>
      <Says receptor={receptor} scale={scale} rule={form?.rule ?? ""} />
      <FromReadings receptor={receptor} scale={scale} onScale={onChange} />
    </div>
  );
}

/** The scale in numbers that can be held against the console. */
function Says({ receptor, scale, rule }: { receptor: Receptor; scale: Scale; rule: string }) {
  const found = useIndexScale({ ...scale, target_ei: receptor.target_ei ?? 250 });
  if (found.isError) return <Refusal error={found.error} />;
  return (
    <p className="text-note text-ink-2">
      {scale.name} is {rule}.{" "}
      {found.data && (
        <>
          It shows{" "}
          {found.data.shown.map((one, i) => (
            <span key={one.di}>
              {i > 0 && ", "}
              <b>{figure(one.shown)}</b> at {one.di === 0 ? "the target" : `DI ${signed(one.di)}`} (
              {figure(one.kerma_ugy)} µGy)
            </span>
          ))}
          . Deviation indices stay those of IEC.
        </>
      )}
    </p>
  );
}

/** The constants from what the console showed for measured kermas. */
function FromReadings({
  receptor,
  scale,
  onScale,
}: {
  receptor: Receptor;
  scale: Scale;
  onScale: (scale: Scale) => void;
}) {
  const [open, setOpen] = useState(false);
  const [rows, setRows] = useState<Reading[]>([NONE, NONE]);
  const readings = rows.flatMap(({ kerma_ugy, shown }) =>
    kerma_ugy === null || shown === null ? [] : [{ kerma_ugy, shown }],
  );
  const { name, form } = scale;
  const found = useIndexScale(
    open && readings.length > 0
      ? { name, form, readings, per_decade: 0, target_ei: receptor.target_ei ?? 250 }
      : null,
  );
  const put = (at: number, change: Partial<Reading>) =>
    setRows(rows.map((one, i) => (i === at ? { ...one, ...change } : one)));
  if (!open)
    return (
      <Button tone="quiet" className="self-start" onClick={() => setOpen(true)}>
        Work it out of readings
      </Button>
    );
  const fitted: Schemas["ScaleOut"] | undefined = found.data;
  return (
    <div className="border-l-2 border-rule-strong pl-3">
      <p className="text-note text-ink-3">
        Kerma at the receptor in 70 kV with 21 mm Al added, and the {name} that it shows.
      </p>
      {rows.map((row, i) => (
        <div key={i} className="mt-1 grid grid-cols-4 gap-2">
          {(["kerma_ugy", "shown"] as const).map((key) => (
            <NumberField
              key={key}
              id={`scale-${receptor.id}-${key}-${i}`}
              label={key === "shown" ? `${name} ${i + 1}` : `Kerma ${i + 1}`}
              {...(key === "kerma_ugy" ? { unit: "µGy" } : { signed: true })}
              value={row[key]}
              onChange={(value) => put(i, { [key]: value })}
            />
          ))}
        </div>
      ))}
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <Button tone="quiet" onClick={() => setRows([...rows, NONE])}>
          Another reading
        </Button>
        {fitted && (
          <Button
            onClick={() => {
              const { constant, per_decade } = fitted.scale;
              onScale({ ...scale, constant, per_decade });
            }}
          >
            Take constant {trimmed(fitted.scale.constant, 3)}
            {form === "logarithmic" && `, ${trimmed(fitted.scale.per_decade ?? 0, 3)} for ×10`}
          </Button>
        )}
        {fitted?.largest_residual_di != null && (
          <span className={fitted.largest_residual_di > 0.5 ? "text-warn" : "text-ink-2"}>
            Worst reading {trimmed(fitted.largest_residual_di, 2)} DI off
            {fitted.largest_residual_di > 0.5 && ": read it again"}.
          </span>
        )}
      </div>
      {found.isError && <Refusal error={found.error} />}
    </div>
  );
}
