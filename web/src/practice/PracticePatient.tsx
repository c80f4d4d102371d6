import type { Case } from "../api/practice";
import { Button } from "../ui/Button";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { AGE_BANDS, HABITUS } from "../ui/words";
import { WRONGS } from "./wrongs";

const NOT_SAID = { value: "none", label: "Not said" };
const said = (value: string) => (value === "none" ? null : value);
const SIDES = [
  { value: "right", label: "Right" },
  { value: "left", label: "Left" },
];
const SEXES = [
  { value: "male", label: "Male" },
  { value: "female", label: "Female" },
];

/** Who lies there, and what goes wrong. */
export function PracticePatient({
  case_,
  sided,
  conditions,
  onPatient,
  onAnybody,
  wrongs,
  onWrongs,
}: {
  case_: Case;
  /** Of a limb, which can be the left or the right one. */
  sided: boolean;
  conditions: Record<string, string>;
  onPatient: (change: Partial<Case>) => void;
  onAnybody: () => void;
  wrongs: readonly string[];
  onWrongs: (wrongs: readonly string[]) => void;
}) {
  return (
    <section
      aria-label="Patient"
      className="order-last flex flex-col gap-2 border-t border-rule px-4 py-3 xl:order-none xl:border-t-0 xl:border-r xl:px-5"
    >
      <div className="grid grid-cols-2 gap-2">
        <Select
          label="Build"
          labelled
          value={case_.habitus ?? "none"}
          options={[NOT_SAID, ...HABITUS]}
          onChange={(value) => onPatient({ habitus: said(value) as Case["habitus"] & string })}
        />
        <Select
          label="Age"
          labelled
          value={case_.age_band ?? "none"}
          options={[NOT_SAID, ...AGE_BANDS]}
          onChange={(value) => onPatient({ age_band: said(value) as Case["age_band"] & string })}
        />
        <Select
          label="Sex"
          labelled
          value={case_.sex ?? "male"}
          options={SEXES}
          onChange={(value) => onPatient({ sex: value as NonNullable<Case["sex"]> })}
        />
        <Select
          label="Condition"
          labelled
          value={case_.condition || "none"}
          options={Object.entries(conditions).map(([value, label]) => ({ value: value || "none", label }))}
          onChange={(value) => onPatient({ condition: said(value) ?? "" })}
        />
      </div>
      {sided && (
        <Segmented
          label="Side"
          value={case_.side ?? "left"}
          options={SIDES}
          onChange={(side) => onPatient({ side: side as NonNullable<Case["side"]> })}
        />
      )}
      <Button tone="plain" onClick={onAnybody}>
        Surprise me
      </Button>
      <details className="mt-1" open>
        <summary className="label min-h-touch cursor-pointer py-2">
          What goes wrong{wrongs.length > 0 && ` (${wrongs.length})`}
        </summary>
        <div className="flex flex-col">
          {Object.entries(WRONGS).map(([key, { name }]) => (
            <label key={key} className="flex min-h-touch items-center gap-2">
              <input
                type="checkbox"
                className="h-5 w-5 accent-(--ink)"
                checked={wrongs.includes(key)}
                onChange={() =>
                  onWrongs(wrongs.includes(key) ? wrongs.filter((one) => one !== key) : [...wrongs, key])
                }
              />
              {name}
            </label>
          ))}
        </div>
      </details>
    </section>
  );
}
