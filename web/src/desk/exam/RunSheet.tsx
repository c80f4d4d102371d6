import { Popover } from "radix-ui";
import { type ReactNode, useEffect, useState } from "react";

import type { Exam, Projection, Room } from "../../api/queries";
import { useClearance } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Finder } from "../../ui/Finder";
import { Refusal } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { TextField } from "../../ui/TextField";
import { SaveExam } from "./SaveExam";
import { withoutLine } from "./withoutLine";
import { Worklist } from "./Worklist";
import { type DeskState, type Stop } from "../state";
import { type Act } from "../useDesk";

interface Props {
  room: Room;
  exams: Exam[];
  projections: Projection[];
  charted: Set<string>;
  state: DeskState;
  act: Act;
  checks: ReactNode;
}

const MANY = 5;

/** The exam in hand: its views in working order with clearances and waits between them, as stops along a rail. */
export function RunSheet({ room, exams, projections, charted, state, act, checks }: Props) {
  const [adding, setAdding] = useState(false);
  const exam = exams.find((one) => one.id === state.exam);
  const single = projections.find((one) => one.id === state.stops[0]?.projection);
  const shown = exam?.name ?? (single ? `${single.exam} ${single.name}` : "");
  const open = (id: string) => {
    const next = exams.find((one) => one.id === id);
    if (next) act({ do: "exam", exam: next });
  };
  const now = state.stops[state.at];
  // Many stops need the width: each shows its short name, and what changes the views goes into one place.
  const long = state.stops.length > MANY;
  // The order in hand is no longer the set's own.
  const changed =
    state.stops.map((one) => one.options.join()).join("|") !==
    (exam?.steps ?? []).map((step) => (step.projections ?? []).join()).join("|");
  const changes = (
    <>
      <Button
        tone="quiet"
        className="px-2!"
        onClick={() =>
          act({ do: "mark", at: state.at, status: now?.status === "skipped" ? "todo" : "skipped" })
        }
      >
        {now?.status === "skipped" ? "Restore" : "Skip"}
      </Button>
      <Button tone="quiet" className="px-2!" onClick={() => act({ do: "repeat" })}>
        Repeat
      </Button>
      <Button tone="quiet" className="px-2!" onClick={() => setAdding(true)}>
        Add view
      </Button>
      {(exam === undefined || changed) && <SaveExam state={state} exams={exams} />}
    </>
  );
  return (
    <section
      aria-label="Exam"
      className="flex flex-wrap items-center gap-x-3 border-b border-rule px-4 py-1 xl:flex-nowrap xl:px-5"
    >
      <Finder
        id="exam"
        part="finder"
        label="Exam or view"
        shown={shown}
        hint="e"
        className={`w-full sm:shrink-0 ${long ? "sm:w-44" : "sm:w-52"}`}
        onPick={(hit) => (hit.kind === "exam" ? open(hit.id) : act({ do: "view", projection: hit.id }))}
        mark={withoutLine(exams, charted)}
        idle={(close) => <Worklist exams={exams} act={act} close={close} />}
      />
      <ol
        className="flex min-w-0 flex-1 items-stretch overflow-x-auto"
        aria-label="Run sheet"
        title={state.why}
      >
        {state.stops.map((one, i) => (
          <li
            key={one.key}
            className={`flex items-center ${i === state.at || one.projection === null || long ? "shrink-0" : "min-w-0"}`}
          >
            {i > 0 && (
              <span aria-hidden className={`h-px w-1 shrink-0 bg-rule-strong ${long ? "" : "xl:w-3"}`} />
            )}
            {one.clearance ? (
              <Clearance room={room} state={state} stop={one} at={i} act={act} />
            ) : one.wait_min ? (
              <Wait stop={one} at={i} act={act} />
            ) : (
              <View
                stop={one}
                number={state.stops.slice(0, i + 1).filter((other) => other.projection).length}
                current={i === state.at}
                short={long}
                projections={projections}
                charted={charted}
                go={() => act({ do: "go", to: i })}
              />
            )}
          </li>
        ))}
      </ol>
      {now && now.options.length > 1 && (
        <Select
          label="Method"
          className="w-44 shrink-0"
          value={now.projection ?? ""}
          options={now.options.map((id) => ({
            value: id,
            label: projections.find((one) => one.id === id)?.name ?? id,
          }))}
          onChange={(id) => act({ do: "method", at: state.at, projection: id })}
        />
      )}
      <div className="flex flex-wrap items-center xl:shrink-0 xl:flex-nowrap">
        {checks}
        <Button
          tone="quiet"
          hint="q"
          data-part="next-patient"
          className="px-2!"
          onClick={() => act({ do: "next-patient" })}
        >
          Next patient
        </Button>
        {adding ? (
          <Finder
            id="add-view"
            label="Add a view"
            shown=""
            only="projection"
            className="w-56"
            mark={withoutLine(exams, charted)}
            onPick={(hit) => {
              setAdding(false);
              act({ do: "add", projection: hit.id });
            }}
          />
        ) : long ? (
          <Popover.Root>
            <Popover.Trigger
              aria-label="Change views"
              className="min-h-touch px-2 whitespace-nowrap text-ink-2 hover:text-ink"
            >
              Views …
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                align="end"
                sideOffset={4}
                aria-label="Change views"
                className="z-50 flex flex-col items-start rounded-sm border border-rule-strong bg-raised p-1 shadow-lg"
              >
                {changes}
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        ) : (
          changes
        )}
      </div>
    </section>
  );
}

