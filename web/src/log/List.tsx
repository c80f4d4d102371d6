import { useState } from "react";
import { Link } from "react-router";

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
import { useAddress } from "../ui/address";
import { Button, buttonClass } from "../ui/Button";
import { DiWedge } from "../ui/DiWedge";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { figure, fromCm, length, signed, trimmed, type Unit } from "../ui/units";
import { digitNames, grid, moment, projectionName } from "../ui/words";
import { ExposureDetail } from "./ExposureDetail";
import { KeptFilters } from "./KeptFilters";
import { PeriodFields } from "./period";
import { TakeBack } from "./TakeBack";
import { Trend } from "./Trend";

const PAGE = 100;
const MOST = 500;
/** Words of the address that only narrow the list, each with what it says. */
const NARROW: Record<string, (value: string) => string> = {
  reason: () => "one reason",
  recorded_as: (value) => `recorded by a ${value}`,
  line_key: () => "one line of the chart",
  chart: () => "one version",
};

/** Words of the address that say what the list shows. */
const FILTER = [
  "projection",
  "outcome",
  "since",
  "until",
  "thickness",
  "side",
  "origin",
  "q",
  ...Object.keys(NARROW),
];
const KEPT = ["of", ...FILTER];

/** Every exposure, newest first, with what narrows it in the address: it can be kept and sent. */
export function List({ room }: { room: Room }) {
  const { unit } = usePreferences();
  const { words, put } = useAddress();
  const said = (word: string) => words.get(word) ?? "all";
  const [limit, setLimit] = useState(PAGE);
  const filter: LogFilter = Object.fromEntries<string>([
    ...(words.get("of") === "all" ? [] : [["room", room.id] as const]),
    ...FILTER.flatMap((word) => {
      const value = words.get(word);
      return value && value !== "all" ? [[word, value] as const] : [];
    }),
  ]);
  const exposures = useExposures(filter, limit);
  const trend = useTrend(filter);
  const projections = useProjections();
  const failed = exposures.error ?? trend.error ?? projections.error;
  const query = new URLSearchParams(filter as Record<string, string>).toString();
  const open = Number(words.get("exposure")) || null;
  const narrowed = Object.keys(filter).filter((word) => word !== "room").length > 0;

  return (
    <>
      <div className="flex flex-wrap items-end gap-x-4 gap-y-2 border-b border-rule px-5 py-3">
        <div className="w-56">
          <TextField
            id="log-search"
            label="View, study key, or # and a number"
            value={words.get("q") ?? ""}
            onChange={(text) => put({ q: text || null })}
          />
        </div>
        <Select
          label="Projection"
          labelled
          className="w-64"
          value={said("projection")}
          options={[
            { value: "all", label: "All projections" },
            ...(projections.data ?? []).map((one) => ({ value: one.id, label: `${one.exam} ${one.name}` })),
          ]}
          onChange={(id) => put({ projection: id === "all" ? null : id })}
        />
        <Select
          label="Thickness"
          labelled
          className="w-36"
          value={said("thickness")}
          options={[
            { value: "all", label: "However known" },
            { value: "measured", label: "Measured" },
            { value: "carried", label: "Carried over" },
            { value: "estimated", label: "Estimated" },
          ]}
          onChange={(next) => put({ thickness: next === "all" ? null : next })}
        />
        <Select
          label="Told by"
          labelled
          className="w-36"
          value={said("origin")}
          options={[
            { value: "all", label: "Anybody" },
            { value: "desk", label: "The Desk" },
            { value: "image", label: "Its image" },
            { value: "both", label: "Both" },
          ]}
          onChange={(next) => put({ origin: next === "all" ? null : next })}
        />
        <Segmented
          label="Outcome"
          value={said("outcome")}
          options={[
            { value: "all", label: "All" },
            { value: "accepted", label: "Accepted" },
            { value: "rejected", label: "Rejected" },
          ]}
          onChange={(next) => put({ outcome: next === "all" ? null : next })}
        />
        {words.get("since") !== null && <PeriodFields />}
        {Object.entries(NARROW).map(
          ([word, name]) =>
            words.get(word) && (
              <Button key={word} tone="quiet" onClick={() => put({ [word]: null })}>
                Only {name(words.get(word) ?? "")} ✕
              </Button>
            ),
        )}
        <KeptFilters words={KEPT} narrowed={narrowed} />
        {trend.data && (
          <dl className="flex gap-7">
            <Total name="Newest" value={String(trend.data.count)} />
            {said("outcome") === "all" && (
              <Total
                name="Rejected"
                value={
                  trend.data.reject_rate == null ? "–" : `${(100 * trend.data.reject_rate).toFixed(1)} %`
                }
              />
            )}
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
          {words.get("since") === null && (
            <Button tone="quiet" onClick={() => put({ since: new Date().toISOString().slice(0, 8) + "01" })}>
              Dates…
            </Button>
          )}
          <a className={buttonClass("quiet")} href={`/api/exposures/csv?${query}`} download="exposures.csv">
            CSV
          </a>
        </div>
      </div>
      {open !== null && <ExposureDetail id={open} room={room} onClose={() => put({ exposure: null })} />}
      {failed ? (
        <Refusal error={failed} className="m-5" />
      ) : !exposures.data ? (
        <div className="p-5">
          <Waiting what="the log" />
        </div>
      ) : exposures.data.length === 0 ? (
        <div className="p-5">
          <Empty title="No exposure here">
            {narrowed
              ? "None fits this filter; choose another projection or outcome."
              : "Record one at the Desk: an image accepted or rejected stands here."}
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
    </>
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
  const { words: address } = useAddress();
  const opening = (id: number) => {
    const next = new URLSearchParams(address);
    next.set("exposure", String(id));
    return `?${next.toString()}`;
  };
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
          const { suggested_kvp: kvp, suggested_mas: mas } = one;
          const suggested =
            kvp != null && mas != null && (mas !== one.mas || kvp !== one.kvp) ? { kvp, mas } : null;
          const rejected = one.outcome === "rejected";
          const entry = projections.find((other) => other.id === one.projection);
          const name = projectionName(entry, one.projection);
          return (
            <tr key={one.id} className="border-b border-rule">
              <td className="pr-3 pl-5 whitespace-nowrap text-ink-2">
                <Link
                  className="inline-flex min-h-touch items-center underline decoration-rule-strong underline-offset-4"
                  to={opening(one.id)}
                >
                  {moment(one.taken_at)}
                </Link>
              </td>
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
                {suggested && (
                  <span className="block text-note text-ink-3">
                    {one.exposure_control === "aec" ? "predicted" : "suggested"} {trimmed(suggested.kvp, 1)},{" "}
                    {trimmed(suggested.mas, 2)}
                  </span>
                )}
              </td>
              <td className="text-note text-ink-2">
                {one.sid_cm != null && `${trimmed(fromCm(one.sid_cm, unit), 1)} ${unit}`}
                {one.grid_ratio != null && `, ${grid(one.grid_ratio).toLowerCase()}`}
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
                {rejected
                  ? `✕ ${reasons?.[one.reject_reason ?? ""] ?? "rejected"}`
                  : one.rejects_known === false
                    ? "not known"
                    : "accepted"}
                {one.origin === "image" && (
                  <span className="block text-note text-ink-3">told by its image</span>
                )}
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
