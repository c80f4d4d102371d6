import { useMemo, useRef, useState } from "react";

import { lineIn, useCells, useChartCheck, useLevel, useLineTable, useTrust } from "../../api/bench";
import type { Schemas } from "../../api/client";
import {
  type Chart,
  type Line,
  type LineTable,
  type Projection,
  type Room,
  useTables,
} from "../../api/queries";
import { useAddress, useAddressWord } from "../../ui/address";
import { Button } from "../../ui/Button";
import { Empty, Refusal } from "../../ui/Notice";
import { usePreferences } from "../../ui/preferences";
import { Segmented } from "../../ui/Segmented";
import { projectionName, TRUST } from "../../ui/words";
import { ChartCheckView } from "../check/ChartCheckView";
import { IndexView } from "../check/IndexView";
import { CompareView } from "../versions/CompareView";
import { Heading } from "../versions/Heading";
import { HistoryView } from "../versions/HistoryView";
import { OffSinceCalibration } from "../versions/OffSinceCalibration";
import { fits, isChild, type Typed } from "./cells";
import { Detail } from "./Detail";
import { Filter } from "./Filter";
import { LineGrid } from "./LineGrid";
import { LinesTable } from "./LinesTable";
import { Many } from "./Many";
import { Merge } from "./Merge";
import { Past } from "./Past";
import { useWorkbench } from "./useWorkbench";

const TABS = ["lines", "level", "check", "compare", "history"] as const;

