import { scaleLinear } from "d3-scale";
import { line as path } from "d3-shape";

import type { Schemas } from "../../api/client";

const W = 360;
const H = 126;
const PAD = { left: 36, right: 12, top: 8, bottom: 42 };

/** How much of the images to expect within ±1 DI, over the number of test exposures: made so far, and suggested. */
export function ShareCurve({ curve, believed }: { curve: Schemas["ExpectedShare"][]; believed: number }) {
  const last = curve.at(-1);
  const now = curve.find((one) => one.exposures === believed);
  if (!last || !now) return null;
  // By the square root: the first exposures say most, and there may be two hundred.
  const x = scaleLinear([0, Math.sqrt(last.exposures)], [PAD.left, W - PAD.right]);
  const y = scaleLinear([0.4, 1], [H - PAD.bottom, PAD.top]).clamp(true);
  const at = (one: Schemas["ExpectedShare"]) =>
    [x(Math.sqrt(one.exposures)), y(one.share)] as [number, number];
  const drawn = (part: Schemas["ExpectedShare"][]) => path()(part.map(at)) ?? "";
  const percent = (share: number) => `${(100 * share).toFixed(0)} %`;
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      className="mt-2 w-full max-w-md"
      role="img"
      aria-label={`Expected within ±1 DI: ${percent(curve[0]?.share ?? 0)} without a test exposure, ${percent(now.share)} with ${believed}, ${percent(last.share)} with ${last.exposures}`}
    >
      {[0.5, 0.75, 1].map((share) => (
        <g key={share}>
          <line x1={PAD.left} x2={W - PAD.right} y1={y(share)} y2={y(share)} stroke="var(--rule)" />
          <text x={PAD.left - 4} y={y(share) + 4} textAnchor="end" fontSize={11} fill="var(--ink-3)">
            {percent(share)}
          </text>
        </g>
      ))}
      {curve
        .filter((one, i) => i === 0 || one === now || one === last)
        .map((one) => (
          <text
            key={one.exposures}
            x={at(one)[0]}
            y={H - PAD.bottom + 14}
            textAnchor="middle"
            fontSize={11}
            fill="var(--ink-3)"
          >
            {one.exposures}
          </text>
        ))}
      <text x={W - PAD.right} y={H - 8} textAnchor="end" fontSize={11} fill="var(--ink-2)">
        test exposures; images within ±1 DI
      </text>
      <path
        d={drawn(curve.filter((one) => one.exposures <= believed))}
        fill="none"
        stroke="var(--beam)"
        strokeWidth={2}
      />
      <path
        d={drawn(curve.filter((one) => one.exposures >= believed))}
        fill="none"
        stroke="var(--beam)"
        strokeWidth={2}
        strokeDasharray="3 3"
      />
      <circle cx={at(now)[0]} cy={at(now)[1]} r={4} fill="var(--beam)" />
    </svg>
  );
}
