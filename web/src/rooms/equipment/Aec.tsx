import type { Room } from "../../api/queries";
import { Segmented } from "../../ui/Segmented";
import { Select } from "../../ui/Select";
import { TextField } from "../../ui/TextField";
import { Figure, Section } from "./parts";

type AecOfRoom = NonNullable<Room["aec"]>;

const NEW_AEC: AecOfRoom = {
  cells: ["L", "C", "R"],
  density_step: 1.25,
  minimum_response_ms: 3,
  backup_factor: 1.5,
  holds: "index",
};

export function Aec({ aec, set }: { aec: AecOfRoom | null; set: (aec: AecOfRoom | null) => void }) {
  const put = (change: Partial<AecOfRoom>) => set({ ...NEW_AEC, ...aec, ...change });
  return (
    <Section
      title="Automatic exposure control"
      says="Where a room has none, or nobody knows its settings, choose None: every technique is then by hand."
    >
      <Segmented
        label="AEC"
        value={aec ? "yes" : "no"}
        options={[
          { value: "yes", label: "Has AEC" },
          { value: "no", label: "None" },
        ]}
        onChange={(next) => set(next === "yes" ? NEW_AEC : null)}
      />
      {aec && (
        <div className="grid grid-cols-4 gap-2">
          <TextField
            id="cells"
            label="Chambers"
            value={(aec.cells ?? []).join(" ")}
            onChange={(text) => put({ cells: text.split(/\s+/).filter(Boolean) })}
          />
          <Figure
            id="density"
            label="Density step ×"
            value={aec.density_step ?? 1.25}
            set={(density_step) => put({ density_step })}
          />
          <Figure
            id="response"
            label="Shortest"
            unit="ms"
            value={aec.minimum_response_ms ?? 3}
            set={(minimum_response_ms) => put({ minimum_response_ms })}
          />
          <Figure
            id="backup"
            label="Back-up ×"
            value={aec.backup_factor ?? 1.5}
            set={(backup_factor) => put({ backup_factor })}
          />
          <div className="col-span-4" data-about="holds">
            <Select
              label="The chamber holds"
              labelled
              value={aec.holds ?? "index"}
              options={[
                { value: "index", label: "the index, at every kVp and thickness (matched to the receptor)" },
                { value: "kerma", label: "its kerma, as set once at 80 kVp and 20 cm" },
              ]}
              onChange={(next) => put({ holds: next === "kerma" ? "kerma" : "index" })}
            />
          </div>
        </div>
      )}
    </Section>
  );
}
