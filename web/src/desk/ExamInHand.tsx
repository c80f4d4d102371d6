import { useEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";

import type { Exam, Projection, Room, TechniqueResponse } from "../api/queries";
import { useChoices, useCloseRequest, useRunSheet, useTechnique } from "../api/queries";
import { Refused } from "../api/client";
import { useReach } from "../api/reach";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { Pending, usePendingFields } from "../ui/pending";
import { usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { trimmed } from "../ui/units";
import { ThicknessRuler } from "../ui/ThicknessRuler";
import { focusField, useKeys } from "../ui/useKeys";
import { useNarrow } from "../ui/useNarrow";
import { filterOf, GRID_RATIOS, METHOD, usualLevel } from "../ui/words";
import { Checks } from "./exam/Checks";
import { HowTo } from "./exam/HowTo";
import { NoLine } from "./exam/NoLine";
import { Quiet } from "../ui/Quiet";
import { RunSheet } from "./exam/RunSheet";
import { measuredSoFar, personOf, viewOf } from "./request";
import { Bar } from "./review/Bar";
import { Critique } from "./review/Critique";
import { ExposureMade } from "./review/ExposureMade";
import { OwnRecords } from "./review/OwnRecords";
import { useJudging } from "./review/useJudging";
import { ExposurePanel } from "./setup/ExposurePanel";
import { PatientPanel } from "./setup/PatientPanel";
import { Picture } from "./setup/Picture";
import { SetupPanel } from "./setup/SetupPanel";
import {
  changesOf,
  type DeskState,
  isView,
  nextOpen,
  openBefore,
  sideOf,
  standsAsFor,
  toCarryTo,
  type Stop,
} from "./state";
import { Cautions } from "./technique/Cautions";
import { Forecast, MoreFigures } from "./technique/Forecast";
import { Methods } from "./technique/Methods";
import { Numbers } from "./technique/Numbers";
import { Steps } from "./technique/Steps";
import { WhatIf } from "./technique/WhatIf";
import { type Act, useDesk } from "./useDesk";
import { Said } from "../ui/Said";

const PANELS = ["set-up", "patient", "exposure"] as const;
type Panel = (typeof PANELS)[number];

const BESIDES = ["steps", "picture", "what-if", "methods"] as const;
type Beside = (typeof BESIDES)[number];

/** What stands beside the numbers, which stays from view to view. */
export function useOpenPanels() {
  const [panel, setPanel] = useState<Panel>("set-up");
  const [beside, setBeside] = useState<Beside>("steps");
  return { panel, setPanel, beside, setBeside };
}

/** What the hands change on the way to the view in hand, from the one that everything still stands as for. */
function useChanges(room: Room, state: DeskState, now: Stop): string[] {
  const last = standsAsFor(state);
  const sheet = useRunSheet(
    last && {
      room: room.id,
      views: [viewOf(state, last), viewOf(state, now)],
      side: "",
      digit: "",
      patient: personOf(state.patient),
      ...(Object.keys(state.facts).length ? { facts: state.facts } : {}),
      measured: measuredSoFar(state),
    },
  );
  return (last && sheet.data?.steps[1]?.changes.flatMap((one) => one.said || [])) ?? [];
}

/** What has not been done yet that comes before the view in hand. */
const notYet = (one: Stop, now: number) =>
  one.clearance !== null
    ? `Clearance not recorded: ${one.clearance}.`
    : one.wait_until === null
      ? `The wait of ${one.wait_min} min was not started: ${one.note}.`
      : `The wait is not over: ${Math.ceil((one.wait_until - now) / 60_000)} min left.`;

interface Props {
  room: Room;
  projections: Projection[];
  exams: Exam[];
  charted: Set<string>;
  state: DeskState;
  act: Act;
  now: Stop;
  projection: Projection;
  request: NonNullable<ReturnType<typeof useDesk>["request"]>;
  /** What a press would leave behind, which is asked once. */
  asked: ReturnType<typeof useDesk>["asked"];
  stay: () => void;
  panels: ReturnType<typeof useOpenPanels>;
}

/**
 * One view of the exam in hand, in two moments. Before the exposure: measure, set, read. After it the judging stands where the
 * set-up and the reasons stood; numbers and cautions stay where they are. Made anew for each view: nothing typed goes along.
 */
export function ExamInHand({
  room,
  projections,
  exams,
  charted,
  state,
  act,
  now,
  projection,
  request,
  asked: leaves,
  stay,
  panels,
}: Props) {
  const { unit } = usePreferences();
  const { panel, setPanel, beside, setBeside } = panels;
  const choices = useChoices();
  const closeRequest = useCloseRequest();
  const pending = usePendingFields();
  const unsettled = usePendingFields();
  const reach = useReach();
  const technique = useTechnique(request);
  // Numbers belong to what is on screen, or there are none: not while something typed is not in force yet.
  const answer = pending.any || technique.isError ? undefined : technique.data;
  // Which fields there are goes by the last answer for this view: none goes while somebody types into it.
  const [shape, setShape] = useState<TechniqueResponse>();
  if (technique.data && technique.data !== shape) setShape(technique.data);
  const measured = answer ? answer.thickness.source !== "estimated" : now.thickness_cm !== null;
  const changes = useChanges(room, state, now);
  const after = state.exposed === now.key;

  const views = state.stops.flatMap((one, i) => (one.projection ? [i] : []));
  const place = views.indexOf(state.at);
  const go = (to: number) => {
    const stop = views[to];
    if (stop !== undefined) act({ do: "go", to: stop });
  };
  const open = nextOpen(state);
  const next = open === null ? null : () => act({ do: "go", to: open });
  const toField = (panel: Panel, id: string) => {
    // The field is there only after its panel is; the next key typed is already for it.
    flushSync(() => {
      setPanel(panel);
      act({ do: "before" });
    });
    focusField(id);
  };
  const images = now.images ?? projection.exposures;
  const [asked, setAsked] = useState<string[]>([]);
  const judging = useJudging({
    room,
    projection,
    stop: now.key,
    request,
    answer: reach === "here" ? answer : undefined,
    done: now.status === "done",
    unsettled: unsettled.any,
    more: {
      study_key: state.study,
      side: sideOf(state, now),
      attempt: now.attempt,
      held_by: state.held_by,
      note: [...asked, ...(now.setup.sid_guessed ? ["SID not measured."] : [])].join(" "),
    },
    onAccepted: () => act({ do: "accepted", of: images }),
    onRejected: () => act({ do: "rejected" }),
  });
  const done = now.status === "done";
  const recorded = judging.record.data?.exposure.outcome;
  const again = done || !recorded ? null : recorded === "rejected" ? "Another try" : "Next image";
  const expose = () => {
    const moment = Date.now();
    const waiting = openBefore(state, moment).map((one) => notYet(one, moment));
    // Asked once: pressing again goes on without, and the record says so.
    if (waiting.join() !== asked.join()) {
      setAsked(waiting);
      if (waiting.length > 0) return;
    }
    judging.begin();
    act({ do: "exposed" });
  };
  const top = useRef<HTMLElement>(null);
  const narrow = useNarrow();
  // On a small screen the numbers are what stands on top, from the first moment.
  useEffect(() => {
    if (narrow) top.current?.scrollIntoView({ block: "start" });
  }, [narrow, now.key]);

  /** The one after the one in force; of nothing in force there is no next. */
  function nextOf<T>(list: T[], now: T | undefined): T | undefined {
    return list[(list.indexOf(now as T) + 1) % list.length];
  }

  useKeys([
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
        if (answer && support) act({ do: "setup", change: { support, grid_ratio: null } });
      },
    },
    {
      keys: ["g"],
      shown: "g",
      does: "grid",
      run: () => {
        const ratio = nextOf(GRID_RATIOS, answer?.technique.grid_ratio);
        if (answer && ratio !== undefined) act({ do: "setup", change: { grid_ratio: ratio } });
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
        if (answer && receptor) act({ do: "setup", change: { receptor } });
      },
    },
    {
      keys: ["w"],
      shown: "w",
      does: "what if",
      run: () => setBeside(beside === "what-if" ? "steps" : "what-if"),
    },
    {
      keys: ["o"],
      shown: "o",
      does: "methods, one beside the other",
      run: () => setBeside(beside === "methods" ? "steps" : "methods"),
    },
    {
      keys: ["p"],
      shown: "p",
      does: "picture",
      run: () => setBeside(beside === "picture" ? "steps" : "picture"),
    },
    {
      keys: ["t"],
      shown: "t",
      does: "set-up, patient, exposure",
      run: () => setPanel(nextOf([...PANELS], panel) ?? "set-up"),
    },
    { keys: ["v"], shown: "v", does: "checks", run: () => document.getElementById("checks")?.click() },
    { keys: ["x"], shown: "x", does: "back to chart", run: () => act({ do: "as-charted" }) },
    { keys: ["n"], shown: "n", does: "next view", run: () => next?.() },
    {
      keys: ["Enter"],
      shown: "Enter",
      does: "exposed; next view",
      always: true,
      pass: true,
      run: (event) => {
        // On a button or a choice, Enter presses that.
        const on = event.target instanceof HTMLElement && event.target.closest("button, a, [role]");
        if (on && on.id !== "main") return;
        if (!after) expose();
        else if (again) act({ do: "before" });
        else if (done) next?.();
      },
    },
  ]);

  const refused = technique.error instanceof Refused && technique.error.problem.status !== 0;
  const clearance = state.stops
    .slice(0, state.at)
    .filter((one) => one.clearance !== null && one.recorded === null)
    .at(-1);
  const leads = state.stops.flatMap((one, i) =>
    one.when && one.status === "todo" && i !== state.at && isView(one)
      ? {
          key: one.key,
          when: one.when,
          name: projections.find((other) => other.id === one.projection)?.name ?? one.projection ?? "",
          go: () => act({ do: "go", to: i }),
        }
      : [],
  );
  const changed = changesOf(state);
  const toCome = toCarryTo(state);
  const method = state.school ?? room.school ?? "model";
  return (
    <Pending.Provider value={pending.tell}>
      <div className="flex flex-1 flex-col xl:grid xl:h-0 xl:min-h-0 xl:grid-cols-[19rem_minmax(0,1fr)_22rem] xl:grid-rows-[auto_auto_auto_minmax(0,1fr)_auto] 2xl:grid-cols-[22rem_minmax(0,1fr)_30rem]">
        <h1 className="sr-only">
          Desk: {projection.exam} {projection.name}
        </h1>
        <Announced answer={answer} />
        <div className="xl:col-span-3">
          <RunSheet
            room={room}
            exams={exams}
            projections={projections}
            charted={charted}
            state={state}
            act={act}
            checks={<Checks checks={choices.data?.checks ?? []} state={state} act={act} />}
          />
        </div>
        <div className="order-2 xl:order-none xl:col-span-3">
          <ThicknessRuler
            projection={projection}
            range={answer?.chart.line.projection === projection.id ? answer.chart.line.range_cm : null}
            unit={unit}
            value={now.thickness_cm}
            estimate={answer?.thickness.cm ?? null}
            onChange={(cm) => act({ do: "thickness", cm })}
            refused={refused}
          />
        </div>
        <section
          ref={top}
          aria-label="Technique"
          className="sticky top-0 z-20 order-1 min-w-0 border-b border-rule bg-ground xl:static xl:order-none xl:col-start-2 xl:row-start-3"
        >
          {answer && !measured && (
            <p
              className="border-b border-rule bg-raised px-4 py-1 text-ink xl:px-5"
              data-testid="not-measured"
            >
              <Said>{answer.thickness.said}</Said> Type or drag the thickness.
            </p>
          )}
          <Numbers
            answer={answer}
            projection={projection}
            unit={unit}
            machine={room.length_unit ?? "cm"}
            measured={measured}
            filter={answer ? filterOf(room, answer.technique.filter) : null}
            forecast={<Forecast answer={answer} />}
          />
          {technique.isError && technique.error ? (
            <div data-part="cautions" className="border-t border-rule px-5 py-2 xl:min-h-[4.25rem]">
              <Refusal error={technique.error} />
              <p className="text-ink-2">No technique is shown for this set-up.</p>
              {!charted.has(projection.id) && (
                <NoLine {...{ room, projection, projections, act }} at={state.at} />
              )}
            </div>
          ) : (
            <>
              <Cautions answer={answer} act={act} />
              {!answer && <Working />}
            </>
          )}
        </section>
        <section
          aria-label={after ? "Judging" : "Set-up"}
          className="order-3 flex min-h-0 flex-col gap-2 border-rule px-4 pt-1 pb-3 xl:order-none xl:col-start-1 xl:row-span-2 xl:row-start-3 xl:overflow-y-auto xl:border-r xl:px-5"
        >
          {after ? (
            <Pending.Provider value={unsettled.tell}>
              <ExposureMade
                judging={judging}
                answer={answer}
                choices={choices.data}
                state={state}
                act={act}
                onBack={() => act({ do: "before" })}
              />
            </Pending.Provider>
          ) : (
            <>
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
              <p className="-mt-1 text-note text-ink-3" data-testid="state">
                {changed === 0 ? "As charted." : `${changed} ${changed === 1 ? "thing" : "things"} changed.`}{" "}
                {toCome > 0 && (
                  <Quiet onClick={() => act({ do: "same-set-up" })}>
                    Same set-up for the {toCome === 1 ? "next view" : `${toCome} views to come`}
                  </Quiet>
                )}
              </p>
              {panel === "set-up" ? (
                <SetupPanel
                  room={room}
                  state={state}
                  stop={now}
                  act={act}
                  answer={answer}
                  shape={shape}
                  usualFieldCm={projection.field_cm}
                />
              ) : panel === "patient" ? (
                <PatientPanel
                  choices={choices.data}
                  region={projection.region}
                  {...{ state, act, answer, unit }}
                />
              ) : (
                <ExposurePanel room={room} stop={now} act={act} answer={answer} shape={shape} />
              )}
            </>
          )}
        </section>
        <div className="order-4 min-h-0 min-w-0 xl:order-none xl:col-start-2 xl:row-start-4 xl:overflow-y-auto xl:border-t xl:border-rule">
          <HowTo
            {...{ projection, projections, state, act, images, answer, changes, unit }}
            stop={now}
            choices={choices.data}
            openClearance={clearance?.clearance ?? null}
          />
        </div>
        <aside
          aria-label={after ? "Image critique and advice" : "Reasons and choices"}
          className="order-5 min-h-0 border-rule px-4 pt-1 pb-3 xl:order-none xl:col-start-3 xl:row-span-2 xl:row-start-3 xl:overflow-y-auto xl:border-l xl:px-5"
        >
          {after ? (
            <Critique judging={judging} choices={choices.data} leads={leads} projection={projection.id} />
          ) : (
            <>
              <div className="mb-1 flex items-start justify-between gap-2">
                <Segmented
                  label="Beside the numbers"
                  className="shrink-0"
                  value={beside}
                  options={[
                    { value: "steps", label: "Steps" },
                    { value: "picture", label: "Picture" },
                    { value: "what-if", label: "What if" },
                    { value: "methods", label: "Methods" },
                  ]}
                  onChange={(next) => setBeside(BESIDES.find((one) => one === next) ?? "steps")}
                />
              </div>
              {beside === "steps"
                ? answer && (
                    <>
                      <Steps answer={answer} />
                      <div className="mt-2 flex flex-wrap items-center gap-x-2 text-note text-ink-3">
                        Chart version {answer.chart.version}, calculated by
                        <Select
                          label="Calculated by"
                          value={method}
                          options={Object.entries(METHOD).map(([value, label]) => ({ value, label }))}
                          onChange={(next) =>
                            act({ do: "school", school: next === "model" ? "model" : "rules" })
                          }
                          className="w-40"
                        />
                      </div>
                      <MoreFigures answer={answer} unit={unit} />
                    </>
                  )
                : beside === "methods"
                  ? answer && <Methods {...{ request, room, unit, act }} />
                  : beside === "picture"
                    ? answer && (
                        <Picture
                          {...{ answer, unit, act }}
                          projection={projection.id}
                          patient={state.patient}
                          side={sideOf(state, now)}
                          receptor={
                            room.receptors.find((one) => one.id === answer.technique.receptor)?.kind ??
                            "dr_csi"
                          }
                        />
                      )
                    : answer && (
                        <WhatIf
                          request={request}
                          room={room}
                          unit={unit}
                          reference={usualLevel(answer.forecast.levels)?.value ?? null}
                          act={act}
                        />
                      )}
            </>
          )}
        </aside>
        <div className="sticky bottom-0 z-20 order-6 xl:static xl:order-none xl:col-span-3 xl:row-start-5">
          <Bar
            moment={after ? "after" : "before"}
            done={done}
            says={after ? [] : asked.map((one) => `${one} Press again to go on without.`)}
            left={
              leaves && {
                says: leaves.says,
                stay,
                close:
                  leaves.putsAway && state.study !== "" && state.unrecorded === null
                    ? () => closeRequest.mutate(state.study, { onSuccess: () => act({ do: "next-patient" }) })
                    : null,
              }
            }
            onExposed={expose}
            onBack={() => act({ do: "before" })}
            again={again}
            onNext={next}
            onNextPatient={() => act({ do: "next-patient" })}
          >
            <OwnRecords room={room.id} projections={projections} />
          </Bar>
        </div>
      </div>
    </Pending.Provider>
  );
}

const SLOW_MS = 300;

/** A quiet mark, once something has been going on for long enough to be worth a word. */
function Working() {
  const [slow, setSlow] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => setSlow(true), SLOW_MS);
    return () => window.clearTimeout(timer);
  }, []);
  return (
    slow && (
      <p role="status" className="px-5 pb-1 text-note text-ink-3">
        Working…
      </p>
    )
  );
}

/** One sentence to the ear for each new technique, instead of eleven bare numbers. */
function Announced({ answer }: { answer: TechniqueResponse | undefined }) {
  const now = answer?.technique;
  const warning = answer?.cautions.find((one) => one.level === "warning");
  return (
    <p className="sr-only" aria-live="polite" data-testid="said">
      {now &&
        `${trimmed(now.kvp, 1)} kilovolt, ${trimmed(now.mas, 2)} milliampere-seconds${warning ? ", caution: " : ""}`}
      <Said>{now && warning?.text}</Said>
    </p>
  );
}
