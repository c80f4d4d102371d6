import { useSeries, useWhyOff } from "../api/log";
import { type Room, useProjections } from "../api/queries";
import { useAddress } from "../ui/address";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { Select } from "../ui/Select";
import { projectionName } from "../ui/words";

const CAUSE: Record<string, string> = {
  set: "Set by hand",
  thickness: "Thickness",
  time: "Time",
  build: "Build of patients",
  person: "Who made them",
  shift: "Shift",
  receptor: "Receptor",
  "grid and place": "Grid and place",
  "thickness known by": "How thickness was known",
  SID: "SID",
};

/** Why the images of a view are off: what goes with which share of their spread, in figures and in sentences. */
export function WhyOff({ room }: { room: Room }) {
  const { words, put } = useAddress();
  const series = useSeries(room.id);
  const projections = useProjections().data ?? [];
  const views = [...new Set((series.data ?? []).map((one) => one.projection))];
  const chosen = words.get("projection") ?? views[0] ?? null;
  const why = useWhyOff(room.id, chosen);
  if (series.isError) return <Refusal error={series.error} className="m-5" />;
  if (series.data && views.length === 0)
    return (
      <div className="p-5">
        <Empty title="No image with an index yet">Record some at the Desk, or bring images in.</Empty>
      </div>
    );
  const found = why.data?.explained;
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <Select
        label="View"
        labelled
        className="w-full max-w-md"
        value={chosen ?? ""}
        options={views.map((id) => ({
          value: id,
          label: projectionName(
            projections.find((one) => one.id === id),
            id,
          ),
        }))}
        onChange={(id) => put({ projection: id })}
      />
      {why.isError ? (
        <Refusal error={why.error} />
      ) : !why.data ? (
        <Waiting what="the evidence" />
      ) : !found ? (
        <Empty title="Too few images">
          {why.data.images} images of this view have a reliable index; from 20 on their spread is explained.
        </Empty>
      ) : (
        <div className="grid max-w-5xl gap-8 lg:grid-cols-[1fr_22rem]">
          <ul className="flex flex-col gap-2 text-lead">
            {why.data.sentences.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
          <table className="h-fit w-full">
            <caption className="label pb-1 text-left">Share of the spread</caption>
            <tbody>
              {[
                ...found.parts.map((part) => [CAUSE[part.name] ?? part.name, part.share] as const),
                ["Patients and chance", found.rest] as const,
              ].map(([name, share]) => (
                <tr key={name} className="border-b border-rule">
                  <th className="py-1 pr-3 text-left font-normal text-ink-2">{name}</th>
                  <td className="w-32 py-1">
                    <span aria-hidden className="block h-3 bg-ink-3" style={{ width: `${100 * share}%` }} />
                  </td>
                  <td className="w-14 py-1 text-right">{Math.round(100 * share)} %</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}
