import { useState } from "react";

import type { Schemas } from "../api/client";
import {
  type Chart,
  type LineTable,
  type Room,
  useAddFromExposure,
  useApprove,
  useChangeLine,
  useCharts,
  useDiscard,
  useHeading,
  useNewChart,
  useProjections,
  useRemoveLine,
  useTables,
} from "../api/queries";
import { Button, buttonClass } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Select } from "../ui/Select";
import { date, day, projectionName } from "../ui/words";
import { EditLaw } from "./EditLaw";
import { ImportChart } from "./ImportChart";
import { LinesTable } from "./LinesTable";
import { LineView } from "./LineView";
import { NewLine } from "./NewLine";

const STATUS: Record<string, { mark: string; tone: string }> = {
  draft: { mark: "◌", tone: "text-warn" },
  approved: { mark: "●", tone: "text-good" },
  superseded: { mark: "○", tone: "text-ink-3" },
};

/** Charts: the versions of a room's chart, their lines, and how to make and change them. */
export function ChartsPage({ room }: { room: Room }) {
  const { unit } = usePreferences();
  const charts = useCharts(room.id);
  const projections = useProjections();
  const [chosen, setChosen] = useState<number | null>(null);
  const [line, setLine] = useState<number | null>(null);
  const [doing, setDoing] = useState<"look" | "new-line" | "import">("look");
  const newChart = useNewChart();
  const add = useAddFromExposure();

  const versions = charts.data ?? [];
  const draft = versions.find((one) => one.status === "draft");
  const chart =
    versions.find((one) => one.id === chosen) ??
    draft ??
    versions.find((one) => one.status === "approved") ??
    versions[0];
  const tables = useTables(chart);
  // The lines stand there before they are written out on the stations.
  const written: LineTable[] = tables.data ?? chart?.lines.map((one) => ({ line: one, rows: [] })) ?? [];

  if (charts.isError || projections.isError)
    return <Refusal error={charts.error ?? projections.error} className="m-6" />;
  if (!charts.data || !projections.data)
    return (
      <div className="p-6">
        <Waiting what="the charts" />
      </div>
    );

  const nextVersion = (versions[0]?.version ?? 0) + 1;

  async function openDraft(): Promise<Chart> {
    if (draft) return draft;
    return newChart.mutateAsync({
      room: room.id,
      name: chart?.name ?? `${room.name} chart`,
      ...(chart ? { from_chart: chart.id } : {}),
    });
  }

  async function addLine(request: Schemas["AcceptedExposureIn"]) {
    const target = await openDraft();
    const added = await add.mutateAsync({ chart: target.id, body: request });
    setChosen(target.id);
    setLine(added.id ?? null);
    setDoing("look");
  }

  return (
    <div className="flex min-h-0 flex-1">
      <h1 className="sr-only">Charts</h1>
      <nav aria-label="Versions" className="flex w-44 shrink-0 flex-col gap-1 border-r border-rule px-2 py-4">
        <h2 className="px-2 text-body text-ink-2">{room.name}, versions</h2>
        {versions.length === 0 && <p className="px-2 text-ink-3">None yet.</p>}
        <ol>
          {versions.map((one) => (
            <li key={one.id}>
              <button
                type="button"
                aria-current={one.id === chart?.id ? "true" : undefined}
                onClick={() => {
                  setChosen(one.id);
                  setLine(null);
                  setDoing("look");
                }}
                className={`flex min-h-11 w-full items-center gap-2 border-l-4 px-2 text-left hover:bg-raised ${one.id === chart?.id ? "border-beam bg-raised" : "border-transparent"}`}
              >
                <span aria-hidden className={STATUS[one.status]?.tone}>
                  {STATUS[one.status]?.mark}
                </span>
                <span>
                  <b className="font-semibold">Version {one.version}</b>
                  <br />
                  <span className="text-note text-ink-3">
                    {one.status} {day(one.approved_at || one.created_at)}
                  </span>
                </span>
              </button>
            </li>
          ))}
        </ol>
        <div className="mt-3 flex flex-col gap-2 px-2">
          {!draft && (
            <Button
              disabled={newChart.isPending}
              onClick={() =>
                void openDraft().then(
                  (made) => setChosen(made.id),
                  () => undefined,
                )
              }
            >
              Start version {nextVersion}
            </Button>
          )}
          {!draft && <Button onClick={() => setDoing("import")}>Import CSV</Button>}
        </div>
        {newChart.isError && <Refusal error={newChart.error} className="mt-2" />}
      </nav>
      <div className="min-w-0 flex-1">
        {doing === "import" ? (
          <ImportChart
            room={room}
            onCancel={() => setDoing("look")}
            onDone={(id) => {
              setChosen(id);
              setLine(null);
              setDoing("look");
            }}
          />
        ) : doing === "new-line" ? (
          <NewLine
            room={room}
            projections={projections.data}
            lines={chart?.lines ?? []}
            unit={unit}
            goesTo={draft ? `version ${draft.version}` : `a new version ${nextVersion}`}
            adding={add.isPending || newChart.isPending}
            error={add.error ?? newChart.error}
            onAdd={(request) => void addLine(request).catch(() => undefined)}
            onCancel={() => {
              add.reset();
              setDoing("look");
            }}
          />
        ) : !chart ? (
          <div className="p-6">
            <Empty title={`${room.name} has no chart yet`}>
              <p>
                Make the first line from an exposure whose image was accepted, or import a chart from CSV.
              </p>
              <Button tone="beam" className="mt-3" onClick={() => setDoing("new-line")}>
                New line
              </Button>
            </Empty>
          </div>
        ) : (
          <>
            <Heading
              chart={chart}
              onNewLine={() => setDoing("new-line")}
              onGone={() => {
                setChosen(null);
                setLine(null);
              }}
            />
            {tables.isError ? (
              <Refusal error={tables.error} className="m-5" />
            ) : written.length === 0 ? (
              <div className="p-5">
                <Empty title="No line yet">
                  A line is one projection under one set of conditions. Start with an accepted exposure.
                </Empty>
              </div>
            ) : (
              <div className="grid grid-cols-[minmax(0,1fr)_21.5rem] items-start 2xl:grid-cols-[minmax(0,1fr)_34rem]">
                <LinesTable
                  tables={written}
                  projections={projections.data}
                  room={room}
                  unit={unit}
                  selected={line ?? written[0]?.line.id ?? null}
                  onSelect={setLine}
                />
                <Detail
                  key={`${chart.id} ${line ?? "first"} ${chart.revision}`}
                  chart={chart}
                  table={written.find((one) => one.line.id === line) ?? written[0]}
                  name={(id) =>
                    projectionName(
                      projections.data.find((one) => one.id === id),
                      id,
                    )
                  }
                  onRemoved={() => setLine(null)}
                />
              </div>
            )}
          </>
        )}
      </div>
    </div>
  );
}

