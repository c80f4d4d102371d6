import { useState } from "react";

import { type Built, useBuild } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { type Line, type Projection, type Room, useDepartment } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { LengthField } from "../../ui/LengthField";
import { NumberField } from "../../ui/NumberField";
import { usePreferences } from "../../ui/preferences";
import { Segmented } from "../../ui/Segmented";
import { Select } from "../../ui/Select";
import { useDraft } from "../../ui/drafts";
import { figure, length, signed, trimmed, typedLength } from "../../ui/units";
import { TECHNIQUE_SYSTEM, grid, projectionName, SUPPORT, supportWords } from "../../ui/words";
import { startingConditions, usualReceptor } from "./ConditionFields";
import { cellValue } from "../editor/cells";
import { MakeBar } from "./MakeBar";
import type { Making } from "./making";
import { ShareCurve } from "./ShareCurve";

type Exposure = Schemas["TestExposureIn"];
type School = NonNullable<Schemas["BuildIn"]["school"]>;

interface Shot {
  projection: string;
  support: string;
  receptor: string;
  grid_ratio: number;
  sid_cm: number;
  thickness_cm: number | null;
  kvp: number | null;
  mas: number | null;
  /** As the console shows it: the exposure index, or the number of its own scale. */
  shown_index: number | null;
  /** A phantom's layers as typed, "soft 19, aluminium 0.5" in cm where no unit is typed; empty for a patient. */
  layers: string;
}

/** Views that together tell most of a room: an extremity, a joint, a trunk part and a chest. */
const FIRST = ["hand-pa", "knee-ap", "lspine-ap", "chest-pa"];
const MOST = 250;