/** One version: its heading, and its lines, level, faults, differences and history. */
export function ChartVersion({
  first,
  chart,
  room,
  projections,
  mayEdit,
  onNewLine,
  onGone,
  onDrafted,
}: {
  /** The line to begin with. */
  first: number | null;
  chart: Chart;
  room: Room;
  projections: Projection[];
  mayEdit: boolean;
  onNewLine: () => void;
  onGone: () => void;
  /** A draft was made or changed from here. */
  onDrafted: (draft: Chart) => void;
}) {
  const { unit } = usePreferences();
  const { words, put } = useAddress();
  const [tab, setTab] = useAddressWord("tab", TABS);
  // What is typed stands in the field at once; the address follows.
  const [wanted, setWanted] = useState(words.get("only") ?? "");
  const [selected, setSelected] = useState(first);
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const bench = useWorkbench(chart, mayEdit);
  const cells = useCells();
  const [refused, setRefused] = useState("");
  const [past, setPast] = useState<{ rows: string[][]; column: number } | null>(null);
  const find = useRef<HTMLInputElement>(null);
  const level = useLevel(chart);
  const check = useChartCheck(chart);
  // A version that never changes is written out whole; of a draft only the line that is looked at.
  const tables = useTables(bench.editable ? undefined : chart);
  const byId = useMemo(() => new Map(projections.map((one) => [one.id, one])), [projections]);
  const trusted = useTrust(chart);
  const trust = useMemo(() => new Map((trusted.data ?? []).map((one) => [one.line, one])), [trusted.data]);
  const strips = useMemo(
    () => (level.data ? new Map(level.data.map((one) => [one.line, one])) : undefined),
    [level.data],
  );
  const marks = useMemo(() => {
    const found = new Map<number, string>();
    for (const one of check.data ?? []) {
      const line = one.lines[0];
      if (line !== undefined && one.severity !== "note" && !found.has(line)) found.set(line, one.title);
    }
    return found;
  }, [check.data]);
  const shown = chart.lines.filter((line) => {
    const said = line.id == null ? undefined : trust.get(line.id);
    return fits(line, byId.get(line.projection), wanted, said && TRUST[said.trust]);
  });
  // Children apart from adults; each in the order of the chart.
  const ofChild = (line: Line) => isChild(line, byId.get(line.projection));
  const lines = [...shown.filter((line) => !ofChild(line)), ...shown.filter(ofChild)];
  const only = (words: string) => {
    setWanted(words);
    put({ only: words }, { replace: true });
  };
  const shownLine = chart.lines.find((line) => line.id === selected) ?? lines[0];
  // The lines stand there before they are written out on the stations.
  const written: LineTable[] = tables.data ?? chart.lines.map((one) => ({ line: one, rows: [] }));
  const own = useLineTable(chart, shownLine);
  const table = own.data ?? written.find((one) => one.line.id === shownLine?.id);
  const findings = check.data?.length ?? 0;
  const drifting = (level.data ?? []).filter((one) => !one.level).length;

  /** Typed and pasted cells: the server composes all cells of a line; a line that cannot stand so is said, and none is kept. */
  async function type(typed: Typed[]) {
    setRefused("");
    const lines = new Map<number, Schemas["TypedLine"]>();
    for (const { line, column, text } of typed) {
      if (line.id == null) continue;
      const one = lines.get(line.id) ?? { line: line.id, read: lineIn(line), cells: [] };
      lines.set(line.id, { ...one, cells: [...one.cells, { cell: column, text, unit }] });
    }
    const proposals = await cells.mutateAsync({ chart: chart.id, body: { lines: [...lines.values()] } });
    const bad = proposals.find((one) => one.line === null);
    if (bad) {
      const line = chart.lines.find((one) => one.id === bad.id);
      setRefused(
        `${projectionName(byId.get(line?.projection ?? ""), line?.projection ?? "")}: ${bad.refusal ?? ""}`,
      );
      return;
    }
    // From the revision that was read: where somebody else was quicker, that is said and not typed over.
    const read = new Map(typed.map(({ line }) => [line.id, line.revision]));
    const changes = proposals.flatMap((one) =>
      one.line ? [{ line: one.id, revision: read.get(one.id) ?? null, to: lineIn(one.line) }] : [],
    );
    await bench.send(changes, typed.length === 1 ? "typed" : "pasted");
  }

  return (
    <>
      <Heading
        chart={chart}
        mayEdit={mayEdit}
        onNewLine={onNewLine}
        onPrint={() => put({ do: "print" })}
        onGone={onGone}
      />
      <OffSinceCalibration chart={chart} projections={byId} onDrafted={onDrafted} />
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule px-5">
        <Segmented
          label="View of the chart"
          value={tab}
          options={[
            { value: "lines", label: "Lines" },
            {
              value: "level",
              label: level.data ? `EI over thickness (${drifting} off target)` : "EI over thickness",
            },
            { value: "check", label: check.data ? `Chart check (${findings})` : "Chart check" },
            { value: "compare", label: "Compare" },
            { value: "history", label: "History" },
          ]}
          onChange={(next) => setTab(next as typeof tab)}
        />
        {tab === "lines" && (
          <input
            aria-label="Show only"
            placeholder="Show only: lumbar, child, tabletop…"
            className="min-h-touch min-w-40 flex-1 bg-transparent outline-none"
            value={wanted}
            onChange={(event) => only(event.currentTarget.value)}
            ref={find}
          />
        )}
        {tab === "lines" && <Filter lines={chart.lines} projections={byId} words={wanted} onWords={only} />}
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
      {(cells.isError || refused !== "") && <Refusal error={cells.error ?? refused} className="mx-5 mt-2" />}
      {past && (
        <Past
          {...past}
          chart={chart}
          unit={unit}
          onRead={() => {
            setPast(null);
            put({ do: "import" });
          }}
          onLeave={() => setPast(null)}
        />
      )}
      {bench.conflict && (
        <Merge
          conflict={bench.conflict}
          lines={chart.lines}
          name={(id) => projectionName(byId.get(id), id)}
          onDone={bench.settle}
        />
      )}
      {tab === "level" ? (
        <IndexView
          chart={chart}
          room={room}
          bench={bench}
          strips={level.data}
          projections={byId}
          error={level.error}
        />
      ) : tab === "check" ? (
        <ChartCheckView
          chart={chart}
          bench={bench}
          findings={check.data}
          error={check.error}
          onOpen={(line) => {
            setSelected(line);
            setWanted("");
            put({ only: null, tab: null });
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
        <div className="grid grid-cols-[minmax(0,1fr)_19rem] items-start 2xl:grid-cols-[minmax(0,1fr)_34rem]">
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
                trust={trust}
                marks={marks}
                room={room}
                unit={unit}
                editable={bench.editable && !bench.busy}
                selected={shownLine?.id ?? null}
                chosen={marked}
                onSelect={setSelected}
                onChoose={setMarked}
                onTyped={(cells) => void type(cells).catch(() => undefined)}
                onPast={(rows, column) => setPast({ rows, column })}
                onFind={() => find.current?.focus()}
                onUndo={bench.undo}
                onRedo={bench.redo}
              />
            ) : (
              <LinesTable
                tables={lines.flatMap((line) => written.find((one) => one.line.id === line.id) ?? [])}
                waiting={tables.isPending}
                trust={trust}
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
