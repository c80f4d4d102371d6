import type { Choices, Room, TechniqueResponse } from "../api/queries";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { figure, fromCm, toCm, trimmed, type Unit } from "../ui/units";
import { GRID_RATIOS, grid, SUPPORT } from "../ui/words";
import type { Act, DeskState } from "./useDesk";

const CONTROLS = [
  { value: "manual", label: "Manual" },
  { value: "aec", label: "AEC" },
  { value: "breathing", label: "Breathing, 2–4 s" },
];

interface Props {
  room: Room;
  choices: Choices | undefined;
  state: DeskState;
  act: Act;
  answer: TechniqueResponse | undefined;
  unit: Unit;
}

/** What differs from the chart for this exposure. Everything left alone stays as charted. */
export function SetupPanel({ room, choices, state, act, answer, unit }: Props) {
  const { setup } = state;
  const line = answer?.chart.line;
  const now = answer?.technique;
  const set = (change: Extract<Parameters<Act>[0], { do: "setup" }>["change"]) =>
    act({ do: "setup", change });
  const changed = Object.keys(setup).length + (state.condition ? 1 : 0) + (state.cast ? 1 : 0);
  const support = now?.support ?? setup.support ?? line?.support ?? "";
  const builtIn = room.supports.find((one) => one.id === support)?.grid?.ratio;
  const modifiers = (cast: boolean) => [
    { value: "none", label: "None" },
    ...(choices?.modifiers ?? [])
      .filter((one) => (one.kind === "cast") === cast)
      .map((one) => ({ value: one.id, label: one.name })),
  ];

  return (
    <section aria-label="Set-up" className="flex flex-col gap-2 border-r border-rule px-5 py-3">
      <div className="flex h-7 items-center justify-between">
        <h2 className="text-body text-ink-2">Set-up</h2>
        {changed > 0 ? (
          <Button tone="quiet" hint="x" className="-mr-3 min-h-7!" onClick={() => act({ do: "as-charted" })}>
            Back to chart
          </Button>
        ) : (
          <span className="text-note text-ink-3">as charted</span>
        )}
      </div>
      <div className="grid grid-cols-2 gap-2">
        <NumberField
          id="sid"
          label="SID as taped"
          hint="s"
          unit={unit}
          value={setup.sid_cm === undefined ? null : fromCm(setup.sid_cm, unit)}
          placeholder={now ? trimmed(fromCm(now.sid_cm, unit), 1) : ""}
          digits={1}
          onChange={(value) => set({ sid_cm: value === null ? null : toCm(value, unit) })}
        />
        <Select
          label="Support"
          labelled
          value={support}
          options={room.supports.map((one) => ({ value: one.id, label: SUPPORT[one.id] ?? one.id }))}
          onChange={(value) => set({ support: value === line?.support ? null : value, grid_ratio: null })}
        />
        <Select
          label="Grid"
          labelled
          value={String(now?.grid_ratio ?? line?.grid_ratio ?? 0)}
          options={GRID_RATIOS.map((ratio) => ({
            value: String(ratio),
            label: ratio !== 0 && ratio === builtIn ? `${grid(ratio)}, built in` : grid(ratio),
          }))}
          onChange={(value) => set({ grid_ratio: Number(value) })}
        />
        <Select
          label="Exposure"
          labelled
          value={setup.exposure_control ?? "manual"}
          options={CONTROLS}
          onChange={(value) =>
            set({ exposure_control: value === "aec" || value === "breathing" ? value : null })
          }
        />
        <Select
          label="Receptor"
          labelled
          className="col-span-2"
          value={now?.receptor ?? line?.receptor ?? ""}
          options={room.receptors.map((one) => ({ value: one.id, label: one.name }))}
          onChange={(value) => set({ receptor: value === line?.receptor ? null : value })}
        />
        <NumberField
          id="kvp"
          label="kVp by hand"
          hint="k"
          value={setup.kvp ?? null}
          placeholder={answer ? figure(answer.exact_kvp) : ""}
          digits={1}
          onChange={(kvp) => set({ kvp, mas: null })}
        />
        <NumberField
          id="mas"
          label="mAs by hand"
          hint="m"
          value={setup.mas ?? null}
          placeholder={answer ? figure(answer.exact_mas) : ""}
          onChange={(mas) => set({ mas, kvp: null })}
        />
        <Select
          label="Condition"
          labelled
          value={state.condition ?? "none"}
          options={modifiers(false)}
          onChange={(id) => act({ do: "condition", id: id === "none" ? null : id })}
        />
        <Select
          label="Cast"
          labelled
          value={state.cast ?? "none"}
          options={modifiers(true)}
          onChange={(id) => act({ do: "cast", id: id === "none" ? null : id })}
        />
      </div>
    </section>
  );
}
