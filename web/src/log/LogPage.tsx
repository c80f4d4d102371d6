import { useState } from "react";

import {
  type Exposure,
  type LogFilter,
  type Projection,
  type Room,
  useChoices,
  useExposures,
  useProjections,
  useTrend,
} from "../api/queries";
import { useAddress, useAddressWord, useTitle } from "../ui/address";
import { Button, buttonClass } from "../ui/Button";
import { DiWedge } from "../ui/DiWedge";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { figure, fromCm, length, signed, trimmed, type Unit } from "../ui/units";
import { digitNames, grid, moment, projectionName } from "../ui/words";
import { TakeBack } from "./TakeBack";
import { Trend } from "./Trend";

const PAGE = 100;
const MOST = 500;

/** The Log: recorded exposures, newest first, with DI against its band over time. */
export function LogPage({ room }: { room: Room }) {
  const { unit } = usePreferences();
  const { words, put } = useAddress();
  const projection = words.get("projection") ?? "all";
  const [outcome, setOutcome] = useAddressWord("outcome", ["all", "accepted", "rejected"]);
  useTitle("Log");
  const [limit, setLimit] = useState(PAGE);
  const filter: LogFilter = {
    room: room.id,
    ...(projection === "all" ? {} : { projection }),
    ...(outcome === "all" ? {} : { outcome }),
  };
  const exposures = useExposures(filter, limit);
  const trend = useTrend(filter);
  const projections = useProjections();
  const failed = exposures.error ?? trend.error ?? projections.error;
  const query = new URLSearchParams({ ...filter }).toString();

  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Log</h1>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2 border-b border-rule px-5 py-3">
        <Select
          label="Projection"
          labelled
          className="w-72"
          value={projection}
          options={[
            { value: "all", label: "All projections" },
            ...(projections.data ?? []).map((one) => ({ value: one.id, label: `${one.exam} ${one.name}` })),
          ]}
          onChange={(id) => put({ projection: id === "all" ? null : id })}
        />
        <Segmented
          label="Outcome"
          value={outcome}
          options={[
            { value: "all", label: "All" },
            { value: "accepted", label: "Accepted" },
            { value: "rejected", label: "Rejected" },
          ]}
          onChange={(next) => setOutcome(next as typeof outcome)}
        />
        {trend.data && (
          <dl className="flex gap-7">
            <Total name="Exposures" value={String(trend.data.count)} />
            <Total
              name="Rejected"
              value={trend.data.reject_rate == null ? "–" : `${(100 * trend.data.reject_rate).toFixed(1)} %`}
            />
            <Total
              name="Median DI"
              value={trend.data.median_di == null ? "–" : signed(trend.data.median_di)}
            />
            <Total
              name="Within ±1"
              value={
                trend.data.within_acceptable == null
                  ? "–"
                  : `${Math.round(100 * trend.data.within_acceptable)} %`
              }
            />
          </dl>
        )}
        <div className="ml-auto flex gap-2">
          <a className={buttonClass("quiet")} href={`/api/exposures/csv?${query}`} download="exposures.csv">
            CSV
          </a>
        </div>
      </div>
      {failed ? (
        <Refusal error={failed} className="m-5" />
      ) : !exposures.data ? (
        <div className="p-5">
          <Waiting what="the log" />
        </div>
      ) : exposures.data.length === 0 ? (
        <div className="p-5">
          <Empty title="No exposure here">
            {projection === "all" && outcome === "all"
              ? "Record one at the Desk: an image accepted or rejected stands here."
              : "None fits this filter; choose another projection or outcome."}
          </Empty>
        </div>
      ) : (
        <>
          <section aria-label="Deviation index over time" className="px-5 pt-3">
            {trend.data && <Trend trend={trend.data} />}
          </section>
          <Rows exposures={exposures.data} projections={projections.data ?? []} unit={unit} />
          {exposures.data.length === limit && (
            <div className="px-5 py-3">
              {limit < MOST ? (
                <Button onClick={() => setLimit(Math.min(limit + PAGE, MOST))}>Show more</Button>
              ) : (
                <p className="text-ink-3">The newest {MOST} are shown; the CSV holds all.</p>
              )}
            </div>
          )}
        </>
      )}
    </div>
  );
}

function Total({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt className="label">{name}</dt>
      <dd className="text-lead font-semibold">{value}</dd>
    </div>
  );
}

