import { useLooksLike } from "../../api/practice";
import { Still } from "../../ui/Radiograph";
import type { Finding } from "./useJudging";

/** Findings of which a picture can be made: people are to mean the same by the words. */
const PICTURED: readonly Finding[] = [
  "not_penetrated",
  "flat_contrast",
  "noisy",
  "motion",
  "cut_off",
  "clipped",
];

/** How an image looks that shows what was just ticked, beside a good one of the same view. */
export function LooksLike({ findings, projection }: { findings: readonly Finding[]; projection: string }) {
  const last = findings.filter((one) => PICTURED.includes(one)).at(-1) ?? null;
  const { data } = useLooksLike(last, projection);
  if (last === null || !data?.length) return null;
  return (
    <div className="border-t border-rule py-1.5">
      <h3 className="text-note font-normal text-ink-3">Looks like (computed, not this image)</h3>
      <div className="mt-1 grid grid-cols-2 gap-2">
        {data.map((one) => (
          <figure key={one.seen}>
            {/* As small as tells it: the words of the critique stay beside it. */}
            <div style={{ maxWidth: `calc(7.5rem * ${one.picture.columns / one.picture.rows})` }}>
              <Still picture={one.picture} label={`Computed: ${one.seen}`} />
            </div>
            <figcaption className="text-note text-ink-2">{one.seen}</figcaption>
          </figure>
        ))}
      </div>
    </div>
  );
}
