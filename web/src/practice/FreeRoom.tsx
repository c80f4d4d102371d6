import { useState } from "react";

import {
  type Case,
  type Console,
  type PracticeImage,
  useExpose,
  usePracticeLists,
  useUsual,
  type Wrong,
} from "../api/practice";
import { type Projection, useProjections } from "../api/queries";
import { Button } from "../ui/Button";
import { DiWedge } from "../ui/DiWedge";
import { Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { figure, signed, trimmed } from "../ui/units";
import { AGE_BANDS, grid, HABITUS, projectionName } from "../ui/words";
import { Radiograph } from "../ui/Radiograph";

const RECEPTORS = [
  { value: "dr_csi", label: "DR" },
  { value: "cr", label: "CR" },
  { value: "film_screen", label: "Film" },
];
const GRIDS = [0, 6, 8, 10, 12];
const CHAMBERS: Record<string, Console["chambers"]> = {
  none: [],
  C: ["C"],
  "L+R": ["L", "R"],
  "L+C+R": ["L", "C", "R"],
};
/** What can be got wrong on purpose, each in one step. */
const WRONGS: Record<string, { name: string; wrong: Partial<Wrong> }> = {
  turned: { name: "Turned 12°", wrong: { turned_deg: 12 } },
  off: { name: "Centred 4 cm low", wrong: { off_cm: [0, -4] } },
  moved: { name: "Moved 4 mm", wrong: { moved_mm: 4 } },
  grid_off: { name: "Grid 4 cm off centre", wrong: { grid_offset_cm: 4 } },
  grid_focus: { name: "Grid made for 180 cm", wrong: { grid_focal_cm: 180 } },
  grid_down: { name: "Grid upside down", wrong: { grid_upside_down: true } },
  shutters: { name: "Shutters 4 cm aside", wrong: { shutters_off_cm: [4, 0] } },
  necklace: { name: "Necklace left on", wrong: { artefacts: ["necklace"] } },
  shield: { name: "Shield in the field", wrong: { artefacts: ["shield"] } },
};

const NOT_SAID = { value: "none", label: "Not said" };
const said = (value: string) => (value === "none" ? null : value);

interface Shot {
  image: PracticeImage;
  said: string;
}

/** Somebody for some view, by chance. */
function anybody(computed: readonly Projection[]): Case | null {
  const chosen = computed[Math.floor(Math.random() * computed.length)];
  if (!chosen) return null;
  const { small, large } = chosen.thickness_cm;
  return {
    projection: chosen.id,
    thickness_cm: Math.round(2 * (small + Math.random() * (large - small))) / 2,
    sex: Math.random() < 0.5 ? "male" : "female",
    condition: "",
    seed: Math.floor(Math.random() * 1e6),
  };
}

/** The free room: a computed patient, a console, and what comes of pressing the button. */
export function FreeRoom() {
  const lists = usePracticeLists();
  const projections = useProjections().data ?? [];
  const [case_, setCase] = useState<Case>(() => ({
    projection: "knee-ap",
    thickness_cm: 12.5,
    sex: "male",
    condition: "",
    seed: 1,
  }));
  const usual = useUsual(case_);
  const [own, setOwn] = useState<{ of: string; set: Partial<Console> }>({ of: "", set: {} });
  const [wrongs, setWrongs] = useState<readonly string[]>([]);
  const [shots, setShots] = useState<readonly Shot[]>([]);
  const [share, setShare] = useState(0);
  const expose = useExpose();
  if (lists.isError) return <Refusal error={lists.error} className="m-5" />;
  if (!lists.data || projections.length === 0) return <Waiting what="the simulated room" />;
  const computed = projections.filter((one) => lists.data.projections.includes(one.id));
  const entry = computed.find((one) => one.id === case_.projection);
  // What was set by hand is of one projection: the next begins with its own usual technique.
  const set = own.of === case_.projection ? own.set : {};
  const console_ = usual.data && ({ ...usual.data, ...set } as Console);
  const setOn = (change: Partial<Console>) => setOwn({ of: case_.projection, set: { ...set, ...change } });
  const patient = (change: Partial<Case>) => {
    setCase({ ...case_, ...change });
    setShots([]);
  };
  const [now, last] = shots;

  function surprise() {
    const someone = anybody(computed);
    if (someone) patient(someone);
  }

  function press() {
    if (!console_) return;
    const wrong: Partial<Wrong> = Object.assign(
      {},
      ...wrongs.map((one) => WRONGS[one]?.wrong ?? {}),
    ) as Partial<Wrong>;
    const artefacts = wrongs.flatMap((one) => WRONGS[one]?.wrong.artefacts ?? []);
    const body = {
      case: case_,
      console: console_,
      wrong: { ...wrong, artefacts: ["marker R", ...artefacts] as Wrong["artefacts"] } as Wrong,
      size: 384,
      noise: shots.length + 1,
    };
    expose.mutate(body, {
      onSuccess: (image) => {
        const said = [
          `${trimmed(console_.kvp, 1)} kVp, ${trimmed(image.mas, 2)} mAs`,
          `${trimmed(console_.sid_cm, 0)} cm`,
          grid(console_.grid_ratio ?? 0).toLowerCase(),
          ...wrongs.map((one) => WRONGS[one]?.name.toLowerCase()),
        ].join(", ");
        setShots((before) => [{ image, said }, ...before.slice(0, 1)]);
        setShare(0);
      },
    });
  }

  return (
    <div className="grid flex-1 gap-x-6 gap-y-4 px-5 py-4 lg:grid-cols-[20rem_minmax(0,1fr)]">
      <section aria-label="Patient and console" className="flex flex-col gap-3">
        <Select
          label="View"
          labelled
          value={case_.projection}
          options={computed.map((one) => ({ value: one.id, label: `${one.exam} ${one.name}` }))}
          onChange={(id) => {
            const chosen = computed.find((one) => one.id === id);
            patient({ projection: id, thickness_cm: chosen?.thickness_cm.average ?? 12 });
          }}
        />
        <div className="grid grid-cols-2 gap-2">
          <NumberField
            id="practice-cm"
            label="Thickness"
            unit="cm"
            digits={1}
            value={case_.thickness_cm}
            onChange={(cm) => cm !== null && patient({ thickness_cm: cm })}
          />
          <Select
            label="Build"
            labelled
            value={case_.habitus ?? "none"}
            options={[NOT_SAID, ...HABITUS]}
            onChange={(value) => patient({ habitus: said(value) as Case["habitus"] & string })}
          />
          <Select
            label="Age"
            labelled
            value={case_.age_band ?? "none"}
            options={[NOT_SAID, ...AGE_BANDS]}
            onChange={(value) => patient({ age_band: said(value) as Case["age_band"] & string })}
          />
          <Select
            label="Condition"
            labelled
            value={case_.condition || "none"}
            options={Object.entries(lists.data.conditions).map(([value, label]) => ({
              value: value || "none",
              label,
            }))}
            onChange={(value) => patient({ condition: said(value) ?? "" })}
          />
        </div>
        <Button tone="quiet" className="self-start" onClick={surprise}>
          Surprise me
        </Button>
        {usual.isError && <Refusal error={usual.error} />}
        {console_ && (
          <>
            <div className="grid grid-cols-3 gap-2 border-t border-rule pt-3">
              <NumberField
                id="practice-kvp"
                label="kVp"
                digits={0}
                value={console_.kvp}
                onChange={(kvp) => kvp !== null && setOn({ kvp })}
              />
              <NumberField
                id="practice-mas"
                label={console_.chambers?.length ? "Back-up mAs" : "mAs"}
                digits={2}
                value={console_.mas}
                onChange={(mas) => mas !== null && setOn({ mas })}
              />
              <NumberField
                id="practice-sid"
                label="SID"
                unit="cm"
                digits={0}
                value={console_.sid_cm}
                onChange={(sid_cm) => sid_cm !== null && setOn({ sid_cm })}
              />
            </div>
            <div className="grid grid-cols-2 gap-2">
              <Select
                label="Grid"
                labelled
                value={String(console_.grid_ratio)}
                options={GRIDS.map((one) => ({ value: String(one), label: grid(one) }))}
                onChange={(value) => setOn({ grid_ratio: Number(value) as Console["grid_ratio"] })}
              />
              <Select
                label="Chambers"
                labelled
                value={(console_.chambers ?? []).join("+") || "none"}
                options={Object.keys(CHAMBERS).map((one) => ({
                  value: one,
                  label: one === "none" ? "By hand" : one,
                }))}
                onChange={(value) => setOn({ chambers: CHAMBERS[value] ?? [] })}
              />
            </div>
            <label className="flex min-h-touch items-center gap-2">
              <input
                type="checkbox"
                className="h-5 w-5 accent-(--ink)"
                checked={console_.breathing ?? false}
                onChange={(event) => setOn({ breathing: event.currentTarget.checked })}
              />
              Breathing on for seconds
            </label>
            <Segmented
              label="Receptor"
              value={console_.receptor ?? "dr_csi"}
              options={RECEPTORS}
              onChange={(receptor) => setOn({ receptor: receptor as Console["receptor"] })}
            />
            <details>
              <summary className="min-h-touch cursor-pointer py-2 text-ink-2">
                What goes wrong{wrongs.length > 0 && ` (${wrongs.length})`}
              </summary>
              <div className="flex flex-col">
                {Object.entries(WRONGS).map(([key, { name }]) => (
                  <label key={key} className="flex min-h-touch items-center gap-2">
                    <input
                      type="checkbox"
                      className="h-5 w-5 accent-(--ink)"
                      checked={wrongs.includes(key)}
                      onChange={() =>
                        setWrongs(
                          wrongs.includes(key) ? wrongs.filter((one) => one !== key) : [...wrongs, key],
                        )
                      }
                    />
                    {name}
                  </label>
                ))}
              </div>
            </details>
            <Button tone="main" disabled={expose.isPending} onClick={press}>
              {expose.isPending ? "Exposing…" : "Expose"}
            </Button>
          </>
        )}
        <p className="text-note text-ink-3">
          Computed bodies in a usual room, for practice alone: no mAs here is of a real room, and nothing is
          kept. Whether you may do it on people is for your clinical instructor to say.
        </p>
      </section>
      <section aria-label="Image" className="min-w-0">
        {expose.isError && <Refusal error={expose.error} />}
        {!now ? (
          <div className="flex h-full min-h-80 items-center justify-center border border-dashed border-rule-strong text-ink-2">
            {expose.isPending ? "The image develops…" : "Set the technique and press Expose."}
          </div>
        ) : (
          <div className="flex flex-col gap-3">
            <Radiograph
              picture={now.image.picture}
              label={`Computed radiograph: ${projectionName(entry, case_.projection)}, ${now.said}`}
              under={last?.image.picture ?? null}
              share={share}
              onShare={setShare}
            />
            <Figures shot={now} last={last} />
          </div>
        )}
      </section>
    </div>
  );
}

function Figures({ shot, last }: { shot: Shot; last: Shot | undefined }) {
  return (
    <table className="w-full max-w-3xl">
      <thead className="text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="font-normal">Exposure</th>
          <th className="pr-4 text-right font-normal">Index</th>
          <th className="pr-3 text-right font-normal">DI</th>
          <th className="font-normal">−4 to +4</th>
          <th className="pr-4 text-right font-normal">Skin kerma</th>
          <th className="font-normal">As it would be judged</th>
        </tr>
      </thead>
      <tbody>
        {[{ ...shot, name: "This" }, ...(last ? [{ ...last, name: "Last" }] : [])].map(
          ({ image, said, name }) => (
            <tr key={name} className="border-b border-rule align-top [&>td]:py-1.5">
              <td className="pr-4">
                <b>{name}</b>: {said}
                {image.back_up && <span className="block text-note text-warn">Ended by the back-up.</span>}
              </td>
              <td className="pr-4 text-right">
                {image.ei != null
                  ? figure(image.ei)
                  : image.optical_density != null
                    ? `OD ${image.optical_density.toFixed(2)}`
                    : "off the curve"}
              </td>
              <td className="pr-3 text-right font-semibold">{image.di == null ? "–" : signed(image.di)}</td>
              <td>{image.di != null && <DiWedge di={image.di} small />}</td>
              <td className="pr-4 text-right whitespace-nowrap">
                {figure(image.incident_air_kerma_mgy)} mGy
              </td>
              <td>{image.judged.verdict}</td>
            </tr>
          ),
        )}
      </tbody>
    </table>
  );
}
