import { length, trimmed, type Unit } from "./units";

/** What is drawn: lengths in cm, the tube's angle toward the head positive. */
export interface View {
  sidCm: number;
  angleDeg: number;
  gapCm: number;
  thicknessCm: number;
  fieldCm: number;
  horizontal: boolean;
  grid: boolean;
  /** Where the ray lands beside the point below the skin mark; left out where nobody works with it. */
  shiftCm?: number;
}

interface Props {
  view: View;
  unit: Unit;
  className?: string;
}

interface Point {
  x: number;
  y: number;
}

const MARGIN_CM = 16;

/**
 * Tube, part, support and receptor from the side, to scale. The receptor lies at the origin and the beam comes from above;
 * for a horizontal beam the whole picture is turned a quarter.
 */
export function SetUpDrawing({ view, unit, className = "" }: Props) {
  const { sidCm, angleDeg: angle, gapCm: gap, thicknessCm: part, fieldCm: along, horizontal: flat } = view;
  const tilt = (angle * Math.PI) / 180;
  // World: x along the part (head to the right), y away from the receptor.
  const focus = { x: -sidCm * Math.sin(tilt), y: sidCm * Math.cos(tilt) };
  const reach = Math.max(along * 0.75, 20);
  const left = Math.min(-reach, focus.x - 8) - 4;
  const right = Math.max(reach, focus.x + 8) + 4;
  const high = sidCm + 8;
  const low = -9;
  // A horizontal beam comes from the left: away from the receptor is to the left.
  const at = (p: Point): Point => (flat ? { x: -p.y, y: -p.x } : { x: p.x, y: -p.y });
  const corners = [at({ x: left, y: low }), at({ x: right, y: high })];
  const box = {
    x: Math.min(...corners.map((p) => p.x)) - (flat ? 2 : MARGIN_CM / 2),
    y: Math.min(...corners.map((p) => p.y)) - 4,
    w: Math.abs((corners[1]?.x ?? 0) - (corners[0]?.x ?? 0)) + (flat ? 4 : MARGIN_CM),
    h: Math.abs((corners[1]?.y ?? 0) - (corners[0]?.y ?? 0)) + 8,
  };
  const scale = Math.max(box.w / 300, box.h / 224);
  const text = 14 * scale;
  const thin = 1 * scale;
  const path = (points: Point[], closed = false) =>
    points
      .map(at)
      .map((p, i) => `${i ? "L" : "M"}${p.x.toFixed(2)} ${p.y.toFixed(2)}`)
      .join(" ") + (closed ? " Z" : "");
  const label = (p: Point, words: string, anchor: "start" | "middle" | "end" = "start", bold = false) => {
    const place = at(p);
    return (
      <text
        x={place.x}
        y={place.y}
        fontSize={text}
        textAnchor={anchor}
        fill={bold ? "var(--ink)" : "var(--ink-2)"}
        fontWeight={bold ? 600 : 400}
      >
        {words}
      </text>
    );
  };
  const top = gap + part;
  const body: Point[] = [];
  const half = reach * 0.95;
  for (let i = 0; i <= 40; i++) {
    const t = Math.PI * (i / 40);
    body.push({ x: -half * Math.cos(t), y: gap + part * Math.sin(t) ** 0.35 });
  }
  const edge = along / 2;
  const said = `Focus ${trimmed(sidCm, 1)} cm along the ray, ${trimmed(angle, 1)} degrees, part ${trimmed(part, 1)} cm, receptor ${trimmed(gap, 1)} cm behind it.`;
  const rayMid = { x: focus.x * 0.6, y: focus.y * 0.6 };
  const shift = view.shiftCm ?? 0;
  return (
    <svg
      role="img"
      aria-label={`Set-up from the side, to scale. ${said}`}
      viewBox={`${box.x} ${box.y} ${box.w} ${box.h}`}
      className={`overflow-visible ${className}`}
    >
      {/* the light: focus to the edges of the field */}
      <path
        d={path([focus, { x: -edge, y: 0 }, { x: edge, y: 0 }], true)}
        fill="var(--beam-soft)"
        opacity={0.45}
      />
      <path d={path(body, true)} fill="var(--raised)" stroke="var(--ink-3)" strokeWidth={thin} />
      <path
        d={path([focus, { x: -edge, y: 0 }])}
        fill="none"
        stroke="var(--rule-strong)"
        strokeWidth={thin}
      />
      <path d={path([focus, { x: edge, y: 0 }])} fill="none" stroke="var(--rule-strong)" strokeWidth={thin} />
      <path
        d={path([focus, { x: 0, y: 0 }])}
        fill="none"
        stroke="var(--beam)"
        strokeWidth={1.6 * thin}
        strokeDasharray={`${6 * thin} ${3 * thin}`}
      />
      {/* table top or front, grid, receptor */}
      {gap > 2 && (
        <path
          d={path([
            { x: left, y: gap },
            { x: right, y: gap },
          ])}
          stroke="var(--ink-3)"
          strokeWidth={2.4 * thin}
        />
      )}
      {view.grid &&
        Array.from({ length: 15 }, (_, i) => -reach + (i * reach) / 7).map((x) => (
          <path
            key={x}
            d={path([
              { x: x * 1.015, y: 2 },
              { x, y: 0.5 },
            ])}
            stroke="var(--ink-2)"
            strokeWidth={thin}
          />
        ))}
      <path
        d={path([
          { x: -reach, y: 0 },
          { x: reach, y: 0 },
        ])}
        stroke="var(--ink)"
        strokeWidth={3 * thin}
      />
      {/* the light on the skin */}
      <path
        d={path([
          { x: -edge + (focus.x + edge) * (top / focus.y), y: top },
          { x: edge + (focus.x - edge) * (top / focus.y), y: top },
        ])}
        stroke="var(--beam)"
        strokeWidth={2.2 * thin}
      />
      <circle cx={at(focus).x} cy={at(focus).y} r={3.2 * scale} fill="var(--beam)" />
      {label(
        { x: rayMid.x + 3 * scale, y: rayMid.y + (flat ? 3 * scale : 0) },
        `SID ${length(sidCm, unit)}`,
        "start",
        true,
      )}
      {/* A tube that leans right has its words to the left, over the beam: to the right they would leave the picture. */}
      {angle !== 0 &&
        label(
          flat
            ? { x: focus.x + 4 * scale, y: focus.y - 8 * scale }
            : focus.x > 0
              ? { x: focus.x - 2 * scale, y: focus.y + 9 * scale }
              : { x: focus.x + 6 * scale, y: focus.y - 4 * scale },
          `${trimmed(Math.abs(angle), 1)}°${flat ? "" : `, focus ${length(focus.y, unit)} up`}`,
          !flat && focus.x > 0 ? "end" : "start",
        )}
      {label(
        flat
          ? { x: half + 5 * scale, y: gap + part / 2 }
          : { x: edge + (half - edge) / 2, y: gap + part / 2 - 4 * scale },
        length(part, unit),
        flat ? "middle" : edge < half * 0.6 ? "middle" : "start",
      )}
      {gap >= 2 &&
        label(
          { x: flat ? -half - 12 * scale : right - 2 * scale, y: gap * 0.1 },
          `gap ${trimmed(gap, 1)}`,
          flat ? "middle" : "start",
        )}
      {shift >= 1 &&
        !flat &&
        label({ x: 0, y: -8 }, `ray lands ${length(shift, unit)} from below the skin mark`, "middle")}
    </svg>
  );
}
