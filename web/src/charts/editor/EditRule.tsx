import { useState } from "react";

import type { Schemas } from "../../api/client";
import type { Line } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { LengthField } from "../../ui/LengthField";
import { usePreferences } from "../../ui/preferences";
import { fromCm, length, trimmed } from "../../ui/units";

/** A law as the API takes it: a levelled one names its base as thickness_cm. */
function lawIn(law: Line["law"]) {
  if (law.name !== "levelled") return law;
  return { name: law.name, thickness_cm: law.base_cm, points: law.points };
}

interface Props {
  line: Line;
  saving: boolean;
  error: unknown;
  onSave: (body: Schemas["LineIn"]) => void;
  onRemove: () => void;
}

/** Change the numbers of a draft's line. The conditions stay; a line for other conditions is another line. */
export function EditRule({ line, saving, error, onSave, onRemove }: Props) {
  const { unit } = usePreferences();
  const [law, setLaw] = useState(line.law);
  const changed = JSON.stringify(law) !== JSON.stringify(line.law);
  const keep = (value: number | null, made: (number: number) => typeof law) =>
    value !== null && setLaw(made(value));
  return (
    <form
      aria-label="Numbers of the line"
      className="border-b border-rule pb-3"
      onSubmit={(event) => {
        event.preventDefault();
        onSave({
          projection: line.projection,
          receptor: line.receptor,
          support: line.support,
          grid_ratio: line.grid_ratio,
          sid_cm: line.sid_cm,
          range_cm: line.range_cm,
          target_ei: line.target_ei ?? null,
          field_cm: line.field_cm ?? null,
          filter: line.filter ?? null,
          exposure_control: line.exposure_control,
          aec_cells: line.aec_cells ?? null,
          aec_density: line.aec_density,
          note: line.note ?? "",
          law: lawIn(law),
        } as Schemas["LineIn"]);
      }}
    >
      {law.name === "banded" ? (
        <table className="w-full">
          <thead className="text-left text-note text-ink-3">
            <tr>
              <th className="font-normal">Band</th>
              <th className="font-normal">kVp</th>
              <th className="font-normal">mAs</th>
            </tr>
          </thead>
          <tbody>
            {law.bands.map((band, i) => {
              const put = (change: Partial<typeof band>) => ({
                ...law,
                bands: law.bands.map((one, j) => (i === j ? { ...one, ...change } : one)),
              });
              return (
                <tr key={band.name}>
                  <td className="pr-2">
                    {band.name}{" "}
                    <span className="text-note text-ink-3">
                      {trimmed(fromCm(band.min_cm, unit), 1)}–{length(band.max_cm, unit)}
                    </span>
                  </td>
                  <td className="w-20 pr-2">
                    <NumberField
                      id={`band-kvp-${i}`}
                      label=""
                      value={band.kvp}
                      onChange={(value) => keep(value, (kvp) => put({ kvp }))}
                    />
                  </td>
                  <td className="w-24">
                    <NumberField
                      id={`band-mas-${i}`}
                      label=""
                      value={band.mas}
                      digits={3}
                      onChange={(value) => keep(value, (mas) => put({ mas }))}
                    />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      ) : law.name === "levelled" ? (
        <LevelledRule law={law} onChange={setLaw} original={line.law} />
      ) : (
        <div className="grid grid-cols-2 gap-2 2xl:grid-cols-4">
          <LengthField
            id="law-thickness"
            label="At"
            value={law.thickness_cm}
            onChange={(value) => keep(value, (thickness_cm) => ({ ...law, thickness_cm }))}
          />
          <NumberField
            id="law-kvp"
            label="kVp"
            value={law.kvp}
            onChange={(value) => keep(value, (kvp) => ({ ...law, kvp }))}
          />
          <NumberField
            id="law-mas"
            label="mAs"
            value={law.mas}
            digits={3}
            onChange={(value) => keep(value, (mas) => ({ ...law, mas }))}
          />
          {law.name === "fixed_kvp" ? (
            <LengthField
              id="law-parameter"
              label="×2 per"
              digits={2}
              value={law.doubling_cm}
              onChange={(value) => keep(value, (doubling_cm) => ({ ...law, doubling_cm }))}
            />
          ) : (
            <NumberField
              id="law-parameter"
              label="kVp per cm"
              value={law.kvp_per_cm}
              onChange={(value) => keep(value, (kvp_per_cm) => ({ ...law, kvp_per_cm }))}
            />
          )}
        </div>
      )}
      <div className="mt-2 flex gap-2">
        <Button type="submit" disabled={!changed || saving}>
          Save line
        </Button>
        <Button tone="danger" className="ml-auto" disabled={saving} onClick={onRemove}>
          Remove line
        </Button>
      </div>
      {error != null && <Refusal error={error} className="mt-2" />}
    </form>
  );
}

type Levelled = Extract<Line["law"], { name: "levelled" }>;

/** The points of a levelled line; a person may still put a point right by hand. */
function LevelledRule({
  law,
  original,
  onChange,
}: {
  law: Levelled;
  original: Line["law"];
  onChange: (law: Levelled) => void;
}) {
  const { unit } = usePreferences();
  const [at, setAt] = useState(
    Math.max(
      0,
      law.points.findIndex((point) => point.thickness_cm === law.base_cm),
    ),
  );
  const point = law.points[at];
  if (!point) return null;
  const put = (change: Partial<typeof point>) =>
    onChange({ ...law, points: law.points.map((one, i) => (i === at ? { ...one, ...change } : one)) });
  return (
    <div>
      <p className="mb-2 text-note text-ink-2">
        Levelled by the physics model from the exposure at {length(law.base_cm, unit)}. One point can be put
        right by hand; to level again, make the line anew.
      </p>
      <div className="grid grid-cols-3 gap-2">
        <Select
          label="Point"
          labelled
          value={String(at)}
          options={law.points.map((one, i) => ({
            value: String(i),
            label: length(one.thickness_cm, unit, 2),
          }))}
          onChange={(value) => setAt(Number(value))}
        />
        <NumberField
          key={`kvp-${at}`}
          id="point-kvp"
          label="kVp"
          value={point.kvp}
          onChange={(kvp) => kvp !== null && put({ kvp })}
        />
        <NumberField
          key={`mas-${at}`}
          id="point-mas"
          label="mAs"
          value={point.mas}
          digits={3}
          onChange={(mas) => mas !== null && put({ mas })}
        />
      </div>
      {JSON.stringify(law) !== JSON.stringify(original) && (
        <p className="mt-1 text-note text-warn">Changed by hand: EI over thickness may now be off target.</p>
      )}
    </div>
  );
}
