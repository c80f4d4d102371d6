import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";

import type { Projection } from "../api/queries";
import { NumberField } from "./NumberField";
import { fromCm, length, toCm, trimmed, type Unit } from "./units";

const HEIGHT = 102;
const SCALE_Y = 54;
/** About the width of "average". */
const WORD = 54;
const PAD = 22;

interface Props {
  projection: Projection;
  /** The chart line's range in cm, where a line is known. */
  range: [number, number] | null;
  unit: Unit;
  /** Null while nothing was measured: the jaw then waits, dashed, at the estimate. */
  value: number | null;
  /** Where the jaw waits while nothing was measured: carried over or estimated; null while there is no answer to say it. */
  estimate: number | null;
  onChange: (cm: number | null) => void;
  refused: boolean;
  /** What the range is of. */
  covers?: string;
}

/**
 * The caliper: a fixed jaw at zero, a sliding jaw at the measured thickness. Drag it, wheel over it, use the arrow keys, or
 * type the number.
 */
export function ThicknessRuler({
  projection,
  range,
  unit,
  value,
  estimate,
  onChange,
  refused,
  covers = "Chart covers",
}: Props) {
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  const [low, high] = range ?? projection.usual_range_cm;
  const end = Math.ceil(Math.max(high, projection.thickness_cm.large) * 1.06 + 0.5);
  const perCm = (width - 2 * PAD) / end;
  const x = (cm: number) => PAD + cm * perCm;
  const step = unit === "cm" ? 0.5 : 0.25;
  const shown = value ?? estimate ?? projection.thickness_cm.average;

  const latest = useRef({ shown, step, unit, end, onChange });
  useEffect(() => {
    latest.current = { shown, step, unit, end, onChange };
  });

  function snapped(cm: number) {
    const inUnit = Math.round(fromCm(cm, unit) / step) * step;
    return Math.min(Math.max(toCm(inUnit, unit), toCm(step, unit)), end);
  }

  useEffect(() => {
    const node = box.current;
    function wheel(event: WheelEvent) {
      event.preventDefault();
      const now = latest.current;
      const inUnit = fromCm(now.shown, now.unit) - Math.sign(event.deltaY) * now.step;
      const rounded = Math.round(inUnit / now.step) * now.step;
      now.onChange(Math.min(Math.max(toCm(rounded, now.unit), toCm(now.step, now.unit)), now.end));
    }
    // React attaches wheel listeners as passive; the page must not scroll here.
    node?.addEventListener("wheel", wheel, { passive: false });
    return () => node?.removeEventListener("wheel", wheel);
  }, []);

  function drag(event: PointerEvent<SVGSVGElement>) {
    if (event.type === "pointerdown") event.currentTarget.setPointerCapture(event.pointerId);
    else if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const left = event.currentTarget.getBoundingClientRect().left;
    onChange(snapped((event.clientX - left - PAD) / perCm));
  }

  function key(event: KeyboardEvent) {
    const by = (steps: number) => snapped(toCm(fromCm(shown, unit) + steps * step, unit));
    const coarse = event.shiftKey ? 4 : 1;
    const moves: Record<string, () => number> = {
      ArrowRight: () => by(coarse),
      ArrowUp: () => by(coarse),
      ArrowLeft: () => by(-coarse),
      ArrowDown: () => by(-coarse),
      PageUp: () => by(4),
      PageDown: () => by(-4),
      Home: () => low,
      End: () => high,
    };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    onChange(move());
  }

  const jaw = x(Math.min(shown, end));
  const { small, average, large } = projection.thickness_cm;
  const roomy = x(large) - x(small) > 2 * WORD;
  return (
    <section
      aria-label="Thickness"
      className="flex flex-wrap items-stretch gap-x-5 border-b border-rule px-4 pt-1 sm:flex-nowrap xl:px-5"
    >
      <div ref={box} className="min-w-64 flex-1 select-none">
        {width > 0 && (
          <svg
            width={width}
            height={HEIGHT}
            className="block touch-none cursor-ew-resize"
            onPointerDown={drag}
            onPointerMove={drag}
          >
            <Ticks end={end} unit={unit} x={x} />
            {/* the part between the jaws */}
            <rect
              x={x(0)}
              y={18}
              width={Math.max(0, jaw - x(0))}
              height={SCALE_Y - 18}
              fill="var(--raised)"
              opacity={value === null ? 0.35 : 0.9}
            />
            <Jaw x={x(0)} fixed />
            {/* the line's range and the usual adult */}
            <g>
              <line
                x1={x(low)}
                x2={x(high)}
                y1={SCALE_Y + 28}
                y2={SCALE_Y + 28}
                stroke="var(--ink-2)"
                strokeWidth={3}
              />
              {[low, high].map((cm) => (
                <line
                  key={cm}
                  x1={x(cm)}
                  x2={x(cm)}
                  y1={SCALE_Y + 22}
                  y2={SCALE_Y + 34}
                  stroke="var(--ink-2)"
                  strokeWidth={2}
                />
              ))}
              {(
                [
                  ["small", small],
                  ["average", average],
                  ["large", large],
                ] as const
              ).map(([name, cm]) => (
                <g key={name}>
                  <circle cx={x(cm)} cy={SCALE_Y + 28} r={3.5} fill="var(--ground)" stroke="var(--ink)" />
                  {(name !== "average" || roomy) && (
                    <text x={x(cm)} y={SCALE_Y + 45} textAnchor="middle" fontSize={14} fill="var(--ink-3)">
                      {name}
                    </text>
                  )}
                </g>
              ))}
            </g>
            <g
              role="slider"
              tabIndex={0}
              aria-label="Thickness"
              aria-valuemin={fromCm(low, unit)}
              aria-valuemax={fromCm(high, unit)}
              aria-valuenow={fromCm(shown, unit)}
              aria-valuetext={
                value !== null
                  ? length(shown, unit)
                  : estimate === null
                    ? "not measured"
                    : `not measured, taken as ${length(estimate, unit)}`
              }
              onKeyDown={key}
            >
              <rect x={jaw - 20} y={0} width={40} height={SCALE_Y + 18} fill="transparent" />
              <Jaw x={jaw} pending={value === null} />
            </g>
          </svg>
        )}
      </div>
      <div className="flex w-full shrink-0 flex-col justify-center pb-1.5 sm:w-44">
        <NumberField
          id="thickness"
          part="thickness"
          label={value === null ? "Thickness: not measured" : "Thickness"}
          unit={unit}
          hint="0–9"
          value={value === null ? null : fromCm(value, unit)}
          placeholder={estimate === null ? "" : `${trimmed(fromCm(estimate, unit), 1)} taken`}
          onChange={(typed) => onChange(typed === null || typed === 0 ? null : toCm(typed, unit))}
          digits={unit === "cm" ? 1 : 2}
          invalid={refused}
          unfinished={(typed) => toCm(typed, unit) < low && toCm(typed, unit) * 10 <= high + 10}
        />
        <p className="mt-1 truncate text-note text-ink-3">
          {covers} {trimmed(fromCm(low, unit), 1)} to {length(high, unit)}
        </p>
      </div>
    </section>
  );
}

