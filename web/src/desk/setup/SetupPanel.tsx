import { useState } from "react";

import type { Room, TechniqueResponse } from "../../api/queries";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { LengthField } from "../../ui/LengthField";
import { trimmed } from "../../ui/units";
import { filterOptions, GRID_RATIOS, grid, NO_FILTER, SUPPORT } from "../../ui/words";
import { type DeskState, type Overrides, type Stop } from "../state";
import { type Act } from "../useDesk";
import { turnByRule } from "./turnWords";
import { Said } from "../../ui/Said";
import { Quiet } from "../../ui/Quiet";

type Facts = DeskState["facts"];

interface Props {
  room: Room;
  state: DeskState;
  stop: Stop;
  act: Act;
  answer: TechniqueResponse | undefined;
  /** The last answer for this view: which fields there are goes by it, so that none goes while somebody types into it. */
  shape: TechniqueResponse | undefined;
  /** The field that is usual for the view. */
  usualFieldCm: readonly [number, number];
}

/** From this field on a part may be longer than the receptor; a grid, whose strips run along it, is never laid so. */
const LONG_PART_CM = 40;

/** Where tube, part and receptor stand. Everything left alone stays as charted. */
export function SetupPanel({ room, state, stop, act, answer, shape, usualFieldCm }: Props) {
  const { setup } = stop;
  const line = answer?.chart.line;
  const now = answer?.technique;
  const figures = answer?.figures;
  const set = (change: { [K in keyof Overrides]?: Overrides[K] | null }) => act({ do: "setup", change });
  const support = now?.support ?? setup.support ?? line?.support ?? "";
  const builtIn = room.supports.find((one) => one.id === support)?.grid?.ratio;
  const tilted = (shape?.figures.tube_angle_deg ?? 0) !== 0;
  const loose = shape?.technique.support === "detector" && shape.technique.grid_ratio > 0;
  const lengthField = (
    id: string,
    label: string,
    key: "sid_cm" | "tube_height_cm" | "gap_cm" | "grid_offset_cm",
    shown: number | undefined,
    hint?: string,
    slim?: string,
  ) => (
    <LengthField
      id={id}
      label={label}
      {...(hint ? { hint } : {})}
      {...(slim ? { slim } : {})}
      {...(id === "sid" ? { part: "sid" } : {})}
      signed={key === "grid_offset_cm"}
      value={setup[key]}
      placeholder={shown}
      onChange={(cm) =>
        set({
          [key]: cm,
          ...(key === "sid_cm" ? { tube_height_cm: null } : key === "tube_height_cm" ? { sid_cm: null } : {}),
        })
      }
    />
  );
  const toggle = (key: "sid_guessed" | "diagonal", off: string, on: string) => (
    <p className="col-span-2 -mt-1 text-note text-ink-3">
      <Quiet aria-pressed={setup[key] === true} onClick={() => set({ [key]: setup[key] ? null : true })}>
        {setup[key] ? on : off}
      </Quiet>
    </p>
  );
  return (
    <div className="grid grid-cols-2 gap-2">
      {lengthField("sid", "SID (measured)", "sid_cm", now?.sid_cm, "s")}
      <TubeAngle
        value={setup.tube_angle_deg ?? null}
        charted={figures?.tube_angle_deg ?? 0}
        onChange={(value) => set({ tube_angle_deg: value })}
      />
      {toggle("sid_guessed", "SID cannot be measured", "SID not known: take back")}
      <AngleAdvice state={state} stop={stop} act={act} answer={answer} shape={shape} />
      {tilted && lengthField("tube-height", "Or tube height", "tube_height_cm", figures?.tube_height_cm)}
      <Select
        label="Support"
        labelled
        className="col-span-2"
        value={support}
        options={room.supports.map((one) => ({ value: one.id, label: SUPPORT[one.id] ?? one.id }))}
        onChange={(value) => set({ support: value === line?.support ? null : value, grid_ratio: null })}
      />
      <Select
        label="Receptor"
        labelled
        className="col-span-2"
        value={now?.receptor ?? line?.receptor ?? ""}
        options={room.receptors.map((one) => ({ value: one.id, label: one.name }))}
        onChange={(value) => set({ receptor: value === line?.receptor ? null : value })}
      />
      <Select
        label="Grid"
        labelled
        {...(room.filters.length > 0 ? {} : { className: "col-span-2" })}
        value={now ? String(now.grid_ratio) : ""}
        options={GRID_RATIOS.map((ratio) => ({
          value: String(ratio),
          label: ratio !== 0 && ratio === builtIn ? `${grid(ratio)}, built in` : grid(ratio),
        }))}
        onChange={(value) => set({ grid_ratio: Number(value), grid_offset_cm: null, grid_tilt_deg: null })}
      />
      {room.filters.length > 0 && (
        <Select
          label="Tube filter"
          labelled
          value={now ? (now.filter ?? NO_FILTER) : ""}
          options={filterOptions(room)}
          onChange={(value) => set({ filter: value })}
        />
      )}
      <div className="col-span-2 grid grid-cols-3 gap-2">
        <FieldSize set={set} setup={setup} shown={figures?.field_cm} usual={usualFieldCm} />
        {lengthField("gap", "Receptor gap", "gap_cm", figures?.gap_cm, undefined, "Gap")}
      </div>
      {support !== "" &&
        !support.endsWith("bucky") &&
        shape?.technique.grid_ratio === 0 &&
        Math.max(...usualFieldCm) >= LONG_PART_CM &&
        toggle("diagonal", "Receptor diagonal, for a long part", "Receptor diagonal: lay it straight")}
      {loose && (
        <>
          {lengthField("grid-offset", "Grid off centre", "grid_offset_cm", 0)}
          <NumberField
            id="grid-tilt"
            label="Grid off level"
            unit="°"
            signed
            value={setup.grid_tilt_deg ?? null}
            placeholder="0"
            onChange={(value) => set({ grid_tilt_deg: value })}
          />
        </>
      )}
      {answer && (
        <p className="col-span-2 text-note text-ink-3">
          Grid: {answer.figures.grid.usual ? "usual. " : ""}
          <Said>{answer.figures.grid.said}</Said>
        </p>
      )}
    </div>
  );
}

