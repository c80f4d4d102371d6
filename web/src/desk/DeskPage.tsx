import { useMemo, useState } from "react";

import type { Exam, Projection, Room } from "../api/queries";
import { useCharts, useChoices, useExams, useProjections, useTechnique } from "../api/queries";
import { Refused } from "../api/client";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { focusField, useKeys } from "../ui/useKeys";
import { GRID_RATIOS, RULING } from "../ui/words";
import { ExamRail } from "./ExamRail";
import { Forecast } from "./Forecast";
import { Judge } from "./Judge";
import { Ladder } from "./Ladder";
import { Numbers } from "./Numbers";
import { SetupPanel } from "./SetupPanel";
import { ThicknessRuler } from "./ThicknessRuler";
import { useDesk } from "./useDesk";
import { WhatIf } from "./WhatIf";

/** The Desk: exam, projection, measure, set-up, technique, judge, next; in this order on screen. */
export function DeskPage({ room }: { room: Room }) {
  const projections = useProjections();
  const exams = useExams();
  const charts = useCharts(room.id);
  const failed = projections.error ?? exams.error ?? charts.error;
  if (failed) return <Refusal error={failed} className="m-6" />;
  if (!projections.data || !exams.data || !charts.data)
    return (
      <div className="p-6">
        <Waiting what="the chart" />
      </div>
    );
  const approved = charts.data.find((chart) => chart.status === "approved");
  if (!approved)
    return (
      <div className="p-6">
        <Empty title={`${room.name} has no approved chart`}>
          The Desk answers from an approved chart only. Build or import one in Charts, then approve it.
        </Empty>
      </div>
    );
  const charted = new Set(approved.lines.map((line) => line.projection));
  return <Desk room={room} projections={projections.data} exams={exams.data} charted={charted} />;
}

interface Props {
  room: Room;
  projections: Projection[];
  exams: Exam[];
  charted: Set<string>;
}

function firstCharted(exam: Exam, charted: Set<string>): string {
  return exam.projections.find((id) => charted.has(id)) ?? exam.projections[0] ?? "";
}