function Jaw({ x, fixed = false, pending = false }: { x: number; fixed?: boolean; pending?: boolean }) {
  const inward = fixed ? -1 : 1;
  return (
    <path
      d={`M${x} ${SCALE_Y + 1} V2 h${inward * 13} V9 L${x + inward * 4} 17 V${SCALE_Y + 1} Z`}
      fill={fixed ? "var(--rule-strong)" : pending ? "var(--ground)" : "var(--ink)"}
      stroke={fixed ? "var(--rule-strong)" : "var(--ink)"}
      strokeDasharray={pending ? "3 2" : undefined}
    />
  );
}

function Ticks({ end, unit, x }: { end: number; unit: Unit; x: (cm: number) => number }) {
  const last = fromCm(end, unit);
  const fine = unit === "cm" ? (end <= 20 ? 0.5 : 1) : 0.25;
  const named = unit === "cm" ? (end <= 20 ? 1 : 5) : end <= 26 ? 1 : 2;
  const ticks = Array.from({ length: Math.floor(last / fine + 1e-9) + 1 }, (_, i) => i * fine);
  return (
    <g>
      <line x1={x(0)} x2={x(end)} y1={SCALE_Y} y2={SCALE_Y} stroke="var(--rule-strong)" />
      {ticks.map((tick) => {
        const major = Math.abs(tick / named - Math.round(tick / named)) < 1e-9;
        const at = x(toCm(tick, unit));
        return (
          <g key={tick}>
            <line
              x1={at}
              x2={at}
              y1={SCALE_Y}
              y2={SCALE_Y - (major ? 12 : 6)}
              stroke={major ? "var(--ink-2)" : "var(--rule-strong)"}
            />
            {major && (
              <text x={at} y={SCALE_Y + 14} textAnchor="middle" fontSize={14} fill="var(--ink-2)">
                {trimmed(tick, 2)}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

function useWidth(ref: React.RefObject<HTMLElement | null>) {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    if (!ref.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, [ref]);
  return width;
}
