import { scaleLinear, scaleUtc } from "d3-scale";
import { useState } from "react";

import { type Control, useAcceptBaseline, useControlChart, useSeries } from "../api/log";
import { type Room, useMay, useProjections } from "../api/queries";
import { useAddress } from "../ui/address";
import { Button } from "../ui/Button";
import { DayField } from "../ui/DayField";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { Select } from "../ui/Select";
import { signed } from "../ui/units";
import { day, grid, projectionName, SUPPORT } from "../ui/words";
import { Alerts } from "./Alerts";
import { Days, Levels } from "./axes";

/** A view under one set of conditions over time: every image, its running mean within its limits, what moved and what was done. */
export function OverTime({ room }: { room: Room }) {
  const { words, put } = useAddress();
  const series = useSeries(room.id);
  const chosen = words.get("series");
  const control = useControlChart(room.id, chosen);
  const projections = useProjections().data ?? [];
  const named = (one: {
    projection: string;
    support: string;
    grid_ratio: number;
    exposure_control: string;
  }) =>
    [
      projectionName(
        projections.find((other) => other.id === one.projection),
        one.projection,
      ),
      SUPPORT[one.support] ?? one.support,
      grid(one.grid_ratio).toLowerCase(),
      one.exposure_control === "manual" ? "" : one.exposure_control.toUpperCase(),
    ]
      .filter(Boolean)
      .join(", ");
  if (series.isError) return <Refusal error={series.error} className="m-5" />;
  if (series.data?.length === 0)
    return (
      <div className="p-5">
        <Empty title="No image with an index yet">Record some at the Desk, or bring images in.</Empty>
      </div>
    );
  return (
    <>
      <Alerts room={room} />
      <div className="flex flex-wrap items-end gap-4 px-5 py-3">
        <Select
          label="View and conditions"
          labelled
          className="w-full max-w-xl"
          value={control.data?.series.key ?? ""}
          options={(series.data ?? []).map((one) => ({
            value: one.key,
            label: `${named(one)} (${one.images})`,
          }))}
          onChange={(next) => put({ series: next })}
        />
      </div>
      {control.isError ? (
        <Refusal error={control.error} className="m-5" />
      ) : !control.data ? (
        <div className="p-5">
          <Waiting what="the series" />
        </div>
      ) : (
        <>
          <Drawn control={control.data} name={named(control.data.series)} />
          <Accepted key={control.data.series.key} room={room} control={control.data} />
        </>
      )}
    </>
  );
}

const W = 1200;
const H = 300;
const PAD = { left: 44, right: 20, top: 26, bottom: 24 };
const FRAME = { width: W, pad: PAD, size: 15 };

