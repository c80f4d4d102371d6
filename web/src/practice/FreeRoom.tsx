import { type ReactNode, useState } from "react";

import { type Case, type Console, useExpose, usePracticeLists, useUsual } from "../api/practice";
import { type Projection, useProjections } from "../api/queries";
import { Finder } from "../ui/Finder";
import { Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Radiograph } from "../ui/Radiograph";
import { Segmented } from "../ui/Segmented";
import { ThicknessRuler } from "../ui/ThicknessRuler";
import { length, trimmed } from "../ui/units";
import { focusField, useKeys } from "../ui/useKeys";
import { grid, projectionName } from "../ui/words";
import { LightField } from "./LightField";
import { GRIDS, PracticeConsole } from "./PracticeConsole";
import { PracticePatient } from "./PracticePatient";
import { Results, type Shot } from "./Results";
import { WRONGS, wrongOf } from "./wrongs";

const LOOKS = [
  { value: "light", label: "Light field" },
  { value: "image", label: "Image" },
];

const FIRST = "knee-ap";
const of = (view: Projection, thickness_cm: number): Case => ({
  projection: view.id,
  thickness_cm,
  sex: "male",
  condition: "",
  side: "left",
  seed: 1,
});

/** Somebody for some view, by chance. */
function anybody(computed: readonly Projection[]): Case | null {
  const view = computed[Math.floor(Math.random() * computed.length)];
  if (!view) return null;
  const { small, large } = view.thickness_cm;
  return {
    ...of(view, Math.round(2 * (small + Math.random() * (large - small))) / 2),
    sex: Math.random() < 0.5 ? "male" : "female",
    side: Math.random() < 0.5 ? "left" : "right",
    seed: Math.floor(Math.random() * 1e6),
  };
}

