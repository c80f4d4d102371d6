import { useOffLines, useCorrectedDraft } from "../../api/bench";
import { type Chart, type Projection, useMay } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { signed } from "../../ui/units";
import { date, projectionName } from "../../ui/words";

/** What a calibration of the room left to correct in this version, and the one draft that does it. */
export function OffSinceCalibration({
  chart,
  projections,
  onDrafted,
}: {
  chart: Chart;
  projections: ReadonlyMap<string, Projection>;
  onDrafted: (draft: Chart) => void;
}) {
  const off = useOffLines(chart.status === "superseded" ? undefined : chart);
  const correct = useCorrectedDraft();
  const mayEdit = useMay("keeper", "physicist");
  const [first] = off.data ?? [];
  if (!off.data || !first) return null;
  const count = off.data.length;
  const name = (id: number) => {
    const line = chart.lines.find((one) => one.id === id);
    return line ? projectionName(projections.get(line.projection), line.projection) : "";
  };
  const corrected = off.data.filter((one) => one.corrected).length;
  const since = off.data.map((one) => one.since).reduce((a, b) => (a < b ? a : b));
  return (
    <section aria-label="Since the calibration" className="border-b border-rule px-5 py-2">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <p className="min-w-0 flex-1">
          <b className="text-warn">
            {count} {count === 1 ? "line" : "lines"} off since {date(since)}.
          </b>{" "}
          The calibration of the room moved their images, most in {name(first.line)}:{" "}
          {signed(first.di_change, 1)} DI.
        </p>
        {mayEdit && corrected > 0 && chart.status !== "proposed" && (
          <Button
            tone="main"
            disabled={correct.isPending}
            onClick={() => correct.mutate(chart.room, { onSuccess: onDrafted })}
          >
            {chart.status === "draft" ? "Correct them in this draft" : "Correct them in a draft"}
          </Button>
        )}
      </div>
      <details className="text-note">
        <summary className="inline-flex min-h-touch cursor-pointer items-center">
          Which, and by how much
        </summary>
        <ul className="max-h-60 overflow-y-auto pb-2">
          {off.data.map((one) => (
            <li key={one.line} className="border-t border-rule py-1">
              <b>{name(one.line)}</b>{" "}
              <span className="text-ink-2">
                {one.why} Dose shown {signed(one.kerma_change_percent, 0)} %.
              </span>
            </li>
          ))}
        </ul>
      </details>
      {correct.isError && <Refusal error={correct.error} className="mt-1" />}
    </section>
  );
}
