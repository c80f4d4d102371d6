import type { Line, LineTable } from "../../api/queries";
import { figure, fromCm, signed, trimmed, type Unit } from "../../ui/units";
import { Curve } from "./Curve";

/** A line over its range: the curve, and the table on the room's generator settings. */
export function LineView({
  table,
  unit,
  onLaw,
}: {
  table: LineTable;
  unit: Unit;
  /** A point of the curve was dragged to another mAs. */
  onLaw?: (law: Line["law"]) => void;
}) {
  return (
    <div>
      <Curve table={table} unit={unit} {...(onLaw ? { onLaw } : {})} />
      <table className="mt-2 w-full text-right text-note">
        <thead className="text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 text-left font-normal">{unit}</th>
            <th className="font-normal">kVp</th>
            <th className="font-normal">mAs</th>
            <th className="font-normal">exact</th>
            <th className="font-normal">mA</th>
            <th className="font-normal">ms</th>
            <th className="font-normal">focus</th>
            <th className="font-normal">DI left</th>
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row) => (
            <tr key={row.thickness_cm} className="border-b border-rule">
              <td className="py-0.5 text-left">
                {trimmed(fromCm(row.thickness_cm, unit), unit === "cm" ? 2 : 1)}
              </td>
              {row.refusal ? (
                <td colSpan={7} className="text-left text-bad">
                  <span className="pl-3">{row.refusal}</span>
                </td>
              ) : (
                <>
                  <td>{trimmed(row.kvp ?? 0, 1)}</td>
                  <td className="font-semibold">{trimmed(row.mas ?? 0, 2)}</td>
                  <td className="text-ink-3">{figure(row.exact_mas)}</td>
                  <td>{trimmed(row.ma ?? 0, 1)}</td>
                  <td className={row.over_time_ceiling ? "text-warn" : ""}>
                    {trimmed(row.time_ms ?? 0, 2)}
                    {row.over_time_ceiling && <span title="Over the usual time ceiling"> !</span>}
                  </td>
                  <td>{row.focal_spot}</td>
                  <td className="text-ink-3">{signed(row.residual_di ?? 0)}</td>
                </>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
