import { scaleLinear, scaleUtc } from "d3-scale";

import type { Trend as TrendData } from "../api/queries";
import { Days, Levels } from "./axes";

const W = 1200;
const H = 190;
const PAD = { left: 44, right: 92, top: 8, bottom: 22 };
const FRAME = { width: W, pad: PAD, size: 14 };
const BANDS = [
  { from: -0.5, to: 0.5, name: "on target", opacity: 0.3 },
  { from: -1, to: 1, name: "acceptable", opacity: 0.16 },
] as const;

/** DI of each exposure over time against its bands. A reject is a cross, an accepted image a dot. */
export function Trend({ trend }: { trend: TrendData }) {
  const { points } = trend;
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) return null;
  const start = new Date(first.taken_at).getTime();
  const end = Math.max(new Date(last.taken_at).getTime(), start + 3_600_000);
  const x = scaleUtc([start, end], [PAD.left, W - PAD.right]);
  const reach = Math.max(3.2, ...points.map((point) => Math.abs(point.di)));
  const y = scaleLinear([-reach, reach], [H - PAD.bottom, PAD.top]);
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      role="img"
      aria-label={`Deviation index of ${points.length} exposures over time`}
      className="w-full"
    >
      {BANDS.map((band) => (
        <rect
          key={band.name}
          x={PAD.left}
          width={W - PAD.left - PAD.right}
          y={y(band.to)}
          height={y(band.from) - y(band.to)}
          fill="var(--good)"
          opacity={band.opacity}
        />
      ))}
      <Levels frame={FRAME} levels={[-3, -1, 0, 1, 3]} y={y} line="var(--rule-strong)" broken={3} />
      {[
        { di: 0, text: "on target" },
        { di: 2, text: "over" },
        { di: -2, text: "under" },
      ].map(({ di, text }) => (
        <text key={text} x={W - PAD.right + 8} y={y(di) + 5} fontSize={14} fill="var(--ink-3)">
          {text}
        </text>
      ))}
      <Days x={x} days={x.ticks(7)} at={H - 4} size={FRAME.size} />
      {points.map((point) => {
        const at = { x: x(new Date(point.taken_at)), y: y(point.di) };
        return point.outcome === "rejected" ? (
          <path
            key={point.id}
            d={`M${at.x - 4} ${at.y - 4} l8 8 m0 -8 l-8 8`}
            stroke="var(--bad)"
            strokeWidth={2}
          />
        ) : (
          <circle key={point.id} cx={at.x} cy={at.y} r={3.2} fill="var(--ink-2)" />
        );
      })}
    </svg>
  );
}
