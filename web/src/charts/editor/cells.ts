import type { Line, Projection } from "../../api/queries";
import { fromCm, toCm, trimmed, typed, type Unit } from "../../ui/units";
import { projectionName } from "../../ui/words";

/** The cells of a line that can be typed into. */
export type Column = "grid_ratio" | "sid_cm" | "thickness_cm" | "kvp" | "mas" | "parameter";
export interface Typed {
  line: Line;
  column: Column;
  value: number;
}

export const COLUMNS: { id: Column; name: string; width: string }[] = [
  { id: "grid_ratio", name: "Grid", width: "w-14" },
  { id: "sid_cm", name: "SID", width: "w-14" },
  { id: "thickness_cm", name: "At", width: "w-14" },
  { id: "kvp", name: "kVp", width: "w-14" },
  { id: "mas", name: "mAs", width: "w-16" },
  { id: "parameter", name: "Rule", width: "w-24" },
];

/** What a cell holds, in cm; null where the line has no such number. */
export function cellValue(line: Line, column: Column): number | null {
  const { law } = line;
  if (column === "grid_ratio") return line.grid_ratio;
  if (column === "sid_cm") return line.sid_cm;
  if (column === "parameter")
    return law.name === "fixed_kvp"
      ? (law.doubling_cm ?? null)
      : law.name === "variable_kvp"
        ? (law.kvp_per_cm ?? null)
        : null;
  if (law.name === "banded") {
    const band = law.bands[Math.floor(law.bands.length / 2)];
    if (!band) return null;
    return column === "thickness_cm"
      ? (band.min_cm + band.max_cm) / 2
      : column === "kvp"
        ? band.kvp
        : band.mas;
  }
  if (law.name === "levelled") {
    const point = law.points.find((one) => one.thickness_cm === law.base_cm);
    if (!point) return null;
    return column === "thickness_cm" ? law.base_cm : column === "kvp" ? point.kvp : point.mas;
  }
  return column === "thickness_cm" ? law.thickness_cm : column === "kvp" ? law.kvp : law.mas;
}

export const isLength = (column: Column) => column === "sid_cm" || column === "thickness_cm";

/** Whether a line has such a number of its own. */
export function canType(line: Line, column: Column): boolean {
  if (line.link) return column === "sid_cm" || column === "grid_ratio";
  if (column === "thickness_cm" || column === "parameter")
    return line.law.name === "fixed_kvp" || line.law.name === "variable_kvp";
  return true;
}

/** A block copied from a spreadsheet, laid over the lines from a cell down and to the right; what is no number is left out. */
export function pasted(text: string, lines: Line[], row: number, column: number, unit: Unit): Typed[] {
  return text
    .replace(/\r/g, "")
    .split("\n")
    .filter((one, i, all) => one !== "" || i < all.length - 1)
    .flatMap((one, down) =>
      one.split("\t").flatMap((cell, right) => {
        const line = lines[row + down];
        const into = COLUMNS[column + right];
        const value = typed(cell);
        if (!line || !into || value === null || !canType(line, into.id)) return [];
        return [{ line, column: into.id, value: isLength(into.id) ? toCm(value, unit) : value }];
      }),
    );
}

/** A cell's number as it is typed. */
export const shown = (value: number, column: Column, unit: Unit) =>
  trimmed(
    isLength(column) ? fromCm(value, unit) : value,
    column === "mas" ? 3 : column === "parameter" ? 2 : 1,
  );

/** A cell as it is read. */
export function cellText(line: Line, column: Column, unit: Unit): string {
  const value = cellValue(line, column);
  if (column === "grid_ratio") return line.grid_ratio ? `${line.grid_ratio}:1` : "–";
  if (column === "parameter") {
    const { law } = line;
    if (law.name === "banded") return `${law.bands.length} bands`;
    if (law.name === "levelled") return `${law.points.length} points`;
    return value === null
      ? ""
      : law.name === "fixed_kvp"
        ? `×2 / ${trimmed(value, 2)} cm`
        : `${trimmed(value, 2)} kVp/cm`;
  }
  return value === null ? "" : shown(value, column, unit);
}

/** Every word that was typed stands somewhere in what the line says of itself. */
export function fits(line: Line, projection: Projection | undefined, wanted: string): boolean {
  const text = [
    projectionName(projection, line.projection),
    projection?.region,
    line.support.replace("_", " "),
    line.receptor,
    line.note,
    line.law.name.replace("_", " "),
    line.grid_ratio ? `grid ${line.grid_ratio}:1` : "no grid",
  ]
    .join(" ")
    .toLowerCase();
  return wanted
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
