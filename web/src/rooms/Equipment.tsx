import type { ReactNode } from "react";

import type { Room } from "../api/queries";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { GRID_RATIOS, RECEPTOR_KIND, SUPPORT } from "../ui/words";
import { IndexScaleFields } from "./IndexScale";
import { ListField } from "./ListField";
import { LengthField } from "../ui/LengthField";

type Grid = NonNullable<Room["supports"][number]["grid"]>;
type Support = Room["supports"][number];
type Receptor = Room["receptors"][number];
type Filter = NonNullable<Room["filters"]>[number];
type Spot = Room["generator"]["focal_spots"][number];

interface Props {
  room: Room;
  onChange: (room: Room) => void;
}

/** Everything a room has, as the model and the stations take it. */
export function Equipment({ room, onChange }: Props) {
  const { generator, tube } = room;
  const set = (change: Partial<Room>) => onChange({ ...room, ...change });
  const setGenerator = (change: Partial<Room["generator"]>) =>
    set({ generator: { ...generator, ...change } });
  const setTube = (change: Partial<NonNullable<Room["tube"]>>) => set({ tube: { ...tube, ...change } });
  const setSupport = (i: number, change: Partial<Support>) =>
    set({ supports: room.supports.map((one, j) => (i === j ? { ...one, ...change } : one)) });
  const loose = room.loose_grids ?? [];
  const filters = room.filters ?? [];
  const setFilter = (i: number, change: Partial<Filter>) =>
    set({ filters: filters.map((one, j) => (i === j ? { ...one, ...change } : one)) });
  return (
    <div className="grid grid-cols-1 gap-x-10 gap-y-6 px-5 py-4 xl:grid-cols-2">
      <Section title="Generator settings">
        <ListField id="kvp" label="kVp" values={generator.kvp} onChange={(kvp) => setGenerator({ kvp })} />
        <ListField id="ma" label="mA" values={generator.ma} onChange={(ma) => setGenerator({ ma })} />
        <ListField id="mas" label="mAs" values={generator.mas} onChange={(mas) => setGenerator({ mas })} />
        <ListField
          id="time"
          label="Time, ms; empty where mAs is set directly"
          values={generator.time_ms}
          onChange={(time_ms) => setGenerator({ time_ms })}
        />
        <div className="grid grid-cols-3 gap-2">
          <Figure
            id="ceiling"
            label="mAs ceiling with AEC"
            value={generator.mas_ceiling ?? 600}
            set={(mas_ceiling) => setGenerator({ mas_ceiling })}
          />
        </div>
      </Section>

      <Section title="Tube">
        <div className="grid grid-cols-3 gap-2">
          <Figure
            id="filtration"
            label="Total filtration"
            unit="mm Al"
            value={tube?.filtration_mm_al ?? 3}
            set={(filtration_mm_al) => setTube({ filtration_mm_al })}
          />
          <Figure
            id="copper"
            label="Added copper"
            unit="mm Cu"
            value={tube?.filtration_mm_cu ?? 0}
            set={(filtration_mm_cu) => setTube({ filtration_mm_cu })}
          />
          <Figure
            id="anode"
            label="Anode angle"
            unit="°"
            value={tube?.anode_angle_deg ?? 12}
            set={(anode_angle_deg) => setTube({ anode_angle_deg })}
          />
          <TextField
            id="cathode"
            label="Cathode over the table at"
            value={tube?.cathode_at ?? ""}
            onChange={(cathode_at) => setTube({ cathode_at })}
          />
        </div>
        {generator.focal_spots.map((spot, i) => (
          <SpotFields
            key={spot.name}
            spot={spot}
            onChange={(changed) =>
              setGenerator({ focal_spots: generator.focal_spots.map((one, j) => (i === j ? changed : one)) })
            }
          />
        ))}
        <p className="text-note text-ink-3">
          Output, µGy/mAs at 100 cm:{" "}
          {room.outputs.map((one) => `${one.kvp} kVp ${one.kerma_ugy_per_mas}`).join(", ")}. It changes by
          calibration.
        </p>
      </Section>

      <Section title="Supports and grids">
        <div className="flex flex-wrap items-center gap-x-3">
          <span className="text-note text-ink-2">On the machine stand</span>
          <Segmented
            label="Unit on the machine"
            value={room.length_unit ?? "cm"}
            options={[
              { value: "cm", label: "centimetres" },
              { value: "in", label: "inches" },
            ]}
            onChange={(unit) => set({ length_unit: unit === "in" ? "in" : "cm" })}
          />
        </div>
        {room.supports.map((support, i) => (
          <div key={support.id} className={RULED}>
            <div className="grid grid-cols-[7rem_9.5rem_repeat(2,minmax(0,1fr))] items-center gap-2">
              <span>{SUPPORT[support.id]}</span>
              <Figure
                id={`gap-${support.id}`}
                label="Skin to receptor"
                unit="cm"
                value={support.gap_cm}
                set={(gap_cm) => setSupport(i, { gap_cm })}
              />
              <Figure
                id={`front-${support.id}`}
                label="Front"
                unit="mm Al"
                value={support.attenuation_mm_al ?? 0}
                set={(attenuation_mm_al) => setSupport(i, { attenuation_mm_al })}
              />
              <GridChoice
                label={`Built-in grid, ${SUPPORT[support.id]}`}
                grid={support.grid ?? null}
                disabled={support.id === "tabletop"}
                onChange={(grid) => setSupport(i, { grid })}
              />
            </div>
            <div className="mt-2 grid grid-cols-[7rem_9.5rem_repeat(2,minmax(0,1fr))] items-center gap-2">
              <span className="text-note text-ink-3">Tube travel</span>
              {(["Nearest SID", "Furthest SID"] as const).map((label, end) => (
                <LengthField
                  key={label}
                  id={`travel-${end}-${support.id}`}
                  label={label}
                  placeholder="as usual"
                  value={support.sid_range_cm?.[end] ?? null}
                  onChange={(cm) => setSupport(i, { sid_range_cm: travel(support, end, cm) })}
                />
              ))}
            </div>
            <div className="mt-2">
              <ListField
                id={`detents-${support.id}`}
                label={`SID detents, ${room.length_unit ?? "cm"}; empty: as usual`}
                values={support.sid_detents ?? []}
                onChange={(sid_detents) => setSupport(i, { sid_detents })}
              />
            </div>
            {support.grid && (
              <GridFields id={support.id} grid={support.grid} onChange={(grid) => setSupport(i, { grid })} />
            )}
          </div>
        ))}
        {loose.map((one, i) => (
          <div key={i} className={RULED}>
            <div className="flex items-center justify-between">
              <span>Loose grid {one.ratio}:1</span>
              <Button tone="quiet" onClick={() => set({ loose_grids: loose.filter((_, j) => i !== j) })}>
                Remove
              </Button>
            </div>
            <GridFields
              id={`loose-${i}`}
              grid={one}
              onChange={(changed) => set({ loose_grids: loose.map((old, j) => (i === j ? changed : old)) })}
            />
          </div>
        ))}
        <div>
          <Button onClick={() => set({ loose_grids: [...loose, NEW_GRID] })}>Add a loose grid</Button>
        </div>
      </Section>

      <div className="flex flex-col gap-6">
        <Section title="Receptors">
          {room.receptors.map((receptor, i) => (
            <ReceptorFields
              key={receptor.id}
              receptor={receptor}
              onChange={(changed) =>
                set({ receptors: room.receptors.map((one, j) => (i === j ? changed : one)) })
              }
              onRemove={() => set({ receptors: room.receptors.filter((_, j) => i !== j) })}
            />
          ))}
          <div>
            <Button onClick={() => set({ receptors: [...room.receptors, newReceptor(room.receptors)] })}>
              Add a receptor
            </Button>
          </div>
        </Section>

        <Section title="Automatic exposure control">
          <Segmented
            label="AEC"
            value={room.aec ? "yes" : "no"}
            options={[
              { value: "yes", label: "Has AEC" },
              { value: "no", label: "None" },
            ]}
            onChange={(next) => set({ aec: next === "yes" ? NEW_AEC : null })}
          />
          {room.aec && (
            <div className="grid grid-cols-4 gap-2">
              <TextField
                id="cells"
                label="Chambers"
                value={(room.aec.cells ?? []).join(" ")}
                onChange={(text) =>
                  set({ aec: { ...NEW_AEC, ...room.aec, cells: text.split(/\s+/).filter(Boolean) } })
                }
              />
              <Figure
                id="density-step"
                label="Density step ×"
                value={room.aec.density_step ?? 1.25}
                set={(density_step) => set({ aec: { ...NEW_AEC, ...room.aec, density_step } })}
              />
              <Figure
                id="response"
                label="Shortest"
                unit="ms"
                value={room.aec.minimum_response_ms ?? 3}
                set={(minimum_response_ms) => set({ aec: { ...NEW_AEC, ...room.aec, minimum_response_ms } })}
              />
              <Figure
                id="backup"
                label="Back-up ×"
                value={room.aec.backup_factor ?? 1.5}
                set={(backup_factor) => set({ aec: { ...NEW_AEC, ...room.aec, backup_factor } })}
              />
              <Select
                label="The chamber holds"
                labelled
                className="col-span-4"
                value={room.aec.holds ?? "index"}
                options={[
                  {
                    value: "index",
                    label: "the index, at every kVp and thickness (matched to the receptor)",
                  },
                  { value: "kerma", label: "its kerma, as set once at 80 kVp and 20 cm" },
                ]}
                onChange={(next) =>
                  set({ aec: { ...NEW_AEC, ...room.aec, holds: next === "kerma" ? "kerma" : "index" } })
                }
              />
            </div>
          )}
        </Section>

        <Section title="Tube filters">
          {filters.map((one, i) => (
            <div key={one.id} className={`${RULED} grid grid-cols-[1fr_7.5rem_7.5rem_auto] items-end gap-2`}>
              <TextField
                id={`filter-${one.id}`}
                label="Name"
                value={one.name}
                onChange={(name) => setFilter(i, { name })}
              />
              <Figure
                id={`filter-al-${one.id}`}
                label="Added"
                unit="mm Al"
                value={one.mm_al ?? 0}
                set={(mm_al) => setFilter(i, { mm_al })}
              />
              <Figure
                id={`filter-cu-${one.id}`}
                label="Added"
                unit="mm Cu"
                value={one.mm_cu ?? 0}
                set={(mm_cu) => setFilter(i, { mm_cu })}
              />
              <Button tone="quiet" onClick={() => set({ filters: filters.filter((_, j) => i !== j) })}>
                Remove
              </Button>
            </div>
          ))}
          <div>
            <Button onClick={() => set({ filters: [...filters, newFilter(filters)] })}>Add a filter</Button>
          </div>
        </Section>

        <Section title="Calculated by">
          <Segmented
            label="Method"
            value={room.school ?? "model"}
            options={[
              { value: "model", label: "Physics model" },
              { value: "rules", label: "Rules of thumb" },
            ]}
            onChange={(school) => set({ school: school === "rules" ? "rules" : "model" })}
          />
          <p className="text-note text-ink-3">
            The other method is shown on each step where the two differ by over 10 %. At a chart line&apos;s
            own conditions both give the chart&apos;s numbers.
          </p>
        </Section>
      </div>
    </div>
  );
}

