import { useState } from "react";

import { type Case, useLook, usePracticeLists } from "../../api/practice";
import type { TechniqueResponse } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { Still } from "../../ui/Radiograph";
import { signed } from "../../ui/units";
import type { Patient, Side } from "../state";

/** About how the technique in hand would look on a computed patient; asked for by a press, and gone once anything changes. */
export function Look({
  answer,
  projection,
  patient,
  receptor,
  side,
}: {
  answer: TechniqueResponse;
  projection: string;
  patient: Patient;
  receptor: string;
  side: Side;
}) {
  const { technique, forecast, figures } = answer;
  const asked = {
    case: {
      projection,
      thickness_cm: figures.thickness_cm,
      habitus: patient.habitus ?? null,
      age_band: patient.age_band ?? null,
      sex: patient.sex ?? "male",
      condition: "",
      // Where nobody said which, one is as good as the other.
      side: side === "right" ? "right" : "left",
      seed: 1,
    } satisfies Case,
    kvp: technique.kvp,
    sid_cm: technique.sid_cm,
    grid_ratio: technique.grid_ratio,
    receptor,
    di: forecast.di ?? 0,
  } as Parameters<typeof useLook>[0];
  const key = JSON.stringify(asked);
  const [wanted, setWanted] = useState<string | null>(null);
  const computed = usePracticeLists().data?.projections.includes(projection);
  const look = useLook(asked, wanted === key);
  if (!computed) return null;
  return (
    <div className="mt-3 border-t border-rule pt-2">
      {wanted !== key ? (
        <Button tone="quiet" className="-ml-3" onClick={() => setWanted(key)}>
          About how it would look…
        </Button>
      ) : look.isError ? (
        <Refusal error={look.error} />
      ) : look.data ? (
        <figure>
          <div className="mx-auto max-w-64">
            <Still
              picture={look.data.picture}
              label={`A computed body at ${technique.kvp} kVp, DI ${signed(forecast.di ?? 0)}`}
            />
          </div>
          <figcaption className="mt-1 text-ink-3">
            A computed body of this size at this kVp, SID and grid, exposed to the DI forecast: not your
            patient.
          </figcaption>
        </figure>
      ) : (
        <Waiting what="the image" />
      )}
    </div>
  );
}
