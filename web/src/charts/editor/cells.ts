import type { Line, Projection } from "../../api/queries";
import { figure, fromCm, trimmed, type Unit } from "../../ui/units";
import { controlWords, projectionName, supportWords } from "../../ui/words";

/** The cells of a line: the view's name to copy and paste by, and those that can be typed into. */
export type Column =
  | "projection"
  | "grid_ratio"
  | "sid_cm"
  | "range_cm"
  | "exposure_control"
  | "thickness_cm"
  | "kvp"
  | "mas"
  | "parameter";
export type TypedColumn = Exclude<Column, "projection">;
/** What was typed into a cell, as it was written. */
export interface Typed {
  line: Line;
  column: TypedColumn;
  text: string;
}

export const COLUMNS: { id: Column; name: string; width: string }[] = [
  { id: "projection", name: "Projection", width: "" },
  { id: "grid_ratio", name: "Grid", width: "w-11" },
  { id: "sid_cm", name: "SID", width: "w-14" },
  { id: "range_cm", name: "Range", width: "hidden w-17 xl:table-cell" },
  { id: "exposure_control", name: "Control", width: "hidden w-17 xl:table-cell" },
  { id: "thickness_cm", name: "At", width: "w-11" },
  { id: "kvp", name: "kVp", width: "w-11" },
  { id: "mas", name: "mAs", width: "w-12" },
  { id: "parameter", name: "Rule", width: "w-22" },
];
export const KVP = COLUMNS.findIndex((one) => one.id === "kvp");

/** What a cell holds, lengths in cm; null where the line has no such number. */
export function cellValue(line: Line, column: Column): number | null {
  const { law } = line;
  if (column === "grid_ratio") return line.grid_ratio;
  if (column === "sid_cm") return line.sid_cm;
  if (column === "projection" || column === "range_cm" || column === "exposure_control") return null;
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

export const isLength = (column: Column) =>
  column === "sid_cm" || column === "thickness_cm" || column === "range_cm";

/** Whether a line has such a cell of its own. */
export function canType(line: Line, column: Column): column is TypedColumn {
  if (column === "projection") return false;
  if (line.link) return column === "sid_cm" || column === "grid_ratio" || column === "exposure_control";
  if (column === "thickness_cm" || column === "parameter")
    return line.law.name === "fixed_kvp" || line.law.name === "variable_kvp";
  return true;
}

/** A block from the clipboard by its cells. */
export function block(text: string): string[][] {
  const rows = text.replace(/\r/g, "").split("\n");
  return rows
    .filter((one, i) => one !== "" || i < rows.length - 1)
    .map((one) => one.split("\t").map((cell) => cell.trim()));
}

/** A block laid over the lines from a cell down and to the right. */
export interface Pasted {
  cells: Typed[];
  /** Rows that are no lines of the chart: below the last one, or of another view than the line that they would cover. */
  past: string[][];
}

/**
 * Lays a block over lines. An empty cell changes nothing; what a cell says is read where it is kept. Pasted names only say which
 * view a row is of: where the line there is of another, the row is not laid over it.
 */
export function pasted(
  rows: string[][],
  lines: Line[],
  names: (line: Line) => string,
  row: number,
  column: number,
): Pasted {
  const found: Pasted = { cells: [], past: [] };
  rows.forEach((cells, down) => {
    const line = lines[row + down];
    const named = COLUMNS[column]?.id === "projection";
    if (!line || (named && cells[0] !== names(line))) {
      found.past.push(cells);
      return;
    }
    cells.forEach((text, right) => {
      const into = COLUMNS[column + right];
      if (into && text !== "" && canType(line, into.id)) found.cells.push({ line, column: into.id, text });
    });
  });
  return found;
}

/** Rows that are no lines yet, as a table with heads, for the reader of other offices' charts. */
export function asTable(rows: string[][], column: number, unit: Unit): string {
  const headed = rows[0]?.some((cell) => /kv|mas/i.test(cell) && !/\d/.test(cell));
  const heads = COLUMNS.slice(column).map((one) =>
    one.id === "range_cm"
      ? `Thickness range (${unit})`
      : one.id === "thickness_cm"
        ? `Thickness (${unit})`
        : one.id === "sid_cm"
          ? `SID (${unit})`
          : one.name,
  );
  const wide = Math.max(...rows.map((one) => one.length));
  return [...(headed ? [] : [heads.slice(0, wide)]), ...rows].map((one) => one.join("\t")).join("\n");
}

/** A cell's number as it is typed. */
export const shown = (value: number, column: Column, unit: Unit) =>
  trimmed(
    isLength(column) ? fromCm(value, unit) : value,
    column === "mas" ? 3 : column === "parameter" ? 2 : 1,
  );

/** A cell as it is typed: its number, or its words. */
export function typedText(line: Line, column: Column, unit: Unit): string {
  const value = cellValue(line, column);
  return value === null ? cellText(line, column, unit) : shown(value, column, unit);
}

/** A cell as it is read. */
export function cellText(line: Line, column: Column, unit: Unit): string {
  const value = cellValue(line, column);
  if (column === "grid_ratio") return line.grid_ratio ? `${line.grid_ratio}:1` : "–";
  if (column === "range_cm") return line.range_cm.map((cm) => trimmed(fromCm(cm, unit), 1)).join("–");
  if (column === "exposure_control") return controlWords(line) || "manual";
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
  if (column === "mas" && value !== null) return figure(value);
  return value === null ? "" : shown(value, column, unit);
}

/** A line for children: of a projection of theirs, or one that ends before the small adult begins. */
export const isChild = (line: Line, projection: Projection | undefined) =>
  projection !== undefined &&
  ((projection.ages.length > 0 && !projection.ages.includes("adult")) ||
    line.range_cm[1] < projection.thickness_cm.small);

/** Every word that was typed stands somewhere in what the line says of itself, its trust and for whom it is. */
export function fits(line: Line, projection: Projection | undefined, wanted: string, trust = ""): boolean {
  const text = [
    projectionName(projection, line.projection),
    projection?.region.replace("_", " "),
    supportWords(line.support),
    line.receptor,
    line.note,
    line.law.name.replace("_", " "),
    line.grid_ratio ? `grid ${line.grid_ratio}:1` : "no grid",
    trust,
    isChild(line, projection) ? "children" : "adults",
  ]
    .join(" ")
    .toLowerCase();
  return wanted
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