/** A rule above each entry but the first, which has the section's own. */
const RULED = "border-t border-rule pt-2 [h3+&]:border-t-0 [h3+&]:pt-0";

const NEW_GRID: Grid = {
  ratio: 8,
  lines_per_cm: 40,
  focal_cm: 110,
  range_cm: [90, 140],
  lead_mm: 0.04,
  interspace: "aluminium",
  cover_mm_al: 0.3,
};
const NEW_AEC: NonNullable<Room["aec"]> = {
  cells: ["L", "C", "R"],
  density_step: 1.25,
  minimum_response_ms: 3,
  backup_factor: 1.5,
  holds: "index",
};

/** The ends of a tube's travel with one of them changed; none once either is emptied. */
function travel(support: Support, end: number, cm: number | null): [number, number] | null {
  if (cm === null) return null;
  const [near, far] = support.sid_range_cm ?? [cm, cm];
  return end === 0 ? [cm, Math.max(far, cm)] : [Math.min(near, cm), cm];
}

function newFilter(known: Filter[]): Filter {
  let number = known.length + 1;
  while (known.some((one) => one.id === `filter-${number}`)) number++;
  return { id: `filter-${number}`, name: "1 mm Al + 0.1 mm Cu", mm_al: 1, mm_cu: 0.1 };
}

