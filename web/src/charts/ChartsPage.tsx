import { useMemo, useState } from "react";

import { type Change, lineIn, useAdjust, useLevel, useLineTable, useLint } from "../api/bench";
import type { Schemas } from "../api/client";
import {
  type Chart,
  type Line,
  type LineTable,
  type Projection,
  type Room,
  useAddFromExposure,
  useCharts,
  useMay,
  useNewChart,
  useProjections,
  useTables,
} from "../api/queries";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { projectionName } from "../ui/words";
import { Build } from "./Build";
import { Carry } from "./Carry";
import { CompareView } from "./CompareView";
import { Detail } from "./Detail";
import { Heading } from "./Heading";
import { HistoryView } from "./HistoryView";
import { ImportChart } from "./ImportChart";
import { LevelView } from "./LevelView";
import { cellValue, LineGrid, type Typed } from "./LineGrid";
import { LinesTable } from "./LinesTable";
import { LintView } from "./LintView";
import { Many } from "./Many";
import { Merge } from "./Merge";
import { NewLine } from "./NewLine";
import { useWorkbench } from "./useWorkbench";
import { Versions } from "./Versions";

type Doing = "look" | "new-line" | "import" | "build" | "carry";
type Tab = "lines" | "level" | "lint" | "compare" | "history";

/** Charts: the versions of a room's chart, their lines, and how to make, prove, agree on and carry them. */
export function ChartsPage({ room }: { room: Room }) {
  const charts = useCharts(room.id);
  const projections = useProjections();
  const [chosen, setChosen] = useState<number | null>(null);
  const [doing, setDoing] = useState<Doing>("look");
  const [added, setAdded] = useState<number | null>(null);
  const newChart = useNewChart();
  const mayEdit = useMay("keeper", "physicist");

  const versions = charts.data ?? [];
  const draft = versions.find((one) => one.status === "draft" || one.status === "proposed");
  const chart =
    versions.find((one) => one.id === chosen) ??
    draft ??
    versions.find((one) => one.status === "approved") ??
    versions[0];

  if (charts.isError || projections.isError)
    return <Refusal error={charts.error ?? projections.error} className="m-6" />;
  if (!charts.data || !projections.data)
    return (
      <div className="p-6">
        <Waiting what="the charts" />
      </div>
    );
  const nextVersion = (versions[0]?.version ?? 0) + 1;
  const goesTo = draft ? `version ${draft.version}` : `a new version ${nextVersion}`;

  async function openDraft(): Promise<Chart> {
    if (draft) return draft;
    return newChart.mutateAsync({
      room: room.id,
      name: chart?.name ?? `${room.name} chart`,
      note: "",
      ...(chart ? { from_chart: chart.id } : {}),
    });
  }
  function show(id: number | null, line: number | null = null) {
    setChosen(id);
    setAdded(line);
    setDoing("look");
  }
  function makeDraft(name: string, lines: Line[], note: string) {
    newChart.mutate(
      { room: room.id, name, note, lines: lines.map(lineIn) },
      { onSuccess: (made) => show(made.id) },
    );
  }
  const making = {
    room,
    projections: projections.data,
    open: draft,
    nextVersion,
    making: newChart.isPending,
    error: newChart.error,
    onMake: makeDraft,
    onCancel: () => {
      newChart.reset();
      setDoing("look");
    },
  };

  return (
    <div className="flex min-h-0 flex-1">
      <h1 className="sr-only">Charts</h1>
      <Versions
        room={room}
        versions={versions}
        current={chart?.id}
        onChoose={(id) => show(id)}
        actions={
          <>
            {!draft && (
              <Button
                disabled={newChart.isPending}
                onClick={() =>
                  void openDraft().then(
                    (made) => show(made.id),
                    () => undefined,
                  )
                }
              >
                Start version {nextVersion}
              </Button>
            )}
            <Button onClick={() => setDoing("build")}>Build a chart</Button>
            <Button onClick={() => setDoing("carry")}>Carry here</Button>
            <Button onClick={() => setDoing("import")}>Import</Button>
            {newChart.isError && doing === "look" && <Refusal error={newChart.error} />}
          </>
        }
      />
      <div className="min-w-0 flex-1">
        {doing === "import" ? (
          <ImportChart {...making} />
        ) : doing === "build" ? (
          <Build {...making} lines={chart?.lines ?? []} />
        ) : doing === "carry" ? (
          <Carry {...making} />
        ) : doing === "new-line" ? (
          <AddLine
            room={room}
            projections={projections.data}
            chart={chart}
            goesTo={goesTo}
            openDraft={openDraft}
            onDone={show}
            onCancel={() => setDoing("look")}
          />
        ) : !chart ? (
          <div className="p-6">
            <Empty title={`${room.name} has no chart yet`}>
              <p>
                Build a whole chart from a few test exposures, make a first line from an accepted one, import
                a chart, or carry one over from another room.
              </p>
              <div className="mt-3 flex gap-2">
                <Button tone="beam" onClick={() => setDoing("build")}>
                  Build a chart
                </Button>
                <Button onClick={() => setDoing("new-line")}>New line</Button>
              </div>
            </Empty>
          </div>
        ) : (
          <Bench
            key={`${chart.id} ${added}`}
            first={added}
            chart={chart}
            room={room}
            projections={projections.data}
            mayEdit={mayEdit}
            onNewLine={() => setDoing("new-line")}
            onGone={() => show(null)}
          />
        )}
      </div>
    </div>
  );
}

