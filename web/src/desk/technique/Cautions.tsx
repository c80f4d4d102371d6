import { Popover } from "radix-ui";

import type { TechniqueResponse } from "../../api/queries";
import { Button } from "../../ui/Button";
import { useNarrow } from "../../ui/useNarrow";
import { type Act } from "../useDesk";
import { Said } from "../../ui/Said";

/** What the caution cites that says both methods' techniques: the other one is one press away. */
const METHODS_PART = "methods part";
const NOTES_SHOWN = 1;

type Caution = TechniqueResponse["cautions"][number];

/** Right under the numbers, in a place that is always theirs: warnings first and whole, then a note; the other notes open. */
export function Cautions({ answer, act }: { answer: TechniqueResponse | undefined; act: Act }) {
  const narrow = useNarrow();
  const cautions = answer?.cautions ?? [];
  const warnings = cautions.filter((one) => one.level === "warning");
  const notes = cautions.filter((one) => one.level !== "warning");
  const shown = [...warnings, ...notes.slice(0, Math.max(0, NOTES_SHOWN + 1 - warnings.length))];
  const folded = cautions.filter((one) => !shown.includes(one));
  return (
    <section
      aria-label="Cautions"
      data-part="cautions"
      className="border-t border-rule px-4 py-1 xl:min-h-[4.25rem] xl:px-5"
    >
      <ul>
        {shown.map((one) => (
          <Line key={one.text} caution={one} act={act} />
        ))}
      </ul>
      {folded.length > 0 && (
        <Popover.Root>
          <Popover.Trigger className="min-h-touch text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink xl:min-h-6">
            {folded.length} more {folded.length === 1 ? "note" : "notes"}
          </Popover.Trigger>
          <Popover.Portal>
            {/* Over the set-up, which stands at the left, or below where there is one column; never over the numbers. */}
            <Popover.Content
              side={narrow ? "bottom" : "left"}
              align="start"
              sideOffset={narrow ? 4 : 24}
              aria-label="More notes"
              className="z-50 w-[24rem] max-w-[92vw] rounded-sm border border-rule-strong bg-raised p-3 shadow-lg xl:w-[18rem] 2xl:w-[21rem]"
            >
              <ul>
                {folded.map((one) => (
                  <Line key={one.text} caution={one} act={act} />
                ))}
              </ul>
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
      {answer && cautions.length === 0 && <p className="py-0.5 text-note text-ink-3">No caution.</p>}
    </section>
  );
}

function Line({ caution, act }: { caution: Caution; act: Act }) {
  return (
    <li className="flex items-start gap-2 py-0.5 leading-snug">
      <b className={`shrink-0 ${caution.level === "warning" ? "text-warn" : "text-ink-3"}`}>
        {caution.level === "warning" ? "Check" : "Note"}
      </b>
      <span className="min-w-0">
        <Said>{caution.text}</Said>
      </span>
      {caution.cites === METHODS_PART && (
        <Button
          tone="quiet"
          className="-my-1 ml-auto shrink-0"
          onClick={() => act({ do: "school", school: "model" })}
        >
          Take the model&apos;s
        </Button>
      )}
    </li>
  );
}