function newReceptor(known: Receptor[]): Receptor {
  let number = known.length + 1;
  while (known.some((one) => one.id === `receptor-${number}`)) number++;
  return {
    id: `receptor-${number}`,
    name: `Receptor ${number}`,
    kind: "dr_csi",
    size_cm: [35, 43],
    target_ei: 250,
    speed: null,
    region_targets: [],
    ei_scale: 1,
  };
}

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="flex min-w-0 flex-col gap-2">
      <h3 className="border-b border-rule-strong pb-1 text-body">{title}</h3>
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
}

/** A number that is always there: an emptied field keeps the number it had. */
function Figure({ id, label, unit, value, set }: FigureProps) {
  const rest = { id, label, value, onChange: (number: number | null) => number !== null && set(number) };
  return unit === "cm" ? (
    <LengthField {...rest} digits={2} />
  ) : (
    <NumberField {...rest} {...(unit ? { unit } : {})} digits={4} />
  );
}

function SpotFields({ spot, onChange }: { spot: Spot; onChange: (spot: Spot) => void }) {
  return (
    <div className="grid grid-cols-[8rem_7rem_1fr_1fr] items-start gap-2 border-t border-rule pt-2">
      <Figure
        id={`spot-${spot.name}`}
        label={spot.name === "small" ? "Small focus" : "Large focus"}
        unit="mm"
        value={spot.size_mm}
        set={(size_mm) => onChange({ ...spot, size_mm })}
      />
      <NumberField
        id={`spot-most-${spot.name}`}
        label="Most mA"
        unit="mA"
        value={spot.most_ma ?? null}
        placeholder="by power"
        onChange={(most_ma) => onChange({ ...spot, most_ma })}
      />
      <ListField
        id={`spot-times-${spot.name}`}
        label="For times, ms"
        values={spot.power.map((point) => point.time_ms)}
        onChange={(times) =>
          onChange({
            ...spot,
            power: times.map((time_ms, i) => ({
              time_ms,
              power_kw: spot.power[Math.min(i, spot.power.length - 1)]?.power_kw ?? 10,
            })),
          })
        }
      />
      <ListField
        id={`spot-power-${spot.name}`}
        label="it takes, kW"
        values={spot.power.map((point) => point.power_kw)}
        onChange={(powers) =>
          onChange({
            ...spot,
            power: spot.power.map((point, i) => ({ ...point, power_kw: powers[i] ?? point.power_kw })),
          })
        }
      />
    </div>
  );
}

