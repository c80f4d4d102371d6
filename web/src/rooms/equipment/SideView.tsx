import type { Room } from "../../api/queries";
import type { Unit } from "../../ui/units";
import { SUPPORT } from "../../ui/words";

type Support = Room["supports"][number];

interface Props {
  supports: Support[];
  unit: Unit;
  /** Where the tube clicks into place over a support, and how near and far it goes [cm]. */
  detents: (support: Support) => number[];
  travel: (support: Support) => [number, number] | null;
  /** A length as it is read. */
  read: (cm: number) => string;
}

const ROW = 26;
const NAME = 34;
const FOOT = 8;

/**
 * The supports under each other from the side, one unit a centimetre: the receptor on the left, then the surface that the
 * patient touches, the range that the built-in grid is made for, and the SIDs that the tube reaches with its detents.
 */
export function SideView({ supports, unit, detents, travel, read }: Props) {
  const far = Math.max(
    120,
    ...supports.flatMap((one) => [...(travel(one) ?? []), ...(one.grid?.range_cm ?? [])]),
  );
  const x = (cm: number) => NAME + cm;
  return (
    <figure className="min-w-0">
      <svg
        viewBox={`0 0 ${NAME + far + 8} ${ROW * supports.length + FOOT}`}
        className="block w-full text-[3.6px] max-xl:text-[4.5px]"
        role="img"
        aria-label="Supports from the side, to scale"
      >
        {supports.map((support, i) => {
          const [near, end] = travel(support) ?? [0, 0];
          const middle = ROW * i + ROW / 2;
          const clicks = raised(detents(support).filter((one) => one >= near && one <= end));
          return (
            <g key={support.id}>
              {i > 0 && (
                <line
                  x1={0}
                  x2={NAME + far + 8}
                  y1={ROW * i}
                  y2={ROW * i}
                  className="stroke-rule"
                  strokeWidth={0.2}
                />
              )}
              <text x={0} y={middle + 1} className="fill-ink font-semibold">
                {SUPPORT[support.id]}
              </text>
              <rect x={x(-1.2)} y={middle - 9} width={1.2} height={18} className="fill-ink-2" />
              {support.grid && (
                <>
                  <line
                    x1={x(0.8)}
                    x2={x(0.8)}
                    y1={middle - 9}
                    y2={middle + 9}
                    className="stroke-ink"
                    strokeWidth={0.8}
                    strokeDasharray="0.5 0.7"
                  />
                  <rect
                    x={x(support.grid.range_cm[0])}
                    y={middle + 2.5}
                    width={support.grid.range_cm[1] - support.grid.range_cm[0]}
                    height={5}
                    className="fill-sunken stroke-rule-strong"
                    strokeWidth={0.3}
                  />
                  <line
                    x1={x(support.grid.focal_cm)}
                    x2={x(support.grid.focal_cm)}
                    y1={middle + 2.5}
                    y2={middle + 7.5}
                    className="stroke-ink"
                    strokeWidth={0.5}
                  />
                  <text
                    x={x(support.grid.range_cm[0]) - 1}
                    y={middle + 6}
                    textAnchor="end"
                    className="fill-ink-2"
                  >
                    grid {support.grid.ratio}:1
                  </text>
                </>
              )}
              {support.gap_cm > 0 && (
                <>
                  <line
                    x1={x(support.gap_cm)}
                    x2={x(support.gap_cm)}
                    y1={middle - 10.5}
                    y2={middle + 10.5}
                    className="stroke-ink-2"
                    strokeWidth={0.4}
                  />
                  <text x={x(support.gap_cm) + 1.5} y={middle - 5} className="fill-ink-2">
                    patient&apos;s side, {read(support.gap_cm)} {unit} from the receptor
                  </text>
                </>
              )}
              <line
                x1={x(near)}
                x2={x(end)}
                y1={middle}
                y2={middle}
                className="stroke-ink-2"
                strokeWidth={0.4}
                strokeDasharray={support.sid_range_cm ? undefined : "1.6 1.2"}
              />
              {[near, end].map((one, at) => (
                <line
                  key={at}
                  x1={x(one)}
                  x2={x(one)}
                  y1={middle - 2}
                  y2={middle + 2}
                  className="stroke-ink-2"
                  strokeWidth={0.4}
                />
              ))}
              {clicks.map(({ one, high }) => (
                <g key={one}>
                  <circle cx={x(one)} cy={middle} r={0.9} className="fill-ink" />
                  <text x={x(one)} y={middle - (high ? 7 : 2.5)} textAnchor="middle" className="fill-ink-2">
                    {read(one)}
                  </text>
                </g>
              ))}
            </g>
          );
        })}
      </svg>
      <figcaption className="text-note text-ink-3">
        To scale. Line: SIDs that the tube reaches, dashed where as usual; dots: detents. Box: the SIDs that
        the grid is made for, its focus marked.
      </figcaption>
    </figure>
  );
}

const CLOSE = 7;

/** Detents that stand close by turns higher and lower, so that the number of each can be read. */
function raised(detents: number[]): { one: number; high: boolean }[] {
  let high = false;
  return detents.map((one, i) => {
    high = i > 0 && one - (detents[i - 1] ?? 0) < CLOSE && !high;
    return { one, high };
  });
}
