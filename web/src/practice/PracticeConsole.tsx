import type { Console } from "../api/practice";
import { Button } from "../ui/Button";
import { LengthField } from "../ui/LengthField";
import { NumberField } from "../ui/NumberField";
import { Segmented } from "../ui/Segmented";
import { Select } from "../ui/Select";
import { grid } from "../ui/words";

export const GRIDS = [0, 6, 8, 10, 12];
const RECEPTORS = [
  { value: "dr_csi", label: "DR" },
  { value: "cr", label: "CR" },
  { value: "film_screen", label: "Film" },
];
const CHAMBERS: Record<string, Console["chambers"]> = {
  none: [],
  C: ["C"],
  "L+R": ["L", "R"],
  "L+C+R": ["L", "C", "R"],
};
/** As large as the Desk's numbers are beside what explains them. */
const BIG = "[&_input]:text-figure [&_input]:font-semibold";

/** The simulated room's console: the numbers of the Desk, each to be set, and the button. */
export function PracticeConsole({
  console_,
  onSet,
  exposing,
  onExpose,
}: {
  console_: Console;
  onSet: (change: Partial<Console>) => void;
  exposing: boolean;
  onExpose: () => void;
}) {
  return (
    <section
      aria-label="Console"
      className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-2 xl:px-5"
    >
      <NumberField
        id="practice-kvp"
        label="kVp"
        hint="k"
        digits={0}
        className={`w-28 2xl:w-36 ${BIG}`}
        value={console_.kvp}
        onChange={(kvp) => kvp !== null && onSet({ kvp })}
      />
      <NumberField
        id="practice-mas"
        label={console_.chambers?.length ? "Back-up mAs" : "mAs"}
        hint="m"
        digits={2}
        className={`w-32 2xl:w-44 ${BIG}`}
        value={console_.mas}
        onChange={(mas) => mas !== null && onSet({ mas })}
      />
      <LengthField
        id="practice-sid"
        label="SID"
        hint="s"
        className={`w-32 2xl:w-44 ${BIG}`}
        value={console_.sid_cm}
        onChange={(sid_cm) => sid_cm !== null && onSet({ sid_cm })}
      />
      <Select
        label="Grid"
        labelled
        className="w-32"
        value={String(console_.grid_ratio)}
        options={GRIDS.map((one) => ({ value: String(one), label: grid(one) }))}
        onChange={(value) => onSet({ grid_ratio: Number(value) as Console["grid_ratio"] })}
      />
      <Select
        label="Chambers"
        labelled
        className="w-32"
        value={(console_.chambers ?? []).join("+") || "none"}
        options={Object.keys(CHAMBERS).map((one) => ({
          value: one,
          label: one === "none" ? "By hand" : one,
        }))}
        onChange={(value) => onSet({ chambers: CHAMBERS[value] ?? [] })}
      />
      <Segmented
        label="Receptor"
        value={console_.receptor ?? "dr_csi"}
        options={RECEPTORS}
        onChange={(receptor) => onSet({ receptor: receptor as Console["receptor"] })}
      />
      <label className="flex min-h-touch items-center gap-2">
        <input
          type="checkbox"
          className="h-5 w-5 accent-(--ink)"
          checked={console_.breathing ?? false}
          onChange={(event) => onSet({ breathing: event.currentTarget.checked })}
        />
        Breathing on for seconds
      </label>
      <Button
        tone="main"
        hint="Enter"
        className="ml-auto min-h-[2.875rem]"
        disabled={exposing}
        onClick={onExpose}
      >
        {exposing ? "Exposing…" : "Expose"}
      </Button>
    </section>
  );
}
