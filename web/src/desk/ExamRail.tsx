import type { Exam, Projection } from "../api/queries";
import { Key } from "../ui/Button";
import { Select } from "../ui/Select";

interface Props {
  exams: Exam[];
  projections: Projection[];
  exam: string;
  projection: string;
  charted: Set<string>;
  onExam: (exam: Exam) => void;
  onProjection: (id: string) => void;
}

/** The exam and its projections in working order, as stops along a rail. */
export function ExamRail({ exams, projections, exam, projection, charted, onExam, onProjection }: Props) {
  const chosen = exams.find((one) => one.id === exam);
  return (
    <section aria-label="Exam" className="flex items-center gap-5 border-b border-rule px-5 py-2">
      <div className="flex items-center gap-2">
        <Select
          id="exam"
          label="Exam"
          value={exam}
          options={exams.map((one) => ({ value: one.id, label: one.name }))}
          onChange={(id) => {
            const next = exams.find((one) => one.id === id);
            if (next) onExam(next);
          }}
          className="w-44"
        />
        <Key>e</Key>
      </div>
      <ol className="flex min-w-0 items-stretch" aria-label="Projections">
        {chosen?.projections.map((id, i) => {
          const entry = projections.find((one) => one.id === id);
          const current = id === projection;
          return (
            <li key={id} className="flex min-w-0 items-center">
              {i > 0 && <span aria-hidden className="h-px w-5 shrink-0 bg-rule-strong" />}
              <button
                type="button"
                aria-current={current ? "step" : undefined}
                onClick={() => onProjection(id)}
                className={`flex min-h-10 min-w-0 items-center gap-2 border-b-2 px-3 ${current ? "border-beam font-semibold text-ink" : "border-transparent text-ink-2 hover:text-ink"}`}
              >
                <span
                  aria-hidden
                  className={`flex size-5 shrink-0 items-center justify-center rounded-full border text-note ${current ? "border-beam bg-beam text-on-beam" : "border-rule-strong"}`}
                >
                  {i + 1}
                </span>
                <span className="truncate">{entry?.name ?? id}</span>
                {!charted.has(id) && <span className="text-note text-ink-3">(no line)</span>}
              </button>
            </li>
          );
        })}
      </ol>
      <p className="ml-auto hidden max-w-md truncate text-note text-ink-3 xl:block" title={chosen?.why}>
        {chosen?.why}
      </p>
    </section>
  );
}
