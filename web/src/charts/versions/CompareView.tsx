import { useState } from "react";

import { type Compared, useCompare } from "../../api/bench";
import {
  type Chart,
  type Projection,
  type Room,
  useRooms,
  useVersions,
  useVersionsInUse,
  type Version,
} from "../../api/queries";
import { Empty, Refusal, Waiting } from "../../ui/Notice";
import { usePreferences } from "../../ui/preferences";
import { Select } from "../../ui/Select";
import { figure, fromCm, signed, trimmed } from "../../ui/units";
import { grid, projectionName, SUPPORT } from "../../ui/words";
import { Said } from "../../ui/Said";

interface Props {
  chart: Chart;
  room: Room;
  projections: Map<string, Projection>;
}

/** This version against another, of this room or of one of the others: what changed, and what it does. */
export function CompareView({ chart, room, projections }: Props) {
  const own = useVersions(room.id);
  const used = useVersionsInUse();
  const rooms = useRooms();
  const elsewhere = (used.data ?? []).filter((one) => one.room !== room.id);
  const others = [...(own.data ?? []), ...elsewhere].filter((one) => one.id !== chart.id);
  const usual =
    others.find((one) => one.room === chart.room && one.version === chart.version - 1) ??
    others.find((one) => one.room === chart.room) ??
    others[0];
  const [picked, setPicked] = useState<number | null>(null);
  const other = others.find((one) => one.id === picked) ?? usual;
  const compared = useCompare(chart.id, other?.id ?? null);
  const error = own.error ?? used.error;
  if (error) return <Refusal error={error} className="m-5" />;
  if (!own.data || !used.data)
    return (
      <div className="p-5">
        <Waiting what="the charts" />
      </div>
    );
  if (!other)
    return (
      <div className="p-5">
        <Empty title="Nothing to compare with">There is no other chart, in this room or another.</Empty>
      </div>
    );
  const nameOf = (one: Version) =>
    `${rooms.data?.find((each) => each.id === one.room)?.name ?? one.room}, version ${one.version} (${one.status})`;
  const changed = (compared.data ?? []).filter((one) => one.change !== "same");
  return (
    <section aria-label="Compare" className="px-5 py-3">
      <div className="flex flex-wrap items-center gap-3">
        <span className="text-ink-2">From</span>
        <Select
          label="Compare with"
          className="w-80"
          value={String(other.id)}
          options={others.map((one) => ({ value: String(one.id), label: nameOf(one) }))}
          onChange={(id) => setPicked(Number(id))}
        />
        <span className="text-ink-2">
          to {room.name}, version {chart.version}
        </span>
        {compared.data && (
          <span className="ml-auto text-ink-2">
            {changed.length === 0
              ? `No difference in ${compared.data.length} lines.`
              : `${changed.length} of ${compared.data.length} lines differ.`}
          </span>
        )}
      </div>
      {compared.isError ? (
        <Refusal error={compared.error} className="mt-3" />
      ) : !compared.data ? (
        <Waiting what="the differences" />
      ) : (
        changed.length > 0 && (
          <table className="mt-2 w-full">
            <thead className="sticky top-0 bg-ground text-left text-note text-ink-3">
              <tr className="border-b border-rule-strong">
                <th className="py-1 font-normal">Line</th>
                <th className="font-normal">What changed</th>
                {["Small", "Average", "Large"].map((who) => (
                  <th key={who} className="w-44 pl-3 font-normal">
                    {who}: mAs, DI, dose
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {changed.map((one, i) => (
                <Row key={i} one={one} projections={projections} />
              ))}
            </tbody>
          </table>
        )
      )}
    </section>
  );
}

const CHANGE: Record<string, string> = { added: "+ added", removed: "− taken out", changed: "" };

function Row({ one, projections }: { one: Compared; projections: Map<string, Projection> }) {
  const { unit } = usePreferences();
  const line = one.after ?? one.before;
  if (!line) return null;
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-1 pr-3 leading-tight">
        <b className="font-semibold">{projectionName(projections.get(line.projection), line.projection)}</b>
        <br />
        <span className="text-note text-ink-3">
          {SUPPORT[line.support]}, {grid(line.grid_ratio).toLowerCase()}
        </span>
      </td>
      <td className="pr-3 text-ink-2">
        <Said>{CHANGE[one.change] || one.what.join("; ") || "the room"}</Said>
      </td>
      {["small", "average", "large"].map((who) => {
        const size = one.sizes.find((each) => each.who === who);
        return (
          <td key={who} className="pl-3 leading-tight">
            {size ? (
              <>
                <span className="text-note text-ink-3">
                  {trimmed(fromCm(size.thickness_cm, unit), 1)} {unit}:{" "}
                </span>
                {size.before ? figure(size.before[1]) : "–"} →{" "}
                <b>{size.after ? figure(size.after[1]) : "–"}</b>
                {size.di_change != null && (
                  <span className="block text-note">
                    <span className={Math.abs(size.di_change) > 1 ? "font-semibold text-warn" : "text-ink-2"}>
                      DI {signed(size.di_change)}
                    </span>
                    {size.dose_change_percent != null && (
                      <span className="text-ink-2">, dose {signed(size.dose_change_percent, 0)} %</span>
                    )}
                  </span>
                )}
              </>
            ) : (
              <span className="text-ink-3">–</span>
            )}
          </td>
        );
      })}
    </tr>
  );
}