function GridChoice({
  label,
  grid,
  disabled,
  onChange,
}: {
  label: string;
  grid: Grid | null;
  disabled: boolean;
  onChange: (grid: Grid | null) => void;
}) {
  return (
    <Select
      label={label}
      value={String(grid?.ratio ?? 0)}
      disabled={disabled}
      options={GRID_RATIOS.map((ratio) => ({
        value: String(ratio),
        label: ratio ? `${ratio}:1` : "No grid",
      }))}
      onChange={(ratio) =>
        onChange(ratio === "0" ? null : { ...NEW_GRID, ...(grid ?? {}), ratio: Number(ratio) })
      }
    />
  );
}

function GridFields({ id, grid, onChange }: { id: string; grid: Grid; onChange: (grid: Grid) => void }) {
  const put = (change: Partial<Grid>) => onChange({ ...grid, ...change });
  const figures: [string, string, string, number, (value: number) => Partial<Grid>][] = [
    ["focal", "Focus", "cm", grid.focal_cm, (focal_cm) => ({ focal_cm })],
    ["from", "Range from", "cm", grid.range_cm[0], (low) => ({ range_cm: [low, grid.range_cm[1]] })],
    ["to", "to", "cm", grid.range_cm[1], (high) => ({ range_cm: [grid.range_cm[0], high] })],
    ["lines", "Lines", "/cm", grid.lines_per_cm, (lines_per_cm) => ({ lines_per_cm })],
    ["lead", "Lead strip", "mm", grid.lead_mm ?? 0.04, (lead_mm) => ({ lead_mm })],
    ["cover", "Cover", "mm Al", grid.cover_mm_al ?? 0.3, (cover_mm_al) => ({ cover_mm_al })],
  ];
  return (
    <div className="mt-2 grid grid-cols-4 gap-2 pl-4">
      {figures.map(([name, label, unit, value, change]) => (
        <Figure
          key={name}
          id={`grid-${id}-${name}`}
          label={label}
          unit={unit}
          value={value}
          set={(number) => put(change(number))}
        />
      ))}
      <Select
        label="Between the strips"
        labelled
        className="col-span-2"
        value={grid.interspace ?? "aluminium"}
        options={[
          { value: "aluminium", label: "Aluminium" },
          { value: "fibre", label: "Fibre" },
        ]}
        onChange={(interspace) => put({ interspace: interspace === "fibre" ? "fibre" : "aluminium" })}
      />
    </div>
  );
}

