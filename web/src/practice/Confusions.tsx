import { useConfusions } from "../api/practice";

/** What was taken for what in critiques. */
export function Confusions() {
  const { data } = useConfusions(true);
  const missed = Object.entries(data ?? {}).flatMap(([right, row]) =>
    Object.entries(row)
      .filter(([given]) => given !== right)
      .map(([given, times]) => ({ right, given, times })),
  );
  if (missed.length === 0) return null;
  return (
    <section aria-label="What you took for what" className="mt-8 max-w-3xl">
      <h2 className="font-semibold">What you took for what</h2>
      <table className="mt-1 w-full">
        <thead className="text-left text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="font-normal">It was</th>
            <th className="font-normal">You said</th>
            <th className="text-right font-normal">Times</th>
          </tr>
        </thead>
        <tbody>
          {missed.map((one) => (
            <tr key={`${one.right} ${one.given}`} className="border-b border-rule">
              <td className="py-1.5 pr-4">{one.right}</td>
              <td className="pr-4">{one.given}</td>
              <td className="text-right">{one.times}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
