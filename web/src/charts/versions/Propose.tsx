import { useState } from "react";

import { type Edition, useChartCheck, usePropose } from "../../api/bench";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { TextField } from "../../ui/TextField";

/** Hands a draft in. What the chart check calls unusable is mended first, or somebody says why it stands. */
export function Propose({ chart, lines }: { chart: Edition; lines: number }) {
  const check = useChartCheck(chart);
  const propose = usePropose();
  const [reasons, setReasons] = useState<Record<string, string> | null>(null);
  const errors = (check.data ?? []).filter((one) => one.severity === "error");
  const causes = [...new Map(errors.map((one) => [one.rule, one.title]))];
  const given = reasons ?? {};
  const missing = causes.some(([rule]) => !given[rule]?.trim());
  return (
    <>
      <Button
        tone="main"
        disabled={propose.isPending || check.isPending || lines === 0 || (reasons !== null && missing)}
        onClick={() =>
          causes.length > 0 && reasons === null
            ? setReasons({})
            : propose.mutate({
                chart: chart.id,
                reasons: Object.fromEntries(causes.map(([rule]) => [rule, given[rule]?.trim() ?? ""])),
              })
        }
      >
        Propose version {chart.version}
      </Button>
      {reasons !== null && causes.length > 0 && (
        <section aria-label="What stands all the same" className="order-last w-full">
          <p className="text-ink-2">
            The chart check finds what cannot be used. Mend it, or say for each why it stands; the reason goes
            into the history, and the physicist reads it.
          </p>
          <div className="mt-1 grid max-w-3xl gap-2">
            {causes.map(([rule, title]) => (
              <TextField
                key={rule}
                live
                id={`reason-${rule}`}
                label={`${title} (${errors.filter((one) => one.rule === rule).length}): why it stands`}
                value={given[rule] ?? ""}
                onChange={(text) => setReasons({ ...given, [rule]: text })}
              />
            ))}
          </div>
          <Button tone="quiet" onClick={() => setReasons(null)}>
            Leave it a draft
          </Button>
        </section>
      )}
      {propose.isError && <Refusal error={propose.error} className="order-last mt-2 w-full" />}
    </>
  );
}
