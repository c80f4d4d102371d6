import { useRetarget, useTargetChoices } from "../../api/bench";
import { type Chart, type Projection, type Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { figure, signed } from "../../ui/units";
import { projectionName, receptorName } from "../../ui/words";

/** The target index of each view with enough accepted images: what they speak for, and what each choice costs in dose. */
export function Targets({
  chart,
  room,
  projections,
  editable,
}: {
  chart: Chart;
  room: Room;
  projections: ReadonlyMap<string, Projection>;
  editable: boolean;
}) {
  const targets = useTargetChoices(chart);
  const retarget = useRetarget();
  const found = targets.data ?? [];
  if (targets.isError) return <Refusal error={targets.error} />;
  if (found.length === 0) return null;
  return (
    <details className="mt-2 border-y border-rule py-1">
      <summary className="inline-flex min-h-touch cursor-pointer items-center">
        Target index from accepted images: {found.length} {found.length === 1 ? "view has" : "views have"}{" "}
        enough
      </summary>
      <p className="max-w-3xl text-note text-ink-3">
        The lowest index at which images are still accepted without noise costs the patient least.{" "}
        {editable
          ? "A choice changes the lines of the view in this draft, their mAs with it; it is proposed and approved as any other change."
          : "Start a draft to choose another."}
      </p>
      {retarget.isError && <Refusal error={retarget.error} />}
      <ul>
        {found.map((one) => (
          <li key={`${one.projection} ${one.receptor}`} className="border-t border-rule py-2">
            <b className="font-semibold">{projectionName(projections.get(one.projection), one.projection)}</b>{" "}
            <span className="text-ink-2">
              {receptorName(room, one.receptor)}: {one.images} accepted, index {figure(one.median_ei)} in the
              middle, {figure(one.low_ei)} to {figure(one.high_ei)} without the outer fifths; noise noted in{" "}
              {one.noisy}.
            </span>
            <div className="mt-1 flex flex-wrap gap-2">
              {one.choices.map((choice) => {
                const now = choice.ei === one.target_ei;
                return (
                  <Button
                    key={`${choice.says} ${choice.ei}`}
                    className="py-1 text-left leading-tight whitespace-normal!"
                    disabled={!editable || now || retarget.isPending}
                    onClick={() =>
                      retarget.mutate({
                        chart: chart.id,
                        body: {
                          projection: one.projection,
                          receptor: one.receptor,
                          target_ei: choice.ei,
                        },
                      })
                    }
                  >
                    <b>{figure(choice.ei)}</b>{" "}
                    <span className="text-note text-ink-2">
                      {now
                        ? "the target now"
                        : `${choice.says}: dose ${signed(choice.dose_change_percent, 0)} %`}
                      <br />
                      noise in {choice.noisy} of {choice.near} near it
                    </span>
                  </Button>
                );
              })}
            </div>
          </li>
        ))}
      </ul>
    </details>
  );
}
