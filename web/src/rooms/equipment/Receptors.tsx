import type { Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/NumberField";
import { usePreferences } from "../../ui/preferences";
import { Select } from "../../ui/Select";
import { TextField } from "../../ui/TextField";
import { RECEPTOR_KIND } from "../../ui/words";
import { ConsoleShows, IndexScaleFields } from "./IndexScale";
import { Figure, Remove, Rows, Section } from "./parts";

type Receptor = Room["receptors"][number];

const REGIONS: [string, string][] = [
  ["upper_limb", "Arm"],
  ["lower_limb", "Leg"],
  ["spine", "Spine"],
  ["chest", "Chest"],
  ["abdomen", "Abdomen"],
];

/** Every receptor as a row: size, target and what its console shows. */
export function Receptors({
  receptors,
  set,
}: {
  receptors: Receptor[];
  set: (receptors: Receptor[]) => void;
}) {
  const { unit } = usePreferences();
  return (
    <Section
      title="Receptors"
      says="A target index is agreed by radiologists and physicist; a region without its own takes the receptor's. Without a read-out index the scale counts as true, and forecasts say how sure that is."
    >
      <Rows
        label="Receptors"
        heads={[
          "Name",
          "Kind",
          `Width, ${unit}`,
          `Height, ${unit}`,
          "Target EI",
          ...REGIONS.map(([, name]) => name),
          "Console shows",
          "",
        ]}
      >
        {receptors.map((receptor, i) => (
          <ReceptorRow
            key={receptor.id}
            receptor={receptor}
            onChange={(changed) => set(receptors.map((one, j) => (i === j ? changed : one)))}
            onRemove={() => set(receptors.filter((_, j) => i !== j))}
          />
        ))}
      </Rows>
      <div>
        <Button onClick={() => set([...receptors, newReceptor(receptors)])}>Add a receptor</Button>
      </div>
    </Section>
  );
}

function newReceptor(known: Receptor[]): Receptor {
  let number = known.length + 1;
  while (known.some((one) => one.id === `receptor-${number}`)) number++;
  return {
    id: `receptor-${number}`,
    name: `Receptor ${number}`,
    kind: "dr_csi",
    size_cm: [35, 43],
    target_ei: 250,
    speed: null,
    region_targets: [],
    ei_scale: 1,
  };
}

function ReceptorRow({
  receptor,
  onChange,
  onRemove,
}: {
  receptor: Receptor;
  onChange: (receptor: Receptor) => void;
  onRemove: () => void;
}) {
  const put = (change: Partial<Receptor>) => onChange({ ...receptor, ...change });
  const { id, name } = receptor;
  const film = receptor.kind === "film_screen";
  const targets = new Map(receptor.region_targets ?? []);
  const target = (region: string, value: number | null) => {
    const next = new Map(targets);
    if (value === null) next.delete(region);
    else next.set(region, value);
    put({ region_targets: [...next] });
  };
  return (
    <>
      <tr className="border-t border-rule">
        <td className="min-w-48">
          <TextField
            bare
            id={`name:${id}`}
            label={`Name, ${name}`}
            value={name}
            onChange={(to) => put({ name: to })}
          />
        </td>
        <td className="w-36" data-about="kind">
          <Select
            label={`Kind, ${name}`}
            value={receptor.kind}
            options={Object.entries(RECEPTOR_KIND).map(([value, label]) => ({ value, label }))}
            onChange={(kind) =>
              put(
                kind === "film_screen"
                  ? {
                      kind,
                      target_ei: null,
                      speed: receptor.speed ?? 200,
                      region_targets: [],
                      index_scale: null,
                    }
                  : { kind: kind as Receptor["kind"], target_ei: receptor.target_ei ?? 250, speed: null },
              )
            }
          />
        </td>
        {(["Width", "Height"] as const).map((side, at) => (
          <td key={side} className="w-14">
            <Figure
              bare
              id={`size:${side}-${id}`}
              label={`${side}, ${name}`}
              unit="cm"
              value={receptor.size_cm[at] ?? 0}
              set={(cm) => put({ size_cm: at === 0 ? [cm, receptor.size_cm[1]] : [receptor.size_cm[0], cm] })}
            />
          </td>
        ))}
        {film ? (
          <>
            <td colSpan={2} className="pt-2! text-right text-note text-ink-3">
              Film-screen, of speed class
            </td>
            <td>
              <Figure
                bare
                id={`speed:${id}`}
                label={`Speed class, ${name}`}
                value={receptor.speed ?? 200}
                set={(speed) => put({ speed })}
              />
            </td>
            <td colSpan={3} />
          </>
        ) : (
          <>
            <td className="w-14">
              <Figure
                bare
                id={`target:${id}`}
                label={`Target EI, ${name}`}
                value={receptor.target_ei ?? null}
                set={(target_ei) => put({ target_ei })}
              />
            </td>
            {REGIONS.map(([region, label]) => (
              <td key={region} className="w-14">
                <NumberField
                  bare
                  id={`target:${id}-${region}`}
                  label={`${label}, ${name}`}
                  value={targets.get(region) ?? null}
                  placeholder={String(receptor.target_ei ?? "")}
                  onChange={(value) => target(region, value)}
                />
              </td>
            ))}
          </>
        )}
        <td className="w-36" data-about="scale">
          {!film && (
            <ConsoleShows
              label={`Console shows, ${name}`}
              scale={receptor.index_scale ?? null}
              onChange={(index_scale) => put({ index_scale })}
            />
          )}
          {!film && receptor.ei_scale !== 1 && (
            <p className="text-note text-ink-3">reads ×{(receptor.ei_scale ?? 1).toFixed(3)}</p>
          )}
        </td>
        <td className="w-20">
          <Remove what={name} onClick={onRemove} />
        </td>
      </tr>
      {receptor.index_scale && (
        <tr>
          <td colSpan={12} className="pb-3! pl-3" data-about="scale">
            <IndexScaleFields
              receptor={receptor}
              scale={receptor.index_scale}
              onChange={(index_scale) => put({ index_scale })}
            />
          </td>
        </tr>
      )}
    </>
  );
}
