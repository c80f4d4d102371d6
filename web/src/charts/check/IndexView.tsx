import { useState } from "react";

import { lineIn, type Proposal, type Strip as Found, useLevelIt } from "../../api/bench";
import type { Chart, Line, Projection, Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { fromCm, signed, trimmed } from "../../ui/units";
import { usePreferences } from "../../ui/preferences";
import { grid, projectionName, systemWords, supportWords } from "../../ui/words";
import { IndexStrip } from "../editor/IndexStrip";
import { Targets } from "./Targets";
import type { Workbench } from "../editor/useWorkbench";
import { Said } from "../../ui/Said";

interface Props {
  chart: Chart;
  room: Room;
  bench: Workbench;
  strips: Found[] | undefined;
  projections: Map<string, Projection>;
  error: unknown;
}

/** The whole chart as one picture: a strip for each line, thin patients left, thick ones right. */
export function IndexView({ chart, room, bench, strips, projections, error }: Props) {
  const { unit } = usePreferences();
  const levelIt = useLevelIt();
  const [proposals, setProposals] = useState<Proposal[] | null>(null);
  if (error) return <Refusal error={error} className="m-5" />;
  if (!strips)
    return (
      <div className="p-5">
        <Waiting what="the expected index of each line" />
      </div>
    );
  const of = new Map(strips.map((one) => [one.line, one]));
  const off = strips.filter((one) => !one.level);
  const drafted = chart.lines.filter((line) => line.origin === "model" || line.origin === "tests").length;
  const regions = new Map<string, Line[]>();
  for (const line of chart.lines) {
    const region = projections.get(line.projection)?.region ?? "other";
    regions.set(region, [...(regions.get(region) ?? []), line]);
  }
  const propose = (lines: number[] | null) =>
    levelIt.mutate({ chart: chart.id, lines }, { onSuccess: (found) => setProposals(found) });
  const offered = new Map((proposals ?? []).map((one) => [one.id, one]));
  const take = (taken: Proposal[]) => {
    const changes = taken.flatMap((one) =>
      one.line ? [{ line: one.id, revision: one.revision, to: lineIn(one.line), position: null }] : [],
    );
    void bench.send(changes, "levelled").then((done) => {
      if (done) setProposals(null);
    });
  };
  return (
    <section aria-label="EI over thickness" className="px-5 py-3">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <p className="max-w-3xl text-ink-2">
          What deviation index the physics model expects as patients get thicker, each line on target at its
          own thickness. Inside the grey rail an image is acceptable (±1).{" "}
          {off.length === 0
            ? "Every line stays inside."
            : `${off.length} of ${strips.length} lines are off target.`}
          {drafted > 0 &&
            ` ${drafted} of ${chart.lines.length} lines were drafted by this same model: that they are level shows the drafting, not the images.`}
        </p>
        {bench.editable && off.length > 0 && (
          <div className="ml-auto flex gap-2">
            {proposals ? (
              <>
                <Button tone="quiet" onClick={() => setProposals(null)}>
                  Leave them
                </Button>
                <Button
                  tone="main"
                  disabled={proposals.length === 0 || bench.busy}
                  onClick={() => take(proposals)}
                >
                  Apply all {proposals.length}
                </Button>
              </>
            ) : (
              <Button tone="main" disabled={levelIt.isPending} onClick={() => propose(null)}>
                Level it: propose the smallest changes
              </Button>
            )}
          </div>
        )}
      </div>
      {levelIt.isError && <Refusal error={levelIt.error} className="mt-2" />}
      {proposals && (
        <p role="status" className="mt-1 text-note text-ink-2">
          {proposals.length === 0
            ? "Nothing small would help; look at the lines one by one."
            : `${proposals.length} proposals, none kept yet.`}
        </p>
      )}
      <Targets chart={chart} room={room} projections={projections} editable={bench.editable} />
      {[...regions].map(([region, lines]) => (
        <div key={region} className="mt-3">
          <h3 className="border-b border-rule-strong pb-0.5 text-note text-ink-3 first-letter:uppercase">
            {region.replace("_", " ")}
          </h3>
          <ul>
            {lines.map((line) => {
              const strip = line.id == null ? undefined : of.get(line.id);
              const proposal = line.id == null ? undefined : offered.get(line.id);
              return (
                <li
                  key={line.id}
                  className="grid grid-cols-[minmax(0,22rem)_minmax(12rem,1fr)_3rem_minmax(0,16rem)] items-center gap-3 border-b border-rule"
                >
                  <span className="min-w-0 truncate leading-tight">
                    {projectionName(projections.get(line.projection), line.projection)}{" "}
                    <span className="text-note text-ink-3">
                      {supportWords(line.support)}
                      {line.grid_ratio ? `, ${grid(line.grid_ratio)}` : ""}, {systemWords(line.law.name)}
                    </span>
                  </span>
                  <span className="flex items-center gap-2 text-note text-ink-3">
                    <span className="w-8 text-right">{trimmed(fromCm(line.range_cm[0], unit), 1)}</span>
                    <span className="min-w-0 flex-1 [&>svg]:w-full">
                      <IndexStrip strip={strip} width={600} height={22} />
                    </span>
                    <span className="w-12">
                      {trimmed(fromCm(line.range_cm[1], unit), 1)} {unit}
                    </span>
                  </span>
                  <span
                    className={`text-right ${strip && !strip.level ? "font-semibold text-warn" : "text-ink-3"}`}
                  >
                    {strip?.worst_di == null ? "–" : signed(strip.worst_di)}
                  </span>
                  <span className="min-w-0 text-note">
                    {proposal ? (
                      <span className="flex items-center gap-2">
                        <span className="min-w-0">
                          <Said>{proposal.what}</Said>: then <b>{signed(proposal.worst_after_di ?? 0)}</b>
                        </span>
                        <Button className="ml-auto" disabled={bench.busy} onClick={() => take([proposal])}>
                          Apply
                        </Button>
                      </span>
                    ) : (
                      strip?.offset_di != null &&
                      Math.abs(strip.offset_di) > 1 && (
                        <span className="text-ink-3">
                          own number {signed(strip.offset_di)} DI off the room's calibration
                        </span>
                      )
                    )}
                  </span>
                </li>
              );
            })}
          </ul>
        </div>
      ))}
    </section>
  );
}
