import type { Preview } from "../../../api/bench";
import type { Projection } from "../../../api/queries";
import { Finder } from "../../../ui/Finder";
import { Select } from "../../../ui/Select";
import { projectionName } from "../../../ui/words";

type Question = Preview["questions"][number];

/** What the file leaves open, each with what it may mean; the likeliest is named and not taken. */
export function Questions({
  questions,
  projections,
  onAnswer,
}: {
  questions: readonly Question[];
  projections: Projection[];
  onAnswer: (more: Record<string, string>) => void;
}) {
  if (questions.length === 0) return null;
  const open = questions.filter((one) => one.answer == null).length;
  const titled = (id: string) =>
    projectionName(
      projections.find((one) => one.id === id),
      id,
    );
  return (
    <section aria-label="Questions" className="mt-4">
      <h3 className={`font-semibold ${open ? "text-warn" : "text-good"}`}>
        {open ? `${open} ${open === 1 ? "question" : "questions"} open` : "All questions are answered"}
      </h3>
      <ul className="mt-1 border-t border-rule">
        {questions.map((one) => {
          const guess = one.choices.find((choice) => choice.value === one.guess);
          const options = one.choices.map((choice) => ({ value: choice.value, label: choice.label }));
          if (one.answer != null && !options.some((option) => option.value === one.answer))
            options.push({ value: one.answer, label: titled(one.answer) });
          return (
            <li
              key={one.id}
              className="grid items-center gap-x-4 gap-y-1 border-b border-rule py-1.5 lg:grid-cols-[minmax(0,1fr)_17rem_15rem]"
            >
              <span>
                {one.text}{" "}
                {one.rows.length > 0 && (
                  <span className="text-note text-ink-3">
                    {one.rows.length === 1 ? "row" : "rows"} {rows(one.rows)}
                  </span>
                )}
                {one.answer == null && guess && (
                  <span className="block text-note text-ink-2">Likely: {guess.label}</span>
                )}
              </span>
              <Select
                label={one.text}
                value={one.answer ?? ""}
                options={options}
                onChange={(value) => onAnswer({ [one.id]: value })}
              />
              {one.free && (
                <Finder
                  id={`answer-${one.id}`}
                  label="Another projection"
                  shown=""
                  only="projection"
                  onPick={(hit) => onAnswer({ [one.id]: hit.id })}
                />
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

const MOST_ROWS = 6;
const rows = (all: readonly number[]) =>
  all.length > MOST_ROWS
    ? `${all.slice(0, MOST_ROWS).join(", ")} and ${all.length - MOST_ROWS} more`
    : all.join(", ");
