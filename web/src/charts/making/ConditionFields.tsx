import type { Line, Projection, Room } from "../../api/queries";
import { LengthField } from "../../ui/LengthField";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { cellsOf, CONTROLS, filterOptions, GRID_RATIOS, grid, NO_FILTER, SUPPORT } from "../../ui/words";

const USUAL = "usual";

/** The conditions of a line as a person fills them in; null where still empty. */
export interface Conditions {
  projection: string;
  receptor: string;
  support: string;
  grid_ratio: number;
  sid_cm: number | null;
  low_cm: number | null;
  high_cm: number | null;
  target_ei: number | null;
  filter: string | null;
  exposure_control: Line["exposure_control"];
  /** Of an AEC line; null for the view's usual ones. */
  aec_cells: string | null;
  aec_density: number;
}

/** What a new line of a projection starts from: its usual range and distance, the room's own grid. */
export function startingConditions(projection: Projection, room: Room, lines: Line[]): Conditions {
  const support = room.supports.find((one) => projection.supports.includes(one.id)) ?? room.supports[0];
  return {
    projection: projection.id,
    receptor: usualReceptor(room, support?.id, lines),
    support: support?.id ?? "tabletop",
    grid_ratio: support?.grid?.ratio ?? 0,
    sid_cm: projection.sid_cm,
    low_cm: null,
    high_cm: null,
    target_ei: null,
    filter: null,
    exposure_control: "manual",
    aec_cells: null,
    aec_density: 0,
  };
}

/** The receptor that the chart already uses on this support; else the room's first. */
export function usualReceptor(room: Room, support: string | undefined, lines: Line[]): string {
  return lines.find((line) => line.support === support)?.receptor ?? room.receptors[0]?.id ?? "";
}

interface Props {
  room: Room;
  projections: Projection[];
  /** The lines that the room's chart has already. */
  lines: Line[];
  value: Conditions;
  onChange: (value: Conditions) => void;
}

export function ConditionFields({ room, projections, lines, value, onChange }: Props) {
  const projection = projections.find((one) => one.id === value.projection);
  const receptor = room.receptors.find((one) => one.id === value.receptor);
  const [low, high] = projection?.usual_range_cm ?? [0.5, 45];
  return (
    <div className="grid grid-cols-2 gap-2.5">
      <Select
        label="Projection"
        labelled
        className="col-span-2"
        value={value.projection}
        options={projections.map((one) => ({ value: one.id, label: `${one.exam} ${one.name}` }))}
        onChange={(id) => {
          const next = projections.find((one) => one.id === id);
          if (next) onChange(startingConditions(next, room, lines));
        }}
      />
      <Select
        label="Support"
        labelled
        value={value.support}
        options={(projection?.supports ?? []).map((id) => ({ value: id, label: SUPPORT[id] ?? id }))}
        onChange={(support) => {
          const built = room.supports.find((one) => one.id === support)?.grid?.ratio ?? 0;
          onChange({ ...value, support, grid_ratio: built, receptor: usualReceptor(room, support, lines) });
        }}
      />
      <Select
        label="Grid"
        labelled
        value={String(value.grid_ratio)}
        options={GRID_RATIOS.map((ratio) => ({ value: String(ratio), label: grid(ratio) }))}
        onChange={(ratio) => onChange({ ...value, grid_ratio: Number(ratio) })}
      />
      <Select
        label="Receptor"
        labelled
        className="col-span-2"
        value={value.receptor}
        options={room.receptors.map((one) => ({ value: one.id, label: one.name }))}
        onChange={(id) => onChange({ ...value, receptor: id, target_ei: null })}
      />
      <LengthField
        id="line-sid"
        label="SID to the receptor"
        value={value.sid_cm}
        onChange={(cm) => onChange({ ...value, sid_cm: cm })}
      />
      {receptor?.target_ei ? (
        <NumberField
          id="line-target"
          label="Target index"
          value={value.target_ei}
          placeholder={String(receptor.target_ei)}
          onChange={(target_ei) => onChange({ ...value, target_ei })}
        />
      ) : (
        <p className="self-end pb-2 text-note text-ink-3">Film: no target index.</p>
      )}
      <LengthField
        id="line-low"
        label="Range from"
        value={value.low_cm}
        placeholder={low}
        onChange={(cm) => onChange({ ...value, low_cm: cm })}
      />
      <LengthField
        id="line-high"
        label="to"
        value={value.high_cm}
        placeholder={high}
        onChange={(cm) => onChange({ ...value, high_cm: cm })}
      />
      {room.filters.length > 0 && (
        <Select
          label="Tube filter"
          labelled
          className="col-span-2"
          value={value.filter ?? NO_FILTER}
          options={filterOptions(room)}
          onChange={(id) => onChange({ ...value, filter: id === NO_FILTER ? null : id })}
        />
      )}
      <Select
        label="Exposure control"
        labelled
        value={value.exposure_control}
        options={CONTROLS}
        onChange={(control) =>
          onChange({
            ...value,
            exposure_control: control as Line["exposure_control"],
            aec_cells: null,
            aec_density: 0,
          })
        }
      />
      {value.exposure_control === "aec" && (
        <Select
          label="Chambers"
          labelled
          value={value.aec_cells ?? USUAL}
          options={[
            { value: USUAL, label: `${projection?.aec_cells ?? "as usual"}, usual` },
            ...cellsOf(room).map((name) => ({ value: name, label: name })),
          ]}
          onChange={(cells) => onChange({ ...value, aec_cells: cells === USUAL ? null : cells })}
        />
      )}
    </div>
  );
}