function Drawn({ control, name }: { control: Control; name: string }) {
  const { points, chart, events } = control;
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) return null;
  const at = points.map((point) => new Date(point.taken_at).getTime());
  const start = at[0] ?? 0;
  const end = Math.max(at[at.length - 1] ?? 0, start + 3_600_000);
  const x = scaleUtc([start, end], [PAD.left, W - PAD.right]);
  const reach = Math.min(6, Math.max(2.2, ...points.map((point) => Math.abs(point.di))));
  const y = scaleLinear([-reach, reach], [H - PAD.bottom, PAD.top]).clamp(true);
  const here = (i: number) => x(at[i] ?? start);
  const line = (values: readonly (number | null)[], offset = 0) => {
    let path = "";
    values.forEach((value, i) => {
      if (value !== null)
        path += `${path === "" || values[i - 1] == null ? "M" : "L"}${here(i).toFixed(1)} ${y(value + offset).toFixed(1)}`;
    });
    return path;
  };
  const stretches = [
    ...new Set([0, chart.accepted?.[0] ?? 0, ...chart.shifts.map((shift) => shift.begins)]),
    points.length,
  ];
  const shown = events.filter((event) => {
    const when = new Date(event.at).getTime();
    return when >= start && when <= end;
  });
  const middle = chart.centre[chart.centre.length - 1] ?? 0;
  return (
    <section aria-label="Control chart" className="px-5 pb-5">
      <svg
        viewBox={`0 0 ${W} ${H}`}
        role="img"
        aria-label={`${name}: ${points.length} images over time`}
        className="w-full"
      >
        <rect
          x={PAD.left}
          width={W - PAD.left - PAD.right}
          y={y(1)}
          height={y(-1) - y(1)}
          fill="var(--good)"
          opacity={0.14}
        />
        <Levels frame={FRAME} levels={[-2, -1, 0, 1, 2].filter((level) => Math.abs(level) < reach)} y={y} />
        <Days x={x} days={x.ticks(8)} at={H - 5} size={FRAME.size} />
        {points.map((point, i) => (
          <circle
            key={point.id}
            cx={here(i)}
            cy={y(point.di)}
            r={2.6}
            fill={point.outcome === "rejected" ? "none" : "var(--ink-3)"}
            stroke={point.outcome === "rejected" ? "var(--bad)" : "none"}
            opacity={0.75}
          />
        ))}
        {stretches.slice(0, -1).map((from, i) => {
          const to = (stretches[i + 1] ?? points.length) - 1;
          const centre = chart.centre[from] ?? 0;
          const about = chart.about[from] ?? 0;
          return (
            <g key={from}>
              <rect
                x={here(from)}
                width={Math.max(1, here(to) - here(from))}
                y={y(about + chart.ewma_limit)}
                height={y(about - chart.ewma_limit) - y(about + chart.ewma_limit)}
                fill="none"
                stroke="var(--ink-3)"
                strokeDasharray="3 4"
              />
              <line
                x1={here(from)}
                x2={here(to)}
                y1={y(centre)}
                y2={y(centre)}
                stroke="var(--ink)"
                strokeWidth={1.2}
              />
            </g>
          );
        })}
        <path d={line(chart.ewma)} fill="none" stroke="var(--ink)" strokeWidth={2.2} />
        {chart.shifts.map((shift, i) => (
          <g key={shift.begins}>
            <line
              x1={here(shift.begins)}
              x2={here(shift.begins)}
              y1={PAD.top}
              y2={H - PAD.bottom}
              stroke="var(--warn)"
              strokeWidth={2}
            />
            <text
              x={Math.min(here(shift.begins) + 6, W - 180)}
              // One so near the last that their words would meet stands a line higher.
              y={H - PAD.bottom - (i % 2 && here(shift.begins) - here(stretches[i] ?? 0) < 80 ? 28 : 8)}
              fontSize={15}
              fontWeight={600}
              fill="var(--warn)"
            >
              {signed(shift.size)} DI
            </text>
          </g>
        ))}
        {shown.map((event) => (
          <g key={`${event.kind} ${event.at}`}>
            <line
              x1={x(new Date(event.at))}
              x2={x(new Date(event.at))}
              y1={PAD.top}
              y2={H - PAD.bottom}
              stroke="var(--ink-2)"
              strokeDasharray="6 3"
            />
            <text
              x={Math.min(x(new Date(event.at)), W - 120)}
              y={PAD.top - 8}
              textAnchor="middle"
              fontSize={15}
              fill="var(--ink-2)"
            >
              {event.name}
            </text>
          </g>
        ))}
      </svg>
      <Cusum chart={chart} here={here} />
      <p className="mt-2 text-ink-2">
        {points.length} images; mean since the last change {signed(middle)} DI; one image in three lies{" "}
        {chart.spread.toFixed(1)} DI off it or more.{" "}
        {chart.shifts.length === 0
          ? "Nothing moved that is more than chance."
          : chart.shifts
              .map(
                (shift) =>
                  `About ${day(points[shift.begins]?.taken_at ?? first.taken_at)} it moved by ${signed(shift.size)} DI (${signed(shift.low)} to ${signed(shift.high)}).`,
              )
              .join(" ")}
        {chart.creep &&
          ` It creeps by ${signed(chart.creep.per_month, 2)} DI a month (${signed(chart.creep.low, 2)} to ${signed(chart.creep.high, 2)}).`}
      </p>
      <p className="mt-1 text-note text-ink-3">
        Dots: images, a ring where rejected. Heavy line: running mean (EWMA), broken lines its limits. Upright
        lines: where it moved, and what was done to the room. The band is ±1 DI. Below: the cumulative sum
        (CUSUM) of what lies over, and of what lies under; past its broken line it is out of control.
      </p>
    </section>
  );
}