/** The free room: a computed patient between the Desk's calipers, a console, and what comes of pressing the button. */
export function FreeRoom({ parts }: { parts: ReactNode }) {
  const lists = usePracticeLists();
  const { unit } = usePreferences();
  const projections = useProjections().data ?? [];
  const computed = projections.filter((one) => lists.data?.projections.includes(one.id));
  const [chosen, setCase] = useState<Case | null>(null);
  const first = computed.find((one) => one.id === FIRST) ?? computed[0];
  const case_ = chosen ?? (first && of(first, first.thickness_cm.average));
  const usual = useUsual(case_);
  const [own, setOwn] = useState<{ of: string; set: Partial<Console> }>({ of: "", set: {} });
  const [wrongs, setWrongs] = useState<readonly string[]>([]);
  const [shots, setShots] = useState<readonly Shot[]>([]);
  const [look, setLook] = useState<"light" | "image">("light");
  const [share, setShare] = useState(0);
  const [notComputed, setNotComputed] = useState("");
  const expose = useExpose();
  const entry = computed.find((one) => one.id === case_?.projection);
  // What was set by hand is of one projection: the next begins with its own usual technique.
  const set = own.of === entry?.id ? own.set : {};
  const console_ = usual.data && ({ ...usual.data, ...set } as Console);
  const setOn = (change: Partial<Console>) => setOwn({ of: entry?.id ?? "", set: { ...set, ...change } });
  const patient = (change: Partial<Case>) => {
    if (case_) setCase({ ...case_, ...change });
    setNotComputed("");
    setShots([]);
    setLook("light");
  };
  useKeys([
    { keys: ["e"], shown: "e", does: "view", run: () => focusField("practice-view") },
    {
      keys: ["0", "1", "2", "3", "4", "5", "6", "7", "8", "9"],
      shown: "0 to 9",
      does: "thickness",
      pass: true,
      run: () => focusField("thickness"),
    },
    { keys: ["k"], shown: "k", does: "kVp", run: () => focusField("practice-kvp") },
    { keys: ["m"], shown: "m", does: "mAs", run: () => focusField("practice-mas") },
    { keys: ["s"], shown: "s", does: "SID", run: () => focusField("practice-sid") },
    {
      keys: ["g"],
      shown: "g",
      does: "grid",
      run: () => {
        const next = GRIDS[(GRIDS.indexOf(console_?.grid_ratio ?? 0) + 1) % GRIDS.length];
        setOn({ grid_ratio: next as Console["grid_ratio"] });
      },
    },
    {
      keys: ["Enter"],
      shown: "Enter",
      does: "expose",
      always: true,
      pass: true,
      run: (event) => {
        // On a button or a choice, Enter presses that.
        const on = event.target instanceof HTMLElement && event.target.closest("button, a, [role]");
        if (!on || on.id === "main") press();
      },
    },
  ]);
  if (lists.isError)
    return (
      <>
        {parts}
        <Refusal error={lists.error} className="m-5" />
      </>
    );
  if (!lists.data || !entry || !case_) return <Waiting what="the simulated room" />;
  const [now, last] = shots;
  const sided = lists.data.one_sided.includes(entry.id);
  const ofLeft = sided ? case_.side === "left" : lists.data.of_left.includes(entry.id);
  const wrong = wrongOf(wrongs, ofLeft ? "marker L" : "marker R");

  function pickView(id: string, title: string) {
    const view = computed.find((one) => one.id === id);
    if (view) patient({ projection: id, thickness_cm: view.thickness_cm.average });
    else setNotComputed(`${title} is not computed yet.`);
  }

  function surprise() {
    const someone = anybody(computed);
    if (someone) patient(someone);
  }

  function press() {
    if (!case_ || !console_ || expose.isPending) return;
    const body = { case: case_, console: console_, wrong, size: 512, noise: shots.length + 1 };
    expose.mutate(body, {
      onSuccess: (image) => {
        const said = [
          `${trimmed(console_.kvp, 1)} kVp, ${trimmed(image.mas, 2)} mAs`,
          length(console_.sid_cm, unit),
          grid(console_.grid_ratio ?? 0).toLowerCase(),
          ...wrongs.map((one) => WRONGS[one]?.name.toLowerCase()),
        ].join(", ");
        setShots((before) => [{ image, said }, ...before.slice(0, 1)]);
        setShare(0);
        setLook("image");
      },
    });
  }

  return (
    <>
      <div className="flex flex-wrap items-center gap-x-4 border-b border-rule px-4 py-0.5 xl:px-5">
        {parts}
        <Finder
          id="practice-view"
          label="View"
          hint="e"
          only="projection"
          className="w-80 max-w-full"
          shown={projectionName(entry, case_.projection)}
          mark={(hit) => (lists.data.projections.includes(hit.id) ? "" : "not computed yet")}
          onPick={(hit) => pickView(hit.id, hit.title)}
        />
        {notComputed && <p className="text-warn">{notComputed}</p>}
        <Segmented
          label="What is shown"
          className="ml-auto"
          value={look}
          options={LOOKS}
          onChange={(next) => setLook(next as typeof look)}
        />
      </div>
      <ThicknessRuler
        projection={entry}
        range={null}
        covers="Usual"
        unit={unit}
        value={case_.thickness_cm}
        estimate={null}
        onChange={(cm) => cm !== null && patient({ thickness_cm: cm })}
        refused={false}
      />
      {usual.isError && <Refusal error={usual.error} className="m-4" />}
      {console_ && (
        <PracticeConsole console_={console_} onSet={setOn} exposing={expose.isPending} onExpose={press} />
      )}
      <div className="grid flex-1 xl:grid-cols-[17rem_minmax(0,1fr)_18rem]">
        <PracticePatient
          case_={case_}
          sided={sided}
          conditions={lists.data.conditions}
          onPatient={patient}
          onAnybody={surprise}
          wrongs={wrongs}
          onWrongs={setWrongs}
        />
        <section aria-label="Image" className="order-first min-w-0 px-4 py-3 xl:order-none">
          {expose.isError && <Refusal error={expose.error} />}
          {look === "image" && now ? (
            <Radiograph
              picture={now.image.picture}
              label={`Computed radiograph: ${projectionName(entry, case_.projection)}, ${now.said}`}
              under={last?.image.picture ?? null}
              share={share}
              onShare={setShare}
              tall={`max(18rem, 100vh - ${last ? 26 : 23.5}rem)`}
            />
          ) : look === "image" ? (
            <p className="text-ink-2">
              {expose.isPending ? "The image develops…" : "Set the technique and press Expose."}
            </p>
          ) : (
            console_ && <LightField case_={case_} console_={console_} wrong={wrong} />
          )}
        </section>
        <Results shots={shots} />
      </div>
    </>
  );
}