/** One version: its heading, and its lines, level, faults, differences and history. */
function Bench({
  first,
  chart,
  room,
  projections,
  mayEdit,
  onNewLine,
  onGone,
}: {
  /** The line to begin with. */
  first: number | null;
  chart: Chart;
  room: Room;
  projections: Projection[];
  mayEdit: boolean;
  onNewLine: () => void;
  onGone: () => void;
}) {
  const { unit } = usePreferences();
  const [tab, setTab] = useState<Tab>("lines");
  const [selected, setSelected] = useState(first);
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const [wanted, setWanted] = useState("");
  const bench = useWorkbench(chart, mayEdit);
  const adjust = useAdjust();
  const level = useLevel(chart);
  const lint = useLint(chart);
  // A version that never changes is written out whole; of a draft only the line that is looked at.
  const tables = useTables(bench.editable ? undefined : chart);
  const byId = useMemo(() => new Map(projections.map((one) => [one.id, one])), [projections]);
  const strips = useMemo(() => new Map((level.data ?? []).map((one) => [one.line, one])), [level.data]);
  const marks = useMemo(() => {
    const found = new Map<number, string>();
    for (const one of lint.data ?? []) {
      const line = one.lines[0];
      if (line !== undefined && one.severity !== "note" && !found.has(line))
        found.set(line, RULE[one.rule] ?? "");
    }
    return found;
  }, [lint.data]);
  const lines = chart.lines.filter((line) => fits(line, byId.get(line.projection), wanted));
  const shownLine = chart.lines.find((line) => line.id === selected) ?? lines[0];
  // The lines stand there before they are written out on the stations.
  const written: LineTable[] = tables.data ?? chart.lines.map((one) => ({ line: one, rows: [] }));
  const own = useLineTable(chart, shownLine);
  const table = own.data ?? written.find((one) => one.line.id === shownLine?.id);
  const findings = lint.data?.length ?? 0;
  const drifting = (level.data ?? []).filter((one) => !one.level).length;

  /** Typed cells: single numbers as they are; a law of many numbers is moved as a whole, which the API works out. */
  async function type(cells: Typed[]) {
    const changes = new Map<number, Change>();
    const why = cells.length === 1 ? "typed" : "pasted";
    for (const { line, column, value } of cells) {
      if (line.id == null) continue;
      const before = changes.get(line.id)?.to ?? lineIn(line);
      const after = typedInto(before, line, column, value);
      if (after) changes.set(line.id, { line: line.id, revision: line.revision ?? null, to: after });
      else {
        const now = cellValue(line, column) ?? 1;
        const body: Schemas["Adjustment"] = {
          lines: [line.id],
          hold: false,
          on_stations: false,
          ...(column === "mas" ? { mas_percent: 100 * (value / now - 1) } : { kvp_added: value - now }),
        };
        const [proposal] = await adjust.mutateAsync({ chart: chart.id, body });
        if (proposal?.line)
          changes.set(line.id, { line: line.id, revision: line.revision ?? null, to: lineIn(proposal.line) });
      }
    }
    await bench.send([...changes.values()], why);
  }

  return (
    <>
      <Heading chart={chart} mayEdit={mayEdit} onNewLine={onNewLine} onGone={onGone} />
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule px-5">
        <Segmented
          label="View of the chart"
          value={tab}
          options={[
            { value: "lines", label: "Lines" },
            { value: "level", label: level.data ? `Level (${drifting} drift)` : "Level" },
            { value: "lint", label: lint.data ? `Faults (${findings})` : "Faults" },
            { value: "compare", label: "Compare" },
            { value: "history", label: "History" },
          ]}
          onChange={(next) => setTab(next as Tab)}
        />
        {tab === "lines" && (
          <input
            aria-label="Show only"
            placeholder="Show only: lumbar, child, tabletop…"
            className="min-h-10 min-w-40 flex-1 bg-transparent outline-none"
            value={wanted}
            onChange={(event) => setWanted(event.currentTarget.value)}
          />
        )}
        {bench.editable && (
          <div className="ml-auto flex">
            <Button tone="quiet" disabled={!bench.undo} onClick={() => bench.undo?.()}>
              Undo
            </Button>
            <Button tone="quiet" disabled={!bench.redo} onClick={() => bench.redo?.()}>
              Redo
            </Button>
          </div>
        )}
      </div>
      {bench.error != null && <Refusal error={bench.error} className="mx-5 mt-2" />}
      {adjust.isError && <Refusal error={adjust.error} className="mx-5 mt-2" />}
      {bench.conflict && (
        <Merge
          conflict={bench.conflict}
          lines={chart.lines}
          name={(id) => projectionName(byId.get(id), id)}
          onDone={bench.settle}
        />
      )}
      {tab === "level" ? (
        <LevelView chart={chart} bench={bench} strips={level.data} projections={byId} error={level.error} />
      ) : tab === "lint" ? (
        <LintView
          chart={chart}
          bench={bench}
          findings={lint.data}
          error={lint.error}
          onOpen={(line) => {
            setSelected(line);
            setWanted("");
            setTab("lines");
          }}
        />
      ) : tab === "compare" ? (
        <CompareView chart={chart} room={room} projections={byId} />
      ) : tab === "history" ? (
        <HistoryView chart={chart} projections={byId} />
      ) : chart.lines.length === 0 ? (
        <div className="p-5">
          <Empty title="No line yet">
            A line is one projection under one set of conditions. Start with an accepted exposure.
          </Empty>
        </div>
      ) : (
        <div className="grid grid-cols-[minmax(0,1fr)_21.5rem] items-start 2xl:grid-cols-[minmax(0,1fr)_34rem]">
          <div className="min-w-0">
            {bench.editable && marked.size > 0 && (
              <Many
                chart={chart}
                room={room}
                bench={bench}
                lines={chart.lines.filter((line) => line.id != null && marked.has(line.id))}
                onDone={() => setMarked(new Set())}
              />
            )}
            {bench.editable ? (
              <LineGrid
                lines={lines}
                projections={byId}
                strips={strips}
                marks={marks}
                room={room}
                unit={unit}
                editable={bench.editable && !bench.busy}
                selected={shownLine?.id ?? null}
                chosen={marked}
                onSelect={setSelected}
                onChoose={setMarked}
                onTyped={(cells) => void type(cells).catch(() => undefined)}
                onUndo={bench.undo}
                onRedo={bench.redo}
              />
            ) : (
              <LinesTable
                tables={written.filter((one) => lines.some((line) => line.id === one.line.id))}
                projections={projections}
                room={room}
                unit={unit}
                selected={shownLine?.id ?? null}
                onSelect={setSelected}
              />
            )}
          </div>
          {shownLine && (
            <Detail
              key={`${shownLine.id} ${shownLine.revision}`}
              chart={chart}
              line={shownLine}
              table={table}
              bench={bench}
              projections={byId}
              name={(line) => projectionName(byId.get(line.projection), line.projection)}
              onRemoved={() => setSelected(null)}
            />
          )}
        </div>
      )}
    </>
  );
}

