import type { Exam } from "../../api/queries";
import { useWorklist } from "../../api/queries";
import { Refusal } from "../../ui/Notice";
import { type Act } from "../useDesk";

/** The simulated worklist: the requests that wait. */
export function Worklist({ exams, act, close }: { exams: Exam[]; act: Act; close?: () => void }) {
  const list = useWorklist(true);
  return (
    <div className="px-1 py-1">
      <p className="px-2 pb-1 text-note text-ink-3">
        Waiting (simulated worklist). Or type: chest, knee lat, towne…
      </p>
      {list.isError && <Refusal error={list.error} className="m-2" />}
      {list.data?.length === 0 && <p className="px-2 py-2 text-ink-2">Nobody waits.</p>}
      <ul>
        {list.data?.map((one) => {
          const exam = exams.find((other) => other.id === one.exam);
          if (!exam) return null;
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
                      age_band: one.age_band,
                      ...(one.cast ? { cast: one.cast } : {}),
                      ...(one.weight_kg ? { weight_kg: one.weight_kg } : {}),
                    },
                  });
                  close?.();
                }}
                className="flex min-h-11 w-full items-center gap-3 rounded-xs px-2 text-left hover:bg-sunken"
              >
                <span className="w-14 shrink-0 text-note text-ink-3">{one.study_key}</span>
                <span className="min-w-0 flex-1 truncate">
                  {exam.name}
                  {one.side && `, ${one.side}`}
                  {one.weight_kg && `, ${one.weight_kg} kg`}
                  <span className="text-ink-3"> · {one.question}</span>
                </span>
                <span className="shrink-0 text-note text-ink-3">{one.arrives}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
