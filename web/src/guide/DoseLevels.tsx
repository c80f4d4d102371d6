import { useState } from "react";

import { type DoseLevelRow, useDoseLevels, useSetDoseLevel, useTakeDoseLevels } from "../api/doseLevels";
import { useMay } from "../api/queries";
import { useTitle } from "../ui/address";
import { Button } from "../ui/Button";
import { DayField } from "../ui/DayField";
import { FileButton } from "../ui/FileButton";
import { Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { ShowOnly } from "../ui/ShowOnly";
import { TextField } from "../ui/TextField";
import { figure } from "../ui/units";
import { date, QUANTITY } from "../ui/words";

/** Every dose level that techniques are held against: examples, until the department reads its own from a file. */
export function DoseLevelsPage() {
  useTitle("Dose levels");
  const levels = useDoseLevels();
  const take = useTakeDoseLevels();
  const mayTake = useMay("keeper", "physicist", "admin");
  const [only, setOnly] = useState("");
  if (levels.isError) return <Refusal error={levels.error} className="m-6" />;
  if (!levels.data)
    return (
      <div className="p-6">
        <Waiting what="the dose levels" />
      </div>
    );
  const wanted = only.trim().toLowerCase();
  const shown = levels.data.filter((one) => one.name.toLowerCase().includes(wanted));
  return (
    <section aria-label="Dose levels" className="mx-auto w-full max-w-5xl px-5 py-5">
      <h1 className="text-lead">Dose levels</h1>
      <p className="max-w-prose text-ink-2">
        What a technique&apos;s dose is held against. Those that ship are examples: put the reference levels
        of your country and your department in their place, one at a time here, or all of them: write them
        out, change the numbers, read the file back.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-4">
        <ShowOnly value={only} onChange={setOnly} />
        <a className="inline-flex min-h-touch items-center underline" href="/api/dose-levels/csv">
          As CSV
        </a>
        {mayTake && (
          <FileButton
            accept=".csv,text/csv"
            onFile={(file) => void file.text().then((csv) => take.mutate(csv))}
          >
            Read our levels from a file
          </FileButton>
        )}
        {take.isSuccess && (
          <span role="status" className="text-good">
            Taken: they hold from now on.
          </span>
        )}
      </div>
      {take.isError && <Refusal error={take.error} className="mt-3" />}
      <table className="mt-4 w-full text-left">
        <thead className="text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 font-normal">View</th>
            <th className="font-normal">Quantity</th>
            <th className="text-right font-normal">Level</th>
            <th className="pl-6 font-normal">For</th>
            <th className="pl-4 font-normal">From</th>
            <th className="pl-4 font-normal whitespace-nowrap">As of</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <Level
              key={`${one.projection} ${one.level.quantity} ${one.level.kg?.join() ?? ""}`}
              of={one}
              mayChange={mayTake}
            />
          ))}
        </tbody>
      </table>
      {shown.length === 0 && <p className="mt-3 text-ink-3">No level of such a view.</p>}
    </section>
  );
}

function Level({ of, mayChange }: { of: DoseLevelRow; mayChange: boolean }) {
  const { name, level, own } = of;
  const [changing, setChanging] = useState(false);
  if (changing) return <ChangeLevel of={of} onDone={() => setChanging(false)} />;
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-1.5 pr-3">{name}</td>
      <td className="py-1.5 pr-6 whitespace-nowrap">{QUANTITY[level.quantity]}</td>
      <td className="py-1.5 text-right whitespace-nowrap">
        <b>{figure(level.value)}</b> {level.unit}
      </td>
      <td className="py-1.5 pl-6 whitespace-nowrap text-ink-2">{level.of_whom}</td>
      <td className={`py-1.5 pl-4 ${own ? "text-ink-2" : "text-ink-3"}`}>{level.source}</td>
      <td className="py-1.5 pl-4 whitespace-nowrap text-ink-2">{level.as_of && date(level.as_of)}</td>
      <td className="text-right">
        {mayChange && (
          <Button
            tone="quiet"
            aria-label={`Change ${name}, ${QUANTITY[level.quantity]}, ${level.of_whom}`}
            onClick={() => setChanging(true)}
          >
            Change
          </Button>
        )}
      </td>
    </tr>
  );
}

/** A level in hand: its figure, where it is from and since when; nothing is kept before Keep. */
function ChangeLevel({
  of: { projection, name, level, own },
  onDone,
}: {
  of: DoseLevelRow;
  onDone: () => void;
}) {
  const set = useSetDoseLevel();
  const [value, setValue] = useState<number | null>(level.value);
  const [source, setSource] = useState(own ? level.source : "");
  const [asOf, setAsOf] = useState(level.as_of ?? "");
  const id = `${projection}-${level.quantity}-${level.kg?.join("-") ?? ""}`;
  const what = { quantity: level.quantity, kg: level.kg, source: "" };
  const keep = (change: { value: number; source: string; as_of: string | null } | null) =>
    set.mutate({ projection, body: { ...what, ...change } }, { onSuccess: onDone });
  return (
    <tr className="border-b border-rule bg-raised">
      <td colSpan={7} className="px-3 py-2">
        <p>
          <b>{name}</b>, {QUANTITY[level.quantity]}, {level.of_whom}
        </p>
        <div className="mt-1 grid grid-cols-[10rem_1fr_11rem] gap-2">
          <NumberField
            id={`level-${id}`}
            label="Level"
            unit={level.unit}
            value={value}
            onChange={setValue}
            digits={4}
          />
          <TextField live id={`source-${id}`} label="Where it is from" value={source} onChange={setSource} />
          <DayField label="As of" value={asOf} onChange={setAsOf} />
        </div>
        <div className="mt-2 flex flex-wrap gap-2">
          <Button
            tone="main"
            disabled={value === null || source.trim() === "" || set.isPending}
            onClick={() => value !== null && keep({ value, source, as_of: asOf || null })}
          >
            Keep as ours
          </Button>
          {own && (
            <Button disabled={set.isPending} onClick={() => keep(null)}>
              Back to what ships
            </Button>
          )}
          <Button tone="quiet" onClick={onDone}>
            Leave it
          </Button>
        </div>
        {set.isError && <Refusal error={set.error} className="mt-2" />}
      </td>
    </tr>
  );
}
