import type { TechniqueResponse } from "../../api/queries";

/** The chambers on the receptor with the field over them, seen from the tube. */
export function Chambers({ answer }: { answer: TechniqueResponse }) {
  const [width, height] = answer.figures.field_cm;
  const span = Math.max(44, width + 2, height + 2);
  const chambers = answer.technique.aec_chambers ?? [];
  const said = chambers
    .filter((one) => one.selected)
    .map((one) => `${one.name} ${one.covered ? "covered" : "not covered"}`)
    .join(", ");
  return (
    <svg
      role="img"
      aria-label={`Chambers under the field: ${said || "none selected"}`}
      viewBox={`${-span / 2} ${-span / 2} ${span} ${span}`}
      className="h-40 w-full"
    >
      <rect
        x={-21.5}
        y={-21.5}
        width={43}
        height={43}
        fill="none"
        stroke="var(--rule-strong)"
        strokeWidth={0.25}
      />
      <rect
        x={-width / 2}
        y={-height / 2}
        width={width}
        height={height}
        fill="var(--beam-soft)"
        opacity={0.8}
        stroke="var(--beam)"
        strokeWidth={0.25}
      />
      {chambers.map((one) => {
        const [x, y] = one.centre_cm;
        const [w, h] = one.size_cm;
        return (
          <g key={one.name}>
            <rect
              x={x - w / 2}
              y={-y - h / 2}
              width={w}
              height={h}
              fill={one.selected ? "var(--beam)" : "none"}
              stroke={one.covered ? "var(--ink)" : "var(--bad)"}
              strokeWidth={0.3}
              strokeDasharray={one.covered ? undefined : "0.8 0.5"}
            />
            <text
              x={x}
              y={-y + 1.1}
              textAnchor="middle"
              fontSize={3.2}
              fill={one.selected ? "var(--on-beam)" : "var(--ink-2)"}
            >
              {one.name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
