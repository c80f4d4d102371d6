import { type Compared, useNews, useRead } from "../../api/bench";
import { type Room, useProjections } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { Said } from "../../ui/Said";
import { figure } from "../../ui/units";
import { date, projectionName, SUPPORT } from "../../ui/words";

/** What changed with the room's chart since the version that this person last read: shown until they say that they have. */
export function ChartNews({ room }: { room: Room }) {
  const news = useNews(room.id);
  const read = useRead();
  const projections = useProjections();
  if (!news.data?.asked) return null;
  const { chart, version, approved_at, approver, since_version, changes } = news.data;
  const name = (one: Compared) => {
    const line = one.after ?? one.before;
    const id = line?.projection ?? "";
    const found = projections.data?.find((each) => each.id === id);
    return `${projectionName(found, id)}, ${line ? SUPPORT[line.support] : ""}`;
  };
  return (
    <section aria-label="New in the chart" className="mt-6 border-l-4 border-ink pl-4">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <p className="min-w-0 flex-1">
          <b>
            {changes.length} {changes.length === 1 ? "line" : "lines"} of {room.name} changed
          </b>{" "}
          with version {version}, approved by {approver} on {date(approved_at)}, since version {since_version}
          .
        </p>
        <Button disabled={read.isPending} onClick={() => read.mutate(chart)}>
          I have read it
        </Button>
      </div>
      <ul className="mt-1 max-h-64 overflow-y-auto text-note" tabIndex={0} aria-label="Lines that changed">
        {changes.map((one, i) => (
          <li key={i} className="border-t border-rule py-1">
            <b>{name(one)}</b> <Change of={one} />
          </li>
        ))}
      </ul>
      {read.isError && <Refusal error={read.error} />}
    </section>
  );
}

/** Changes of the rule's own kVp and mAs: the numbers of the average patient say them. */
const OWN_NUMBERS = /^[\d.]+ to [\d.]+ (kVp|mAs)$/;

/** What happened to a line, for the average patient where it has an answer. */
function Change({ of }: { of: Compared }) {
  const size = of.sizes.find((one) => one.who === "average") ?? of.sizes[0];
  const shown = (pair: readonly number[] | null | undefined) =>
    pair ? `${figure(pair[0] ?? 0)} kVp ${figure(pair[1] ?? 0)} mAs` : "";
  if (of.change === "added") return <span className="text-ink-2">new: {shown(size?.after)}</span>;
  if (of.change === "removed") return <span className="text-ink-2">no longer in the chart</span>;
  const both = size?.before && size.after;
  const what = both ? of.what.filter((one) => !OWN_NUMBERS.test(one)) : of.what;
  return (
    <span className="text-ink-2">
      {both && (
        <>
          {size.who} patient {shown(size.before)}, now <b className="text-ink">{shown(size.after)}</b>
        </>
      )}
      {what.length > 0 && (
        <>
          {both && "; "}
          <Said>{what.join(", ")}</Said>
        </>
      )}
    </span>
  );
}
