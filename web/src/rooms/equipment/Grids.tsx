import type { Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { usePreferences } from "../../ui/preferences";
import { Select } from "../../ui/Select";
import { GRID_RATIOS, SUPPORT } from "../../ui/words";
import { Figure, Remove, Rows, Section } from "./parts";

export type Grid = NonNullable<Room["supports"][number]["grid"]>;

/** What a grid starts with that nobody described: common figures. */
export const NEW_GRID: Grid = {
  ratio: 8,
  lines_per_cm: 40,
  focal_cm: 110,
  range_cm: [90, 140],
  lead_mm: 0.04,
  interspace: "aluminium",
  cover_mm_al: 0.3,
};

/** Every grid of the room as a row: those built in and those that are put before a receptor. */
export function Grids({ room, set }: { room: Room; set: (change: Partial<Room>) => void }) {
  const { unit } = usePreferences();
  const loose = room.loose_grids ?? [];
  const builtIn = room.supports.flatMap((support, i) =>
    support.grid
      ? [
          {
            name: SUPPORT[support.id] ?? support.id,
            id: support.id,
            grid: support.grid,
            put: (grid: Grid) =>
              set({ supports: room.supports.map((one, j) => (i === j ? { ...one, grid } : one)) }),
            remove: null,
          },
        ]
      : [],
  );
  const others = loose.map((grid, i) => ({
    name: `Loose grid ${i + 1}`,
    id: `loose-${i}`,
    grid,
    put: (changed: Grid) => set({ loose_grids: loose.map((one, j) => (i === j ? changed : one)) }),
    remove: () => set({ loose_grids: loose.filter((_, j) => i !== j) }),
  }));
  return (
    <Section
      title="Grids"
      says="What stands on a grid's label decides how much it takes and at which SID its edges fade. What is not known stays at a usual figure: the factor may then be a tenth off."
    >
      <Rows
        label="Grids"
        heads={[
          "",
          "Ratio",
          `Focus, ${unit}`,
          `Range from, ${unit}`,
          `to, ${unit}`,
          "Lines/cm",
          "Lead, mm",
          "Cover, mm Al",
          "Between the strips",
          "",
        ]}
      >
        {[...builtIn, ...others].map(({ name, id, grid, put, remove }) => {
          const change = (part: Partial<Grid>) => put({ ...grid, ...part });
          const figures: [string, string, string, number, (value: number) => Partial<Grid>][] = [
            ["focal", "Focus", "cm", grid.focal_cm, (focal_cm) => ({ focal_cm })],
            ["range", "Range from", "cm", grid.range_cm[0], (low) => ({ range_cm: [low, grid.range_cm[1]] })],
            ["range", "Range to", "cm", grid.range_cm[1], (high) => ({ range_cm: [grid.range_cm[0], high] })],
            ["lines", "Lines/cm", "", grid.lines_per_cm, (lines_per_cm) => ({ lines_per_cm })],
            ["lead", "Lead strip", "", grid.lead_mm ?? 0.04, (lead_mm) => ({ lead_mm })],
            ["cover", "Cover", "", grid.cover_mm_al ?? 0.3, (cover_mm_al) => ({ cover_mm_al })],
          ];
          return (
            <tr key={id} className="border-t border-rule">
              <th scope="row" className="w-32 py-2 pr-2 font-semibold">
                {name}
              </th>
              <td className="w-24">
                {remove ? (
                  <Select
                    label={`Ratio, ${name}`}
                    value={String(grid.ratio)}
                    options={GRID_RATIOS.filter(Boolean).map((one) => ({
                      value: String(one),
                      label: `${one}:1`,
                    }))}
                    onChange={(ratio) => change({ ratio: Number(ratio) })}
                  />
                ) : (
                  <span className="inline-flex min-h-touch items-center">{grid.ratio}:1</span>
                )}
              </td>
              {figures.map(([about, label, of, value, part]) => (
                <td key={label} className="min-w-18">
                  <Figure
                    bare
                    id={`${about}:${label}-${id}`}
                    label={`${label}, ${name}`}
                    unit={of}
                    value={value}
                    set={(number) => change(part(number))}
                  />
                </td>
              ))}
              <td className="w-36" data-about="interspace">
                <Select
                  label={`Between the strips, ${name}`}
                  value={grid.interspace ?? "aluminium"}
                  options={[
                    { value: "aluminium", label: "Aluminium" },
                    { value: "fibre", label: "Fibre" },
                  ]}
                  onChange={(next) => change({ interspace: next === "fibre" ? "fibre" : "aluminium" })}
                />
              </td>
              <td className="w-24">{remove && <Remove what={name} onClick={remove} />}</td>
            </tr>
          );
        })}
      </Rows>
      <div>
        <Button onClick={() => set({ loose_grids: [...loose, NEW_GRID] })}>Add a loose grid</Button>
      </div>
    </Section>
  );
}
