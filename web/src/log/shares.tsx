import type { Share } from "../api/log";
import { figure } from "../ui/units";

const percent = (share: number) => (100 * share).toFixed(share < 0.095 || share > 0.905 ? 1 : 0);

/** A share with how sure it is: never a bare percentage. */
export function ShareSaid({ share, few = 5 }: { share: Share | null; few?: number }) {
  if (!share) return <span className="text-ink-3">–</span>;
  if (share.of < few)
    return (
      <span className="text-ink-2">
        {share.part} of {share.of}
      </span>
    );
  return (
    <span className="whitespace-nowrap" title={`${share.part} of ${share.of}; 95 in 100 sure`}>
      {percent(share.share)} %{" "}
      <span className="text-note text-ink-3">
        ({percent(share.low)} to {percent(share.high)})
      </span>
    </span>
  );
}

/** A median with its quartiles. */
export function Middle({
  of,
  shown = figure,
}: {
  of: { n: number; low: number; median: number; high: number } | null;
  shown?: (value: number) => string;
}) {
  if (!of) return <span className="text-ink-3">–</span>;
  return (
    <span className="whitespace-nowrap">
      {shown(of.median)}{" "}
      <span className="text-note text-ink-3">
        ({shown(of.low)} to {shown(of.high)})
      </span>
    </span>
  );
}
