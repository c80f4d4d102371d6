import { useAgree, useAgreement } from "../api/bench";
import { Refusal } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { Tick } from "./Tick";

/** Who approves, what may be read by anybody, and how long a console stays signed in. */
export function Agreement() {
  const agreement = useAgreement();
  const agree = useAgree();
  if (!agreement.data) return null;
  const now = agreement.data;
  const set = (changed: Partial<typeof now>) => agree.mutate({ ...now, ...changed });
  return (
    <div className="mt-6">
      <h2 className="text-lead">What the department agreed on</h2>
      <div className="mt-1 flex flex-wrap items-center gap-4">
        <label className="flex items-center">
          <Tick
            label="A chart is approved by another person than its author"
            on={now.another_approves}
            onChange={() => set({ another_approves: !now.another_approves })}
          />
          A chart is approved by another person than its author
        </label>
        <label className="flex items-center">
          <Tick
            label="The log, comments and histories can be read without signing in"
            on={now.open_records}
            onChange={() => set({ open_records: !now.open_records })}
          />
          The log, comments and histories can be read without signing in
        </label>
        <NumberField
          id="idle"
          className="w-56"
          label="A console signs out after"
          unit="min"
          digits={0}
          value={now.idle_minutes}
          onChange={(minutes) => minutes !== null && set({ idle_minutes: Math.round(minutes) })}
        />
      </div>
      {agree.isError && <Refusal error={agree.error} className="mt-2" />}
    </div>
  );
}
