import type { Room } from "../../api/queries";
import { Segmented } from "../../ui/Segmented";
import { TextField } from "../../ui/TextField";
import { figure } from "../../ui/units";
import { Aec } from "./Aec";
import { Filters } from "./Filters";
import { Grids } from "./Grids";
import { Figure, Rows, Section } from "./parts";
import { Receptors } from "./Receptors";
import { Spots } from "./Spots";
import { Stations } from "./Stations";
import { Supports } from "./Supports";

interface Props {
  room: Room;
  onChange: (room: Room) => void;
}

/** Everything a room has, as the model and the stations take it. */
export function Equipment({ room, onChange }: Props) {
  const { generator, tube } = room;
  const set = (change: Partial<Room>) => onChange({ ...room, ...change });
  const setGenerator = (change: Partial<Room["generator"]>) =>
    set({ generator: { ...generator, ...change } });
  const setTube = (change: Partial<NonNullable<Room["tube"]>>) => set({ tube: { ...tube, ...change } });
  return (
    <div className="flex max-w-6xl flex-col gap-7 px-5 py-4">
      <Stations generator={generator} set={setGenerator} />

      <Section
        title="Tube"
        says="Filtration, focal spots, and what the tube takes for an exposure of how long, as on its rating chart."
      >
        <div className="grid grid-cols-4 gap-2">
          <Figure
            id="filtration"
            label="Total filtration"
            unit="mm Al"
            value={tube?.filtration_mm_al ?? 3}
            set={(filtration_mm_al) => setTube({ filtration_mm_al })}
          />
          <Figure
            id="copper"
            label="Added copper"
            unit="mm Cu"
            value={tube?.filtration_mm_cu ?? 0}
            set={(filtration_mm_cu) => setTube({ filtration_mm_cu })}
          />
          <Figure
            id="anode"
            label="Anode angle"
            unit="°"
            value={tube?.anode_angle_deg ?? 12}
            set={(anode_angle_deg) => setTube({ anode_angle_deg })}
          />
          <TextField
            id="cathode"
            label="Cathode over the table at"
            value={tube?.cathode_at ?? ""}
            onChange={(cathode_at) => setTube({ cathode_at })}
          />
        </div>
        <div className="grid grid-cols-1 gap-x-10 gap-y-4 lg:grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)]">
          <Spots spots={generator.focal_spots} set={(focal_spots) => setGenerator({ focal_spots })} />
          <Outputs room={room} />
        </div>
      </Section>

      <Supports room={room} set={set} />
      <Grids room={room} set={set} />
      <Receptors receptors={room.receptors} set={(receptors) => set({ receptors })} />

      <div className="grid grid-cols-1 gap-x-10 gap-y-7 lg:grid-cols-2">
        <Aec aec={room.aec ?? null} set={(aec) => set({ aec })} />
        <Filters filters={room.filters ?? []} set={(filters) => set({ filters })} />
      </div>

      <Section
        title="Calculated by"
        says="The other method is shown on each step where the two differ by over 10 %. At a chart line's own conditions both give the chart's numbers."
      >
        <Segmented
          label="Method"
          value={room.school ?? "model"}
          options={[
            { value: "model", label: "Physics model" },
            { value: "rules", label: "Rules of thumb" },
          ]}
          onChange={(school) => set({ school: school === "rules" ? "rules" : "model" })}
        />
      </Section>
    </div>
  );
}

/** What the tube gives, as pairs; it is read, not typed here. */
function Outputs({ room }: { room: Room }) {
  return (
    <div>
      <Rows label="Output" heads={["kVp", "Output, µGy/mAs at 100 cm"]}>
        {room.outputs.map((one) => (
          <tr key={one.kvp}>
            <th scope="row" className="w-16 font-normal">
              {figure(one.kvp)}
            </th>
            <td className="py-0!">{figure(one.kerma_ugy_per_mas)}</td>
          </tr>
        ))}
      </Rows>
      <p className="mt-1 text-note text-ink-2">
        {room.typical_output
          ? "Nobody has read it: typical values. Techniques are less sure, and dose figures are estimates until a calibration."
          : "It changes by calibration."}
      </p>
    </div>
  );
}
