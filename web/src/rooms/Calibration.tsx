import { scaleLinear } from "d3-scale";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { type Fit, type Readings, type Room, useCalibrate, useFit, useProjections } from "../api/queries";
import { forgetDrafts, useDraft } from "../ui/drafts";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { figure, signed } from "../ui/units";
import { projectionName, SUPPORT } from "../ui/words";
import { type About, AboutFields } from "./AboutReadings";
import { type Slip, Slips } from "./Slips";
import { LengthField } from "../ui/LengthField";
import { usePreferences } from "../ui/preferences";

type Cell = number | null;
interface OutputRow {
  kvp: Cell;
  ma: Cell;
  mas: Cell;
  distance_cm: Cell;
  kerma_ugy: Cell;
}
interface HvlRow {
  kvp: Cell;
  hvl_mm_al: Cell;
}
interface IndexRow {
  receptor: string;
  kerma_ugy: Cell;
  /** As the console shows it: the exposure index, or the number of its own scale. */
  shown_index: Cell;
}

const EMPTY: OutputRow = { kvp: null, ma: null, mas: null, distance_cm: 100, kerma_ugy: null };

const NO_LAYER: HvlRow = { kvp: null, hvl_mm_al: null };

/** Enter readings, see what they say and what they would change, then accept or leave it. */
export function Calibration({ room }: { room: Room }) {
  const digital = room.receptors.filter((one) => one.kind !== "film_screen");
  const { unit } = usePreferences();
  const draft = (of: string) => `calibration ${room.id} ${of}`;
  const [outputs, setOutputs] = useDraft<OutputRow[]>(draft("output"), () => [EMPTY, EMPTY, EMPTY]);
  const [hvls, setHvls] = useDraft<HvlRow[]>(draft("hvl"), () => [NO_LAYER]);
  const [indices, setIndices] = useDraft<IndexRow[]>(draft("index"), () =>
    digital[0] ? [{ receptor: digital[0].id, kerma_ugy: null, shown_index: null }] : [],
  );
  const [about, setAbout] = useDraft<About>(draft("about"), () => ({
    instrument: "",
    read_on: "",
    due_on: "",
  }));
  // What was looked at and is right all the same; other readings are looked at anew.
  const [stands, setStands] = useState("");
  const [asItWas, setAsItWas] = useDraft<boolean>(draft("as it was"), () => false);
  const readings = complete(room, outputs, hvls, indices, asItWas, about);
  const fit = useFit(room.id, readings);
  const accept = useCalibrate();
  const slips = fit.data?.slips ?? [];
  const said = slips.map((one) => one.says).join(" ");
  const takeIndices = (gone: number[]) =>
    setIndices(
      without(indices, gone, { receptor: indices[0]?.receptor ?? "", kerma_ugy: null, shown_index: null }),
    );
  /** Takes readings out of their table; they are counted among the rows that are whole. */
  function leaveOut({ of, readings: gone }: Slip) {
    const places = (rows: object[]) => {
      const counted = rows.flatMap((row, i) => (isWhole(row) ? [i] : []));
      return gone.flatMap((at) => counted[at] ?? []);
    };
    if (of === "outputs") setOutputs(without(outputs, places(outputs), EMPTY));
    else if (of === "hvls") setHvls(without(hvls, places(hvls), NO_LAYER));
    else takeIndices(places(indices));
  }

  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.05fr)] gap-8 px-5 py-4">
      <div className="flex flex-col gap-5">
        <Readout
          title="Output, free in air"
          hint="Three times the same setting shows reproducibility; two mA settings at one kVp linearity."
        >
          <Table heads={["kVp", "mA", "mAs", `at, ${unit}`, "kerma, µGy", ""]}>
            {outputs.map((row, i) => (
              <tr key={i}>
                {(["kvp", "ma", "mas", "distance_cm", "kerma_ugy"] as const).map((key) => (
                  <NumberCell
                    key={key}
                    id={`output-${i}-${key}`}
                    name={`${key.split("_")[0]} of reading ${i + 1}`}
                    length={key === "distance_cm"}
                    value={row[key]}
                    onChange={(value) => setOutputs(put(outputs, i, { [key]: value }))}
                  />
                ))}
                <TakeOut what={`reading ${i + 1}`} onTake={() => setOutputs(without(outputs, [i], EMPTY))} />
              </tr>
            ))}
          </Table>
          <AddRow
            onAdd={() =>
              setOutputs([...outputs, { ...(outputs[outputs.length - 1] ?? EMPTY), kerma_ugy: null }])
            }
          />
        </Readout>
        <Readout title="Half-value layer" hint="Optional: the filtration that fits it is taken over.">
          <Table heads={["kVp", "HVL, mm Al", ""]}>
            {hvls.map((row, i) => (
              <tr key={i}>
                {(["kvp", "hvl_mm_al"] as const).map((key) => (
                  <NumberCell
                    key={key}
                    id={`hvl-${i}-${key}`}
                    name={`${key === "kvp" ? "kVp" : "HVL"} of layer ${i + 1}`}
                    value={row[key]}
                    onChange={(value) => setHvls(put(hvls, i, { [key]: value }))}
                  />
                ))}
                <TakeOut what={`layer ${i + 1}`} onTake={() => setHvls(without(hvls, [i], NO_LAYER))} />
              </tr>
            ))}
          </Table>
          <AddRow onAdd={() => setHvls([...hvls, NO_LAYER])} />
        </Readout>
        {digital.length > 0 && (
          <Readout
            title="Exposure index"
            hint="70 kV with 21 mm Al added (RQA5-like), kerma at the receptor."
          >
            <Table heads={["Receptor", "kerma, µGy", "index shown", ""]}>
              {indices.map((row, i) => (
                <tr key={i}>
                  <td className="pr-1">
                    <Select
                      label={`Receptor of index ${i + 1}`}
                      value={row.receptor}
                      options={digital.map((one) => ({ value: one.id, label: one.name }))}
                      onChange={(receptor) => setIndices(put(indices, i, { receptor }))}
                    />
                  </td>
                  {(["kerma_ugy", "shown_index"] as const).map((key) => (
                    <NumberCell
                      key={key}
                      id={`index-${i}-${key}`}
                      name={`${key === "shown_index" ? "number shown" : "kerma"} of index ${i + 1}`}
                      value={row[key]}
                      onChange={(value) => setIndices(put(indices, i, { [key]: value }))}
                    />
                  ))}
                  <TakeOut what={`index ${i + 1}`} onTake={() => takeIndices([i])} />
                </tr>
              ))}
            </Table>
            <AddRow
              onAdd={() =>
                setIndices([
                  ...indices,
                  {
                    receptor: indices[indices.length - 1]?.receptor ?? "",
                    kerma_ugy: null,
                    shown_index: null,
                  },
                ])
              }
            />
          </Readout>
        )}
      </div>
      <div className="min-w-0" aria-live="polite">
        {!readings ? (
          <Empty title="The fit appears here">
            A row counts once all of it is filled in. Output needs two kVp. Nothing changes before you accept.
          </Empty>
        ) : fit.isError ? (
          <Refusal error={fit.error} />
        ) : !fit.data ? (
          <Waiting what="what the readings say" />
        ) : (
          <>
            <Slips
              slips={slips}
              stands={stands === said}
              onStands={(yes) => setStands(yes ? said : "")}
              onLeaveOut={leaveOut}
            />
            {/* What lies off a fit that a slip bent is not worth reading. */}
            <FitView
              room={room}
              fit={slips.length > 0 && stands !== said ? { ...fit.data, notices: [] } : fit.data}
            />
            <AboutFields about={about} onChange={(change) => setAbout({ ...about, ...change })} />
            <fieldset className="mt-4">
              <legend className="text-body">What the readings show</legend>
              <Choice
                label="The tube or a receptor changed"
                hint="Exposures come out otherwise than they did: every line is held against it."
                chosen={!asItWas}
                onChoose={() => setAsItWas(false)}
              />
              <Choice
                label="The room is as it was; only its figures were wrong"
                hint="What images proved stays right: only lines from the physics model alone are off."
                chosen={asItWas}
                onChoose={() => setAsItWas(true)}
              />
            </fieldset>
            <div className="mt-4 flex items-center gap-4 border-t border-rule pt-3">
              <Button
                tone="main"
                disabled={accept.isPending || (said !== "" && stands !== said)}
                onClick={() =>
                  accept.mutate(
                    { room: room.id, body: readings },
                    { onSuccess: () => forgetDrafts(draft("")) },
                  )
                }
              >
                Accept calibration
              </Button>
              <span className="text-note text-ink-3">
                Approved charts keep their numbers; forecasts and dose follow, and lines that are off are
                marked until they are corrected.
              </span>
            </div>
            {accept.isSuccess && (
              <p className="mt-2 text-good">
                Accepted: the room is now calibrated from these readings.{" "}
                <Link to={`/charts?room=${room.id}`} className="text-ink underline">
                  Lines that are off by it, and one draft that corrects them
                </Link>
              </p>
            )}
            {accept.isError && <Refusal error={accept.error} className="mt-2" />}
          </>
        )}
      </div>
    </div>
  );
}

