import { type Room, useChoices } from "../../api/queries";
import { Button } from "../../ui/Button";
import { LengthField } from "../../ui/LengthField";
import { usePreferences } from "../../ui/preferences";
import { Segmented } from "../../ui/Segmented";
import { Select } from "../../ui/Select";
import { fromCm, trimmed } from "../../ui/units";
import { GRID_RATIOS, SUPPORT } from "../../ui/words";
import { type Grid, NEW_GRID } from "./Grids";
import { ListField } from "./ListField";
import { Figure, Remove, Rows, Section } from "./parts";
import { SideView } from "./SideView";

type Support = Room["supports"][number];

const ORDER: Support["id"][] = ["tabletop", "table_bucky", "upright_bucky", "detector"];

/** Where receptors sit, each with its distances, and all of it from the side to scale. */
export function Supports({ room, set }: { room: Room; set: (change: Partial<Room>) => void }) {
  const { unit } = usePreferences();
  const usual = useChoices().data?.rooms;
  const written = room.length_unit ?? "cm";
  const { supports } = room;
  const put = (at: number, change: Partial<Support>) =>
    set({ supports: supports.map((one, i) => (i === at ? { ...one, ...change } : one)) });
  const missing = ORDER.filter((id) => supports.every((one) => one.id !== id));
  const bring = (id: Support["id"]) =>
    set({
      supports: [...supports, { ...NEW_SUPPORT, id, gap_cm: id.endsWith("bucky") ? 6 : 0 }].sort(
        (a, b) => ORDER.indexOf(a.id) - ORDER.indexOf(b.id),
      ),
    });
  return (
    <Section
      title="Supports"
      says="Where the receptor sits, how far behind the patient, and where the tube stands over it. The picture is to scale."
    >
      <div className="flex flex-wrap items-center gap-x-3">
        <span className="text-note text-ink-2">On the machine stand</span>
        <Segmented
          label="Unit on the machine"
          value={written}
          options={[
            { value: "cm", label: "centimetres" },
            { value: "in", label: "inches" },
          ]}
          onChange={(next) => set({ length_unit: next === "in" ? "in" : "cm" })}
        />
      </div>
      <Rows
        label="Supports"
        heads={[
          "",
          `Skin to receptor, ${unit}`,
          "Front, mm Al",
          "Built-in grid",
          `Nearest SID, ${unit}`,
          `Furthest SID, ${unit}`,
          `SID detents, ${written}`,
          "",
        ]}
      >
        {supports.map((support, i) => {
          const name = SUPPORT[support.id] ?? support.id;
          return (
            <tr key={support.id} className="border-t border-rule">
              <th scope="row" className="w-32 py-2 pr-2 font-semibold">
                {name}
              </th>
              <td className="w-24">
                <Figure
                  bare
                  id={`gap:${support.id}`}
                  label={`Skin to receptor, ${name}`}
                  unit="cm"
                  value={support.gap_cm}
                  set={(gap_cm) => put(i, { gap_cm })}
                />
              </td>
              <td className="w-20">
                <Figure
                  bare
                  id={`front:${support.id}`}
                  label={`Front, ${name}`}
                  value={support.attenuation_mm_al ?? 0}
                  set={(attenuation_mm_al) => put(i, { attenuation_mm_al })}
                />
              </td>
              <td className="w-28" data-about="grid">
                <GridChoice
                  label={`Built-in grid, ${name}`}
                  grid={support.grid ?? null}
                  disabled={support.id === "tabletop"}
                  onChange={(grid) => put(i, { grid })}
                />
              </td>
              {(["Nearest SID", "Furthest SID"] as const).map((label, end) => (
                <td key={label} className="w-24">
                  <LengthField
                    bare
                    id={`travel:${end}-${support.id}`}
                    label={`${label}, ${name}`}
                    placeholder={usual?.tube_travel_cm[support.id]?.[end]}
                    value={support.sid_range_cm?.[end] ?? null}
                    onChange={(cm) => put(i, { sid_range_cm: travel(support, end, cm) })}
                  />
                </td>
              ))}
              <td className="min-w-44">
                <ListField
                  bare
                  id={`detents:${support.id}`}
                  label={`SID detents, ${name}`}
                  values={support.sid_detents ?? []}
                  placeholder={usual?.detents[written]?.map((one) => trimmed(one, 1)).join(" ")}
                  onChange={(sid_detents) => put(i, { sid_detents })}
                />
              </td>
              <td className="w-24">
                {supports.length > 1 && (
                  <Remove what={name} onClick={() => set({ supports: supports.filter((_, j) => i !== j) })} />
                )}
              </td>
            </tr>
          );
        })}
      </Rows>
      {missing.length > 0 && (
        <div className="flex flex-wrap gap-2">
          {missing.map((id) => (
            <Button key={id} onClick={() => bring(id)}>
              Add {SUPPORT[id]}
            </Button>
          ))}
        </div>
      )}
      <SideView
        supports={supports}
        unit={unit}
        detents={(support) =>
          (support.sid_detents?.length ? support.sid_detents : (usual?.detents[written] ?? [])).map((one) =>
            written === "in" ? one * 2.54 : one,
          )
        }
        travel={(support) => support.sid_range_cm ?? usual?.tube_travel_cm[support.id] ?? null}
        read={(cm) => trimmed(fromCm(cm, unit), 0)}
      />
    </Section>
  );
}

const NEW_SUPPORT: Omit<Support, "id"> = {
  gap_cm: 0,
  grid: null,
  attenuation_mm_al: 0.5,
  sid_range_cm: null,
  sid_detents: [],
};

/** The ends of a tube's travel with one of them changed; none once either is emptied. */
function travel(support: Support, end: number, cm: number | null): [number, number] | null {
  if (cm === null) return null;
  const [near, far] = support.sid_range_cm ?? [cm, cm];
  return end === 0 ? [cm, Math.max(far, cm)] : [Math.min(near, cm), cm];
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
