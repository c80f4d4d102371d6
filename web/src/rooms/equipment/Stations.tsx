import { useChoices, type Room } from "../../api/queries";
import { figure, trimmed } from "../../ui/units";
import { Figure, Section } from "./parts";
import { ListField } from "./ListField";
import { gapsOf, stepsOf } from "./steps";

type Generator = Room["generator"];
type Listed = "kvp" | "ma" | "mas" | "time_ms";

const LISTS: { list: Listed; id: string; label: string; even: boolean }[] = [
  { list: "kvp", id: "kvp", label: "kVp", even: true },
  { list: "ma", id: "ma", label: "mA", even: false },
  { list: "mas", id: "mas", label: "mAs", even: false },
  { list: "time_ms", id: "time", label: "Time, ms", even: false },
];

/** What the console can be set to, each list as ranges with its steps drawn beside it. */
export function Stations({
  generator,
  set,
}: {
  generator: Generator;
  set: (change: Partial<Generator>) => void;
}) {
  const series = useChoices().data?.rooms.preferred_numbers ?? {};
  return (
    <Section
      title="Generator settings"
      says="Write numbers with spaces between. 40..150 is every whole number; 10..630 R'10 the preferred numbers from 10 to 630."
    >
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-center gap-x-6 gap-y-2">
        {LISTS.map(({ list, id, label, even }) => (
          <Row
            key={list}
            {...{ id, label, even, series }}
            values={generator[list]}
            set={(to) => set({ [list]: to })}
          />
        ))}
      </div>
      <div className="w-56">
        <Figure
          id="ceiling"
          label="mAs ceiling with AEC"
          unit="mAs"
          value={generator.mas_ceiling ?? 600}
          set={(mas_ceiling) => set({ mas_ceiling })}
        />
      </div>
    </Section>
  );
}

function Row({
  id,
  label,
  even,
  series,
  values,
  set,
}: {
  id: string;
  label: string;
  even: boolean;
  series: Record<string, number[]>;
  values: number[];
  set: (values: number[]) => void;
}) {
  return (
    <>
      <ListField id={id} label={label} values={values} series={series} onChange={set} />
      {values.length > 1 ? (
        <Steps label={label} values={values} even={even} />
      ) : (
        <p className="text-note text-ink-3">
          {values.length === 0 && id === "time" ? "mAs is set directly." : "At least two settings."}
        </p>
      )}
    </>
  );
}

const WIDTH = 400;

/** The settings of a list as marks on a scale, in proportion where they are set so; a gap is drawn and named. */
function Steps({ label, values, even }: { label: string; values: number[]; even: boolean }) {
  const [low, high] = [values[0] ?? 1, values[values.length - 1] ?? 1];
  const at = (value: number) =>
    6 +
    ((WIDTH - 12) * (even ? value - low : Math.log(value / low))) /
      (even ? high - low : Math.log(high / low) || 1);
  const gaps = gapsOf(values, even);
  const said = `${label}: ${values.length} settings from ${trimmed(low, 3)} to ${trimmed(high, 3)}, ${stepsOf(values, even)}`;
  return (
    <figure className="min-w-0">
      <svg
        viewBox={`0 0 ${WIDTH} 20`}
        role="img"
        aria-label={said}
        className="block h-5 w-full"
        preserveAspectRatio="none"
      >
        {gaps.map(([from, to]) => (
          <rect
            key={from}
            x={at(from)}
            y={4}
            width={at(to) - at(from)}
            height={12}
            className="fill-warn"
            opacity={0.35}
          />
        ))}
        {values.map((value) => (
          <line
            key={value}
            x1={at(value)}
            x2={at(value)}
            y1={2}
            y2={18}
            className="stroke-ink-2"
            strokeWidth={1}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <figcaption className="flex justify-between text-note text-ink-3">
        <span>{trimmed(low, 3)}</span>
        <span className={gaps.length > 0 ? "text-warn" : ""}>
          {stepsOf(values, even)}
          {gaps.length > 0 &&
            `; wide from ${gaps.map(([from, to]) => `${figure(from)} to ${figure(to)}`).join(", ")}`}
        </span>
        <span>{trimmed(high, 3)}</span>
      </figcaption>
    </figure>
  );
}
