import { useState } from "react";

import { type Carried, useAdapt } from "../../api/bench";
import { useRooms, useVersionsInUse } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Empty, Refusal, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { trimmed } from "../../ui/units";
import { grid, projectionName, supportWords } from "../../ui/words";
import { MakeBar } from "./MakeBar";
import type { Making } from "./making";

/** The chart of another room carried to this one: each line with its factor, the reasons, and what wants a test exposure. */
export function Adapt(props: Making) {
  const { room, projections } = props;
  const used = useVersionsInUse();
  const rooms = useRooms();
  const carry = useAdapt();
  const others = (used.data ?? []).filter((one) => one.room !== room.id);
  const [picked, setPicked] = useState<number | null>(null);
  const other = others.find((one) => one.id === picked) ?? others[0];
  const byId = new Map(projections.map((one) => [one.id, one]));
  const roomName = (id: string) => rooms.data?.find((one) => one.id === id)?.name ?? id;
  if (used.isError) return <Refusal error={used.error} className="m-5" />;
  if (!used.data)
    return (
      <div className="p-5">
        <Waiting what="the charts" />
      </div>
    );
  if (!other)
    return (
      <div className="p-5">
        <Empty title="No other room has a chart">There is no chart to adapt.</Empty>
        <Button className="mt-3" onClick={props.onCancel}>
          Back
        </Button>
      </div>
    );
  const carried = carry.data ?? [];
  const lines = carried.flatMap((one) => (one.line ? [one.line] : []));
  const going = carried.filter((one) => one.line);
  // What holds for every line is said once.
  const shared = (going[0]?.test ?? []).filter((why) => going.every((one) => one.test.includes(why)));
  const testing = going.filter((one) => one.test.length > shared.length).length;
  return (
    <section aria-label="Carry a chart" className="px-5 py-3">
      <h2 className="text-lead">Carry a chart to {room.name}</h2>
      <p className="max-w-3xl text-ink-2">
        Output, filtration, table, distance, grid, receptor and generator settings differ between rooms; the
        physics model says by what factor each line changes. What it cannot vouch for wants a test exposure
        first.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <Select
          label="Chart to adapt"
          className="w-96"
          value={String(other.id)}
          options={others.map((one) => ({
            value: String(one.id),
            label: `${roomName(one.room)}: ${one.name}, version ${one.version}`,
          }))}
          onChange={(id) => {
            setPicked(Number(id));
            carry.reset();
          }}
        />
        <Button
          tone="main"
          disabled={carry.isPending}
          onClick={() => carry.mutate({ room: room.id, chart: other.id })}
        >
          {carry.isPending ? "Carrying…" : "Work it out"}
        </Button>
        {!carry.data && (
          <Button tone="quiet" onClick={props.onCancel}>
            Cancel
          </Button>
        )}
      </div>
      {carry.isError && <Refusal error={carry.error} className="mt-2" />}
      {carry.data && (
        <>
          <p className="mt-2 text-ink-2">
            {lines.length} of {carried.length} lines can be carried.{" "}
            {shared.length > 0 && <>For all of them a test exposure is wise: {shared.join("; ")}. </>}
            {testing > 0 && <b>{testing} want one for a reason of their own.</b>}
          </p>
          <MakeBar
            making={props}
            usual={`${room.name} chart, from ${roomName(other.room)}`}
            lines={lines}
            why={`Adapted from ${roomName(other.room)}, version ${other.version}.`}
          />
          <table className="mt-3 w-full">
            <thead className="sticky top-0 bg-ground text-left text-note text-ink-3">
              <tr className="border-b border-rule-strong">
                <th className="py-1 font-normal">Line</th>
                <th className="w-20 pr-4 text-right font-normal">mAs ×</th>
                <th className="font-normal">Made of</th>
                <th className="font-normal">Test exposure first</th>
              </tr>
            </thead>
            <tbody>
              {carried.map((one, i) => (
                <Row key={i} one={one} shared={shared} name={(id) => projectionName(byId.get(id), id)} />
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}

function Row({ one, shared, name }: { one: Carried; shared: string[]; name: (id: string) => string }) {
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-1 pr-3 leading-tight">
        <b className="font-semibold">{name(one.source.projection)}</b>
        <br />
        <span className="text-note text-ink-3">
          {supportWords((one.line ?? one.source).support)},{" "}
          {grid((one.line ?? one.source).grid_ratio).toLowerCase()}
        </span>
      </td>
      {one.line ? (
        <>
          <td className="pr-4 text-right font-semibold">{trimmed(one.factor, 2)}</td>
          <td className="pr-4 text-note">
            {one.factors.map((factor) => (
              <span key={factor.name} className="mr-3 inline-block" title={factor.why}>
                {factor.name} <b>×{trimmed(factor.factor, 2)}</b>
              </span>
            ))}
          </td>
          <td className="text-note text-warn">
            {one.test.filter((why) => !shared.includes(why)).join("; ")}
          </td>
        </>
      ) : (
        <td colSpan={3} className="text-bad">
          Not adapted: {one.refusal}
        </td>
      )}
    </tr>
  );
}
