import type { ReactNode } from "react";

import type { Projection, TechniqueResponse } from "../../api/queries";
import { fromCm, length, trimmed, type Unit } from "../../ui/units";
import { SUPPORT } from "../../ui/words";

interface Props {
  answer: TechniqueResponse;
  projection: Projection;
  unit: Unit;
  measured: boolean;
  /** What stands before the tube, in a room whose filters can be selected. */
  filter: string | null;
  /** A newer answer is on its way; what stands here belongs to the request before. */
  stale: boolean;
}

/** The four numbers, readable from two metres, and under them what to expect. */
export function Numbers({ answer, projection, unit, measured, filter, stale }: Props) {
  const now = answer.technique;
  const spot = now.focal_spot === "small" ? "small focus" : "large focus";
  const aec = now.exposure_control === "aec";
  const angle = answer.figures.tube_angle_deg;
  const window = projection.kvp_on.find(([support]) => support === now.support)?.[1] ?? projection.kvp_window;
  return (
    <div
      className={`transition-opacity delay-300 ${stale ? "opacity-40" : ""}`}
      aria-busy={stale}
      data-testid="numbers"
    >
      <div className="grid grid-cols-[1fr_1.25fr]">
        <Number name="kVp" size="numeral" value={trimmed(now.kvp, 1)} beam={measured}>
          {window[0]} to {window[1]} usual
          {filter && (
            <>
              {" · "}
              <b className="font-semibold text-ink">{filter}</b>
            </>
          )}
        </Number>
        <Number
          name={aec ? "mAs, predicted" : "mAs"}
          size="numeral"
          value={trimmed(now.mas, 2)}
          beam={measured}
          border
        >
          <b className="font-semibold text-ink">{trimmed(now.ma, 1)} mA</b> ·{" "}
          <b className="font-semibold text-ink">{trimmed(now.time_ms, 2)} ms</b> · {spot}
        </Number>
      </div>
      <div className="grid grid-cols-[1fr_1.25fr] border-t border-rule">
        <Number name="SID" size="figure" value={trimmed(fromCm(now.sid_cm, unit), 1)} unit={unit}>
          {SUPPORT[now.support]}
          {angle !== 0 && (
            <>
              {" · "}
              <b className="font-semibold text-ink">
                {trimmed(Math.abs(angle), 1)}°{" "}
                {answer.angle.schools[0]?.toward || (angle > 0 ? "cephalad" : "caudal")}
              </b>
              {answer.figures.beam === "vertical" &&
                `, focus ${length(answer.figures.tube_height_cm, unit)} up`}
            </>
          )}
        </Number>
        <Number
          name={aec ? "Chamber and grid" : "Grid"}
          size="figure"
          value={aec ? (now.aec_cells ?? "–") : now.grid_ratio === 0 ? "None" : `${now.grid_ratio}:1`}
          border
        >
          {aec
            ? `back-up ${trimmed(now.aec_backup_mas ?? 0, 1)} mAs · grid ${now.grid_ratio ? `${now.grid_ratio}:1` : "none"}`
            : "Manual: no chamber"}
        </Number>
      </div>
    </div>
  );
}

interface NumberProps {
  name: string;
  size: "numeral" | "figure";
  value: string;
  unit?: string;
  border?: boolean;
  beam?: boolean;
  children: ReactNode;
}

function Number({ name, size, value, unit, border = false, beam = false, children }: NumberProps) {
  return (
    <div className={`px-5 pt-1.5 pb-2 ${border ? "border-l border-rule" : ""}`}>
      <div className="label text-body!">{name}</div>
      <div
        data-testid={`number-${name.split(",")[0]?.split(" ")[0]?.toLowerCase()}`}
        className={`font-semibold tracking-tight ${size === "numeral" ? "text-numeral" : "text-figure"} ${beam ? "text-beam" : "text-ink"}`}
      >
        {value}
        {unit && <span className="ml-2 text-lead font-normal text-ink-3">{unit}</span>}
      </div>
      <div className="mt-1 text-ink-2">{children}</div>
    </div>
  );
}
