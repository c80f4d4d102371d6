import type { TechniqueResponse } from "../../api/queries";
import { figure, signed, trimmed } from "../../ui/units";
import { METHOD } from "../../ui/words";
import { Said } from "../../ui/Said";

type Step = TechniqueResponse["steps"][number];

/** How the numbers came about: the chart's own at the top, one rung for each thing that differs. */
export function Steps({ answer }: { answer: TechniqueResponse }) {
  return (
    <ol className="relative ml-2 border-l-2 border-rule-strong" aria-label="How the numbers came about">
      {answer.steps.map((step, i) => {
        const kvpMoved = step.kvp_after !== step.kvp_before;
        const first = i === 0;
        return (
          <li key={`${step.name}${i}`} className="relative py-1 pl-4">
            <span
              aria-hidden
              className={`absolute top-[0.95rem] -left-[7px] h-0.5 w-4 ${first ? "bg-ink" : "bg-ink-3"}`}
            />
            <div className="flex items-baseline justify-between gap-3">
              <span className={first ? "font-semibold" : ""}>{step.name}</span>
              <span className="whitespace-nowrap">
                {!first && (
                  <span className="mr-3 font-semibold text-ink">
                    {step.factor === 1 && kvpMoved
                      ? `${signed(step.kvp_after - step.kvp_before)} kVp`
                      : `×${step.factor.toFixed(2)}`}
                  </span>
                )}
                <span className={kvpMoved ? "font-semibold" : "text-ink-2"}>
                  {trimmed(step.kvp_after, 1)}
                </span>
                <span className="text-ink-3"> kVp </span>
                <span className="font-semibold">{figure(step.mas_after)}</span>
                <span className="text-ink-3"> mAs</span>
              </span>
            </div>
            <p className="text-note text-ink-3">
              <Said>{step.why}</Said>
            </p>
            <OtherMethod step={step} />
          </li>
        );
      })}
    </ol>
  );
}

/** What the other school says, shown only where the two differ by over 10 %. */
function OtherMethod({ step }: { step: Step }) {
  if (!step.apart || step.other_school == null || step.other_factor == null) return null;
  return (
    <p className="text-note text-warn">
      <b className="font-semibold">Methods disagree.</b> {step.other_school === "model" ? "The" : "By"}{" "}
      {METHOD[step.other_school]}
      {step.other_school === "model" ? " says" : ""} ×{step.other_factor.toFixed(2)} here.
    </p>
  );
}