/** The tube's angle, with a switch for its direction: of an angle of none the switch says where the next one goes. */
function TubeAngle({
  value,
  charted,
  onChange,
}: {
  value: number | null;
  charted: number;
  onChange: (deg: number | null) => void;
}) {
  const now = value ?? charted;
  const [meant, setMeant] = useState(false);
  const on = now === 0 ? meant : now < 0;
  return (
    <NumberField
      id="angle"
      label="Tube angle"
      unit="°"
      signed
      caudal={{ on, turn: () => (now === 0 ? setMeant(!on) : onChange(-now)) }}
      value={value}
      placeholder={trimmed(Math.abs(charted), 1)}
      onChange={onChange}
    />
  );
}

/** The field at the receptor, width by height. */
function FieldSize({
  set,
  setup,
  shown,
  usual,
}: {
  set: (change: { field_cm: [number, number] | null }) => void;
  setup: Overrides;
  shown: [number, number] | number[] | undefined;
  usual: readonly [number, number];
}) {
  const [width, height] = setup.field_cm ?? [null, null];
  const change = (side: 0 | 1, cm: number | null) => {
    if (cm === null) return set({ field_cm: null });
    // The side that nobody typed is the one that is shown, or the usual one while none is.
    const other = side === 0 ? (height ?? shown?.[1] ?? usual[1]) : (width ?? shown?.[0] ?? usual[0]);
    return set({ field_cm: side === 0 ? [cm, other] : [other, cm] });
  };
  return (
    <>
      {(["Field width", "Field height"] as const).map((label, side) => (
        <LengthField
          key={label}
          id={side === 0 ? "field-w" : "field-h"}
          label={label}
          slim={side === 0 ? "Width" : "Height"}
          value={[width, height][side]}
          placeholder={shown?.[side]}
          onChange={(cm) => change(side as 0 | 1, cm)}
        />
      ))}
    </>
  );
}

const degrees = (deg: number) => (deg === 0 ? "0°" : `${Math.abs(deg)}° ${deg > 0 ? "cephalad" : "caudal"}`);

