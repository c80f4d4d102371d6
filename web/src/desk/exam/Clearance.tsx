import { Popover } from "radix-ui";
import { useState } from "react";

import { type Room, useClearance } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { TextField } from "../../ui/TextField";
import { type DeskState, type Stop } from "../state";
import { type Act } from "../useDesk";

/** Somebody responsible must have said so before the patient is moved; who and when is kept, nothing is decided here. */
export function Clearance({
  room,
  state,
  stop,
  at,
  act,
}: {
  room: Room;
  state: DeskState;
  stop: Stop;
  at: number;
  act: Act;
}) {
  const [who, setWho] = useState("");
  const [why, setWhy] = useState("");
  const clearance = useClearance();
  const keep = (decision: "cleared" | "not_applicable") =>
    clearance.mutate(
      {
        room: room.id,
        exam: state.exam ?? "single view",
        clearance: stop.clearance ?? "",
        decision,
        decided_by: who,
        why,
        study_key: state.study,
      },
      {
        onSuccess: (kept) => {
          const time = new Date(kept.at ?? Date.now()).toLocaleTimeString("en-GB", { timeStyle: "short" });
          const words = decision === "cleared" ? "Cleared" : "Not applicable";
          act({ do: "clearance", at, recorded: `${words} ${time}, ${who}` });
        },
      },
    );
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={`Clearance: ${stop.clearance}. ${stop.recorded ?? "open"}`}
        title={stop.recorded ?? stop.clearance ?? ""}
        className={`flex min-h-touch items-center gap-1 px-1 text-note ${stop.recorded ? "text-good" : "text-warn"}`}
      >
        <span aria-hidden className="text-lead">
          {stop.recorded ? "◆" : "◇"}
        </span>
        {stop.recorded ? "cleared" : stop.asks || "clearance"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          className="z-50 w-96 rounded-sm border border-rule-strong bg-raised p-4 shadow-lg"
          aria-label="Clearance"
        >
          <h2 className="text-body">{stop.clearance}</h2>
          <p className="mt-1 text-note text-ink-2">
            Only the responsible physician or provider decides. Oakbeam keeps who and when.
          </p>
          {stop.recorded ? (
            <p className="mt-2 text-good">{stop.recorded}</p>
          ) : (
            <div className="mt-3 flex flex-col gap-2">
              <TextField
                live
                id={`clearance-who-${stop.key}`}
                label="Decided by (role or name)"
                value={who}
                onChange={setWho}
              />
              <TextField
                live
                id={`clearance-why-${stop.key}`}
                label="Reason, if it does not apply"
                value={why}
                onChange={setWhy}
              />
              <div className="flex gap-2">
                <Button
                  tone="main"
                  disabled={!who.trim() || clearance.isPending}
                  onClick={() => keep("cleared")}
                >
                  Record clearance
                </Button>
                <Button
                  disabled={!who.trim() || !why.trim() || clearance.isPending}
                  onClick={() => keep("not_applicable")}
                >
                  Does not apply
                </Button>
              </div>
              {clearance.isError && <Refusal error={clearance.error} />}
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