const CUSUM_H = 120;

/** The sums of what lies over the mean and of what lies under it: a small change that lasts climbs out of its limit. */
function Cusum({ chart, here }: { chart: Control["chart"]; here: (i: number) => number }) {
  const limit = chart.cusum_limit;
  // Far out is out: what happens near the limit is what is looked at.
  const y = scaleLinear([-2 * limit, 2 * limit], [CUSUM_H - 6, 6]).clamp(true);
  const path = (values: readonly number[], sign: number) =>
    values.map((value, i) => `${i ? "L" : "M"}${here(i).toFixed(1)} ${y(sign * value).toFixed(1)}`).join("");
  return (
    <svg viewBox={`0 0 ${W} ${CUSUM_H}`} role="img" aria-label={cusumSaid(chart)} className="w-full">
      {[limit, 0, -limit].map((level) => (
        <line
          key={level}
          x1={PAD.left}
          x2={W - PAD.right}
          y1={y(level)}
          y2={y(level)}
          stroke="var(--ink-3)"
          strokeDasharray={level === 0 ? undefined : "3 4"}
        />
      ))}
      {[
        { level: limit, text: "over" },
        { level: -limit, text: "under" },
      ].map(({ level, text }) => (
        <text key={text} x={0} y={y(level) + 5} fontSize={15} fill="var(--ink-3)">
          {text}
        </text>
      ))}
      <path d={path(chart.up, 1)} fill="none" stroke="var(--ink)" strokeWidth={1.6} />
      <path d={path(chart.down, -1)} fill="none" stroke="var(--ink)" strokeWidth={1.6} />
    </svg>
  );
}

function cusumSaid(chart: Control["chart"]): string {
  const now = Math.max(chart.up[chart.up.length - 1] ?? 0, chart.down[chart.down.length - 1] ?? 0);
  return `Cumulative sums: ${now > chart.cusum_limit ? "out of control" : "within their limit"} at the last image`;
}

/** The period that the limits stand on: accepted by somebody, or each stretch by itself. */
function Accepted({ room, control }: { room: Room; control: Control }) {
  const may = useMay("keeper", "physicist");
  const accept = useAcceptBaseline(room.id);
  const [period, setPeriod] = useState<{ since: string; until: string } | null>(null);
  const { baseline, series, points } = control;
  const first = points[0]?.taken_at.slice(0, 10) ?? "";
  const last = points[points.length - 1]?.taken_at.slice(0, 10) ?? "";
  const say = (days: { since: string; until: string } | null) =>
    accept.mutate(
      { series: series.key, since: days?.since ?? null, until: days?.until ?? null },
      { onSuccess: () => setPeriod(null) },
    );
  return (
    <section aria-label="Accepted period" className="flex flex-wrap items-end gap-3 px-5 pb-5">
      <p className="basis-full text-ink-2">
        {baseline
          ? `The limits stand on ${day(baseline.since)} to ${day(baseline.until)}, accepted by ${baseline.by} on ${day(baseline.at)} as how this view should be.`
          : "The limits stand on each stretch by itself: no period is accepted as how this view should be."}
      </p>
      {may && !period && (
        <Button onClick={() => setPeriod(baseline ?? { since: first, until: last })}>
          {baseline ? "Accept another period…" : "Accept a period…"}
        </Button>
      )}
      {may && baseline && !period && (
        <Button tone="quiet" disabled={accept.isPending} onClick={() => say(null)}>
          Accept none
        </Button>
      )}
      {period && (
        <>
          <DayField
            label="From"
            value={period.since}
            latest={period.until}
            onChange={(since) => setPeriod({ ...period, since })}
          />
          <DayField
            label="To"
            value={period.until}
            latest={last}
            onChange={(until) => setPeriod({ ...period, until })}
          />
          <Button disabled={!period.since || !period.until || accept.isPending} onClick={() => say(period)}>
            Accept it
          </Button>
          <Button tone="quiet" onClick={() => setPeriod(null)}>
            Leave it
          </Button>
        </>
      )}
      {accept.isError && <Refusal error={accept.error} />}
    </section>
  );
}
