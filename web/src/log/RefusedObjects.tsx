import { useRefusedObjects } from "../api/log";
import { moment } from "../ui/words";

const SHOWN = 20;

/** What the listener refused, for whoever has to mend the machine or its setting; nothing where nothing was. */
export function RefusedObjects() {
  const refused = useRefusedObjects().data ?? [];
  if (refused.length === 0) return null;
  return (
    <section aria-label="Refused by the listener">
      <h2 className="text-lead">Refused by the listener</h2>
      <p className="max-w-prose text-note text-ink-3">
        What machines sent over the network and was not taken: mend it there, then send it again.
      </p>
      <table className="mt-1 w-full text-left">
        <thead className="text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="w-36 py-1 font-normal">Last</th>
            <th className="w-44 font-normal">Caller</th>
            <th className="w-40 font-normal">Address</th>
            <th className="w-16 font-normal">Times</th>
            <th className="font-normal">Why</th>
          </tr>
        </thead>
        <tbody>
          {refused.slice(0, SHOWN).map((one) => (
            <tr key={`${one.at} ${one.caller} ${one.address} ${one.why}`} className="border-b border-rule">
              <td className="py-1 whitespace-nowrap">{moment(one.at)}</td>
              <td className="pr-2">{one.caller || "not said"}</td>
              <td className="pr-2">{one.address}</td>
              <td className="tabular-nums">{one.n}</td>
              <td>{one.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
