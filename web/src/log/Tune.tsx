import { useState } from "react";
import { Link } from "react-router";

import { type Learned, useLearned, useTune, useWorked } from "../api/log";
import { type Room, useMay, useProjections } from "../api/queries";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { length, signed } from "../ui/units";
import { day, grid, projectionName, SUPPORT } from "../ui/words";
import { ShareSaid } from "./shares";

type Line = Learned["lines"][number];

/** What the images say the chart should be: causes of the room, lines to tune, and whether earlier changes worked. */
export function Tune({ room }: { room: Room }) {
  const learned = useLearned(room.id);
  const worked = useWorked(room.id);
  const tune = useTune(room.id);
  const may = useMay("keeper", "physicist");
  const projections = useProjections().data ?? [];
  const named = (id: string) =>
    projectionName(
      projections.find((one) => one.id === id),
      id,
    );
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  if (learned.isError) return <Refusal error={learned.error} className="m-5" />;
  if (!learned.data)
    return (
      <div className="p-5">
        <Waiting what="what the images say" />
      </div>
    );
  const { causes_said: causes, lines, too_few: few } = learned.data;
  const sure = lines.filter((one) => one.tuning.level_sure || one.tuning.slope_sure);
  const right = lines.length - sure.length;
  const taken = sure.filter((one) => one.to && !left.has(one.key)).map((one) => one.key);
  return (
    <div className="flex flex-col gap-6 px-5 py-4">
      {causes.map((said) => (
        <p key={said} className="max-w-4xl border-l-4 border-warn py-1 pl-3">
          {said}{" "}
          <Link className="underline" to={`/rooms?room=${room.id}`}>
            To the room
          </Link>
        </p>
      ))}
      <section aria-label="Lines to tune" className="flex flex-col gap-3">
        {sure.length === 0 ? (
          <Empty title="No line to change">
            {right > 0
              ? `The images of ${right} lines bear them out.`
              : "From ten reliable images on a line can be told from its images."}
            {few > 0 && ` ${few} ${few === 1 ? "line has" : "lines have"} too few images yet.`}
          </Empty>
        ) : (
          <>
            <p className="max-w-4xl text-ink-2">
              {sure.length} {sure.length === 1 ? "line is" : "lines are"} off by more than chance
              {right > 0 && `; ${right} are borne out by their images`}
              {few > 0 && `; ${few} ${few === 1 ? "has" : "have"} too few images yet`}. A change goes into the
              room’s draft with its evidence, and somebody else approves it.
            </p>
            <table className="w-full">
              <thead className="text-left text-note text-ink-3">
                <tr className="border-b border-rule-strong">
                  <th className="w-10 py-1.5 font-normal">
                    <span className="sr-only">Take</span>
                  </th>
                  <th className="font-normal">Line</th>
                  <th className="font-normal">What its images say, 99 in 100 sure</th>
                  <th className="pr-4 font-normal">Within ±1 now</th>
                  <th className="pr-4 font-normal">and then</th>
                  <th className="font-normal">Dose</th>
                </tr>
              </thead>
              <tbody>
                {sure.map((one) => (
                  <Row
                    key={one.key}
                    one={one}
                    name={named(one.tuning.line.projection)}
                    receptor={
                      room.receptors.find((other) => other.id === one.tuning.line.receptor)?.name ?? ""
                    }
                    taken={one.to !== null && !left.has(one.key)}
                    onTake={() => {
                      const next = new Set(left);
                      if (!next.delete(one.key)) next.add(one.key);
                      setLeft(next);
                    }}
                  />
                ))}
              </tbody>
            </table>
            {may && (
              <div className="flex items-center gap-4">
                <Button
                  tone="main"
                  disabled={taken.length === 0 || tune.isPending}
                  onClick={() => tune.mutate(taken)}
                >
                  {`Put ${taken.length} ${taken.length === 1 ? "line" : "lines"} into the draft`}
                </Button>
                {tune.data && (
                  <p role="status">
                    They stand in{" "}
                    <Link className="underline" to={`/charts?room=${room.id}&chart=${tune.data.id}`}>
                      version {tune.data.version}, a draft
                    </Link>
                    : look at them there, and propose it.
                  </p>
                )}
              </div>
            )}
            {tune.isError && <Refusal error={tune.error} />}
          </>
        )}
      </section>
      {worked.data && worked.data.length > 0 && (
        <section aria-label="Whether it worked">
          <h2 className="label mb-1">Tuned before: did it work?</h2>
          <table className="w-full max-w-5xl">
            <tbody>
              {worked.data.map((one) => (
                <tr key={`${one.version} ${one.key}`} className="border-b border-rule align-top">
                  <td className="py-1.5 pr-4">{named(one.projection)}</td>
                  <td className="py-1.5 pr-4 text-ink-2">
                    version {one.version}, {day(one.approved_at)}
                  </td>
                  <td className={`py-1.5 pr-4 ${one.verdict === "worse" ? "text-bad" : ""}`}>{one.said}</td>
                  <td className="py-1.5 pr-4">
                    <span className="text-note text-ink-3">within ±1: </span>
                    <ShareSaid share={one.before.within} /> <span className="text-ink-3">→</span>{" "}
                    <ShareSaid share={one.after.within} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </div>
  );
}

function Row({
  one,
  name,
  receptor,
  taken,
  onTake,
}: {
  one: Line;
  name: string;
  receptor: string;
  taken: boolean;
  onTake: () => void;
}) {
  const { unit } = usePreferences();
  const { tuning } = one;
  const { line } = tuning;
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-2">
        <input
          type="checkbox"
          aria-label={`Take ${name}`}
          className="h-5 w-5 accent-(--ink)"
          checked={taken}
          disabled={one.to === null}
          onChange={onTake}
        />
      </td>
      <td className="py-2 pr-4">
        {name}
        <span className="block text-note text-ink-3">
          {[
            SUPPORT[line.support],
            grid(line.grid_ratio).toLowerCase(),
            receptor,
            `${length(line.range_cm[0] ?? 0, unit)} to ${length(line.range_cm[1] ?? 0, unit)}`,
          ].join(", ")}
        </span>
      </td>
      <td className="max-w-xl py-2 pr-4">
        {one.said}
        {one.refusal && <span className="block text-note text-warn">{one.refusal}</span>}
      </td>
      <td className="py-2 pr-4">
        <ShareSaid share={tuning.before} />
      </td>
      <td className="py-2 pr-4">
        <ShareSaid share={tuning.after} />
      </td>
      <td className="py-2 whitespace-nowrap">{signed(tuning.mas_percent, 0)} %</td>
    </tr>
  );
}
