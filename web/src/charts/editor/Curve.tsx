import { scaleLinear, scaleLog } from "d3-scale";
import { curveLinear, curveStepAfter, line as path } from "d3-shape";

import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";

import type { Line, LineTable } from "../../api/queries";
import { fromCm, signed, trimmed, type Unit } from "../../ui/units";

const W = 264;
const PAD = { left: 40, right: 12 };
const KVP = { top: 14, bottom: 78 };
const MAS = { top: 104, bottom: 226 };
const DI = { top: 252, bottom: 314 };
const DI_LEVELS = [-3, -1, 0, 1, 3];
const MAS_TICKS = [0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500];

/** kVp and mAs of a line over thickness: the law as a thin line, the room's stations as steps. */
export function Curve({
  table,
  unit,
  onLaw,
}: {
  table: LineTable;
  unit: Unit;
  /** Given where the points may be dragged: the law with one mAs changed. */
  onLaw?: (law: Line["law"]) => void;
}) {
  const { rows } = table;
  const picture = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ point: number; mas: number } | null>(null);
  const first = rows[0];
  const last = rows[rows.length - 1];
  if (!first || !last) return null;
  const x = scaleLinear([first.thickness_cm, last.thickness_cm], [PAD.left, W - PAD.right]);
  const kvps = rows.map((row) => row.exact_kvp);
  const kvp = scaleLinear([Math.min(...kvps) - 4, Math.max(...kvps) + 4], [KVP.bottom, KVP.top]).nice(3);
  const all = rows.flatMap((row) => [row.exact_mas, ...(row.mas ? [row.mas] : [])]);
  const mas = scaleLog([Math.min(...all) / 1.3, Math.max(...all) * 1.3], [MAS.bottom, MAS.top]);
  const delivered = rows.filter((row) => row.mas !== null && row.kvp !== null);
  type Row = (typeof rows)[number];
  const at = (row: Row) => x(row.thickness_cm);
  const banded = table.line.law.name === "banded";
  const law = (y: (row: Row) => number) =>
    path<Row>(at, y).curve(banded ? curveStepAfter : curveLinear)(rows) ?? "";
  const steps = (y: (row: Row) => number) => path<Row>(at, y).curve(curveStepAfter)(delivered) ?? "";
  const [low, high] = mas.domain() as [number, number];
  const drift = rows.some((row) => row.drift_di != null);
  const bottom = drift ? DI.bottom : MAS.bottom;
  const worst = Math.max(1.5, ...rows.map((row) => Math.abs(row.drift_di ?? 0)));
  const di = scaleLinear([-worst, worst], [DI.bottom, DI.top]);
  const expected = path<Row>(at, (row) => di(row.drift_di ?? 0)).curve(curveLinear)(rows) ?? "";
  return (
    <figure>
      <svg
        ref={picture}
        viewBox={`0 0 ${W} ${bottom + 36}`}
        role="img"
        aria-label={`kVp and mAs over thickness${drift ? `; expected deviation index from ${signed(rows[0]?.drift_di ?? 0)} to ${signed(rows[rows.length - 1]?.drift_di ?? 0)}` : ""}`}
        className="w-full max-w-[22rem]"
      >
        {x.ticks(6).map((tick) => (
          <g key={tick}>
            <line
              x1={x(tick)}
              x2={x(tick)}
              y1={KVP.top}
              y2={drift ? DI.bottom : MAS.bottom}
              stroke="var(--rule)"
            />
            <text x={x(tick)} y={bottom + 16} textAnchor="middle" fontSize={14} fill="var(--ink-3)">
              {trimmed(fromCm(tick, unit), 1)}
            </text>
          </g>
        ))}
        {kvp.ticks(3).map((tick) => (
          <Level key={tick} y={kvp(tick)} text={String(tick)} />
        ))}
        {MAS_TICKS.filter((tick) => tick >= low && tick <= high).map((tick) => (
          <Level key={tick} y={mas(tick)} text={String(tick)} />
        ))}
        <text x={PAD.left} y={KVP.top - 3} fontSize={14} fill="var(--ink-2)">
          kVp
        </text>
        <text x={PAD.left} y={MAS.top - 6} fontSize={14} fill="var(--ink-2)">
          mAs
        </text>
        <text x={W - PAD.right} y={bottom + 32} textAnchor="end" fontSize={14} fill="var(--ink-3)">
          thickness, {unit}
        </text>
        {[law((row) => kvp(row.exact_kvp)), law((row) => mas(row.exact_mas))].map((d) => (
          <path key={d} d={d} fill="none" stroke="var(--ink-3)" strokeWidth={1.2} />
        ))}
        {[steps((row) => kvp(row.kvp ?? 0)), steps((row) => mas(row.mas ?? 1))].map((d) => (
          <path key={d} d={d} fill="none" stroke="var(--beam)" strokeWidth={2} />
        ))}
        {onLaw &&
          handlesOf(table.line.law).map((one, i) => {
            const value = drag?.point === i ? drag.mas : one.mas;
            const toMas = (event: PointerEvent) => {
              const box = picture.current?.getBoundingClientRect();
              if (!box) return one.mas;
              const up = ((event.clientY - box.top) / box.height) * (bottom + 36);
              return rounded(Math.max(low / 2, Math.min(high * 2, mas.invert(up))));
            };
            const keep = (next: number) => next !== one.mas && onLaw(one.put(next));
            return (
              <circle
                key={i}
                cx={x(one.thickness_cm)}
                cy={mas(value)}
                r={handlesOf(table.line.law).length > 8 ? 4 : 6}
                role="slider"
                tabIndex={0}
                aria-label={`mAs at ${trimmed(fromCm(one.thickness_cm, unit), 1)} ${unit}`}
                aria-valuenow={value}
                aria-valuemin={low}
                aria-valuemax={high}
                className="cursor-ns-resize touch-none"
                fill="var(--ground)"
                stroke="var(--beam)"
                strokeWidth={2}
                onPointerDown={(event) => {
                  event.currentTarget.setPointerCapture(event.pointerId);
                  setDrag({ point: i, mas: one.mas });
                }}
                onPointerMove={(event) => drag?.point === i && setDrag({ point: i, mas: toMas(event) })}
                onPointerUp={(event) => {
                  if (drag?.point === i) keep(toMas(event));
                  setDrag(null);
                }}
                onKeyDown={(event: KeyboardEvent) => {
                  if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
                  event.preventDefault();
                  event.stopPropagation();
                  keep(rounded(one.mas * (event.key === "ArrowUp" ? 1.05 : 1 / 1.05)));
                }}
              >
                <title>{`${trimmed(value, 3)} mAs: drag, or arrow keys`}</title>
              </circle>
            );
          })}
        {drag && (
          <text
            x={W - PAD.right}
            y={MAS.top - 6}
            textAnchor="end"
            fontSize={14}
            fontWeight={600}
            fill="var(--beam)"
          >
            {trimmed(drag.mas, 3)} mAs
          </text>
        )}
        {drift && (
          <>
            <rect
              x={PAD.left}
              width={W - PAD.left - PAD.right}
              y={di(1)}
              height={di(-1) - di(1)}
              fill="var(--good)"
              opacity={0.16}
            />
            {DI_LEVELS.filter((level) => Math.abs(level) <= worst).map((level) => (
              <Level key={level} y={di(level)} text={signed(level, 0)} />
            ))}
            <text x={PAD.left} y={DI.top - 6} fontSize={14} fill="var(--ink-2)">
              expected DI, by the physics model
            </text>
            <path d={expected} fill="none" stroke="var(--beam)" strokeWidth={2} />
          </>
        )}
      </svg>
      <figcaption className="text-note text-ink-3">
        Thin: the line's mAs rule. <span className="text-beam">Stepped</span>: on the room's generator
        settings.
      </figcaption>
    </figure>
  );
}

