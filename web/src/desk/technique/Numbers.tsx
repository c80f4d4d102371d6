import type { ReactNode } from "react";

import type { Projection, TechniqueResponse } from "../../api/queries";
import { Term } from "../../ui/Term";
import { fromCm, length, trimmed, type Unit } from "../../ui/units";
import { SUPPORT } from "../../ui/words";

interface Props {
  /** Undefined while there is no technique for what is on screen: the places stay, empty. */
  answer: TechniqueResponse | undefined;
  projection: Projection;
  unit: Unit;
  /** The unit that stands on the room's machine. */
  machine: Unit;
  measured: boolean;
  /** What stands before the tube, in a room whose filters can be selected. */
  filter: string | null;
  /** What to expect, beside the mAs. */
  forecast: ReactNode;
}

/** The four numbers, readable from two metres, and beside them what to expect. */
export function Numbers({ answer, projection, unit, machine, measured, filter, forecast }: Props) {
  const now = answer?.technique;
  const aec = now?.exposure_control === "aec";
  const angle = answer?.figures.tube_angle_deg ?? 0;
  const window =
    projection.kvp_on.find(([support]) => support === now?.support)?.[1] ?? projection.kvp_window;
  return (
    <div
      className="grid grid-cols-4 xl:grid-cols-[1fr_1.2fr_1.25fr]"
      aria-busy={!answer}
      data-testid="numbers"
    >
      <Number part="kvp" name="kVp" big value={now && trimmed(now.kvp, 1)} beam={measured}>
        {now && (
          <>
            {window[0]} to {window[1]} usual
            {filter && (
              <>
                {" · "}
                <b className="font-semibold text-ink">{filter}</b>
              </>
            )}
          </>
        )}
      </Number>
      <Number
        part="mas"
        name={aec ? "mAs, predicted" : "mAs"}
        big
        value={now && trimmed(now.mas, 2)}
        beam={measured}
      >
        {now && (
          <>
            <b className="font-semibold text-ink">{trimmed(now.ma, 1)} mA</b> ·{" "}
            <b className="font-semibold text-ink">{trimmed(now.time_ms, 2)} ms</b> ·{" "}
            {now.focal_spot === "small" ? "small focus" : "large focus"}
          </>
        )}
      </Number>
      <div className="order-last col-span-4 border-t border-rule xl:order-none xl:col-span-1 xl:row-span-2 xl:border-t-0 xl:border-l">
        {forecast}
      </div>
      <Number part="sid-value" name="SID" value={now && trimmed(fromCm(now.sid_cm, unit), 1)} unit={unit}>
        {now && answer && (
          <>
            {SUPPORT[now.support]}
            {machine !== unit && ` · ${length(now.sid_cm, machine)} on the machine`}
            {angle !== 0 && (
              <>
                {" · "}
                <b className="font-semibold text-ink">{angleWords(answer)}</b>
                {answer.figures.beam === "vertical" &&
                  `, focus ${length(answer.figures.tube_height_cm, unit)} up`}
              </>
            )}
          </>
        )}
      </Number>
      <Number
        part="grid-value"
        name={aec ? "Chamber and grid" : "Grid"}
        value={now && (aec ? (now.aec_cells ?? "–") : now.grid_ratio === 0 ? "None" : `${now.grid_ratio}:1`)}
      >
        {now &&
          (aec
            ? `back-up ${trimmed(now.aec_backup_mas ?? 0, 1)} mAs · grid ${now.grid_ratio ? `${now.grid_ratio}:1` : "none"}`
            : `${now.exposure_control === "breathing" ? "Breathing" : "Manual"}: no chamber`)}
      </Number>
    </div>
  );
}

/** The tube's angle: both where it turns on what nobody has said yet. */
function angleWords({ angle, figures }: TechniqueResponse): string {
  const deg = figures.tube_angle_deg;
  const either = deg === angle.advice.deg ? angle.advice.either : null;
  const sizes = (either ?? [deg]).map((one) => trimmed(Math.abs(one), 1));
  return `${sizes.join(" or ")}° ${angle.schools[0]?.toward || (deg > 0 ? "cephalad" : "caudal")}`;
}

interface NumberProps {
  part: string;
  name: string;
  value: string | undefined;
  unit?: string;
  big?: boolean;
  beam?: boolean;
  children: ReactNode;
}

function Number({ part, name, value, unit, big = false, beam = false, children }: NumberProps) {
  return (
    <div
      className={`min-w-0 border-l border-rule px-3 pt-1 pb-1.5 first:border-l-0 xl:px-5 xl:pt-1.5 xl:pb-2 ${big ? "" : "xl:border-t"} ${part === "sid-value" ? "xl:border-l-0" : ""}`}
    >
      <div className="label text-body! truncate">
        <Term of={name.split(/,| and /)[0] ?? name}>{name}</Term>
      </div>
      <div
        data-part={part}
        data-testid={`number-${name.split(",")[0]?.split(" ")[0]?.toLowerCase()}`}
        className={`font-semibold tracking-tight whitespace-nowrap ${big ? "text-numeral" : "text-figure"} ${beam && value ? "text-beam" : "text-ink"}`}
      >
        {value ?? <span className="text-ink-3">–</span>}
        {value && unit && (
          <span className="ml-1 text-body font-normal text-ink-3 xl:ml-2 xl:text-lead">{unit}</span>
        )}
      </div>
      {/* On a window as low as a page at 200 %, only what is set on the console beside the mAs. */}
      <div
        className={`mt-0.5 min-h-[1.3em] text-note text-ink-2 xl:mt-1 [@media(max-height:30rem)]:min-h-0 ${part === "mas" ? "[@media(max-height:30rem)]:truncate" : "[@media(max-height:30rem)]:hidden"}`}
      >
        {children}
      </div>
    </div>
  );
}
