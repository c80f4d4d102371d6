import { ToggleGroup } from "radix-ui";

import type { Choices } from "../../api/queries";
import { Button } from "../../ui/Button";
import { figure, trimmed } from "../../ui/units";
import { LooksLike } from "./LooksLike";
import type { Finding, Judging } from "./useJudging";
import { Said } from "../../ui/Said";

interface Props {
  judging: Judging;
  choices: Choices | undefined;
  /** Views of the exam that are only taken where this image calls for them: when, and going there. */
  leads: { key: number; when: string; name: string; go: () => void }[];
  projection: string;
}

/** What is asked of the image, in the field's order, and what follows: what to change, and what to look at first. */
export function Critique({ judging, choices, leads, projection }: Props) {
  const { entry, change, judged } = judging;
  const questions = choices?.questions ?? [];
  return (
    <section aria-label="Image critique">
      <h2 className="mb-1 text-body text-ink-2">Image critique</h2>
      {questions.map(([question, keys]) => (
        <div key={question} className="border-t border-rule py-1.5">
          <h3 className="text-note font-normal text-ink-3">{question}</h3>
          <ToggleGroup.Root
            type="multiple"
            aria-label={question}
            className="flex flex-wrap gap-1"
            value={entry.findings.filter((one) => keys.includes(one))}
            onValueChange={(chosen) => {
              const others = entry.findings.filter((one) => !keys.includes(one));
              change({ findings: [...others, ...(chosen as Finding[])] });
            }}
          >
            {keys.map((id) => (
              <ToggleGroup.Item
                key={id}
                value={id}
                className="min-h-touch rounded-sm border border-rule-strong px-2 text-note text-ink-2 hover:border-ink-2 data-[state=on]:border-ink data-[state=on]:bg-sunken data-[state=on]:font-semibold data-[state=on]:text-ink"
              >
                <span aria-hidden>{entry.findings.includes(id as Finding) ? "✕ " : ""}</span>
                {choices?.findings[id] ?? id}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
        </div>
      ))}
      <LooksLike findings={entry.findings} projection={projection} />
      {leads.length > 0 && (
        <div className="border-t border-rule py-1.5">
          <h3 className="text-note font-normal text-ink-3">Only if this image calls for it</h3>
          {leads.map(({ key, when, name, go }) => (
            <Button key={key} className="mt-1 w-full justify-start!" onClick={go}>
              {when}: {name}
            </Button>
          ))}
        </div>
      )}
      {judged && (
        <div className="border-t border-rule py-1.5" aria-live="polite">
          <p className="text-ink-2">
            <Said>{judged.evaluation.change_why}</Said>
          </p>
          {judged.corrected && judged.evaluation.change !== "none" && (
            <p data-testid="corrected">
              For a repeat or the next patient:{" "}
              <b>
                {trimmed(judged.corrected.kvp, 1)} kVp, {trimmed(judged.corrected.mas, 2)} mAs
              </b>{" "}
              <span className="text-ink-2">
                ({trimmed(judged.corrected.ma, 1)} mA, {trimmed(judged.corrected.time_ms, 2)} ms; exactly{" "}
                {figure(judged.corrected.exact_mas)})
              </span>
            </p>
          )}
          {judged.correction_refused && (
            <p className="text-warn">
              <Said>{judged.correction_refused}</Said>
            </p>
          )}
          {judged.evaluation.check_first.length > 0 && (
            <div className="mt-1 text-ink-2">
              <h3 className="text-body text-ink">Check first</h3>
              <ol className="ml-5 list-decimal">
                {judged.evaluation.check_first.map((text) => (
                  <li key={text}>
                    <Said>{text}</Said>
                  </li>
                ))}
              </ol>
            </div>
          )}
        </div>
      )}
    </section>
  );
}
