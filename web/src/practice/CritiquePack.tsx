import { useState } from "react";

import { type Judged, type Task, usePack } from "../api/practice";
import { useSession } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { Segmented } from "../ui/Segmented";
import { Confusions } from "./Confusions";
import { HARDNESS } from "./hardness";
import { TaskCard } from "./TaskCard";

/** A pack of images, each with one hidden fault or none: one after the other, and at the end what was taken for what. */
export function CritiquePack() {
  const pack = usePack();
  const [level, setLevel] = useState("2");
  const [at, setAt] = useState(0);
  const [judged, setJudged] = useState<readonly Judged[]>([]);
  const signedIn = Boolean(useSession().data?.person);
  const tasks = pack.data ?? [];
  const task = tasks[at];

  function begin() {
    setAt(0);
    setJudged([]);
    pack.mutate(Number(level));
  }

  if (task)
    return (
      <div className="px-5 py-4">
        <TaskCard
          key={task.seed}
          task={task}
          title={`Image ${at + 1} of ${tasks.length}`}
          onJudged={(one) => setJudged([...judged, one])}
          next={at + 1 < tasks.length ? "Next image" : "How it went"}
          onNext={() => setAt(at + 1)}
        />
      </div>
    );
  return (
    <div className="flex max-w-4xl flex-col gap-4 px-5 py-4">
      {judged.length > 0 && <Outcome tasks={tasks} judged={judged} />}
      <p className="text-lead">
        Eight images, each with one fault or none: name it, say whether it is repeated, and what one thing is
        changed.
      </p>
      <div className="flex flex-wrap items-center gap-4">
        <Segmented label="How hard" value={level} options={HARDNESS} onChange={setLevel} />
        <Button tone="main" disabled={pack.isPending} onClick={begin}>
          {judged.length > 0 ? "Another pack" : "Begin"}
        </Button>
      </div>
      {pack.isError && <Refusal error={pack.error} />}
      {signedIn ? (
        <Confusions />
      ) : (
        <p className="text-note text-ink-3">Sign in to see over many packs what you take for what.</p>
      )}
      <p className="text-note text-ink-3">
        Practice says nothing of what you may do with patients: that is for your clinical instructor.
      </p>
    </div>
  );
}

function Outcome({ tasks, judged }: { tasks: readonly Task[]; judged: readonly Judged[] }) {
  const mean = judged.reduce((sum, one) => sum + one.credit, 0) / judged.length;
  return (
    <section aria-label="How it went" className="border-b border-rule pb-3">
      <h2 className="text-lead font-semibold">{Math.round(100 * mean)} % credit over the pack</h2>
      <table className="mt-2 w-full">
        <thead className="text-left text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 font-normal">Image</th>
            <th className="font-normal">Your answers</th>
            <th className="text-right font-normal">Credit</th>
          </tr>
        </thead>
        <tbody>
          {judged.map((one, i) => (
            <tr key={tasks[i]?.seed} className="border-b border-rule align-top">
              <td className="py-1.5 pr-4 whitespace-nowrap">{tasks[i]?.given.split(",")[0]}</td>
              <td className="pr-4">{one.said.join(" ")}</td>
              <td className="text-right">{Math.round(100 * one.credit)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
