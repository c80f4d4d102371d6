import { scaleLinear, scaleLog } from "d3-scale";
import { line as path } from "d3-shape";
import { useState } from "react";

import { type Choice, type Room, type TechniqueRequest, useWhatIf } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { Segmented } from "../../ui/Segmented";
import { figure, fromCm, length, trimmed, type Unit } from "../../ui/units";
import { filterOf, grid, NO_FILTER } from "../../ui/words";
import { type Act } from "../useDesk";
import { Said } from "../../ui/Said";

const W = 312;
const H = 210;
const PAD = { left: 30, right: 8, top: 18, bottom: 34 };
const DOSES = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100];

/** The two figures of dose that the choices can be laid out by. */
const AXES = {
  skin_kerma: { label: "Skin kerma", unit: "mGy", of: (one: Choice) => one.incident_air_kerma_mgy },
  energy_imparted: { label: "Energy imparted", unit: "mJ", of: (one: Choice) => one.energy_imparted_mj },
};
type Axis = keyof typeof AXES;

interface Props {
  request: TechniqueRequest;
  room: Room;
  unit: Unit;
  /** An example of a reference level of skin kerma [mGy] for the projection. */
  reference: number | null;
  act: Act;
}

/** The choices of kVp, grid, filter and SID that give the receptor the same exposure: dose across, contrast-to-noise up. */
export function WhatIf({ request, room, unit, reference, act }: Props) {
  const [axis, setAxis] = useState<Axis>("skin_kerma");
  const found = useWhatIf(request, axis);
  const [picked, setPicked] = useState<string | null>(null);
  if (found.isError) return <Refusal error={found.error} />;
  if (!found.data) return <Waiting what="the choices" />;
  const { choices, detail, dose: drawn, least_cnr } = found.data;
  const now = choices.find((one) => one.current);
  if (!now || choices.length < 2)
    return (
      <p className="text-ink-2">
        This room has no other way to give the receptor the same exposure here, in time and with the detail
        seen.
      </p>
    );
  const chosen = choices.find((one) => key(one) === picked) ?? null;
  const listed = choices.filter((one) => one.offered || one.current);
  return (
    <div className={found.isPlaceholderData ? "opacity-50" : ""}>
      <Segmented
        label="Dose by"
        value={axis}
        options={Object.entries(AXES).map(([value, { label }]) => ({ value, label }))}
        onChange={(value) => setAxis(value as Axis)}
      />
      <p className="mt-1 text-note text-ink-2">
        Each mark gives the receptor the same exposure. Up: {detail} stands out more from the noise. Left:
        less dose.
      </p>
      <Picture
        choices={choices}
        axis={drawn}
        floor={least_cnr}
        now={now}
        chosen={chosen}
        reference={drawn === "skin_kerma" ? reference : null}
        onPick={(one) => setPicked(key(one))}
        lengths={unit}
      />
      {chosen ? (
        <div className="mb-1 flex min-h-12 items-center justify-between gap-3">
          <p className="text-note">
            {trimmed(chosen.kvp, 1)} kVp, {trimmed(chosen.mas, 2)} mAs,{" "}
            {grid(chosen.grid_ratio).toLowerCase()}
            {filterOf(room, chosen.filter) && `, ${filterOf(room, chosen.filter)}`},{" "}
            {trimmed(fromCm(chosen.sid_cm, unit), 0)} {unit}: {trimmed(chosen.time_ms, 1)} ms, contrast{" "}
            {(100 * chosen.contrast).toFixed(1)} %, CNR² per dose ×{chosen.merit.toFixed(2)}.
          </p>
          <Button
            onClick={() =>
              act({
                do: "setup",
                change: {
                  kvp: chosen.kvp,
                  mas: null,
                  grid_ratio: chosen.grid_ratio,
                  sid_cm: chosen.sid_cm,
                  ...(room.filters.length ? { filter: chosen.filter ?? NO_FILTER } : {}),
                },
              })
            }
          >
            Set up so
          </Button>
        </div>
      ) : (
        <p className="mb-1 flex min-h-12 items-center text-note text-ink-3">
          Pick a mark or a row to see it. A choice needs the same agreement as any change of protocol.
        </p>
      )}
      <table className="w-full text-right text-note" aria-label="Choices that nothing beats">
        <thead className="text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 text-left font-normal">kVp, mAs</th>
            <th className="pl-2 font-normal whitespace-nowrap">grid</th>
            <th className="pl-2 font-normal whitespace-nowrap">SID, {unit}</th>
            <th className="pl-2 font-normal whitespace-nowrap">{AXES[drawn].unit}</th>
            <th className="pl-2 font-normal whitespace-nowrap">CNR</th>
          </tr>
        </thead>
        <tbody>
          {listed.map((one) => (
            <tr
              key={key(one)}
              className={`border-b border-rule align-top ${key(one) === picked ? "bg-raised" : ""}`}
            >
              <td className="w-3/5 py-1 text-left">
                <button
                  type="button"
                  aria-pressed={key(one) === picked}
                  className="min-h-touch w-full text-left leading-tight"
                  onClick={() => setPicked(key(one))}
                >
                  <b className="font-semibold text-ink">{trimmed(one.kvp, 1)}</b> kVp{" "}
                  <b className="font-semibold text-ink">{trimmed(one.mas, 2)}</b>
                  {one.filter && <span className="text-ink-2">, {filterOf(room, one.filter)}</span>}
                  {one.current ? (
                    <span className="ml-1 font-semibold text-ink">now</span>
                  ) : (
                    <span className="block text-ink-3">
                      <Said>{one.said}</Said>
                    </span>
                  )}
                </button>
              </td>
              <td className="py-1 pl-2 whitespace-nowrap">
                {one.grid_ratio ? `${one.grid_ratio}:1` : "none"}
              </td>
              <td className="py-1 pl-2 whitespace-nowrap">{trimmed(fromCm(one.sid_cm, unit), 0)}</td>
              <td className="py-1 pl-2 whitespace-nowrap">{figure(AXES[drawn].of(one))}</td>
              <td className="py-1 pl-2 whitespace-nowrap">{one.cnr.toFixed(0)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const key = (one: Choice) => `${one.kvp} ${one.grid_ratio} ${one.sid_cm} ${one.filter ?? ""}`;

interface PictureProps {
  choices: Choice[];
  axis: Axis;
  /** The least CNR that is offered. */
  floor: number;
  now: Choice;
  chosen: Choice | null;
  reference: number | null;
  /** Of lengths. */
  lengths: Unit;
  onPick: (one: Choice) => void;
}

function Picture({ choices, axis, floor, now, chosen, reference, lengths, onPick }: PictureProps) {
  const { of, unit, label } = AXES[axis];
  const front = choices.filter((one) => one.front);
  const doses = choices.map(of);
  const low = Math.min(...doses) / 1.15;
  const high = Math.max(...doses, reference ?? 0) * 1.15;
  const x = scaleLog([low, high], [PAD.left, W - PAD.right]);
  const y = scaleLinear([0, Math.max(...choices.map((one) => one.cnr)) * 1.05], [H - PAD.bottom, PAD.top]);
  const at = (one: Choice) => [x(of(one)), y(one.cnr)] as const;
  const [nowX, nowY] = at(now);
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      className="my-1 w-full"
      role="img"
      aria-label={`${choices.length} choices by ${label.toLowerCase()} and contrast-to-noise ratio; ${front.length} that nothing beats. Now ${figure(of(now))} ${unit}, CNR ${now.cnr.toFixed(0)}`}
    >
      {DOSES.filter((dose) => dose >= low && dose <= high).map((dose) => (
        <g key={dose}>
          <line x1={x(dose)} x2={x(dose)} y1={PAD.top} y2={H - PAD.bottom} stroke="var(--rule)" />
          <text x={x(dose)} y={H - PAD.bottom + 14} textAnchor="middle" fontSize={14} fill="var(--ink-3)">
            {dose}
          </text>
        </g>
      ))}
      {y.ticks(4).map((tick) => (
        <g key={tick}>
          <line x1={PAD.left} x2={W - PAD.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
          <text x={PAD.left - 5} y={y(tick) + 4} textAnchor="end" fontSize={14} fill="var(--ink-3)">
            {tick}
          </text>
        </g>
      ))}
      <text x={W - PAD.right} y={H - 5} textAnchor="end" fontSize={14} fill="var(--ink-2)">
        {label.toLowerCase()}, {unit}
      </text>
      <text x={PAD.left} y={11} fontSize={14} fill="var(--ink-2)">
        CNR
      </text>
      <line
        x1={PAD.left}
        x2={W - PAD.right}
        y1={y(floor)}
        y2={y(floor)}
        stroke="var(--ink-3)"
        strokeDasharray="2 3"
      />
      <text x={W - PAD.right} y={y(floor) + 13} textAnchor="end" fontSize={14} fill="var(--ink-3)">
        detail hardly seen
      </text>
      {reference !== null && reference >= low && (
        <g>
          <line
            x1={x(reference)}
            x2={x(reference)}
            y1={PAD.top}
            y2={H - PAD.bottom}
            stroke="var(--warn)"
            strokeDasharray="4 3"
          />
          <text x={x(reference) - 4} y={PAD.top + 10} textAnchor="end" fontSize={14} fill="var(--warn)">
            example level
          </text>
        </g>
      )}
      <path
        d={
          path<Choice>(
            (one) => at(one)[0],
            (one) => at(one)[1],
          )(front) ?? ""
        }
        fill="none"
        stroke="var(--beam)"
        strokeWidth={1.2}
        opacity={0.6}
      />
      {choices.map((one) => {
        const [cx, cy] = at(one);
        const tone = one.offered ? "var(--beam)" : "var(--ink-3)";
        const mark = { fill: one.offered ? tone : "none", stroke: tone, strokeWidth: 1.2 };
        return (
          <g key={key(one)} onClick={() => onPick(one)} className="cursor-pointer">
            <title>{`${one.kvp} kVp, ${one.mas} mAs, ${grid(one.grid_ratio)}, ${length(one.sid_cm, lengths)}`}</title>
            <circle cx={cx} cy={cy} r={9} fill="transparent" />
            {one.grid_ratio ? (
              <rect x={cx - 3} y={cy - 3} width={6} height={6} {...mark} />
            ) : (
              <circle cx={cx} cy={cy} r={3.2} {...mark} />
            )}
          </g>
        );
      })}
      <circle cx={nowX} cy={nowY} r={8} fill="none" stroke="var(--ink)" strokeWidth={1.8} />
      <text x={nowX + 9} y={nowY + 16} fontSize={14} fill="var(--ink)">
        now
      </text>
      {chosen && !chosen.current && (
        <circle
          cx={at(chosen)[0]}
          cy={at(chosen)[1]}
          r={8}
          fill="none"
          stroke="var(--beam)"
          strokeWidth={2.2}
        />
      )}
      <g fontSize={14} fill="var(--ink-3)">
        <rect x={PAD.left + 46} y={4} width={6} height={6} fill="none" stroke="var(--ink-3)" />
        <text x={PAD.left + 56} y={11}>
          grid
        </text>
        <circle cx={PAD.left + 94} cy={7} r={3.2} fill="none" stroke="var(--ink-3)" />
        <text x={PAD.left + 101} y={11}>
          none
        </text>
        <circle cx={PAD.left + 144} cy={7} r={3.2} fill="var(--beam)" />
        <text x={PAD.left + 152} y={11}>
          filled: listed below
        </text>
      </g>
    </svg>
  );
}
