import type { LineTrust } from "../../api/bench";
import type { LineTable, Projection, Room } from "../../api/queries";
import { fromCm, trimmed, type Unit } from "../../ui/units";
import {
  controlWords,
  filterOf,
  grid,
  ruleWords,
  projectionName,
  receptorName,
  SYSTEM,
  SUPPORT,
  TRUST,
} from "../../ui/words";
import { Said } from "../../ui/Said";

interface Props {
  tables: LineTable[];
  /** The settings are still being computed. */
  waiting: boolean;
  trust: Map<number, LineTrust>;
  projections: Projection[];
  room: Room;
  unit: Unit;
  selected: number | null;
  onSelect: (line: number) => void;
}

/** The whole chart, one row a line: conditions, school, and the settings for a small, an average and a large adult. */
export function LinesTable({ tables, waiting, trust, projections, room, unit, selected, onSelect }: Props) {
  return (
    <table className="w-full border-collapse">
      <thead className="sticky top-0 bg-ground text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="py-1.5 pl-5 font-normal">Projection</th>
          <th className="w-44 font-normal xl:w-auto">Conditions</th>
          <th className="hidden font-normal xl:table-cell">System</th>
          <th className="hidden pr-2 text-right font-normal xl:table-cell">Range, {unit}</th>
          {["Small", "Average", "Large"].map((name) => (
            <th key={name} className="w-18 pr-3 text-right font-normal">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {tables.map(({ line, rows }) => {
          const projection = projections.find((one) => one.id === line.projection);
          const sizes = projection?.thickness_cm;
          const chosen = line.id === selected;
          const trusted = line.id == null ? undefined : trust.get(line.id);
          return (
            <tr
              key={line.id}
              onClick={() => line.id != null && onSelect(line.id)}
              className={`cursor-pointer border-b border-rule hover:bg-raised ${chosen ? "bg-raised" : ""}`}
            >
              <td className={`border-l-4 py-1.5 pl-4 ${chosen ? "border-ink" : "border-transparent"}`}>
                <button
                  type="button"
                  aria-pressed={chosen}
                  className={`text-left leading-tight font-semibold ${trusted ? "" : "min-h-9"}`}
                  onClick={() => line.id != null && onSelect(line.id)}
                >
                  {projectionName(projection, line.projection)}
                </button>
                {trusted && (
                  <span
                    title={trusted.said}
                    className={`block text-note ${trusted.trust === "model" ? "text-warn" : "text-ink-3"}`}
                  >
                    {TRUST[trusted.trust]}
                  </span>
                )}
              </td>
              <td className="pr-2 text-note text-ink-2 xl:whitespace-nowrap">
                {SUPPORT[line.support]}, {grid(line.grid_ratio).toLowerCase()},{" "}
                {trimmed(fromCm(line.sid_cm, unit), 1)} {unit}
                <br />
                <span className="text-ink-3">
                  {controlWords(line) && `${controlWords(line)}, `}
                  {line.filter && `${filterOf(room, line.filter)}, `}
                  {receptorName(room, line.receptor)}
                </span>
              </td>
              <td className="hidden pr-2 text-note whitespace-nowrap text-ink-2 xl:table-cell">
                {SYSTEM[line.law.name]}
                <br />
                <span className="text-ink-3">
                  <Said>{ruleWords(line)}</Said>
                </span>
              </td>
              <td className="hidden pr-2 text-right whitespace-nowrap xl:table-cell">
                {trimmed(fromCm(line.range_cm[0], unit), 1)}–{trimmed(fromCm(line.range_cm[1], unit), 1)}
              </td>
              {[sizes?.small, sizes?.average, sizes?.large].map((cm, i) => (
                <Setting key={i} row={settingAt(rows, cm)} waiting={waiting} />
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function settingAt(rows: LineTable["rows"], cm: number | undefined) {
  if (cm === undefined) return undefined;
  // A setting is that of its own thickness: the usual patients have rows, and another's is not shown for them.
  return rows.find((row) => Math.abs(row.thickness_cm - cm) < 0.01);
}

function Setting({ row, waiting }: { row: LineTable["rows"][number] | undefined; waiting: boolean }) {
  if (!row) return <td className="pr-3 text-right text-ink-3">{waiting ? "…" : "–"}</td>;
  if (row.refusal)
    return (
      <td className="pr-3 text-right text-bad" title={row.refusal}>
        refused
      </td>
    );
  return (
    <td className="pr-3 text-right leading-tight whitespace-nowrap">
      <b className="font-semibold">{trimmed(row.mas ?? 0, 2)}</b>{" "}
      <span className="text-note text-ink-3">mAs</span>
      <br />
      <span className="text-note text-ink-2">{trimmed(row.kvp ?? 0, 1)} kVp</span>
    </td>
  );
}
