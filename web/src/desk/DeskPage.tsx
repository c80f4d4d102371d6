import { useState } from "react";
import { flushSync } from "react-dom";

import type { Exam, Projection, Room, RunSheetRequest, TechniqueResponse } from "../api/queries";
import { useCharted, useChoices, useExams, useProjections, useRunSheet, useTechnique } from "../api/queries";
import { Refused } from "../api/client";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { focusField, useKeys } from "../ui/useKeys";
import { filterOf, GRID_RATIOS, METHOD, usualLevel } from "../ui/words";
import { Checks } from "./exam/Checks";
import { ExposurePanel } from "./setup/ExposurePanel";
import { Forecast } from "./technique/Forecast";
import { HowTo } from "./exam/HowTo";
import { Judge } from "./review/Judge";
import { Steps } from "./technique/Steps";
import { Numbers } from "./technique/Numbers";
import { PatientPanel } from "./setup/PatientPanel";
import { Picture } from "./setup/Picture";
import { RunSheet } from "./exam/RunSheet";
import { SetupPanel } from "./setup/SetupPanel";
import { ThicknessRuler } from "./measure/ThicknessRuler";
import { measuredSoFar, personOf } from "./request";
import { type DeskState } from "./state";
import { type Act, useDesk } from "./useDesk";
import { WhatIf } from "./technique/WhatIf";

/** The Desk: exam, projection, measure, set-up, technique, judge, next; in this order on screen. */
export function DeskPage({ room }: { room: Room }) {
  const projections = useProjections();
  const exams = useExams();
  const charted = useCharted();
  const failed = projections.error ?? exams.error ?? charted.error;
  if (failed) return <Refusal error={failed} className="m-6" />;
  if (!projections.data || !exams.data || !charted.data)
    return (
      <div className="p-6">
        <Waiting what="the chart" />
      </div>
    );
  const lines = charted.data[room.id];
  if (!lines)
    return (
      <div className="p-6">
        <Empty title={`${room.name} has no approved chart`}>
          The Desk answers from an approved chart only. Build or import one in Charts, then approve it.
        </Empty>
      </div>
    );
  return <Desk room={room} projections={projections.data} exams={exams.data} charted={new Set(lines)} />;
}

interface Props {
  room: Room;
  projections: Projection[];
  exams: Exam[];
  charted: Set<string>;
}

const PANELS = ["set-up", "patient", "exposure"] as const;
type Panel = (typeof PANELS)[number];
const BESIDES = ["ladder", "picture", "what-if"] as const;
type Beside = (typeof BESIDES)[number];

/** What the hands must change on the way to the view in hand; from the run sheet of the views that are not skipped. */
function useChanges(room: Room, state: DeskState): string[] {
  const views = state.stops.filter((one) => one.projection !== null && one.status !== "skipped");
  const place = views.findIndex((one) => one.key === state.stops[state.at]?.key);
  const setups = Object.fromEntries(
    views.map((one) => [
      one.projection,
      { exposure_control: "manual", grid_offset_cm: 0, grid_tilt_deg: 0, aec_density: 0, ...one.setup },
    ]),
  );
  const person = personOf(state.patient);
  const sheet = useRunSheet(
    views.length > 1
      ? {
          room: room.id,
          projections: views.map((one) => one.projection ?? ""),
          patient: person,
          ...(Object.keys(state.facts).length ? { facts: state.facts } : {}),
          measured: measuredSoFar(state),
          setups: setups as NonNullable<RunSheetRequest["setups"]>,
        }
      : null,
  );
  return (place > 0 && sheet.data?.steps[place]?.changes) || [];
}