function View({
  stop,
  number,
  current,
  short,
  projections,
  charted,
  go,
}: {
  stop: Stop;
  number: number;
  current: boolean;
  /** Many stops: each shows its short name; the whole one is read out and shown on hover. */
  short: boolean;
  projections: Projection[];
  charted: Set<string>;
  go: () => void;
}) {
  const entry = projections.find((one) => one.id === stop.projection);
  const name = entry?.name ?? stop.projection ?? "";
  const mark = { todo: String(number), done: "✓", skipped: "–" }[stop.status];
  const missing = stop.projection !== null && !charted.has(stop.projection);
  return (
    <button
      type="button"
      aria-current={current ? "step" : undefined}
      aria-label={`${name}${stop.status === "todo" ? "" : `, ${stop.status}`}${stop.when ? `, only: ${stop.when}` : ""}`}
      title={[name, stop.when && `Only: ${stop.when}.`, stop.note].filter(Boolean).join(" ")}
      onClick={go}
      className={`flex min-h-touch min-w-0 items-center border-b-2 ${short ? "gap-1 px-1" : "gap-1.5 px-1.5"} ${current ? "border-ink font-semibold text-ink" : "border-transparent text-ink-2 hover:text-ink"}`}
    >
      <span
        aria-hidden
        className={`flex size-5 shrink-0 items-center justify-center rounded-full border text-note ${current ? "border-ink bg-ink text-ground" : stop.when && stop.status === "todo" ? "border-dashed border-rule-strong" : "border-rule-strong"}`}
      >
        {mark}
      </span>
      <span className={`truncate ${stop.status === "skipped" ? "line-through" : ""}`}>
        {short ? (entry?.short ?? name) : name}
      </span>
      {missing && <span className="shrink-0 text-note text-ink-3">(no line)</span>}
    </button>
  );
}

