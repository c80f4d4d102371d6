import { type Exam, useDemo, useExamOfProcedure, useMay, useWorklist, type Waiting } from "../../api/queries";
import { Refusal } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { clock } from "../../ui/words";
import { type Act } from "../useDesk";

/** The worklist: the requests that wait. A procedure that nobody named an exam for yet is asked about once. */
export function Worklist({ exams, act, close }: { exams: Exam[]; act: Act; close?: () => void }) {
  const list = useWorklist(true);
  const { data: demo } = useDemo();
  const simulated = demo && !list.data?.some((one) => one.procedure);
  return (
    <div className="px-1 py-1">
      <p className="px-2 pb-1 text-note text-ink-3">
        Waiting{simulated ? " (simulated worklist)" : ""}. Or type: chest, knee lat, towne…
      </p>
      {list.isError && <Refusal error={list.error} className="m-2" />}
      {list.data?.length === 0 && <p className="px-2 py-2 text-ink-2">Nobody waits.</p>}
      <ul>
        {list.data?.map((one) => {
          const exam = exams.find((other) => other.id === one.exam);
          if (!exam) return one.procedure ? <Unnamed key={one.study_key} one={one} exams={exams} /> : null;
          return (
            <li key={one.study_key}>
              <button
                type="button"
                onPointerDown={(event) => event.preventDefault()}
                onClick={() => {
                  act({
                    do: "exam",
                    exam,
                    study: {
                      key: one.study_key,
                      question: one.question,
                      side: one.side,
                      digit: one.digit,
                      ...(one.age_band ? { age_band: one.age_band } : {}),
                      ...(one.cast ? { cast: one.cast } : {}),
                      ...(one.weight_kg ? { weight_kg: one.weight_kg } : {}),
                      ...(one.done?.length ? { done: [...one.done] } : {}),
                    },
                  });
                  close?.();
                }}
                className="flex min-h-11 w-full items-center gap-3 rounded-xs px-2 text-left hover:bg-sunken"
              >
                <span className="w-14 shrink-0 text-note text-ink-3">{when(one)}</span>
                <span className="min-w-0 flex-1 truncate">
                  {exam.name}
                  {one.side && `, ${one.side}`}
                  {one.weight_kg && `, ${one.weight_kg} kg`}
                  {one.question && <span className="text-ink-3"> · {one.question}</span>}
                </span>
                {one.done && one.done.length > 0 && one.due && (
                  <span className="shrink-0 font-semibold text-warn">
                    {one.due.length} {one.due.length === 1 ? "view" : "views"} due
                  </span>
                )}
                <span className="shrink-0 text-note text-ink-3">{one.arrives}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

const when = (one: Waiting) => (one.scheduled_at ? clock(one.scheduled_at) : one.study_key);

/** A request whose procedure is no exam yet: said once, it is remembered for all of its kind. */
function Unnamed({ one, exams }: { one: Waiting; exams: Exam[] }) {
  const name = useExamOfProcedure();
  const may = useMay("technologist", "keeper", "physicist");
  return (
    <li className="flex min-h-11 items-center gap-3 px-2">
      <span className="w-14 shrink-0 text-note text-ink-3">{when(one)}</span>
      <span className="min-w-0 flex-1 truncate">
        {one.words || "no word of the field"}
        {one.side && `, ${one.side}`}
        <span className="text-ink-3"> · which exam is that?</span>
      </span>
      {may && (
        <Select
          label="Exam of this procedure"
          className="w-48"
          value=""
          options={exams.map((exam) => ({ value: exam.id, label: exam.name }))}
          onChange={(exam) => name.mutate({ procedure: one.procedure, exam })}
        />
      )}
    </li>
  );
}