interface Handle {
  thickness_cm: number;
  mas: number;
  put: (mas: number) => Line["law"];
}

/** The numbers of a law that can be dragged. */
function handlesOf(law: Line["law"]): Handle[] {
  if (law.name === "banded")
    return law.bands.map((band, i) => ({
      thickness_cm: (band.min_cm + band.max_cm) / 2,
      mas: band.mas,
      put: (mas) => ({ ...law, bands: law.bands.map((one, j) => (i === j ? { ...one, mas } : one)) }),
    }));
  if (law.name === "levelled")
    return law.points.map((point, i) => ({
      thickness_cm: point.thickness_cm,
      mas: point.mas,
      put: (mas) => ({ ...law, points: law.points.map((one, j) => (i === j ? { ...one, mas } : one)) }),
    }));
  return [{ thickness_cm: law.thickness_cm, mas: law.mas, put: (mas) => ({ ...law, mas }) }];
}

/** Three figures: nobody sets a mAs finer than that. */
const rounded = (value: number) => Number(value.toPrecision(3));

function Level({ y, text }: { y: number; text: string }) {
  return (
    <g>
      <line x1={PAD.left} x2={W - PAD.right} y1={y} y2={y} stroke="var(--rule)" />
      <text x={PAD.left - 6} y={y + 4} textAnchor="end" fontSize={14} fill="var(--ink-3)">
        {text}
      </text>
    </g>
  );
}