function Desk({ room, projections, exams, charted }: Props) {
  const { unit } = usePreferences();
  const choices = useChoices();
  const start = useMemo(() => {
    const exam = exams.find((one) => one.projections.some((id) => charted.has(id))) ?? exams[0];
    return { exam: exam?.id ?? "", projection: exam ? firstCharted(exam, charted) : "" };
  }, [exams, charted]);
  const { state, act, projection, request } = useDesk(room, projections, start);
  const technique = useTechnique(request);
  const answer = technique.data;
  const measured = state.thickness_cm !== null;
  const [beside, setBeside] = useState<"ladder" | "what-if">("ladder");

  const order = exams.find((one) => one.id === state.exam)?.projections ?? [];
  const at = order.indexOf(state.projection);
  const go = (to: number) => {
    const id = order[to];
    if (id) act({ do: "projection", projection: id });
  };

  function nextOf<T>(list: T[], now: T | undefined): T | undefined {
    return list[(list.indexOf(now as T) + 1) % list.length];
  }

  useKeys([
    { keys: ["e"], shown: "e", does: "exam", run: () => focusField("exam") },
    { keys: ["["], shown: "[", does: "previous projection", run: () => go(at - 1) },
    { keys: ["]"], shown: "]", does: "next projection", run: () => go(at + 1) },
    {
      keys: ["0", "1", "2", "3", "4", "5", "6", "7", "8", "9"],
      shown: "0 to 9",
      does: "thickness",
      pass: true,
      run: () => focusField("thickness"),
    },
    { keys: ["s"], shown: "s", does: "SID", run: () => focusField("sid") },
    { keys: ["k"], shown: "k", does: "kVp", run: () => focusField("kvp") },
    { keys: ["m"], shown: "m", does: "mAs", run: () => focusField("mas") },
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
      run: () => setBeside(beside === "ladder" ? "what-if" : "ladder"),
    },
    { keys: ["x"], shown: "x", does: "back to chart", run: () => act({ do: "as-charted" }) },
  ]);

  if (!projection || !request) return <Empty title="The catalogue is empty" />;
  const refused = technique.error instanceof Refused;
  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Desk</h1>
      <ExamRail
        exams={exams}
        projections={projections}
        exam={state.exam}
        projection={state.projection}
        charted={charted}
        onExam={(exam) => act({ do: "exam", exam: exam.id, projection: firstCharted(exam, charted) })}
        onProjection={(id) => act({ do: "projection", projection: id })}
      />
      <p className="px-5 pt-2 text-note text-ink-3">
        <b className="font-semibold text-ink">
          {projection.exam} {projection.name}
        </b>{" "}
        · Measure: {projection.measure} · Central ray: {projection.central_ray} · Tube:{" "}
        {projection.tube_angle} · {projection.breathing}
      </p>
      <ThicknessRuler
        projection={projection}
        range={answer?.chart.line.projection === projection.id ? answer.chart.line.range_cm : null}
        unit={unit}
        value={state.thickness_cm}
        onChange={(cm) => act({ do: "thickness", cm })}
        refused={refused}
      />
      <div className="grid flex-1 grid-cols-[17rem_minmax(0,1fr)_19rem] xl:grid-cols-[18.5rem_minmax(0,1fr)_23rem] 2xl:grid-cols-[22rem_minmax(0,1fr)_30rem]">
        <SetupPanel room={room} choices={choices.data} state={state} act={act} answer={answer} unit={unit} />
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
                <p className="border-b border-rule bg-beam-soft px-5 py-1 text-ink">
                  Average adult, <b>not measured</b>. Type or drag the thickness.
                </p>
              )}
              <Numbers
                answer={answer}
                projection={projection}
                unit={unit}
                measured={measured}
                stale={technique.isPlaceholderData}
              />
              <Cautions answer={answer} />
              <Forecast forecast={answer.forecast} unit={unit} />
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
                { value: "ladder", label: "Ladder" },
                { value: "what-if", label: "What if" },
              ]}
              onChange={(next) => setBeside(next === "what-if" ? "what-if" : "ladder")}
            />
            {beside === "ladder" && (
              <Select
                label="Ruled by"
                value={state.school ?? room.school ?? "rules"}
                options={[
                  { value: "rules", label: "Rules" },
                  { value: "model", label: "Beam model" },
                ]}
                onChange={(next) => act({ do: "school", school: next === "model" ? "model" : "rules" })}
                className="w-28 xl:w-36"
              />
            )}
          </div>
          {beside === "ladder" ? (
            answer && (
              <>
                <Ladder answer={answer} />
                <p className="mt-2 text-note text-ink-3">
                  Chart version {answer.chart.version}, ruled by the{" "}
                  {RULING[state.school ?? room.school ?? "rules"]}.
                </p>
              </>
            )
          ) : (
            <WhatIf
              request={request}
              unit={unit}
              reference={answer?.forecast.reference_kerma_mgy ?? null}
              act={act}
            />
          )}
        </aside>
      </div>
      <Judge
        key={`${state.exam} ${state.projection}`}
        room={room}
        projection={projection}
        projections={projections}
        request={request}
        answer={answer}
        choices={choices.data}
        measured={measured}
        onNext={at >= 0 && at < order.length - 1 ? () => go(at + 1) : null}
      />
    </div>
  );
}

function Cautions({ answer }: { answer: NonNullable<ReturnType<typeof useTechnique>["data"]> }) {
  if (answer.cautions.length === 0) return null;
  return (
    <ul aria-label="Cautions" className="border-t border-rule px-5 py-2">
      {answer.cautions.map((caution) => (
        <li key={caution.text} className="flex gap-2 py-0.5">
          <b className={`shrink-0 ${caution.level === "warning" ? "text-warn" : "text-ink-3"}`}>
            {caution.level === "warning" ? "Check" : "Note"}
          </b>
          <span>{caution.text}</span>
        </li>
      ))}
    </ul>
  );
}
