import { Popover } from "radix-ui";
import { useState } from "react";

import type { Projection } from "../../api/queries";
import { useExposures, useSession, useUndo } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { signed } from "../../ui/units";
import { moment, projectionName } from "../../ui/words";

const RECENT = 5;

/** One's own last records at this room, to be taken back by name; never what somebody else recorded. */
export function OwnRecords({ room, projections }: { room: string; projections: Projection[] }) {
  const { data: session } = useSession();
  const me = session?.person?.id;
  const mine = useExposures(me ? { room, recorded_by: me } : null, RECENT).data ?? [];
  const undo = useUndo();
  const [asked, setAsked] = useState<number | null>(null);
  const named = (id: string) =>
    projectionName(
      projections.find((one) => one.id === id),
      id,
    );
  const last = mine[0];
  if (!me || !last) return null;
  return (
    <div className="flex min-w-0 items-center gap-2 text-note text-ink-2">
      <span className="min-w-0 truncate">
        Your last record: {named(last.projection)}
        {last.di != null && `, DI ${signed(last.di)}`}, {last.outcome}
      </span>
      <Popover.Root onOpenChange={() => setAsked(null)}>
        <Popover.Trigger className="min-h-touch shrink-0 px-2 underline decoration-rule-strong underline-offset-2 hover:text-ink">
          Take back…
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="end"
            sideOffset={6}
            aria-label="Your last records"
            className="z-50 w-[26rem] max-w-[92vw] rounded-sm border border-rule-strong bg-raised p-3 shadow-lg"
          >
            <h2 className="text-body">What you recorded last</h2>
            <ul>
              {mine.map((one) => (
                <li key={one.id} className="flex min-h-11 items-center gap-2 border-t border-rule">
                  <span className="min-w-0 flex-1">
                    {named(one.projection)}, {one.kvp} kVp {one.mas} mAs
                    {one.di != null && `, DI ${signed(one.di)}`}, {one.outcome}
                    <span className="text-ink-3"> · {moment(one.taken_at)}</span>
                  </span>
                  {asked === one.id ? (
                    <Button
                      tone="danger"
                      disabled={undo.isPending}
                      onClick={() => undo.mutate({ id: one.id })}
                    >
                      Yes, take it back
                    </Button>
                  ) : (
                    <Button onClick={() => setAsked(one.id)}>Take back</Button>
                  )}
                </li>
              ))}
            </ul>
            <p className="mt-2 text-note text-ink-3">
              It stays in the history, marked. What somebody else recorded is taken back in the Log.
            </p>
            {undo.isError && <Refusal error={undo.error} className="mt-2" />}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}