function Heading({ chart, onNewLine, onGone }: { chart: Chart; onNewLine: () => void; onGone: () => void }) {
  const approve = useApprove();
  const discard = useDiscard();
  const [sure, setSure] = useState(false);
  const draft = chart.status === "draft";
  const error = approve.error ?? discard.error;
  return (
    <header className="border-b border-rule px-5 py-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <div className="mr-auto min-w-0">
          <h2 className="truncate text-lead">
            {chart.name} <span className="font-normal text-ink-2">version {chart.version}</span>
          </h2>
          <p className="text-note text-ink-3">
            <b className={STATUS[chart.status]?.tone}>
              {STATUS[chart.status]?.mark} {chart.status}
            </b>{" "}
            {draft
              ? `· by ${chart.author}, not in use until approved`
              : `· by ${chart.author}, approved by ${chart.approver} on ${date(chart.approved_at)}; never changes`}
          </p>
        </div>
        {chart.status !== "superseded" && (
          <Button tone={draft ? "plain" : "beam"} onClick={onNewLine}>
            New line
          </Button>
        )}
        <a className={buttonClass("quiet")} href={`/api/charts/${chart.id}/csv`} download>
          CSV
        </a>
        <a
          className={buttonClass("quiet")}
          href={`/api/charts/${chart.id}/json`}
          download={`chart-${chart.room}-v${chart.version}.json`}
        >
          JSON
        </a>
        {draft && (
          <>
            <Button
              tone="quiet"
              disabled={discard.isPending}
              onClick={() => (sure ? discard.mutate(chart.id, { onSuccess: onGone }) : setSure(true))}
              onBlur={() => setSure(false)}
            >
              {sure ? "Discard: press again" : "Discard"}
            </Button>
            <Button
              tone="beam"
              disabled={approve.isPending || chart.lines.length === 0}
              onClick={() => approve.mutate(chart.id)}
            >
              Approve version {chart.version}
            </Button>
          </>
        )}
      </div>
      {draft && <DraftSettings key={chart.id} chart={chart} />}
      {error && <Refusal error={error} className="mt-2" />}
    </header>
  );
}

/** What a draft is called, and which of the textbooks' two tables of grid factors it uses. */
function DraftSettings({ chart }: { chart: Chart }) {
  const change = useHeading();
  const [name, setName] = useState(chart.name);
  const save = (body: Partial<Schemas["Heading"]>) =>
    change.mutate({
      chart: chart.id,
      body: { name: chart.name, grid_table: chart.grid_table, note: chart.note, ...body },
    });
  return (
    <div className="mt-2 flex flex-wrap items-start gap-2">
      <div className="w-72 rounded-sm border border-rule-strong px-2.5 py-1 leading-tight focus-within:border-beam">
        <label htmlFor="chart-name" className="label block">
          Name of the chart
        </label>
        <input
          id="chart-name"
          className="w-full bg-transparent leading-tight outline-none"
          maxLength={120}
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
          onBlur={() => name.trim() && name !== chart.name && save({ name })}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      </div>
      <Select
        label="Grid factors"
        labelled
        className="w-72"
        value={chart.grid_table}
        options={[
          { value: "average", label: "Textbook average" },
          { value: "by_kvp", label: "By kVp (70, 90, 120)" },
        ]}
        onChange={(table) => save({ grid_table: table as Chart["grid_table"] })}
      />
      {change.isError && <Refusal error={change.error} />}
    </div>
  );
}

function Detail({
  chart,
  table,
  name,
  onRemoved,
}: {
  chart: Chart;
  table: Schemas["LineTable"] | undefined;
  name: (projection: string) => string;
  onRemoved: () => void;
}) {
  const { unit } = usePreferences();
  const change = useChangeLine();
  const remove = useRemoveLine();
  if (!table) return null;
  const { line } = table;
  return (
    <aside
      aria-label="Line"
      className="sticky top-0 max-h-[calc(100vh-8rem)] overflow-auto border-l border-rule px-5 py-3"
    >
      <h3 className="mb-2">{name(line.projection)}</h3>
      {chart.status === "draft" && line.id != null && (
        <EditLaw
          key={line.id}
          line={line}
          saving={change.isPending || remove.isPending}
          error={change.error ?? remove.error}
          onSave={(body) => line.id != null && change.mutate({ chart: chart.id, line: line.id, body })}
          onRemove={() =>
            line.id != null && remove.mutate({ chart: chart.id, line: line.id }, { onSuccess: onRemoved })
          }
        />
      )}
      <LineView table={table} unit={unit} />
    </aside>
  );
}