const RULE: Record<string, string> = {
  not_monotonic: "falls",
  coarse_steps: "coarse",
  kvp_window: "kVp",
  time_ceiling: "time",
  tube_limit: "tube",
  grid_small_part: "grid",
  no_grid_thick_part: "no grid",
  dose_level: "dose",
  neighbours: "neighbours",
  grid_twins: "grid twin",
  grid_focus: "focus",
  minimum_sid: "SID",
  missing_range: "gap",
  same_technique: "same",
  drifts: "drifts",
  link: "link",
};

/** Every word that was typed stands somewhere in what the line says of itself. */
function fits(line: Line, projection: Projection | undefined, wanted: string): boolean {
  const text = [
    projectionName(projection, line.projection),
    projection?.region,
    line.support.replace("_", " "),
    line.receptor,
    line.note,
    line.law.name.replace("_", " "),
    line.grid_ratio ? `grid ${line.grid_ratio}:1` : "no grid",
  ]
    .join(" ")
    .toLowerCase();
  return wanted
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** The line with one number typed; null where the law has more than one of it. */
function typedInto(
  before: Schemas["LineIn"],
  line: Line,
  column: Typed["column"],
  value: number,
): Schemas["LineIn"] | null {
  if (column === "grid_ratio") return { ...before, grid_ratio: value as Schemas["LineIn"]["grid_ratio"] };
  if (column === "sid_cm") return { ...before, sid_cm: value };
  if (line.law.name === "banded" || line.law.name === "levelled") return null;
  const name =
    column === "parameter" ? (line.law.name === "fixed_kvp" ? "doubling_cm" : "kvp_per_cm") : column;
  return { ...before, law: { ...before.law, [name]: value } };
}

/** A line from one accepted exposure, added to the draft; without one a draft is started. */
function AddLine({
  room,
  projections,
  chart,
  goesTo,
  openDraft,
  onDone,
  onCancel,
}: {
  room: Room;
  projections: Projection[];
  chart: Chart | undefined;
  goesTo: string;
  openDraft: () => Promise<Chart>;
  onDone: (chart: number, line: number | null) => void;
  onCancel: () => void;
}) {
  const { unit } = usePreferences();
  const add = useAddFromExposure();
  const [error, setError] = useState<unknown>(null);
  async function addLine(request: Schemas["AcceptedExposureIn"]) {
    setError(null);
    try {
      const target = await openDraft();
      const line = await add.mutateAsync({ chart: target.id, body: request });
      onDone(target.id, line.id ?? null);
    } catch (reason) {
      setError(reason);
    }
  }
  return (
    <NewLine
      room={room}
      projections={projections}
      lines={chart?.lines ?? []}
      unit={unit}
      goesTo={goesTo}
      adding={add.isPending}
      error={error}
      onAdd={(request) => void addLine(request)}
      onCancel={onCancel}
    />
  );
}
