import type { Strip as Found } from "../../api/bench";
import { signed } from "../../ui/units";

/** Beyond this a strip is simply full. */
const MOST = 2;

/** A line's expected deviation index over its range: the tolerance as a rail, what leaves it drawn strong. */
export function IndexStrip({
  strip,
  width,
  height,
}: {
  strip: Found | undefined;
  width: number;
  height: number;
}) {
  if (!strip || strip.places_cm.length === 0 || strip.worst_di === null)
    return <span className="text-note text-ink-3">the model has no answer</span>;
  const step = width / strip.exact_di.length;
  const y = (di: number) => ((MOST - Math.max(-MOST, Math.min(MOST, di))) / (2 * MOST)) * height;
  const middle = y(0);
  /** One bar for each place that has a number: from the middle to it, or over the whole height. */
  const bars = (values: (number | "full" | null)[]) =>
    values
      .map((di, i) => {
        if (di === null) return "";
        const top = di === "full" ? 0 : Math.min(y(di), middle);
        const tall = di === "full" ? height : Math.max(0.8, Math.abs(y(di) - middle));
        return `M${(i * step).toFixed(1)} ${top.toFixed(1)}h${(step + 0.3).toFixed(1)}v${tall.toFixed(1)}h${(-step - 0.3).toFixed(1)}z`;
      })
      .join("");
  return (
    <svg
      role="img"
      aria-label={`Expected index over the range: ${strip.level ? "on target" : `off target, to ${signed(strip.worst_di)} DI`}`}
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      className="block"
    >
      <rect x={0} width={width} y={y(1)} height={y(-1) - y(1)} fill="var(--rule)" opacity={0.55} />
      <line x1={0} x2={width} y1={middle} y2={middle} stroke="var(--ink-3)" strokeWidth={0.75} />
      <path d={bars(strip.exact_di.map((di) => (Math.abs(di) > 1 ? null : di)))} fill="var(--ink-2)" />
      <path d={bars(strip.exact_di.map((di) => (Math.abs(di) > 1 ? di : null)))} fill="var(--warn)" />
      <path
        d={bars(strip.station_di.map((di) => (di === null ? "full" : null)))}
        fill="var(--bad)"
        opacity={0.5}
      />
    </svg>
  );
}