function Desk({ room, projections, exams, charted }: Props) {
  const { unit } = usePreferences();
  const choices = useChoices();
  const { state, act, now, projection, request } = useDesk(room, projections, exams, charted);
  const technique = useTechnique(request);
  const answer = technique.data;
  const measured = answer ? !answer.thickness.estimated : now?.thickness_cm !== null;
  const changes = useChanges(room, state);
  const [panel, setPanel] = useState<Panel>("set-up");
  const [beside, setBeside] = useState<Beside>("ladder");

  const views = state.stops.flatMap((one, i) => (one.projection ? [i] : []));
  const place = views.indexOf(state.at);
  const go = (to: number) => {
    const stop = views[to];
    if (stop !== undefined) act({ do: "go", to: stop });
  };
  const later = views.slice(place + 1).filter((i) => state.stops[i]?.status === "todo");
  const toField = (panel: Panel, id: string) => {
    // The field is there only after its panel is; the next key typed is already for it.
    flushSync(() => setPanel(panel));
    focusField(id);
  };

  function nextOf<T>(list: T[], now: T | undefined): T | undefined {
    return list[(list.indexOf(now as T) + 1) % list.length];
  }

  useKeys([
    { keys: ["e"], shown: "e", does: "exam", run: () => focusField("exam") },
    { keys: ["["], shown: "[", does: "previous projection", run: () => go(place - 1) },
    { keys: ["]"], shown: "]", does: "next projection", run: () => go(place + 1) },
    {
      keys: ["0", "1", "2", "3", "4", "5", "6", "7", "8", "9"],
      shown: "0 to 9",
      does: "thickness",
      pass: true,
      run: () => focusField("thickness"),
    },
    { keys: ["s"], shown: "s", does: "SID", run: () => toField("set-up", "sid") },
    { keys: ["k"], shown: "k", does: "kVp", run: () => toField("exposure", "kvp") },
    { keys: ["m"], shown: "m", does: "mAs", run: () => toField("exposure", "mas") },
    {
      keys: ["b"],
      shown: "b",
      does: "support",
      run: () => {
        const support = nextOf(
          room.supports.map((one) => one.id as string),
          answer?.technique.support,
        );
        if (support) act({ do: "setup", change: { support, grid_ratio: null } });
      },
    },
    {
      keys: ["g"],
      shown: "g",
      does: "grid",
      run: () => {
        const ratio = nextOf(GRID_RATIOS, answer?.technique.grid_ratio);
        if (ratio !== undefined) act({ do: "setup", change: { grid_ratio: ratio } });
      },
    },
    {
      keys: ["r"],
      shown: "r",
      does: "receptor",
      run: () => {
        const receptor = nextOf(
          room.receptors.map((one) => one.id),
          answer?.technique.receptor,
        );
        if (receptor) act({ do: "setup", change: { receptor } });
      },
    },
    {
      keys: ["w"],
      shown: "w",
      does: "what if",
      run: () => setBeside(beside === "what-if" ? "ladder" : "what-if"),
    },
    {
      keys: ["p"],
      shown: "p",
      does: "picture",
      run: () => setBeside(beside === "picture" ? "ladder" : "picture"),
    },
    {
      keys: ["t"],
      shown: "t",
      does: "set-up, patient, exposure",
      run: () => setPanel(nextOf([...PANELS], panel) ?? "set-up"),
    },
    { keys: ["v"], shown: "v", does: "checks", run: () => document.getElementById("checks")?.click() },
    { keys: ["x"], shown: "x", does: "back to chart", run: () => act({ do: "as-charted" }) },
  ]);

  if (!projection || !request || !now) return <Empty title="The catalogue is empty" />;
  const refused = technique.error instanceof Refused;
  const clearance = state.stops
    .slice(0, state.at)
    .filter((one) => one.clearance !== null && one.recorded === null)
    .at(-1);
  const changed =
    Object.keys(now.setup).length +
    [state.patient.condition, state.patient.cast, state.patient.contrast].filter(Boolean).length;
  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Desk</h1>
      <RunSheet
        room={room}
        exams={exams}
        projections={projections}
        charted={charted}
        state={state}
        act={act}
        checks={<Checks checks={choices.data?.checks ?? []} state={state} act={act} />}
      />
      <HowTo
        projection={projection}
        stop={now}
        choices={choices.data}
        answer={answer}
        changes={changes}
        openClearance={clearance?.clearance ?? null}
        question={state.question}
      />
      <ThicknessRuler
        projection={projection}
        range={answer?.chart.line.projection === projection.id ? answer.chart.line.range_cm : null}
        unit={unit}
        value={now.thickness_cm}
        estimate={answer?.thickness.cm ?? projection.thickness_cm.average}
        onChange={(cm) => act({ do: "thickness", cm })}
        refused={refused}
      />
      <div className="grid flex-1 grid-cols-[17rem_minmax(0,1fr)_19rem] xl:grid-cols-[18.5rem_minmax(0,1fr)_23rem] 2xl:grid-cols-[22rem_minmax(0,1fr)_30rem]">
        <section aria-label="Set-up" className="flex flex-col gap-2 border-r border-rule px-5 pt-1 pb-3">
          <div className="flex items-center justify-between">
            <Segmented
              label="What differs"
              className="flex-nowrap"
              tight
              value={panel}
              options={[
                { value: "set-up", label: "Set-up" },
                { value: "patient", label: "Patient" },
                { value: "exposure", label: "Exposure" },
              ]}
              onChange={(next) => setPanel(PANELS.find((one) => one === next) ?? "set-up")}
            />
            {changed > 0 && (
              <Button
                tone="quiet"
                hint="x"
                className="-mr-3 px-2!"
                aria-label="Back to chart"
                title="Back to chart"
                onClick={() => act({ do: "as-charted" })}
              >
                ↺
              </Button>
            )}
          </div>
          {panel === "set-up" ? (
            <SetupPanel room={room} state={state} stop={now} act={act} answer={answer} unit={unit} />
          ) : panel === "patient" ? (
            <PatientPanel choices={choices.data} state={state} act={act} answer={answer} unit={unit} />
          ) : (
            <ExposurePanel room={room} stop={now} act={act} answer={answer} />
          )}
        </section>
        <section aria-label="Technique" aria-live="polite" className="flex min-w-0 flex-col">
          {technique.isError ? (
            <div className="p-5">
              <Refusal error={technique.error} />
              <p className="mt-3 text-ink-2">No technique is shown for this set-up.</p>
            </div>
          ) : !answer ? (
            <div className="p-5">
              <Waiting what="the technique" />
            </div>
          ) : (
            <>
              {!measured && (
                <p
                  className="border-b border-rule bg-beam-soft px-5 py-1 text-ink"
                  data-testid="not-measured"
                >
                  {answer.thickness.said} Type or drag the thickness.
                </p>
              )}
              <Numbers
                answer={answer}
                projection={projection}
                unit={unit}
                measured={measured}
                filter={filterOf(room, answer.technique.filter)}
                stale={technique.isPlaceholderData}
              />
              <Cautions answer={answer} act={act} />
              <Forecast answer={answer} unit={unit} />
            </>
          )}
        </section>
        <aside aria-label="Reasons and choices" className="border-l border-rule px-5 pt-1 pb-3">
          <div className="mb-1 flex items-start justify-between gap-2">
            <Segmented
              label="Beside the numbers"
              className="shrink-0"
              value={beside}
              options={[
                { value: "ladder", label: "Steps" },
                { value: "picture", label: "Picture" },
                { value: "what-if", label: "What if" },
              ]}
              onChange={(next) => setBeside(BESIDES.find((one) => one === next) ?? "ladder")}
            />
            {beside === "ladder" && (
              <Select
                label="Calculated by"
                value={state.school ?? room.school ?? "rules"}
                options={[
                  { value: "rules", label: "Rules" },
                  { value: "model", label: "Physics model" },
                ]}
                onChange={(next) => act({ do: "school", school: next === "model" ? "model" : "rules" })}
                className="w-24 xl:w-28 2xl:w-36"
              />
            )}
          </div>
          {beside === "ladder" ? (
            answer && (
              <>
                <Steps answer={answer} />
                <p className="mt-2 text-note text-ink-3">
                  Chart version {answer.chart.version}, calculated by{" "}
                  {METHOD[state.school ?? room.school ?? "model"]}.
                </p>
              </>
            )
          ) : beside === "picture" ? (
            answer && <Picture answer={answer} unit={unit} act={act} />
          ) : (
            <WhatIf
              request={request}
              room={room}
              unit={unit}
              reference={usualLevel(answer?.forecast.levels ?? [])?.value ?? null}
              act={act}
            />
          )}
        </aside>
      </div>
      <Judge
        key={now.key}
        room={room}
        projection={projection}
        projections={projections}
        request={request}
        answer={answer}
        choices={choices.data}
        measured={now.thickness_cm !== null || measured}
        study={state.study}
        onDone={() => act({ do: "mark", at: state.at, status: "done" })}
        onNext={later[0] === undefined ? null : () => act({ do: "go", to: later[0] as number })}
      />
    </div>
  );
}

/** What the caution cites that says both methods' techniques: the other one is one press away. */
const METHODS_PART = "methods part";

function Cautions({ answer, act }: { answer: TechniqueResponse; act: Act }) {
  if (answer.cautions.length === 0) return null;
  return (
    <ul aria-label="Cautions" className="border-t border-rule px-5 py-2">
      {answer.cautions.map((caution) => (
        <li key={caution.text} className="flex gap-2 py-0.5">
          <b className={`shrink-0 ${caution.level === "warning" ? "text-warn" : "text-ink-3"}`}>
            {caution.level === "warning" ? "Check" : "Note"}
          </b>
          <span>{caution.text}</span>
          {caution.cites === METHODS_PART && (
            <Button
              tone="quiet"
              className="-my-1 ml-auto shrink-0"
              onClick={() => act({ do: "school", school: "model" })}
            >
              Take the model&apos;s
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