const YES_NO = [
  { value: "unsaid", label: "Not said" },
  { value: "yes", label: "Yes" },
  { value: "no", label: "No" },
];

/** What the angle's rule says and why, the schools, and what it would still like to know. */
function AngleAdvice({
  state,
  stop,
  act,
  answer,
  shape,
}: {
  state: DeskState;
  stop: Stop;
  act: Act;
  answer: TechniqueResponse | undefined;
  shape: TechniqueResponse | undefined;
}) {
  if (!shape) return null;
  const { angle, turn } = shape;
  const rules = [...angle.schools, ...(turn?.schools ?? [])].map((one) => one.rule ?? "fixed");
  const facts = state.facts;
  const fact = (change: { [K in keyof Facts]?: Facts[K] | null }) => act({ do: "facts", change });
  const lengthFact = (
    id: keyof Facts & ("pelvis_cm" | "pelvis_pad_cm" | "chest_depth_cm"),
    label: string,
  ) => (
    <LengthField
      key={id}
      id={id}
      label={label}
      value={facts[id]}
      placeholder="?"
      onChange={(cm) => fact({ [id]: cm })}
    />
  );
  const methodOf = (
    of: "angle_school" | "turn_school",
    label: string,
    inForce: string | null,
    all: { school: string; name: string }[],
  ) =>
    all.length > 1 && (
      <Select
        label={label}
        labelled
        className="col-span-2"
        value={stop[of] ?? inForce ?? ""}
        options={all.map((one) => ({ value: one.school, label: one.name }))}
        onChange={(school) => act({ do: "method-of", of, school: school === all[0]?.school ? null : school })}
      />
    );
  const yesNo = (id: "waist_supported" | "shoulder_drops", label: string) => (
    <Select
      key={id}
      label={label}
      labelled
      value={facts[id] == null ? "unsaid" : facts[id] ? "yes" : "no"}
      options={YES_NO}
      onChange={(value) => fact({ [id]: value === "unsaid" ? null : value === "yes" })}
    />
  );
  const asked = [
    rules.includes("knee_by_pelvis") && lengthFact("pelvis_cm", "ASIS to table"),
    rules.includes("knee_by_pelvis") && lengthFact("pelvis_pad_cm", "Pad there"),
    rules.includes("calcaneus_by_foot") && (
      <NumberField
        key="foot"
        id="foot_short_deg"
        label="Foot short of 90° by"
        unit="°"
        value={facts.foot_short_deg ?? null}
        placeholder="0"
        onChange={(value) => fact({ foot_short_deg: value })}
      />
    ),
    (rules.includes("thoracic_by_waist") || rules.includes("lumbar_by_waist")) &&
      yesNo("waist_supported", "Waist supported"),
    rules.includes("swimmers_by_shoulder") && yesNo("shoulder_drops", "Shoulder drops"),
    rules.includes("foot_by_arch") && (
      <Select
        key="arch"
        label="Arch"
        labelled
        value={facts.arch ?? "none"}
        options={[
          { value: "none", label: "Not said" },
          { value: "high", label: "High" },
          { value: "average", label: "Average" },
          { value: "low", label: "Low" },
        ]}
        onChange={(value) => fact({ arch: value === "none" ? null : (value as "high" | "average" | "low") })}
      />
    ),
    rules.includes("sternum_by_depth") && lengthFact("chest_depth_cm", "Chest depth"),
  ].filter(Boolean);
  if (angle.schools.length === 0 && asked.length === 0 && !turn) return null;
  const { either } = angle.advice;
  return (
    <>
      {methodOf("angle_school", "Angle by", angle.school, angle.schools)}
      {turn && methodOf("turn_school", "Turn by", turn.school, turn.schools)}
      {asked}
      {answer && (
        <p className="col-span-2 text-note text-ink-2">
          {angle.schools.length > 0 && <Said>{angle.advice.said}</Said>}
          {either && (
            <b className="text-warn">
              {" "}
              {degrees(either[0])} or {degrees(either[1])}: find out.
            </b>
          )}
          {turn && ` Turn: ${[turnByRule(turn), turn.advice.said].filter(Boolean).join(". ")}`}
        </p>
      )}
    </>
  );
}
