import { Popover } from "radix-ui";

import { Key } from "../ui/Button";
import type { Act, DeskState } from "./useDesk";

/** The department's pre-exposure checks: a short list, ticked once for the patient; it never stands in the way. */
export function Checks({ checks, state, act }: { checks: string[]; state: DeskState; act: Act }) {
  const done = checks.filter((text) => state.checked.includes(text)).length;
  if (checks.length === 0) return null;
  return (
    <Popover.Root>
      <Popover.Trigger
        id="checks"
        className={`mr-1 flex min-h-10 items-center gap-1.5 px-2 ${done === checks.length ? "text-good" : "text-ink-2 hover:text-ink"}`}
      >
        Checks{" "}
        <b className="font-semibold">
          {done}/{checks.length}
        </b>
        <Key>v</Key>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Before exposing"
          className="z-50 w-96 rounded-sm border border-rule-strong bg-raised p-2 shadow-lg"
        >
          {checks.map((text) => (
            <label key={text} className="flex min-h-10 items-center gap-3 rounded-xs px-2 hover:bg-beam-soft">
              <input
                type="checkbox"
                className="size-5 accent-(--beam)"
                checked={state.checked.includes(text)}
                onChange={() => act({ do: "check", text })}
              />
              {text}
            </label>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
