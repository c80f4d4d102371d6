import { type ReactNode, useState } from "react";

import type { Exam, Projection, Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Finder } from "../../ui/Finder";
import { Select } from "../../ui/Select";
import { ChangeViews } from "./ChangeViews";
import { Clearance } from "./Clearance";
import { SaveExam } from "./SaveExam";
import { Wait } from "./Wait";
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
  const images = now?.images ?? projections.find((one) => one.id === now?.projection)?.exposures ?? 1;
  // Many stops need the width: each shows its short name, and what changes the views goes into one place.
  const long = state.stops.length > MANY;
  // The order in hand is no longer the set's own.
  const changed =
    state.stops.map((one) => one.options.join()).join("|") !==
    (exam?.steps ?? []).map((step) => (step.projections ?? []).join()).join("|");
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
        ) : (
          <ChangeViews state={state} act={act} images={images} onAdd={() => setAdding(true)}>
            {(exam === undefined || changed) && <SaveExam state={state} exams={exams} />}
          </ChangeViews>
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
  const tried = stop.attempt > 1 ? `, try ${stop.attempt}` : "";
  const name = `${entry?.name ?? stop.projection ?? ""}${tried}`;
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
      {/* Where many stand side by side, only what was done and what is in hand needs its mark. */}
      {(!short || current || stop.status !== "todo") && (
        <span
          aria-hidden
          className={`flex size-5 shrink-0 items-center justify-center rounded-full border text-note ${current ? "border-ink bg-ink text-ground" : stop.when && stop.status === "todo" ? "border-dashed border-rule-strong" : "border-rule-strong"}`}
        >
          {mark}
        </span>
      )}
      <span className={`truncate ${stop.status === "skipped" ? "line-through" : ""}`}>
        {short ? `${entry?.short ?? stop.projection ?? ""}${tried}${stop.when ? "?" : ""}` : name}
      </span>
      {missing && <span className="shrink-0 text-note text-ink-3">(no line)</span>}
    </button>
  );
}