/** From a few test exposures to a whole chart: what they say of the room, each line's number and how sure it is. */
export function Build(props: Making & { lines: Line[] }) {
  const { room, projections, lines } = props;
  const { unit } = usePreferences();
  const build = useBuild();
  const [shots, setShots] = useDraft<Shot[]>(`build ${room.id}`, () =>
    FIRST.flatMap((id) => {
      const projection = projections.find((one) => one.id === id);
      return projection && projection.supports.some((one) => room.supports.some((own) => own.id === one))
        ? [shotOf(projection, room, lines)]
        : [];
    }),
  );
  const { data: department } = useDepartment();
  const [chosen, setSchool] = useState<School | null>(null);
  const school = chosen ?? department?.system ?? "levelled";
  const [phantom, setPhantom] = useState(false);
  const whole = shots.flatMap((one) => wholeOf(one) ?? []);
  const byId = new Map(projections.map((one) => [one.id, one]));
  const put = (i: number, change: Partial<Shot>) =>
    setShots(shots.map((one, j) => (i === j ? { ...one, ...change } : one)));
  const sent = shots.filter((one) => wholeOf(one) !== null);
  /** What is drafted then is drafted from the exposures that are left. */
  function takeOut(at: number) {
    draftFrom(shots.filter((one) => one !== sent[at]));
  }
  function meant(at: number, shown_index: number) {
    draftFrom(shots.map((one) => (one === sent[at] ? { ...one, shown_index } : one)));
  }
  function draftFrom(next: Shot[]) {
    setShots(next);
    build.mutate({ room: room.id, body: { exposures: next.flatMap((one) => wholeOf(one) ?? []), school } });
  }
  const digital = room.receptors.filter((one) => one.kind !== "film_screen");
  return (
    <section aria-label="Build a chart" className="px-5 py-3">
      <h2 className="text-lead">A chart for {room.name} from a few test exposures</h2>
      <p className="max-w-3xl text-ink-2">
        Exposures whose images were accepted, or of a phantom: four on different parts of the room tell most
        of it, one of each projection is best. The physics model drafts the other lines; the exposures tie it
        to this room. One that does not go with the others is named and left out.
      </p>
      <table className="mt-2 w-full">
        <thead className="text-left text-note text-ink-3">
          <tr>
            <th className="font-normal">Projection, support and SID, {unit}</th>
            <th className="w-36 font-normal">Receptor</th>
            <th className="w-24 font-normal">Measured, {unit}</th>
            <th className="w-20 font-normal">kVp</th>
            <th className="w-20 font-normal">mAs</th>
            <th className="w-24 font-normal">Index shown</th>
            {phantom && <th className="w-44 font-normal">Phantom's layers, cm</th>}
            <th className="w-10" />
          </tr>
        </thead>
        <tbody>
          {shots.map((shot, i) => {
            const at = `exposure ${i + 1}`;
            return (
              <tr key={i} className="border-t border-rule">
                <td className="py-1 pr-2">
                  <div className="flex gap-2">
                    <Select
                      label={`Projection of ${at}`}
                      className="min-w-0 flex-1"
                      value={shot.projection}
                      options={projections.map((one) => ({
                        value: one.id,
                        label: projectionName(one, one.id),
                      }))}
                      onChange={(id) => {
                        const projection = byId.get(id);
                        if (projection) put(i, shotOf(projection, room, lines));
                      }}
                    />
                    <Select
                      label={`Support of ${at}`}
                      className="w-40"
                      value={shot.support}
                      options={room.supports
                        .filter((one) => byId.get(shot.projection)?.supports.includes(one.id))
                        .map((one) => ({
                          value: one.id,
                          label: `${SUPPORT[one.id]}, ${grid(one.grid?.ratio ?? 0).toLowerCase()}`,
                        }))}
                      onChange={(support) =>
                        put(i, {
                          support,
                          receptor: usualReceptor(room, support, lines),
                          grid_ratio: room.supports.find((one) => one.id === support)?.grid?.ratio ?? 0,
                        })
                      }
                    />
                    <span className="w-20">
                      <LengthField
                        bare
                        id={`sid-${i}`}
                        label={`SID of ${at}`}
                        value={shot.sid_cm}
                        onChange={(sid_cm) => sid_cm !== null && put(i, { sid_cm })}
                      />
                    </span>
                  </div>
                </td>
                <td className="pr-2">
                  <Select
                    label={`Receptor of ${at}`}
                    value={shot.receptor}
                    options={digital.map((one) => ({ value: one.id, label: one.name }))}
                    onChange={(receptor) => put(i, { receptor })}
                  />
                </td>
                {(["thickness_cm", "kvp", "mas", "shown_index"] as const).map((name) => {
                  const Kind = name === "thickness_cm" ? LengthField : NumberField;
                  return (
                    <td key={name} className="pr-2">
                      <Kind
                        bare
                        id={`${name}-${i}`}
                        label={`${LABEL[name]} of ${at}`}
                        digits={2}
                        value={shot[name]}
                        placeholder={
                          name === "shown_index"
                            ? (digital.find((one) => one.id === shot.receptor)?.index_scale?.name ?? "")
                            : ""
                        }
                        onChange={(value) => put(i, { [name]: value })}
                      />
                    </td>
                  );
                })}
                {phantom && (
                  <td className="pr-2">
                    <input
                      aria-label={`Layers of ${at}`}
                      placeholder="soft 19, aluminium 0.5"
                      className="min-h-touch w-full rounded-sm border border-rule-strong bg-transparent px-2.5 outline-none focus:border-ink"
                      maxLength={200}
                      value={shot.layers}
                      onChange={(event) => put(i, { layers: event.currentTarget.value })}
                    />
                  </td>
                )}
                <td>
                  <Button
                    tone="quiet"
                    aria-label={`Take ${at} away`}
                    onClick={() => setShots(shots.filter((_, j) => j !== i))}
                  >
                    ×
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Button
          disabled={shots.length >= MOST || !projections[0]}
          onClick={() => {
            const next = projections.find((one) => !shots.some((shot) => shot.projection === one.id));
            if (next) setShots([...shots, shotOf(next, room, lines)]);
          }}
        >
          Another exposure
        </Button>
        <Button tone="quiet" aria-pressed={phantom} onClick={() => setPhantom(!phantom)}>
          {phantom ? "Patients only" : "With a phantom"}
        </Button>
        <Segmented
          label="School of the chart"
          value={school}
          options={Object.entries(TECHNIQUE_SYSTEM).map(([value, label]) => ({ value, label }))}
          onChange={(next) => setSchool(next as School)}
        />
        <Button
          tone="main"
          className="ml-auto"
          disabled={whole.length === 0 || build.isPending}
          onClick={() => build.mutate({ room: room.id, body: { exposures: whole, school } })}
        >
          {build.isPending
            ? "Drafting…"
            : `Draft the chart from ${whole.length} ${whole.length === 1 ? "exposure" : "exposures"}`}
        </Button>
      </div>
      {build.isError && <Refusal error={build.error} className="mt-2" />}
      {build.data ? (
        <Drafted
          built={build.data}
          making={props}
          byId={byId}
          school={TECHNIQUE_SYSTEM[school] ?? ""}
          onTakeOut={takeOut}
          onMeant={meant}
        />
      ) : (
        <Button tone="quiet" className="mt-2" onClick={props.onCancel}>
          Cancel
        </Button>
      )}
    </section>
  );
}

/** An exposure with all its numbers; null while one is missing. */
function wholeOf(shot: Shot): Exposure | null {
  const { thickness_cm, kvp, mas, shown_index, layers } = shot;
  const pairs = layersOf(layers);
  return thickness_cm === null || kvp === null || mas === null || shown_index === null
    ? null
    : ({
        ...shot,
        thickness_cm,
        kvp,
        mas,
        shown_index,
        layers: pairs.length > 0 ? pairs : null,
      } as Exposure);
}

/** "soft 19, aluminium 0.5" in cm, or "soft 7.5 in", as pairs; what is no pair is sent as it is, so that the refusal can name it. */
function layersOf(text: string): [string, number][] {
  return text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean)
    .map((one) => {
      const [material = "", ...thick] = one.split(/\s+/);
      return [material.toLowerCase(), typedLength(thick.join(" "), "cm") ?? NaN];
    });
}

/** What stands behind a drafted line. */
const TRUST = { supported: "supported", model: "from the model only" } as const;

const LABEL = { thickness_cm: "thickness", kvp: "kVp", mas: "mAs", shown_index: "index" } as const;

function shotOf(projection: Projection, room: Room, lines: Line[]): Shot {
  const charted = lines.find((line) => line.projection === projection.id);
  const usual = startingConditions(projection, room, lines);
  return {
    projection: projection.id,
    support: charted?.support ?? usual.support,
    receptor: charted?.receptor ?? usual.receptor,
    grid_ratio: charted?.grid_ratio ?? usual.grid_ratio,
    sid_cm: charted?.sid_cm ?? usual.sid_cm ?? 100,
    thickness_cm: null,
    kvp: null,
    mas: null,
    shown_index: null,
    layers: "",
  };
}

/** What the exposures said, what to expose next, and every drafted line with where it comes from. */
function Drafted({
  built,
  making,
  byId,
  school,
  onTakeOut,
  onMeant,
}: {
  built: Built;
  making: Making;
  byId: Map<string, Projection>;
  school: string;
  /** Take the exposure of that place, among those sent, out of the table. */
  onTakeOut: (at: number) => void;
  /** The exposure of that place showed this exposure index. */
  onMeant: (at: number, ei: number) => void;
}) {
  const { unit } = usePreferences();
  const name = (id: string) => projectionName(byId.get(id), id);
  const lines = built.drafts.map((one) => one.line);
  const suspects = new Map(built.suspects.map((one) => [one.exposure, one]));
  const used = built.readings.length - suspects.size;
  const mean = built.drafts.reduce((sum, one) => sum + one.spread_di, 0) / (built.drafts.length || 1);
  return (
    <div aria-live="polite">
      {suspects.size > 0 && (
        <section aria-label="Exposures left out" className="mt-4 border-l-4 border-warn pl-3">
          <h3 className="text-warn">
            {suspects.size === 1
              ? "One exposure is left out: look at it"
              : `${suspects.size} exposures are left out: look at them`}
          </h3>
          <ul>
            {[...suspects].map(([at, { why, index_of_di: meant }]) => (
              <li key={at}>
                <b>Exposure {at + 1}</b>, {name(built.readings[at]?.exposure.projection ?? "")}: {why}{" "}
                {meant != null && (
                  <button
                    type="button"
                    className="mr-3 min-h-touch underline"
                    onClick={() => onMeant(at, meant)}
                  >
                    It is a DI: the index was {figure(meant)}
                  </button>
                )}
                <button type="button" className="min-h-touch underline" onClick={() => onTakeOut(at)}>
                  Take it out of the table
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      <div className="mt-4 grid grid-cols-2 gap-8">
        <section aria-label="What the exposures say">
          <h3 className="border-b border-rule-strong pb-1 text-ink-2">What the exposures say of the room</h3>
          <ul>
            {built.readings.map((one, i) => (
              <li key={i} className="flex gap-3 border-b border-rule py-1">
                <span className="min-w-0 flex-1 truncate">
                  {i + 1}. {name(one.exposure.projection)}
                </span>
                <span>index {signed(one.off_di)} DI room against model</span>
                {suspects.has(i) && <b className="text-warn">left out</b>}
                <span className={Math.abs(one.left_di) > 1 ? "text-warn" : "text-ink-3"}>
                  {signed(one.left_di)} left
                </span>
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="What to expose next">
          <h3 className="border-b border-rule-strong pb-1 text-ink-2">What to expose next</h3>
          <p className="py-1 text-note text-ink-3">
            On a phantom, or the next patient who needs it; never for the chart&apos;s sake. What this room
            exposes most counts most.
          </p>
          <ol>
            {built.suggestions.map((one, i) => (
              <li key={i} className="flex gap-3 border-b border-rule py-1">
                <span className="min-w-0 flex-1">
                  {name(one.line.projection)}, {supportWords(one.line.support)}:{" "}
                  {length(one.thickness_cm, unit)}, {trimmed(one.kvp, 0)} kVp, {figure(one.mas)} mAs
                </span>
                <span className="whitespace-nowrap text-ink-2">
                  ±{trimmed(one.mean_after_di, 2)} DI, <b>{(100 * one.share_after).toFixed(0)} %</b> within ±1
                </span>
              </li>
            ))}
          </ol>
          <ShareCurve curve={built.curve} believed={used} />
        </section>
      </div>
      <MakeBar
        making={making}
        usual={`${making.room.name} chart, ${school.charAt(0).toLowerCase()}${school.slice(1)}`}
        lines={lines}
        why={`Drafted from ${used} test ${used === 1 ? "exposure" : "exposures"}; ±${trimmed(mean, 1)} DI on average.`}
      />
      <table className="mt-3 w-full">
        <thead className="sticky top-0 bg-ground text-left text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 font-normal">{lines.length} drafted lines</th>
            <th className="w-40 text-right font-normal">At its own thickness</th>
            <th className="w-28 pr-4 text-right font-normal">Uncertainty</th>
            <th className="font-normal">Where it comes from</th>
          </tr>
        </thead>
        <tbody>
          {built.drafts.map((one, i) => {
            const kvp = cellValue(one.line, "kvp");
            const mas = cellValue(one.line, "mas");
            return (
              <tr key={i} className="border-b border-rule">
                <td className="py-0.5">
                  {name(one.line.projection)}{" "}
                  <span className="text-note text-ink-3">
                    {supportWords(one.line.support)}, {grid(one.line.grid_ratio).toLowerCase()}
                  </span>
                </td>
                <td className="text-right">
                  {kvp !== null && mas !== null && (
                    <>
                      <b className="font-semibold">{figure(mas)}</b> mAs, {trimmed(kvp, 0)} kVp
                    </>
                  )}
                </td>
                <td className={`pr-4 text-right ${one.spread_di > 1 ? "text-warn" : ""}`}>
                  ±{trimmed(one.spread_di, 1)} DI
                </td>
                <td className="text-note text-ink-2">
                  <b className={one.trust === "model" ? "text-warn" : "font-semibold"}>{TRUST[one.trust]}</b>:
                  model {signed(one.correction_di)} DI, by{" "}
                  {one.shares
                    .filter(([, share]) => Math.abs(share) >= 0.05)
                    .slice(0, 3)
                    .map(([shot, share]) => `exposure ${Number(shot) + 1} (${Math.round(100 * share)} %)`)
                    .join(", ") || "none of them"}
                  {one.refusal && <span className="text-warn">; levelled instead: {one.refusal}</span>}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
