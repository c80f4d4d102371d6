import { type Case, type Console, useLightField, type Wrong } from "../api/practice";
import { Refusal, Waiting } from "../ui/Notice";
import { Still } from "../ui/Radiograph";
import { usePreferences } from "../ui/preferences";
import { fieldSize, length } from "../ui/units";

const TALL = "max(20rem, 100vh - 22rem)";

/** The patient as the tube sees them, with the light field, its cross and the chambers: what is looked at before exposing. */
export function LightField({ case_, console_, wrong }: { case_: Case; console_: Console; wrong: Wrong }) {
  const { unit } = usePreferences();
  const seen = useLightField({ case: case_, console: console_, wrong });
  if (seen.isError) return <Refusal error={seen.error} />;
  if (!seen.data) return <Waiting what="the light field" />;
  const { picture, field, cells, at_receptor_cm, on_skin_cm, ssd_cm } = seen.data;
  const path = (corners: number[][]) => corners.map(([x = 0, y = 0]) => `${100 * x},${100 * y}`).join(" ");
  const cross = [0, 1].map((i) => field.reduce((sum, one) => sum + (one[i] ?? 0), 0) * 25);
  const used = console_.chambers ?? [];
  return (
    <figure>
      <div
        className="relative mx-auto"
        style={{ maxWidth: `calc(${TALL} * ${picture.columns / picture.rows})` }}
      >
        <Still picture={picture} label="The part as the tube sees it, with the light field" />
        <svg
          aria-hidden
          viewBox="0 0 100 100"
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full"
        >
          <polygon
            points={path(field)}
            fill="none"
            stroke="var(--beam)"
            strokeWidth={1.5}
            vectorEffect="non-scaling-stroke"
          />
          <path
            d={`M${cross[0]} 0V100M0 ${cross[1]}H100`}
            stroke="var(--beam)"
            strokeDasharray="6 6"
            vectorEffect="non-scaling-stroke"
          />
          {used.map((name) => (
            <polygon
              key={name}
              points={path(cells[name] ?? [])}
              fill="none"
              stroke="var(--ink)"
              strokeDasharray="3 3"
              vectorEffect="non-scaling-stroke"
            />
          ))}
        </svg>
      </div>
      <figcaption className="mt-2 text-center text-ink-2">
        Light field {fieldSize(at_receptor_cm, unit)} at the receptor
        {on_skin_cm && `, ${fieldSize(on_skin_cm, unit)} on the skin`}; focus to skin {length(ssd_cm, unit)}.
        {used.length > 0 && " Dashed: the chambers."}
      </figcaption>
    </figure>
  );
}