const REGIONS: [string, string][] = [
  ["upper_limb", "Arm"],
  ["lower_limb", "Leg"],
  ["spine", "Spine"],
  ["chest", "Chest"],
  ["abdomen", "Abdom."],
];

function ReceptorFields({
  receptor,
  onChange,
  onRemove,
}: {
  receptor: Receptor;
  onChange: (receptor: Receptor) => void;
  onRemove: () => void;
}) {
  const put = (change: Partial<Receptor>) => onChange({ ...receptor, ...change });
  const film = receptor.kind === "film_screen";
  const targets = new Map(receptor.region_targets ?? []);
  const target = (region: string, value: number | null) => {
    const next = new Map(targets);
    if (value === null) next.delete(region);
    else next.set(region, value);
    put({ region_targets: [...next] });
  };
  return (
    <div className={RULED}>
      <div className="grid grid-cols-[1.6fr_1.3fr_1fr_1fr] gap-2">
        <TextField
          id={`name-${receptor.id}`}
          label="Name"
          value={receptor.name}
          onChange={(name) => put({ name })}
        />
        <Select
          label="Kind"
          labelled
          value={receptor.kind}
          options={Object.entries(RECEPTOR_KIND).map(([value, label]) => ({ value, label }))}
          onChange={(kind) =>
            put(
              kind === "film_screen"
                ? {
                    kind,
                    target_ei: null,
                    speed: receptor.speed ?? 200,
                    region_targets: [],
                    index_scale: null,
                  }
                : { kind: kind as Receptor["kind"], target_ei: receptor.target_ei ?? 250, speed: null },
            )
          }
        />
        <Figure
          id={`width-${receptor.id}`}
          label="Width"
          unit="cm"
          value={receptor.size_cm[0]}
          set={(width) => put({ size_cm: [width, receptor.size_cm[1]] })}
        />
        <Figure
          id={`height-${receptor.id}`}
          label="Height"
          unit="cm"
          value={receptor.size_cm[1]}
          set={(height) => put({ size_cm: [receptor.size_cm[0], height] })}
        />
      </div>
      <div className="mt-2 grid grid-cols-6 gap-2">
        {film ? (
          <Figure
            id={`speed-${receptor.id}`}
            label="Speed class"
            value={receptor.speed ?? 200}
            set={(speed) => put({ speed })}
          />
        ) : (
          <>
            <Figure
              id={`target-${receptor.id}`}
              label="Target EI"
              value={receptor.target_ei ?? null}
              set={(target_ei) => put({ target_ei })}
            />
            {REGIONS.map(([region, label]) => (
              <NumberField
                key={region}
                id={`target-${receptor.id}-${region}`}
                label={label}
                value={targets.get(region) ?? null}
                placeholder={String(receptor.target_ei ?? "")}
                onChange={(value) => target(region, value)}
              />
            ))}
          </>
        )}
      </div>
      {!film && <IndexScaleFields receptor={receptor} onChange={(index_scale) => put({ index_scale })} />}
      <div className="flex items-center justify-between text-note text-ink-3">
        {film ? <span /> : <span>Index shown over called for: ×{(receptor.ei_scale ?? 1).toFixed(3)}</span>}
        <Button tone="quiet" onClick={onRemove}>
          Remove {receptor.name}
        </Button>
      </div>
    </div>
  );
}
