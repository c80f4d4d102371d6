import { useRoomHistory } from "../api/queries";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { moment } from "../ui/words";

/** Every change of the room, newest first. */
export function History({ room }: { room: string }) {
  const history = useRoomHistory(room);
  if (history.isError) return <Refusal error={history.error} className="m-5" />;
  if (!history.data)
    return (
      <div className="p-5">
        <Waiting what="the history" />
      </div>
    );
  if (history.data.length === 0)
    return (
      <div className="p-5">
        <Empty title="No change yet" />
      </div>
    );
  return (
    <table className="m-5 w-[min(60rem,95%)] text-left">
      <thead className="text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="py-1 font-normal">When</th>
          <th className="font-normal">Who</th>
          <th className="font-normal">What</th>
        </tr>
      </thead>
      <tbody>
        {history.data.map((change) => (
          <tr key={change.id} className="border-b border-rule align-top">
            <td className="py-1.5 pr-4 whitespace-nowrap">{moment(change.at)}</td>
            <td className="pr-4">{change.actor}</td>
            <td>{PROGRAM[change.action]?.(change.detail) ?? words(change.detail)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What was done with the generator's programs: no change of the room itself. */
const PROGRAM: Record<string, (detail: Record<string, unknown>) => string> = {
  "program.enter": (detail) => `entered a program at the generator, ${String(detail.size)}`,
  "program.check": (detail) => `checked a program at the generator, ${String(detail.size)}`,
};

function words(detail: Record<string, unknown>): string {
  const revision = `revision ${String(detail.revision)}`;
  if (Array.isArray(detail.changed)) return `${revision}: changed ${detail.changed.join(", ") || "nothing"}`;
  if (detail.readings) {
    const { outputs = [], hvls = [], indices = [] } = detail.readings as Record<string, unknown[]>;
    return `${revision}: calibration accepted, ${outputs.length} output, ${hvls.length} HVL and ${indices.length} index readings`;
  }
  if (detail.like) return `${revision}: added, like ${String(detail.like)}`;
  return `${revision}: entered`;
}
