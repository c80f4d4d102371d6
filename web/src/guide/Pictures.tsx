import { useState } from "react";

import { useExpose, useGuidePictures, usePracticeLists, useUsual } from "../api/practice";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { Still } from "../ui/Radiograph";
import { signed, trimmed } from "../ui/units";

/** Computed images of a projection: as it should be, and what goes wrong; made once somebody looks. */
export function Pictures({ projection, thicknessCm }: { projection: string; thicknessCm: number }) {
  const computed = usePracticeLists().data?.projections.includes(projection) ?? false;
  const pictures = useGuidePictures(projection, computed);
  if (!computed) return <p className="text-ink-3">No body is computed for this view yet.</p>;
  if (pictures.isError) return <Refusal error={pictures.error} />;
  if (!pictures.data) return <Waiting what="the images" />;
  return (
    <>
      <div className="grid grid-cols-2 gap-4">
        {pictures.data.map((one, i) => (
          <figure key={`${i} ${one.seen}`}>
            <Still picture={one.picture} label={`Computed: ${one.seen}`} />
            <figcaption className="mt-1 text-note">
              <b className={i === 0 ? "" : "text-warn"}>{one.seen}</b>
              {one.cause && <span className="block text-ink-2">{one.cause}</span>}
            </figcaption>
          </figure>
        ))}
      </div>
      <p className="mt-1 text-note text-ink-3">
        Computed bodies: what is typical of a fault, not every way it can look.
      </p>
      <TryIt projection={projection} thicknessCm={thicknessCm} />
    </>
  );
}

const GRIDS = [0, 6, 8, 10, 12] as const;

/** Other kVp, mAs and grid on the average patient. */
function TryIt({ projection, thicknessCm }: { projection: string; thicknessCm: number }) {
  const case_ = {
    projection,
    thickness_cm: thicknessCm,
    sex: "male" as const,
    condition: "",
    side: "left" as const,
    seed: 1,
  };
  const usual = useUsual(case_);
  const expose = useExpose();
  const [set, setSet] = useState<{ kvp?: number; share?: number; grid?: number }>({});
  if (!usual.data) return null;
  const kvp = set.kvp ?? usual.data.kvp;
  const mas = usual.data.mas * 2 ** (set.share ?? 0);
  const grid = GRIDS[set.grid ?? Math.max(0, GRIDS.indexOf(usual.data.grid_ratio as 0))] ?? 0;
  const image = expose.data;
  const slide = (change: typeof set) => setSet({ ...set, ...change });
  return (
    <div className="mt-4 grid gap-4 sm:grid-cols-[1fr_14rem]">
      <div className="flex flex-col gap-2">
        <Slide
          name="kVp"
          said={trimmed(kvp, 0)}
          min={45}
          max={125}
          step={1}
          value={kvp}
          onChange={(next) => slide({ kvp: next })}
        />
        <Slide
          name="mAs"
          said={trimmed(mas, 2)}
          min={-4}
          max={4}
          step={1 / 3}
          value={set.share ?? 0}
          onChange={(share) => slide({ share })}
        />
        <Slide
          name="Grid"
          said={grid === 0 ? "none" : `${grid}:1`}
          min={0}
          max={GRIDS.length - 1}
          step={1}
          value={GRIDS.indexOf(grid)}
          onChange={(at) => slide({ grid: at })}
        />
        <Button
          className="self-start"
          disabled={expose.isPending}
          onClick={() =>
            expose.mutate({
              case: case_,
              console: { ...usual.data, kvp, mas, grid_ratio: grid } as never,
              size: 224,
              noise: 1,
            })
          }
        >
          Expose
        </Button>
        {expose.isError && <Refusal error={expose.error} />}
        {image && (
          <p role="status">
            Index {image.ei == null ? "–" : trimmed(image.ei, 0)}, DI {signed(image.di ?? 0)}:{" "}
            {image.judged.verdict}.
          </p>
        )}
      </div>
      {image && <Still picture={image.picture} label="Computed radiograph at this technique" />}
    </div>
  );
}

function Slide({
  name,
  said,
  min,
  max,
  step,
  value,
  onChange,
}: {
  name: string;
  said: string;
  min: number;
  max: number;
  step: number;
  value: number;
  onChange: (value: number) => void;
}) {
  return (
    <label className="grid min-h-touch grid-cols-[3rem_1fr_4rem] items-center gap-3">
      <span className="text-ink-2">{name}</span>
      <input
        type="range"
        className="accent-(--beam)"
        min={min}
        max={max}
        step={step}
        value={value}
        aria-valuetext={said}
        onChange={(event) => onChange(Number(event.currentTarget.value))}
      />
      <b className="text-right">{said}</b>
    </label>
  );
}
