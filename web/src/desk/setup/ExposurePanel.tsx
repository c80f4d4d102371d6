import type { Room, TechniqueResponse } from "../../api/queries";
import { NumberField } from "../../ui/NumberField";
import { Segmented } from "../../ui/Segmented";
import { Select } from "../../ui/Select";
import { figure, trimmed } from "../../ui/units";
import { cellsOf, CONTROLS } from "../../ui/words";
import { Chambers } from "./Chambers";
import { type Overrides, type Stop } from "../state";
import { type Act } from "../useDesk";

interface Props {
  room: Room;
  stop: Stop;
  act: Act;
  answer: TechniqueResponse | undefined;
  /** The last answer for this view: which choices there are goes by it, so that an open list stays. */
  shape: TechniqueResponse | undefined;
}

const BY_DETAIL = "usual";

/** How the exposure is ended: by hand, by the chamber, or long and breathing; and kVp, mAs or both by hand. */
export function ExposurePanel({ room, stop, act, answer, shape }: Props) {
  const { setup } = stop;
  const now = answer?.technique;
  const control = setup.exposure_control ?? shape?.technique.exposure_control ?? "manual";
  const charted = shape?.chart.line.exposure_control ?? "manual";
  const set = (change: { [K in keyof Overrides]?: Overrides[K] | null }) => act({ do: "setup", change });
  return (
    <div className="grid grid-cols-2 gap-2">
      <Segmented
        label="Exposure control"
        className="col-span-2"
        value={control}
        options={CONTROLS}
        onChange={(value) =>
          set({
            exposure_control: value === charted ? null : (value as "manual" | "aec" | "breathing"),
            aec_cells: null,
            aec_density: null,
          })
        }
      />
      <NumberField
        id="kvp"
        label="kVp by hand"
        hint="k"
        value={setup.kvp ?? null}
        placeholder={answer ? figure(answer.exact_kvp) : ""}
        digits={1}
        onChange={(kvp) => set({ kvp })}
      />
      <NumberField
        id="mas"
        label="mAs by hand"
        hint="m"
        value={setup.mas ?? null}
        placeholder={answer ? figure(answer.exact_mas) : ""}
        onChange={(mas) => set({ mas })}
      />
      <p className="col-span-2 -mt-1 text-note text-ink-3">
        {setup.kvp != null && setup.mas != null
          ? "Both by hand: the forecast says what they will give."
          : "One by hand: the other follows. Both: what they will give is forecast."}
      </p>
      {room.generator.focal_spots.length > 1 && (
        <Select
          label="Focal spot"
          labelled
          className="col-span-2"
          value={setup.focal_spot ?? BY_DETAIL}
          options={[
            {
              value: BY_DETAIL,
              label:
                now && !setup.focal_spot ? `By detail and motion: ${now.focal_spot}` : "By detail and motion",
            },
            ...room.generator.focal_spots.map((one) => ({
              value: one.name,
              label: `${one.name === "small" ? "Small" : "Large"}, ${one.size_mm} mm${one.most_ma ? `, up to ${one.most_ma} mA` : ""}`,
            })),
          ]}
          onChange={(value) => set({ focal_spot: value === BY_DETAIL ? null : (value as "small" | "large") })}
        />
      )}
      {control === "aec" && shape && (
        <>
          <Select
            label="Chambers"
            labelled
            value={setup.aec_cells ?? now?.aec_cells ?? ""}
            options={cellsOf(room).map((name) => ({ value: name, label: name }))}
            onChange={(value) => set({ aec_cells: value })}
          />
          <Select
            label="Density"
            labelled
            value={String(setup.aec_density ?? now?.aec_density ?? 0)}
            options={[-4, -3, -2, -1, 0, 1, 2, 3, 4].map((step) => ({
              value: String(step),
              label: step > 0 ? `+${step}` : String(step).replace("-", "−"),
            }))}
            onChange={(value) => set({ aec_density: Number(value) })}
          />
          {answer && now && (
            <>
              <div className="col-span-2">
                <Chambers answer={answer} />
              </div>
              <p className="col-span-2 text-note text-ink-2">
                Predicted {figure(answer.exact_mas)} mAs, {trimmed(now.time_ms, 2)} ms; back-up{" "}
                {trimmed(now.aec_backup_mas ?? 0, 1)} mAs. If the chamber cannot be covered, by hand:{" "}
                <b className="text-ink">
                  {trimmed(now.mas, 2)} mAs, {trimmed(now.ma, 1)} mA, {trimmed(now.time_ms, 2)} ms
                </b>
                .
              </p>
            </>
          )}
        </>
      )}
      {control === "breathing" && now && (
        <p className="col-span-2 text-note text-ink-2">
          {trimmed(now.time_ms / 1000, 2)} s at {trimmed(now.ma, 1)} mA. The dose does not change; ribs and
          lung markings blur. If the patient cannot keep still: held breath, shortest time.
        </p>
      )}
    </div>
  );
}