function Rows({
  exposures,
  projections,
  unit,
}: {
  exposures: Exposure[];
  projections: Projection[];
  unit: Unit;
}) {
  const { reject_reasons: reasons, words } = useChoices().data ?? {};
  return (
    <table className="mt-1 w-full">
      <thead className="text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="py-1.5 pl-5 font-normal">When</th>
          <th className="font-normal">Projection</th>
          <th className="pr-4 text-right font-normal">Thickness</th>
          <th className="pr-4 text-right font-normal">Set</th>
          <th className="font-normal">SID, grid</th>
          <th className="pr-4 text-right font-normal">Index</th>
          <th className="pr-3 text-right font-normal">DI</th>
          <th className="font-normal">−4 to +4</th>
          <th className="pr-4 text-right font-normal">Skin kerma</th>
          <th className="pr-4 font-normal">Outcome</th>
          <th className="pr-5 font-normal">
            <span className="sr-only">Take back</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {exposures.map((one) => {
          const off = one.suggested_mas !== one.mas || one.suggested_kvp !== one.kvp;
          const rejected = one.outcome === "rejected";
          const entry = projections.find((other) => other.id === one.projection);
          const name = projectionName(entry, one.projection);
          return (
            <tr key={one.id} className="border-b border-rule">
              <td className="py-1.5 pl-5 whitespace-nowrap text-ink-2">{moment(one.taken_at)}</td>
              <td>
                {name}
                {(one.side || one.digit || one.attempt > 1) && (
                  <span className="block text-note text-ink-3">
                    {[
                      one.side,
                      digitNames(entry?.region, words)[one.digit],
                      one.attempt > 1 && `try ${one.attempt}`,
                    ]
                      .filter(Boolean)
                      .join(", ")}
                  </span>
                )}
              </td>
              <td className="pr-4 text-right">
                {length(one.thickness_cm, unit)}
                {one.thickness_from !== "measured" && (
                  <span className="block text-note text-ink-3">{one.thickness_from}</span>
                )}
              </td>
              <td className="pr-4 text-right whitespace-nowrap">
                {trimmed(one.kvp, 1)} kVp <b className="font-semibold">{trimmed(one.mas, 2)}</b> mAs
                {off && (
                  <span className="block text-note text-ink-3">
                    {one.exposure_control === "aec" ? "predicted" : "suggested"}{" "}
                    {trimmed(one.suggested_kvp, 1)}, {trimmed(one.suggested_mas, 2)}
                  </span>
                )}
              </td>
              <td className="text-note text-ink-2">
                {trimmed(fromCm(one.sid_cm, unit), 1)} {unit}, {grid(one.grid_ratio).toLowerCase()}
                {one.exposure_control !== "manual" && (
                  <span className="block">
                    {one.exposure_control === "aec" ? "AEC" : one.exposure_control}
                  </span>
                )}
              </td>
              <td className="pr-4 text-right">
                {one.ei != null
                  ? // What the console showed, where that is another number, and what it stood for.
                    one.shown_index != null && one.shown_index !== one.ei
                    ? `${figure(one.shown_index)} (EI ${figure(one.ei)})`
                    : figure(one.ei)
                  : one.optical_density != null
                    ? `OD ${one.optical_density.toFixed(2)}`
                    : "–"}
              </td>
              <td className="pr-3 text-right font-semibold">
                {one.di == null ? "–" : signed(one.di)}
                {!one.reliable && <span className="block text-note font-normal text-warn">not reliable</span>}
              </td>
              <td>{one.di != null && <DiWedge di={one.di} small />}</td>
              <td className="pr-4 text-right text-ink-2">
                {one.incident_air_kerma_mgy == null ? "–" : `${figure(one.incident_air_kerma_mgy)} mGy`}
              </td>
              <td className={`pr-4 ${rejected ? "text-bad" : ""}`}>
                {rejected ? `✕ ${reasons?.[one.reject_reason ?? ""] ?? "rejected"}` : "accepted"}
                {one.recorded_by && <span className="block text-note text-ink-3">by {one.recorded_by}</span>}
                {one.held_by && <span className="block text-note text-ink-3">held by {one.held_by}</span>}
              </td>
              <td className="pr-5 text-right">
                <TakeBack exposure={one} name={name} />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
