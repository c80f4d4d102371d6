import type { ReactNode } from "react";

import type { TechniqueResponse } from "../../api/queries";
import { Term } from "../../ui/Term";
import { fieldSize, figure, signed, trimmed, type Unit } from "../../ui/units";
import { isExample, QUANTITY } from "../../ui/words";

type Expected = TechniqueResponse["forecast"];

/** What to expect, as one gauge beside the mAs: the index with its band, and the dose against a level. */
export function Forecast({ answer }: { answer: TechniqueResponse | undefined }) {
  const forecast = answer?.forecast;
  return (
    <section
      aria-label="Forecast"
      data-part="forecast"
      className="flex flex-wrap gap-x-5 px-3 py-1 text-note text-ink-2 xl:block xl:px-5 xl:py-2"
    >
      {answer && forecast && (
        <>
          <div className="min-w-44 flex-1">
            <p className="whitespace-nowrap">
              <span className="text-ink-3">Expect </span>
              {forecast.ei != null && (
                <>
                  {forecast.shown_index ? (
                    <span title={`Exposure index ${figure(forecast.ei)}`}>{forecast.shown_index.name}</span>
                  ) : (
                    <Term>EI</Term>
                  )}{" "}
                  <b className="text-body font-semibold text-ink">
                    {figure(forecast.shown_index?.expected ?? forecast.ei)}
                  </b>
                  , <Term>DI</Term> <b className="text-body font-semibold text-ink">{signed(forecast.di)}</b>
                </>
              )}
              {forecast.optical_density != null && (
                <>
                  density{" "}
                  <b className="text-body font-semibold text-ink">{forecast.optical_density.toFixed(2)}</b>
                </>
              )}
            </p>
            <Band forecast={forecast} />
            {forecast.di_low != null && forecast.di_high != null && (
              <p
                title="Narrowed by the logged images of this line"
                className="[@media(max-height:30rem)]:hidden"
              >
                <Term>80 % of patients</Term>: DI {signed(forecast.di_low)} to {signed(forecast.di_high)}
              </p>
            )}
            <p
              title={answer.trust_words}
              className={`hidden xl:block ${answer.trust === "model" ? "text-warn" : "text-ink-3"}`}
            >
              {answer.trust === "model"
                ? "No image of this line yet: watch the first."
                : `Line ${answer.trust}${forecast.seen ? `, ${forecast.seen} images` : ", no image logged"}.`}
            </p>
          </div>
          <div className="min-w-44 flex-1 xl:mt-2 [@media(max-height:30rem)]:hidden">
            {forecast.incident_air_kerma_mgy == null ? (
              <p className="text-ink-3">No dose figure at this kVp.</p>
            ) : (
              <>
                <p className="whitespace-nowrap">
                  <span className="text-ink-3">
                    <Term>Skin kerma</Term> {forecast.dose_estimated && "about "}
                  </span>
                  <b className="text-body font-semibold text-ink">
                    {figure(forecast.incident_air_kerma_mgy)}
                  </b>{" "}
                  mGy
                </p>
                <Dose forecast={forecast} />
                {forecast.dose_estimated && (
                  <p className="text-warn">Estimate: this room&apos;s output was never read.</p>
                )}
              </>
            )}
          </div>
        </>
      )}
    </section>
  );
}

