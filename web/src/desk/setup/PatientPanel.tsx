import type { Choices, TechniqueResponse } from "../../api/queries";
import { Button } from "../../ui/Button";
import { LengthField } from "../../ui/LengthField";
import { NumberField } from "../../ui/NumberField";
import { Said } from "../../ui/Said";
import { Select } from "../../ui/Select";
import { length, type Unit } from "../../ui/units";
import { AGE_BANDS, HABITUS } from "../../ui/words";
import { type AgeBand, type DeskState, type Habitus, type Patient, type Sex } from "../state";
import { type Act } from "../useDesk";

const NONE = { value: "none", label: "Not said" };
const AGES = [NONE, ...AGE_BANDS];
const SEXES = [NONE, { value: "female", label: "Female" }, { value: "male", label: "Male" }];
const BUILDS = [NONE, ...HABITUS];

interface Props {
  choices: Choices | undefined;
  state: DeskState;
  act: Act;
  answer: TechniqueResponse | undefined;
  unit: Unit;
  /** Where in the body the view is. */
  region: string;
}

/** Who lies there, as far as the technique asks, and what was counted into the reading. */
export function PatientPanel({ choices, state, act, answer, unit, region }: Props) {
  const { patient } = state;
  const set = (change: { [K in keyof Patient]?: Patient[K] | null }) => act({ do: "patient", change });
  const pick = (value: string) => (value === "none" ? null : value);
  const modifiers = (...kinds: string[]) => [
    { value: "none", label: "None" },
    ...(choices?.modifiers ?? [])
      // What changes nothing in this part of the body is not offered for it; what was said before stays to be seen.
      .filter((one) => kinds.includes(one.kind))
      .filter(
        ({ id, regions }) =>
          !regions?.length || regions.includes(region) || Object.values(patient).includes(id),
      )
      .map((one) => ({ value: one.id, label: one.name })),
  ];
  const odd = answer?.cautions.some((one) => one.cites === "caliper plausibility");
  return (
    <div className="grid grid-cols-2 gap-2">
      <LengthField
        id="mat"
        label="Mat counted in"
        digits={2}
        value={state.mat_cm}
        placeholder="0"
        onChange={(cm) => act({ do: "measure", mat_cm: cm })}
      />
      <LengthField
        id="jaw"
        label="Read at outer edge"
        digits={2}
        value={state.jaw_cm}
        placeholder="0"
        onChange={(cm) => act({ do: "measure", jaw_cm: cm })}
      />
      <Select
        label="Age, weight"
        labelled
        className="col-span-2"
        value={patient.age_band ?? "none"}
        options={AGES}
        onChange={(value) => set({ age_band: pick(value) as AgeBand | null })}
      />
      <Select
        label="Build"
        labelled
        value={patient.habitus ?? "none"}
        options={BUILDS}
        onChange={(value) => set({ habitus: pick(value) as Habitus | null })}
      />
      <Select
        label="Sex"
        labelled
        value={patient.sex ?? "none"}
        options={SEXES}
        onChange={(value) => set({ sex: pick(value) as Sex | null })}
      />
      <NumberField
        id="weight"
        label="Weight"
        unit="kg"
        value={patient.weight_kg ?? null}
        placeholder="no calipers"
        onChange={(value) => set({ weight_kg: value })}
      />
      <LengthField
        id="height"
        label="Height"
        digits={2}
        value={patient.height_cm}
        placeholder="no calipers"
        onChange={(cm) => set({ height_cm: cm })}
      />
      <Select
        label="Condition"
        labelled
        value={patient.condition ?? "none"}
        options={modifiers("additive", "destructive")}
        onChange={(id) => set({ condition: pick(id) })}
      />
      <Select
        label="Cast"
        labelled
        value={patient.cast ?? "none"}
        options={modifiers("cast")}
        onChange={(id) => set({ cast: pick(id) })}
      />
      <Select
        label="Metal in the part"
        labelled
        className="col-span-2"
        value={patient.hardware ?? "none"}
        options={modifiers("hardware")}
        onChange={(id) => set({ hardware: pick(id) })}
      />
      <Select
        label="Contrast"
        labelled
        value={patient.contrast ?? "none"}
        options={modifiers("contrast")}
        onChange={(id) => set({ contrast: pick(id) })}
      />
      <Select
        label="Keeps still"
        labelled
        value={patient.cannot_keep_still ? "no" : "yes"}
        options={[
          { value: "yes", label: "Yes" },
          { value: "no", label: "Cannot" },
        ]}
        onChange={(value) => set({ cannot_keep_still: value === "no" ? true : null })}
      />
      {patient.cannot_keep_still && (
        <p className="col-span-2 text-note text-ink-2">
          Straps and sandbags before hands. Who holds wears apron and gloves, out of the beam, and is named
          when the image is recorded.
        </p>
      )}
      {answer && (
        <p className="col-span-2 text-note text-ink-2">
          {length(answer.thickness.cm, unit)}: <Said>{answer.thickness.said}</Said>
        </p>
      )}
      {odd && state.confirmed === null && (
        <Button className="col-span-2" onClick={() => act({ do: "confirm" })}>
          Read again, it is so
        </Button>
      )}
    </div>
  );
}
