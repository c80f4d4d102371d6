import { type Room, type TechniqueRequest, useWays, type Way } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { Said } from "../../ui/Said";
import { figure, fromCm, signed, trimmed, type Unit } from "../../ui/units";
import { grid, SUPPORT } from "../../ui/words";
import { type Overrides } from "../state";
import { type Act } from "../useDesk";

interface Props {
  request: TechniqueRequest;
  room: Room;
  unit: Unit;
  /** Left out where there is nothing to set up. */
  act?: Act;
}

const TITLES: Record<Way["way"]["of"], string> = {
  "exposure control": "Breathing, hand or chamber",
  support: "Where",
  SID: "Distance",
};

/** The methods between which departments choose for this view, each with what it takes and gives, to be set by one press. */
export function Methods({ request, room, unit, act }: Props) {
  const found = useWays(request);
  if (found.isError) return <Refusal error={found.error} />;
  if (!found.data) return <Waiting what="the methods" />;
  const kinds = Object.entries(TITLES).flatMap(([of, title]) => {
    const own = found.data.filter((one) => one.way.of === of);
    return own.length > 0 ? [{ title, own }] : [];
  });
  if (kinds.length === 0) return <p className="text-ink-2">{room.name} has one way for this view.</p>;
  return (
    <div className={found.isPlaceholderData ? "opacity-50" : ""}>
      {kinds.map(({ title, own }) => (
        <section key={title} aria-label={title} className="mt-2">
          <h3 className="text-note text-ink-3">{title}</h3>
          <ul>
            {own.map((one) => (
              <li key={one.way.name} className="border-t border-rule py-1.5">
                <div className="flex min-h-touch items-center justify-between gap-2">
                  <span className={one.current ? "font-semibold" : ""}>{nameOf(one, unit)}</span>
                  {one.current ? (
                    <b className="font-semibold">now</b>
                  ) : (
                    one.technique &&
                    act && <Button onClick={() => act({ do: "setup", change: changeOf(one) })}>Set</Button>
                  )}
                </div>
                {one.technique ? (
                  <p className="text-note text-ink-2">
                    <b className="font-semibold text-ink">
                      {trimmed(one.technique.kvp, 1)} kVp {trimmed(one.technique.mas, 2)} mAs
                    </b>
                    , {trimmed(one.technique.time_ms, 1)} ms, {trimmed(fromCm(one.technique.sid_cm, unit), 1)}{" "}
                    {unit}, {grid(one.technique.grid_ratio).toLowerCase()}.
                    {one.incident_air_kerma_mgy != null && (
                      <>
                        {" "}
                        Skin kerma{" "}
                        <b className="font-semibold text-ink">{figure(one.incident_air_kerma_mgy)} mGy</b>
                      </>
                    )}
                    {one.di != null && `, DI ${signed(one.di)}`}
                    {one.unsharpness_mm != null && `, unsharpness ${one.unsharpness_mm.toFixed(2)} mm`}.
                  </p>
                ) : (
                  <p className="text-note text-warn">
                    <Said>{one.refused ?? ""}</Said>
                  </p>
                )}
                {one.warned && (
                  <p className="text-note text-warn">
                    <Said>{one.warned}</Said>
                  </p>
                )}
                <p className="text-note text-ink-3">
                  <Said>{one.way.why}</Said>
                </p>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </div>
  );
}

function nameOf({ way }: Way, unit: Unit): string {
  if (way.sid_cm != null) return `${trimmed(fromCm(way.sid_cm, unit), 1)} ${unit}`;
  return way.support ? (SUPPORT[way.support] ?? way.name) : way.name;
}

/** What a press sets, and what of the set-up goes with the way that is left. */
function changeOf({ way, clears }: Way): { [K in keyof Overrides]?: Overrides[K] | null } {
  const { exposure_control, support, sid_cm } = way;
  const own = Object.entries({ exposure_control, support, sid_cm }).filter(([, value]) => value != null);
  return Object.fromEntries([...clears.map((name) => [name, null]), ...own]) as ReturnType<typeof changeOf>;
}
