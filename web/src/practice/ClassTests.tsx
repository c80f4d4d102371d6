import { useState } from "react";

import { type ClassTest, useClassTests, useDrills, useSetClassTest, useTask } from "../api/practice";
import { useMay, useSession } from "../api/queries";
import { Button, buttonClass } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { TextField } from "../ui/TextField";
import { day } from "../ui/words";
import { TaskCard } from "./TaskCard";

/** Class tests: an instructor picks the drills, everybody does the same tasks; a trainee sees only their own. */
export function ClassTests() {
  const person = useSession().data?.person;
  const instructs = useMay("keeper", "physicist", "admin");
  const tests = useClassTests(Boolean(person));
  const [doing, setDoing] = useState<{ test: number; at: number } | null>(null);
  if (!person)
    return (
      <div className="p-5">
        <Empty title="Sign in for class tests">A class test is done by somebody.</Empty>
      </div>
    );
  if (tests.isError) return <Refusal error={tests.error} className="m-5" />;
  if (!tests.data) return <Waiting what="the class tests" />;
  const open = tests.data.find((one) => one.id === doing?.test);
  const item = open?.items[doing?.at ?? 0];
  if (open && item)
    return (
      <div className="px-5 py-4">
        <Button tone="quiet" className="-ml-3" onClick={() => setDoing(null)}>
          Back to the class tests
        </Button>
        <p className="my-2 text-ink-2">
          {open.name}, task {(doing?.at ?? 0) + 1} of {open.items.length}
        </p>
        <OneTask
          key={`${item.drill} ${item.seed}`}
          drill={item.drill}
          seed={item.seed}
          inClass={open.id}
          onNext={() => {
            const at = open.items.findIndex((one, i) => i > (doing?.at ?? 0) && one.credit == null);
            setDoing(at < 0 ? null : { test: open.id, at });
          }}
        />
      </div>
    );
  return (
    <div className="flex flex-col gap-6 px-5 py-4">
      {instructs && <NewTest />}
      {tests.data.length === 0 && (
        <Empty title="No class test yet">
          {instructs ? "Pick some drills above." : "Your instructor sets them."}
        </Empty>
      )}
      {tests.data.map((one) => (
        <OneTest
          key={one.id}
          test={one}
          instructs={instructs}
          begin={(at) => setDoing({ test: one.id, at })}
        />
      ))}
    </div>
  );
}

function OneTask({
  drill,
  seed,
  inClass,
  onNext,
}: {
  drill: string;
  seed: number;
  inClass: number;
  onNext: () => void;
}) {
  const task = useTask({ drill, seed });
  if (task.isError) return <Refusal error={task.error} />;
  if (!task.data) return <Waiting what="the task" />;
  return <TaskCard task={task.data} inClass={inClass} onNext={onNext} />;
}

function OneTest({
  test,
  instructs,
  begin,
}: {
  test: ClassTest;
  instructs: boolean;
  begin: (at: number) => void;
}) {
  const at = test.items.findIndex((one) => one.credit == null);
  const done = test.items.filter((one) => one.credit != null);
  return (
    <section aria-label={test.name} className="max-w-3xl border-t border-rule pt-3">
      <h2 className="text-lead">{test.name}</h2>
      <p className="text-note text-ink-3">
        Set by {test.by}, {day(test.at)}: {test.items.length} tasks, the same for everybody.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        {at >= 0 ? (
          <Button onClick={() => begin(at)}>{done.length > 0 ? "Go on" : "Begin"}</Button>
        ) : (
          <p>
            Done:{" "}
            {Math.round((100 * done.reduce((sum, one) => sum + (one.credit ?? 0), 0)) / test.items.length)} %
            credit
          </p>
        )}
        {instructs && (
          <a className={buttonClass("quiet")} href={`/api/practice/classes/${test.id}/csv`} download>
            CSV
          </a>
        )}
      </div>
      {instructs && test.results.length > 0 && <ClassResults test={test} />}
    </section>
  );
}

const percent = (credit: number | null | undefined) =>
  credit == null ? "–" : `${Math.round(100 * credit)} %`;

/** Who did how well in which task. */
function ClassResults({ test }: { test: ClassTest }) {
  return (
    <div className="mt-2 overflow-x-auto">
      <table className="w-full">
        <thead className="text-left align-bottom text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="font-normal">Who</th>
            {test.items.map((one) => (
              <th key={`${one.drill} ${one.seed}`} className="pl-3 text-right font-normal">
                {one.name}
              </th>
            ))}
            <th className="pl-3 text-right font-normal">Of the whole</th>
          </tr>
        </thead>
        <tbody>
          {test.results.map((one) => (
            <tr key={one.person} className="border-b border-rule">
              <td className="py-1.5 whitespace-nowrap">{one.name}</td>
              {one.credits.map((credit, i) => (
                <td key={i} className="pl-3 text-right">
                  {percent(credit)}
                </td>
              ))}
              <td className="pl-3 text-right font-semibold">{percent(one.mean)}</td>
            </tr>
          ))}
          <tr className="text-ink-2">
            <td className="py-1.5">Who answered, on the mean</td>
            {test.items.map((one) => (
              <td key={`${one.drill} ${one.seed}`} className="pl-3 text-right">
                {percent(test.by_drill[one.drill])}
              </td>
            ))}
            <td />
          </tr>
        </tbody>
      </table>
    </div>
  );
}

function NewTest() {
  const drills = useDrills().data ?? [];
  const set = useSetClassTest();
  const [name, setName] = useState("");
  const [picked, setPicked] = useState<readonly string[]>([]);
  const [seed, setSeed] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  return (
    <details className="max-w-6xl" open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="min-h-touch cursor-pointer py-2 font-semibold">Set a class test</summary>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          set.mutate(
            { name: name.trim(), drills: [...picked], seed },
            {
              onSuccess: () => {
                setName("");
                setPicked([]);
                setOpen(false);
              },
            },
          );
        }}
      >
        <div className="flex flex-wrap items-center gap-3">
          <div className="w-80">
            <TextField live id="class-name" label="Its name" value={name} onChange={setName} />
          </div>
          <NumberField
            id="class-seed"
            label="Seed"
            className="w-36"
            digits={0}
            placeholder="by chance"
            value={seed}
            onChange={setSeed}
          />
          <p className="text-note text-ink-3">The same seed gives another class the same tasks.</p>
        </div>
        <fieldset>
          <legend className="label">Drills</legend>
          <div className="columns-1 gap-6 sm:columns-2 lg:columns-3">
            {drills.map((one) => (
              <label key={one.id} className="flex min-h-touch items-center gap-2">
                <input
                  type="checkbox"
                  className="h-5 w-5 accent-(--ink)"
                  checked={picked.includes(one.id)}
                  onChange={() =>
                    setPicked(
                      picked.includes(one.id) ? picked.filter((id) => id !== one.id) : [...picked, one.id],
                    )
                  }
                />
                {one.name}
              </label>
            ))}
          </div>
        </fieldset>
        <Button
          type="submit"
          className="self-start"
          disabled={!name.trim() || picked.length === 0 || set.isPending}
        >
          Set it
        </Button>
        {set.isError && <Refusal error={set.error} />}
      </form>
    </details>
  );
}
