import type { Preview } from "../../../api/bench";
import type { Projection, Room } from "../../../api/queries";
import { usePreferences } from "../../../ui/preferences";
import { length, signed, trimmed } from "../../../ui/units";
import { projectionName, SUPPORT } from "../../../ui/words";

type Made = Preview["made"][number];

/** Every line that would be made: what it says, what was assumed, and the index to expect of it. */
export function Lines({
  made,
  room,
  projections,
}: {
  made: Preview["made"];
  room: Room;
  projections: Projection[];
}) {
  const waiting = made.filter((one) => one.waits.length > 0).length;
  return (
    <section aria-label="Lines" className="mt-4">
      <h3 className="font-semibold">
        {made.length} {made.length === 1 ? "line" : "lines"}
        {waiting > 0 && (
          <span className="font-normal text-warn">, {waiting} of them waiting for an answer</span>
        )}
      </h3>
      <p className="text-note text-ink-2">
        <Assumed why="a rule filled it in">Dotted</Assumed> is assumed: point at it, or open where it comes
        from. DI as the physics model expects it for a small, an average and a large adult.
      </p>
      <div className="mt-1 max-h-[28rem] overflow-auto">
        <table className="w-full text-left">
          <thead className="sticky top-0 bg-ground text-note text-ink-3">
            <tr>
              {["Row", "Projection", "Support", "Grid", "SID", "Receptor", "Numbers", "Range", "DI", ""].map(
                (name) => (
                  <th key={name} className="px-1.5 py-1 font-normal">
                    {name}
                  </th>
                ),
              )}
            </tr>
          </thead>
          <tbody>
            {made.map((one, i) => (
              <Line key={i} one={one} room={room} projections={projections} />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Line({ one, room, projections }: { one: Made; room: Room; projections: Projection[] }) {
  const { unit } = usePreferences();
  const { line, sources } = one;
  const of = (field: string, text: string) => {
    const origin = sources[field];
    return origin && origin.confidence !== "exact" ? <Assumed why={origin.where}>{text}</Assumed> : text;
  };
  const name = projectionName(
    projections.find((entry) => entry.id === line.projection),
    line.projection,
  );
  const receptor = room.receptors.find((entry) => entry.id === line.receptor)?.name ?? line.receptor;
  return (
    <tr className={`border-t border-rule align-top ${one.waits.length > 0 ? "text-ink-3" : ""}`}>
      <td className="px-1.5 py-1 text-note text-ink-3">{one.rows.join(", ")}</td>
      <td className="px-1.5 py-1">{of("projection", name)}</td>
      <td className="px-1.5 py-1">{of("support", SUPPORT[line.support] ?? line.support)}</td>
      <td className="px-1.5 py-1">{of("grid_ratio", line.grid_ratio ? `${line.grid_ratio}:1` : "none")}</td>
      <td className="px-1.5 py-1 whitespace-nowrap">{of("sid_cm", length(line.sid_cm, unit))}</td>
      <td className="px-1.5 py-1">{of("receptor", receptor)}</td>
      <td className="px-1.5 py-1">
        <Numbers one={one} of={of} unit={unit} />
      </td>
      <td className="px-1.5 py-1 whitespace-nowrap">
        {of("range_cm", `${length(line.range_cm[0], unit)} to ${length(line.range_cm[1], unit)}`)}
      </td>
      <td className="px-1.5 py-1 whitespace-nowrap">
        {one.di ? (
          one.di.map((di, at) => (
            <span key={at} className={Math.abs(di) > 3 ? "text-bad" : Math.abs(di) > 1 ? "text-warn" : ""}>
              {at > 0 && " "}
              {signed(di)}
            </span>
          ))
        ) : (
          <span className="text-ink-3">no answer</span>
        )}
      </td>
      <td className="px-1.5 py-1">
        <details className="text-note text-ink-2">
          <summary className="cursor-pointer whitespace-nowrap">where from</summary>
          <ul>
            {Object.entries(sources).map(([field, origin]) => (
              <li key={field}>
                {FIELDS[field] ?? field}: {origin.confidence === "assumed" && "assumed, "}
                {origin.where}
              </li>
            ))}
          </ul>
        </details>
      </td>
    </tr>
  );
}

const FIELDS: Record<string, string> = {
  projection: "Projection",
  support: "Support",
  grid_ratio: "Grid",
  sid_cm: "SID",
  receptor: "Receptor",
  kvp: "kVp",
  mas: "mAs",
  ma: "mA",
  time: "Time",
  thickness_cm: "Thickness",
  doubling_cm: "mAs doubles every",
  kvp_per_cm: "kVp per cm",
  range_cm: "Range",
  band: "Bands",
  law: "Rule",
  aec_cells: "Chambers",
  aec_density: "Density",
  size: "Size",
};

/** What a line sets, as the file gives it: one setting, bands, or a rule with how well its cells keep to it. */
function Numbers({
  one,
  of,
  unit,
}: {
  one: Made;
  of: (field: string, text: string) => React.ReactNode;
  unit: "cm" | "in";
}) {
  const { line, cells, sources } = one;
  const { law } = line;
  const control =
    line.exposure_control === "manual" ? "" : line.exposure_control === "aec" ? "AEC " : "breathing ";
  if (law.name === "banded" || cells.length > 1)
    return (
      <>
        {control}
        {cells.map((cell, i) => (
          <span key={i} className="mr-2 inline-block whitespace-nowrap">
            <span className="text-ink-3">
              {law.name === "banded" && law.bands?.[i] ? law.bands[i].name : length(cell.thickness_cm, unit)}
            </span>{" "}
            {trimmed(cell.kvp, 1)}/{trimmed(cell.mas, 2)}
            {Math.abs(cell.line_mas / cell.mas - 1) > 0.02 && (
              <span className="text-note text-ink-3"> ({trimmed(cell.line_mas, 2)})</span>
            )}
          </span>
        ))}
        {sources.law && <span className="block text-note text-ink-2">{sources.law.where}</span>}
      </>
    );
  const cell = cells[0];
  if (!cell) return null;
  return (
    <>
      {control}
      {trimmed(cell.kvp, 1)} kVp {of("mas", `${trimmed(cell.mas, 2)} mAs`)} at{" "}
      {of("thickness_cm", length(cell.thickness_cm, unit))}
      {law.name === "fixed_kvp" && law.doubling_cm != null && (
        <span className="block text-note text-ink-2">
          {of("doubling_cm", `doubles every ${length(law.doubling_cm, unit)}`)}
        </span>
      )}
      {law.name === "variable_kvp" && (
        <span className="block text-note text-ink-2">{trimmed(law.kvp_per_cm ?? 0, 2)} kVp per cm</span>
      )}
    </>
  );
}

/** A figure that the file does not say. */
function Assumed({ why, children }: { why: string; children: string }) {
  return (
    <span
      title={`Assumed: ${why}`}
      className="underline decoration-ink-3 decoration-dotted underline-offset-4"
    >
      {children}
    </span>
  );
}
