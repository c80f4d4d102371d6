import { Popover } from "radix-ui";
import { useState } from "react";

import { useSetChecks } from "../../api/queries";
import { Button, Key } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { type DeskState } from "../state";
import { type Act } from "../useDesk";

/** The department's pre-exposure checks: a short list, ticked once for the patient; it never stands in the way. */
export function Checks({ checks, state, act }: { checks: string[]; state: DeskState; act: Act }) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = useSetChecks();
  const done = checks.filter((text) => state.checked.includes(text)).length;
  const lines = (draft ?? "").split("\n").map((line) => line.trim());
  return (
    <Popover.Root onOpenChange={() => setDraft(null)}>
      <Popover.Trigger
        id="checks"
        className={`mr-1 flex min-h-touch items-center gap-1.5 px-2 ${done === checks.length ? "text-good" : "text-ink-2 hover:text-ink"}`}
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
          {draft === null ? (
            <>
              {checks.map((text) => (
                <label
                  key={text}
                  className="flex min-h-touch items-center gap-3 rounded-xs px-2 hover:bg-sunken"
                >
                  <input
                    type="checkbox"
                    className="size-5 accent-(--beam)"
                    checked={state.checked.includes(text)}
                    onChange={() => act({ do: "check", text })}
                  />
                  {text}
                </label>
              ))}
              <Button tone="quiet" onClick={() => setDraft(checks.join("\n"))}>
                Change the department’s list
              </Button>
            </>
          ) : (
            <div className="flex flex-col gap-2 p-1">
              <label htmlFor="checks-text" className="label">
                One check on each line, for everybody in the department
              </label>
              <textarea
                id="checks-text"
                rows={8}
                className="rounded-sm border border-rule-strong bg-transparent p-2"
                value={draft}
                onChange={(event) => setDraft(event.currentTarget.value)}
              />
              <div className="flex gap-2">
                <Button
                  tone="main"
                  disabled={keep.isPending}
                  onClick={() =>
                    keep.mutate(
                      lines.filter((line) => line !== ""),
                      { onSuccess: () => setDraft(null) },
                    )
                  }
                >
                  Keep
                </Button>
                <Button tone="quiet" onClick={() => setDraft(null)}>
                  Leave as it was
                </Button>
              </div>
              {keep.isError && <Refusal error={keep.error} />}
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
