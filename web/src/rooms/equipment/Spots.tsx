import type { Room } from "../../api/queries";
import { NumberField } from "../../ui/NumberField";
import { Figure, Remove, Rows } from "./parts";

type Spot = Room["generator"]["focal_spots"][number];

const NAMES: Record<Spot["name"], string> = { small: "Small focus", large: "Large focus" };

/** The focal spots side by side, and what each takes for an exposure of how long: the tube's rating as pairs. */
export function Spots({ spots, set }: { spots: Spot[]; set: (spots: Spot[]) => void }) {
  const times = [...new Set(spots.flatMap((spot) => spot.power.map((one) => one.time_ms)))].sort(
    (a, b) => a - b,
  );
  const put = (at: number, change: Partial<Spot>) =>
    set(spots.map((one, i) => (i === at ? { ...one, ...change } : one)));
  const powerAt = (spot: Spot, time: number) =>
    spot.power.find((one) => one.time_ms === time)?.power_kw ?? null;
  const withPower = (spot: Spot, time: number, power: number | null) => ({
    power: [
      ...spot.power.filter((one) => one.time_ms !== time),
      ...(power === null ? [] : [{ time_ms: time, power_kw: power }]),
    ].sort((a, b) => a.time_ms - b.time_ms),
  });
  const retime = (from: number, to: number) =>
    set(
      spots.map((spot) => ({
        ...spot,
        power: spot.power
          .map((one) => (one.time_ms === from ? { ...one, time_ms: to } : one))
          .sort((a, b) => a.time_ms - b.time_ms),
      })),
    );
  /** A time more, with what each focus takes for the one before it. */
  const more = (time: number) =>
    set(
      spots.map((spot) => {
        const before = spot.power.filter((one) => one.time_ms < time).pop() ?? spot.power[0];
        return { ...spot, ...withPower(spot, time, before?.power_kw ?? 10) };
      }),
    );
  return (
    <div className="flex flex-col gap-3">
      <Rows label="Focal spots" heads={["", "Nominal size, mm", "Most mA"]}>
        {spots.map((spot, i) => (
          <tr key={spot.name}>
            <th scope="row" className="w-28 font-normal text-ink-2">
              {NAMES[spot.name]}
            </th>
            <td>
              <Figure
                bare
                id={`spot:${spot.name}`}
                label={`Nominal size, ${NAMES[spot.name]}`}
                value={spot.size_mm}
                set={(size_mm) => put(i, { size_mm })}
              />
            </td>
            <td>
              <NumberField
                bare
                id={`most:${spot.name}`}
                label={`Most mA, ${NAMES[spot.name]}`}
                value={spot.most_ma ?? null}
                placeholder="by power"
                onChange={(most_ma) => put(i, { most_ma })}
              />
            </td>
          </tr>
        ))}
      </Rows>
      <Rows label="Power by time" heads={["For, ms", ...spots.map((spot) => `${NAMES[spot.name]}, kW`), ""]}>
        {times.map((time) => (
          <tr key={time}>
            <th scope="row" className="w-28 pr-2 font-normal">
              <NumberField
                bare
                id={`power:time-${time}`}
                label={`Exposure of ${time} ms`}
                value={time}
                onChange={(to) => to !== null && !times.includes(to) && retime(time, to)}
              />
            </th>
            {spots.map((spot, i) => (
              <td key={spot.name}>
                <NumberField
                  bare
                  id={`power:${spot.name}-${time}`}
                  label={`kW for ${time} ms, ${NAMES[spot.name]}`}
                  value={powerAt(spot, time)}
                  placeholder="between the others"
                  onChange={(power) =>
                    (power !== null || spot.power.length > 1) && put(i, withPower(spot, time, power))
                  }
                />
              </td>
            ))}
            <td className="w-24">
              {times.length > 1 && (
                <Remove
                  what={`${time} ms`}
                  onClick={() =>
                    set(
                      spots.map((spot) =>
                        spot.power.length > 1 ? { ...spot, ...withPower(spot, time, null) } : spot,
                      ),
                    )
                  }
                />
              )}
            </td>
          </tr>
        ))}
        <tr>
          <th scope="row" className="w-28 pr-2 font-normal">
            <NumberField
              bare
              key={times.length}
              id="power:new"
              label="Another time, ms"
              value={null}
              placeholder="another, ms"
              onChange={(time) => time !== null && !times.includes(time) && more(time)}
            />
          </th>
        </tr>
      </Rows>
    </div>
  );
}
