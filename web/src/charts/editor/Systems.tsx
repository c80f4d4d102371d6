import { type SystemView, useSystems } from "../../api/bench";
import type { Chart, Line } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { figure, signed, trimmed } from "../../ui/units";
import { TECHNIQUE_SYSTEM } from "../../ui/words";
import { Said } from "../../ui/Said";

const W = 280;
const H = 64;
const MOST_DI = 3;

interface Props {
  chart: Chart;
  line: Line;
  editable: boolean;
  onSwitch: (line: Line, school: string) => void;
}

/** The same part in every school: what the index does over thickness, and what it costs. */
export function Systems({ chart, line, editable, onSwitch }: Props) {
  const found = useSystems(chart, line.id ?? 0);
  if (found.isError) return <Refusal error={found.error} className="mt-2" />;
  if (!found.data)
    return (
      <div className="mt-2">
        <Waiting what="the technique systems" />
      </div>
    );
  return (
    <ul className="mt-2">
      {found.data.map((view) => {
        const written = view.line;
        return (
          <li key={view.school} className="border-b border-rule py-2">
            <div className="flex items-center gap-2">
              <b>{TECHNIQUE_SYSTEM[view.school]}</b>
              {view.worst_di != null && (
                <span className={Math.abs(view.worst_di) > 1 ? "text-warn" : "text-ink-3"}>
                  off target to {signed(view.worst_di)} DI
                </span>
              )}
              {editable && written && (
                <Button className="ml-auto" onClick={() => onSwitch(written, view.school)}>
                  Switch
                </Button>
              )}
            </div>
            <p className="text-note text-ink-3">
              <Said>{view.says}</Said>
            </p>
            {view.refusal ? (
              <p className="text-note text-ink-2">Not here: {view.refusal}</p>
            ) : (
              <Costs view={view} />
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** The index over thickness, and kVp, mAs, time, dose and contrast for a thin, a middle and a thick patient. */
function Costs({ view }: { view: SystemView }) {
  const places = view.places.filter((one) => one.di !== null);
  const first = places[0];
  const last = places[places.length - 1];
  if (!first || !last) return null;
  const x = (cm: number) => ((cm - first.thickness_cm) / (last.thickness_cm - first.thickness_cm || 1)) * W;
  const y = (di: number) => ((MOST_DI - Math.max(-MOST_DI, Math.min(MOST_DI, di))) / (2 * MOST_DI)) * H;
  const path = places
    .map((one, i) => `${i ? "L" : "M"}${x(one.thickness_cm).toFixed(1)} ${y(one.di ?? 0).toFixed(1)}`)
    .join("");
  const shown = [0.15, 0.5, 0.85].flatMap((share) => places[Math.round(share * (places.length - 1))] ?? []);
  return (
    <>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        className="w-full max-w-96"
        role="img"
        aria-label="Expected index over thickness"
      >
        <rect x={0} width={W} y={y(1)} height={y(-1) - y(1)} fill="var(--rule)" opacity={0.55} />
        <line x1={0} x2={W} y1={y(0)} y2={y(0)} stroke="var(--ink-3)" strokeWidth={0.75} />
        <path d={path} fill="none" stroke="var(--beam)" strokeWidth={1.8} />
      </svg>
      <table className="w-full text-right text-note">
        <thead className="text-ink-3">
          <tr>
            {["cm", "kVp", "mAs", "ms", "mGy", "contrast"].map((name) => (
              <th key={name} className="font-normal">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={one.thickness_cm}>
              <td>{trimmed(one.thickness_cm, 1)}</td>
              <td>{trimmed(one.kvp ?? 0, 0)}</td>
              <td className="font-semibold">{figure(one.mas ?? 0)}</td>
              <td>{figure(one.time_ms ?? 0)}</td>
              <td>{figure(one.incident_air_kerma_mgy ?? 0)}</td>
              <td>{trimmed(100 * (one.contrast ?? 0), 1)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
