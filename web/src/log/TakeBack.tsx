import { Popover } from "radix-ui";
import { useState } from "react";

import { type Exposure, useMay, useSession, useUndo } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { TextField } from "../ui/TextField";

/** Takes a record back: one's own; somebody else's as a chart keeper or physicist, with a reason. Shown to who may. */
export function TakeBack({ exposure, name }: { exposure: Exposure; name: string }) {
  const { data: session } = useSession();
  const mayOthers = useMay("keeper", "physicist");
  const undo = useUndo();
  const [why, setWhy] = useState("");
  const own = session?.person !== undefined && session?.person?.id === exposure.recorded_by;
  if (!own && !mayOthers) return null;
  return (
    <Popover.Root onOpenChange={() => undo.reset()}>
      <Popover.Trigger
        aria-label={`Take back: ${name}`}
        className="min-h-touch px-2 text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink"
      >
        Take back…
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label="Take back"
          className="z-50 flex w-80 flex-col gap-2 rounded-sm border border-rule-strong bg-raised p-3 shadow-lg"
        >
          <p>
            Take back {name}
            {own ? ", which you recorded" : exposure.recorded_by && `, recorded by ${exposure.recorded_by}`}?
            It stays in the history, marked.
          </p>
          {!own && <TextField live id={`why-${exposure.id}`} label="Why" value={why} onChange={setWhy} />}
          <Button
            tone="danger"
            disabled={undo.isPending || (!own && !why.trim())}
            onClick={() => undo.mutate({ id: exposure.id, why })}
          >
            Yes, take it back
          </Button>
          {undo.isError && <Refusal error={undo.error} />}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
