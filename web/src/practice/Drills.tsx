import { useState } from "react";

import { type Drill, type Task, useDrills, useNextTask } from "../api/practice";
import { useSession } from "../api/queries";
import { useAddress } from "../ui/address";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { Select } from "../ui/Select";
import { Confusions } from "./Confusions";
import { HARDNESS } from "./hardness";
import { TaskCard } from "./TaskCard";

const ALL = "all";
const AS_IT_GOES = "goes";
const TRACK_NAMES: Record<string, string> = {
  measure: "Measure",
  arithmetic: "Arithmetic",
  set: "Set the console",
  "position numbers": "Position numbers",
  "expose and judge": "Expose and judge",
  AEC: "AEC",
  "trauma order": "Trauma order",
  children: "Children",
  dose: "Dose",
  "chart building": "Chart building",
};

/** Drills in tracks that follow the work: the next one by what was missed, or one that is chosen. */
export function Drills() {
  const drills = useDrills();
  const { words, put } = useAddress();
  const track = words.get("track") ?? ALL;
  const next = useNextTask();
  const [task, setTask] = useState<Task | null>(null);
  const [level, setLevel] = useState(AS_IT_GOES);
  const signedIn = Boolean(useSession().data?.person);
  if (drills.isError) return <Refusal error={drills.error} className="m-5" />;
  if (!drills.data) return <Waiting what="the drills" />;
  const tracks = [...new Set(drills.data.map((one) => one.track))];
  const ask = () =>
    next.mutate(
      { track: track === ALL ? "" : track, level: level === AS_IT_GOES ? null : Number(level) },
      { onSuccess: setTask },
    );

  return (
    <div className="grid flex-1 gap-x-8 gap-y-4 px-5 py-4 lg:grid-cols-[20rem_minmax(0,1fr)]">
      <section aria-label="Tracks" className="flex flex-col gap-3">
        <Select
          label="Track"
          labelled
          value={track}
          options={[
            { value: ALL, label: "All, in the order of the work" },
            ...tracks.map((one) => ({ value: one, label: TRACK_NAMES[one] ?? one })),
          ]}
          onChange={(value) => put({ track: value === ALL ? null : value })}
        />
        <Select
          label="How hard"
          labelled
          value={level}
          options={[
            { value: AS_IT_GOES, label: signedIn ? "As it goes: two right, and harder" : "As usual" },
            ...HARDNESS,
          ]}
          onChange={setLevel}
        />
        <Button tone="main" disabled={next.isPending} onClick={ask}>
          {task ? "Another" : "Begin"}
        </Button>
        {next.isError && <Refusal error={next.error} />}
        <Standing drills={drills.data.filter((one) => track === ALL || one.track === track)} />
        <p className="text-note text-ink-3">
          {signedIn
            ? "What you missed comes again. Only you and the instructor of a class test see how it goes."
            : "Sign in to have what you missed come again; without it nothing is kept."}{" "}
          Practice says nothing of what you may do with patients: that is for your clinical instructor.
        </p>
      </section>
      <div className="min-w-0">
        {task ? (
          <TaskCard key={`${task.drill} ${task.seed}`} task={task} onNext={ask} />
        ) : (
          <Empty title="Choose a track and begin">
            Each task is new, is judged by the same rules as the Desk, and says how it is worked out.
          </Empty>
        )}
        {signedIn && <Confusions />}
      </div>
    </div>
  );
}

/** How each drill goes for whoever looks. */
function Standing({ drills }: { drills: readonly Drill[] }) {
  return (
    <ul className="text-note">
      {drills.map((one) => (
        <li key={one.id} className="flex items-baseline justify-between gap-2 border-b border-rule py-1.5">
          <span className="min-w-0 truncate" title={one.aim}>
            {one.name}
          </span>
          <span className="shrink-0 text-ink-3">
            {one.mean == null ? "new" : `${Math.round(100 * one.mean)} %${one.due_in === 0 ? ", due" : ""}`}
            {one.level === 3 && ", harder"}
          </span>
        </li>
      ))}
    </ul>
  );
}
