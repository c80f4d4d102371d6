import type { PracticeImage } from "../api/practice";
import { DiWedge } from "../ui/DiWedge";
import { figure, signed } from "../ui/units";

/** An exposure that was made: its image, and what was set for it. */
export interface Shot {
  image: PracticeImage;
  said: string;
}

/** What came of the last two exposures: index, dose, and how each would be judged. */
export function Results({ shots }: { shots: readonly Shot[] }) {
  return (
    <section
      aria-label="What came of it"
      className="border-t border-rule px-4 py-3 xl:border-t-0 xl:border-l xl:px-5"
    >
      {shots.map((shot, i) => (
        <Result key={shot.said + i} shot={shot} name={i === 0 ? "This" : "Last"} />
      ))}
      {shots.length === 0 && <p className="text-ink-3">Nothing exposed yet.</p>}
      <p className="mt-3 text-note text-ink-3">
        Computed bodies in a usual room, for practice alone: no mAs here is of a real room, and nothing is
        kept. Whether you may do it on people is for your clinical instructor to say.
      </p>
    </section>
  );
}

function Result({ shot: { image, said }, name }: { shot: Shot; name: string }) {
  return (
    <section aria-label={`${name} exposure`} className="mb-4 border-b border-rule pb-3">
      <h2 className="label">{name}</h2>
      <p className="flex items-baseline gap-3 whitespace-nowrap">
        {image.di != null && <b className="text-figure font-semibold">DI {signed(image.di)}</b>}
        {image.optical_density != null && (
          <b className="text-figure font-semibold">OD {image.optical_density.toFixed(2)}</b>
        )}
        {image.di == null && image.optical_density == null && (
          <b className="font-semibold">Off the film&apos;s curve</b>
        )}
        {image.ei != null && <span className="text-ink-2">index {figure(image.ei)}</span>}
      </p>
      <p className="font-semibold">{image.judged.verdict}</p>
      {image.di != null && (
        <div className="my-1.5">
          <DiWedge di={image.di} small />
        </div>
      )}
      {!image.recognised && <p className="text-warn">The field was not recognised: mind the index.</p>}
      {image.back_up && <p className="text-warn">Ended by the back-up.</p>}
      <p className="mt-1 text-ink-2">{said}</p>
      <p className="text-ink-2">
        Skin kerma {figure(image.incident_air_kerma_mgy)} mGy
        <br />
        KAP {figure(image.kap_mgycm2)} mGy·cm²
      </p>
    </section>
  );
}
