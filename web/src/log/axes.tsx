import { signed } from "../ui/units";

interface Frame {
  width: number;
  pad: { left: number; right: number };
  size: number;
}

/** The lines of some levels of DI across a picture, each with its number; zero stands out. */
export function Levels({
  frame: { width, pad, size },
  levels,
  y,
  line = "var(--rule)",
  broken,
}: {
  frame: Frame;
  levels: readonly number[];
  y: (di: number) => number;
  line?: string;
  broken?: number;
}) {
  return levels.map((level) => (
    <g key={level}>
      <line
        x1={pad.left}
        x2={width - pad.right}
        y1={y(level)}
        y2={y(level)}
        stroke={level === 0 ? "var(--ink-3)" : line}
        strokeDasharray={Math.abs(level) === broken ? "4 4" : undefined}
      />
      <text x={pad.left - 8} y={y(level) + 5} textAnchor="end" fontSize={size} fill="var(--ink-2)">
        {signed(level, 0)}
      </text>
    </g>
  ));
}

/** Days under a picture. */
export function Days({
  x,
  days,
  at,
  size,
}: {
  x: (day: Date) => number;
  days: Date[];
  at: number;
  size: number;
}) {
  return days.map((day) => (
    <text key={day.getTime()} x={x(day)} y={at} textAnchor="middle" fontSize={size} fill="var(--ink-3)">
      {day.toLocaleDateString("en-GB", { day: "2-digit", month: "short" })}
    </text>
  ));
}