const isWhole = (row: object) => Object.values(row).every((cell) => cell !== null);

/** The rows without some; one blank row stays, so that there is somewhere to type. */
function without<T>(rows: T[], gone: number[], blank: T): T[] {
  const left = rows.filter((_, i) => !gone.includes(i));
  return left.length > 0 ? left : [blank];
}

function put<T>(rows: T[], at: number, change: Partial<T>): T[] {
  return rows.map((row, i) => (i === at ? { ...row, ...change } : row));
}

/** The readings that are filled in whole; null where there is none. */
function complete(
  room: Room,
  outputs: OutputRow[],
  hvls: HvlRow[],
  indices: IndexRow[],
  asItWas: boolean,
  about: About,
): Readings | null {
  const found = {
    outputs: outputs.filter(isWhole),
    hvls: hvls.filter(isWhole),
    indices: indices.filter(isWhole),
    note: "",
    instrument: about.instrument,
    read_on: about.read_on || null,
    due_on: about.due_on || null,
    room_as_it_was: asItWas,
    revision: room.revision,
  };
  const count = found.outputs.length + found.hvls.length + found.indices.length;
  return count > 0 ? (found as Readings) : null;
}

/** One of two answers, with what follows from it. */
function Choice({
  label,
  hint,
  chosen,
  onChoose,
}: {
  label: string;
  hint: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  return (
    <label className="flex min-h-touch items-start gap-2 py-1">
      <input
        type="radio"
        name="what-the-readings-show"
        className="mt-1.5"
        checked={chosen}
        onChange={onChoose}
      />
      <span>
        {label} <span className="block text-note text-ink-3">{hint}</span>
      </span>
    </label>
  );
}

function Readout({ title, hint, children }: { title: string; hint: string; children: ReactNode }) {
  return (
    <section aria-label={title}>
      <h3 className="border-b border-rule-strong pb-1 text-body">{title}</h3>
      <p className="my-1 text-note text-ink-3">{hint}</p>
      {children}
    </section>
  );
}

function Table({ heads, children }: { heads: string[]; children: ReactNode }) {
  return (
    <table className="w-full table-fixed">
      <thead className="text-left text-note text-ink-3">
        <tr>
          {heads.map((head) => (
            <th key={head} className={`pl-1 font-normal ${head === "" ? "w-9" : ""}`}>
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}

interface NumberCellProps {
  id: string;
  name: string;
  value: Cell;
  onChange: (value: Cell) => void;
  length?: boolean;
}

function NumberCell({ id, name, value, onChange, length = false }: NumberCellProps) {
  const Kind = length ? LengthField : NumberField;
  return (
    <td className="pr-1 pb-1">
      <Kind id={id} label={name} bare value={value} digits={length ? 2 : 4} onChange={onChange} />
    </td>
  );
}

/** Takes one row of readings out of its table. */
function TakeOut({ what, onTake }: { what: string; onTake: () => void }) {
  return (
    <td className="w-9">
      <Button tone="quiet" className="px-2!" aria-label={`Take ${what} out`} onClick={onTake}>
        ×
      </Button>
    </td>
  );
}

function AddRow({ onAdd }: { onAdd: () => void }) {
  return (
    <Button tone="quiet" className="-ml-3" onClick={onAdd}>
      Another reading
    </Button>
  );
}

function FitView({ room, fit }: { room: Room; fit: Fit }) {
  return (
    <div className="flex flex-col gap-4">
      {fit.notices.length > 0 && (
        <ul className="border-l-4 border-warn pl-3">
          {fit.notices.map((notice) => (
            <li key={notice}>
              <b className="text-warn">Check</b> {notice}
            </li>
          ))}
        </ul>
      )}
      {fit.outputs.length > 0 && (
        <section aria-label="Output fit">
          <h3 className="text-body">Output: {fit.output_scale.toFixed(3)} × the model&apos;s tube</h3>
          <Residuals fit={fit} />
          {fit.outputs.some((point) => point.change_percent != null) && (
            <p className="text-note text-ink-2">
              Against what the room gave before:{" "}
              {fit.outputs
                .flatMap((point) =>
                  point.change_percent == null
                    ? []
                    : [`${point.kvp} kVp ${signed(point.change_percent, 0)} %`],
                )
                .join(", ")}
              .
            </p>
          )}
        </section>
      )}
      {fit.checks.length > 0 && (
        <ul aria-label="Checks">
          {fit.checks.map((check) => (
            <li key={check.name + check.where} className="flex gap-2">
              <b className={check.kept ? "text-good" : "text-bad"}>{check.kept ? "Kept" : "Over"}</b>
              <span>
                {check.name} {check.where}: {check.value_percent.toFixed(1)} % (usual limit{" "}
                {check.limit_percent} %)
              </span>
            </li>
          ))}
        </ul>
      )}
      {fit.filtration_mm_al != null && (
        <p>
          Filtration that fits the HVL: <b>{fit.filtration_mm_al.toFixed(2)} mm Al</b> (now{" "}
          {room.tube?.filtration_mm_al}); largest residual {(fit.hvl_residual_percent ?? 0).toFixed(1)} %.
        </p>
      )}
      {fit.indices.map((one) => (
        <p key={one.receptor}>
          {room.receptors.find((receptor) => receptor.id === one.receptor)?.name}: index shown is{" "}
          <b>×{one.ei_scale.toFixed(3)}</b> of what the kerma calls for; largest residual{" "}
          {one.residual_percent.toFixed(1)} %.
        </p>
      ))}
      {fit.effects.length > 0 && <Effects effects={fit.effects} />}
    </div>
  );
}

/** What accepting would move in the approved chart: how many lines, and each of them where it is asked for. */
function Effects({ effects }: { effects: Fit["effects"] }) {
  const projections = useProjections();
  const name = (id: string) =>
    projectionName(
      projections.data?.find((one) => one.id === id),
      id,
    );
  const moved = [...effects].sort((a, b) => Math.abs(b.di_change) - Math.abs(a.di_change));
  const count = moved.filter((one) => one.off).length;
  const [most] = moved;
  return (
    <section aria-label="What would change">
      <h3 className="text-body">What it would change in the approved chart</h3>
      <p>
        <b className={count > 0 ? "text-warn" : ""}>
          {count} of {moved.length} lines
        </b>{" "}
        move by half a DI or more
        {most && count > 0 && `, most ${name(most.projection)}: ${signed(most.di_change, 1)} DI`}.
      </p>
      <details className="text-note">
        <summary className="inline-flex min-h-touch cursor-pointer items-center">Every line</summary>
        <table className="w-full text-right">
          <thead className="text-ink-3">
            <tr className="border-b border-rule-strong">
              <th className="py-1 text-left font-normal">Line</th>
              <th className="font-normal">expected DI</th>
              <th className="font-normal">dose shown</th>
            </tr>
          </thead>
          <tbody>
            {moved.map((effect, i) => (
              <tr key={i} className="border-b border-rule">
                <td className="py-0.5 text-left">
                  {name(effect.projection)}
                  <span className="text-ink-3">, {SUPPORT[effect.support]}</span>
                </td>
                <td className={effect.off ? "font-semibold text-warn" : ""}>{signed(effect.di_change, 2)}</td>
                <td>{signed(effect.kerma_change_percent, 1)} %</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}

const W = 440;
const H = 130;

/** The residuals of the output over kVp: how far each mean lies off the fit. */
function Residuals({ fit }: { fit: Fit }) {
  const points = fit.outputs;
  const kvps = points.map((point) => point.kvp);
  const x = scaleLinear([Math.min(...kvps) - 5, Math.max(...kvps) + 5], [40, W - 10]);
  const worst = Math.max(6, ...points.map((point) => Math.abs(point.residual_percent) * 1.15));
  const y = scaleLinear([-worst, worst], [H - 24, 12]);
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      className="w-full max-w-[34rem]"
      role="img"
      aria-label={`Residuals of ${points.length} kVp, in percent`}
    >
      <rect x={40} width={W - 50} y={y(5)} height={y(-5) - y(5)} fill="var(--good)" opacity={0.14} />
      {[-5, 0, 5].map((level) => (
        <g key={level}>
          <line x1={40} x2={W - 10} y1={y(level)} y2={y(level)} stroke="var(--rule)" />
          <text x={34} y={y(level) + 4} textAnchor="end" fontSize={11} fill="var(--ink-3)">
            {signed(level, 0)} %
          </text>
        </g>
      ))}
      {points.map((point) => (
        <g key={point.kvp}>
          <line
            x1={x(point.kvp)}
            x2={x(point.kvp)}
            y1={y(0)}
            y2={y(point.residual_percent)}
            stroke="var(--ink-2)"
            strokeWidth={2}
          />
          <circle cx={x(point.kvp)} cy={y(point.residual_percent)} r={3.5} fill="var(--ink)" />
          <text x={x(point.kvp)} y={H - 8} textAnchor="middle" fontSize={11} fill="var(--ink-3)">
            {point.kvp} kVp
          </text>
          <title>{`${figure(point.output_ugy_per_mas)} µGy/mAs, fit ${figure(point.fitted_ugy_per_mas)}`}</title>
        </g>
      ))}
    </svg>
  );
}