/** Somebody responsible must have said so before the patient is moved; who and when is kept, nothing is decided here. */
function Clearance({
  room,
  state,
  stop,
  at,
  act,
}: {
  room: Room;
  state: DeskState;
  stop: Stop;
  at: number;
  act: Act;
}) {
  const [who, setWho] = useState("");
  const [why, setWhy] = useState("");
  const clearance = useClearance();
  const keep = (decision: "cleared" | "not_applicable") =>
    clearance.mutate(
      {
        room: room.id,
        exam: state.exam ?? "single view",
        clearance: stop.clearance ?? "",
        decision,
        decided_by: who,
        why,
        study_key: state.study,
      },
      {
        onSuccess: (kept) => {
          const time = new Date(kept.at ?? Date.now()).toLocaleTimeString("en-GB", { timeStyle: "short" });
          const words = decision === "cleared" ? "Cleared" : "Not applicable";
          act({ do: "clearance", at, recorded: `${words} ${time}, ${who}` });
        },
      },
    );
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={`Clearance: ${stop.clearance}. ${stop.recorded ?? "open"}`}
        title={stop.recorded ?? stop.clearance ?? ""}
        className={`flex min-h-touch items-center gap-1 px-1 text-note ${stop.recorded ? "text-good" : "text-warn"}`}
      >
        <span aria-hidden className="text-lead">
          {stop.recorded ? "◆" : "◇"}
        </span>
        {stop.recorded ? "cleared" : stop.asks || "clearance"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          className="z-50 w-96 rounded-sm border border-rule-strong bg-raised p-4 shadow-lg"
          aria-label="Clearance"
        >
          <h2 className="text-body">{stop.clearance}</h2>
          <p className="mt-1 text-note text-ink-2">
            Only the responsible physician or provider decides. Oakbeam keeps who and when.
          </p>
          {stop.recorded ? (
            <p className="mt-2 text-good">{stop.recorded}</p>
          ) : (
            <div className="mt-3 flex flex-col gap-2">
              <TextField
                live
                id={`clearance-who-${stop.key}`}
                label="Decided by (role or name)"
                value={who}
                onChange={setWho}
              />
              <TextField
                live
                id={`clearance-why-${stop.key}`}
                label="Reason, if it does not apply"
                value={why}
                onChange={setWhy}
              />
              <div className="flex gap-2">
                <Button
                  tone="main"
                  disabled={!who.trim() || clearance.isPending}
                  onClick={() => keep("cleared")}
                >
                  Record clearance
                </Button>
                <Button
                  disabled={!who.trim() || !why.trim() || clearance.isPending}
                  onClick={() => keep("not_applicable")}
                >
                  Does not apply
                </Button>
              </div>
              {clearance.isError && <Refusal error={clearance.error} />}
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const MINUTE = 60_000;

/** A wait that runs while other work goes on. */
function Wait({ stop, at, act }: { stop: Stop; at: number; act: Act }) {
  const [now, setNow] = useState(() => Date.now());
  const left = stop.wait_until === null ? null : stop.wait_until - now;
  useEffect(() => {
    if (stop.wait_until === null) return;
    const timer = window.setInterval(() => setNow(Date.now()), 1000);
    return () => window.clearInterval(timer);
  }, [stop.wait_until]);
  const minutes = stop.wait_min ?? 5;
  const words =
    left === null
      ? `wait ${minutes} min`
      : left > 0
        ? `${Math.floor(left / MINUTE)}:${String(Math.floor((left % MINUTE) / 1000)).padStart(2, "0")} left`
        : "wait over";
  return (
    <button
      type="button"
      title={`${stop.note}. ${left === null ? "Start the timer." : "Press to stop it."}`}
      aria-label={`Wait, ${stop.note}: ${words}`}
      onClick={() => {
        const started = Date.now();
        setNow(started);
        act({ do: "wait", at, until: stop.wait_until === null ? started + minutes * MINUTE : null });
      }}
      className={`min-h-touch shrink-0 px-1.5 text-note whitespace-nowrap ${left === null ? "text-ink-2" : left > 0 ? "text-warn" : "text-good"}`}
    >
      <span aria-hidden>{left === null ? "◔" : left > 0 ? "◑" : "●"}</span> {words}
    </button>
  );
}