/** The other figures of a forecast, for who wants to know: dose by other quantities, and the image. */
export function MoreFigures({ answer, unit }: { answer: TechniqueResponse; unit: Unit }) {
  const { forecast } = answer;
  return (
    <p className="mt-2 border-t border-rule pt-1.5 text-note text-ink-2">
      {forecast.entrance_surface_kerma_mgy != null && (
        <Item name="skin kerma with backscatter">{figure(forecast.entrance_surface_kerma_mgy)} mGy</Item>
      )}
      {forecast.kap_mgycm2 != null && <Item name="KAP">{figure(forecast.kap_mgycm2)} mGy·cm²</Item>}
      {forecast.energy_imparted_mj != null && (
        <Item name="energy imparted">{figure(forecast.energy_imparted_mj)} mJ</Item>
      )}
      <Item name="light on skin">{fieldSize(forecast.field_at_skin_cm, unit)}</Item>
      {forecast.contrast != null && (
        <Item name={forecast.detail ?? "detail"} plain>
          contrast {(100 * forecast.contrast).toFixed(1)} %, <Term>CNR</Term> {(forecast.cnr ?? 0).toFixed(0)}
        </Item>
      )}
      {forecast.unsharpness_mm != null && (
        <Item name="unsharpness">{forecast.unsharpness_mm.toFixed(2)} mm</Item>
      )}
      {forecast.model_di != null && forecast.ei != null && (
        <Item name="the physics model alone expects DI" plain>
          {signed(forecast.model_di)}
        </Item>
      )}
    </p>
  );
}

function Item({ name, plain = false, children }: { name: string; plain?: boolean; children: ReactNode }) {
  return (
    <span className="mr-4 inline-block whitespace-nowrap">
      <span className="text-ink-3">{plain ? name : <Term>{name}</Term>}</span> {children}
    </span>
  );
}

const SPAN = 4;
const place = (di: number) => `${(100 * (Math.min(Math.max(di, -SPAN), SPAN) + SPAN)) / (2 * SPAN)}%`;

/** The expected index on its scale: the acceptable part, the band of patients, and a notch. */
function Band({ forecast }: { forecast: Expected }) {
  const { di, di_low: low, di_high: high } = forecast;
  return (
    <div
      aria-hidden
      data-drawn
      className="relative my-1 h-2.5 border-b border-rule-strong [@media(max-height:30rem)]:hidden"
    >
      <div
        className="absolute inset-y-0 bg-good/25"
        style={{ left: place(-1), width: `calc(${place(1)} - ${place(-1)})` }}
      />
      {low != null && high != null && (
        <div
          className="absolute bottom-0 h-1 bg-ink-3"
          style={{ left: place(low), width: `calc(${place(high)} - ${place(low)})` }}
        />
      )}
      <div className="absolute -top-0.5 bottom-0 w-1 -translate-x-1/2 bg-beam" style={{ left: place(di) }} />
    </div>
  );
}

/** The dose as a length against an example of a level of the same quantity. */
function Dose({ forecast }: { forecast: Expected }) {
  const [level] = forecast.levels;
  const given =
    level &&
    {
      incident_air_kerma: forecast.incident_air_kerma_mgy,
      entrance_surface_air_kerma: forecast.entrance_surface_kerma_mgy,
      kerma_area_product: forecast.kap_mgycm2,
    }[level.quantity];
  if (!level || given == null) return null;
  const full = Math.max(1.5 * level.value, given);
  const share = (value: number) => `${(100 * value) / full}%`;
  const over = given > level.value;
  return (
    <div className="my-1" title={`For ${level.of_whom}; ${level.source}. Local levels rule.`}>
      <div
        aria-hidden
        data-drawn
        className="relative h-2.5 border-b border-rule-strong [@media(max-height:30rem)]:hidden"
      >
        <div
          className={`absolute inset-y-0.5 left-0 ${over ? "bg-warn" : "bg-beam"}`}
          style={{ width: share(given) }}
        />
        <div className="absolute -top-0.5 -bottom-0.5 w-0.5 bg-ink" style={{ left: share(level.value) }} />
      </div>
      <span className={`${over ? "text-warn" : "text-ink-3"}`}>
        {level.quantity !== "incident_air_kerma" && `${QUANTITY[level.quantity]} `}
        {over ? "over" : "under"} {trimmed(level.value, 2)} {level.unit},{" "}
        {isExample(level) ? "an example level" : "our level"}
      </span>
    </div>
  );
}
