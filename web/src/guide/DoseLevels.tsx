import { useState } from "react";

import { type DoseLevelRow, useDoseLevels, useTakeDoseLevels } from "../api/doseLevels";
import { useMay } from "../api/queries";
import { useTitle } from "../ui/address";
import { FileButton } from "../ui/FileButton";
import { Refusal, Waiting } from "../ui/Notice";
import { ShowOnly } from "../ui/ShowOnly";
import { QUANTITY } from "../ui/words";
import { figure } from "../ui/units";

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
        of your country and your department in their place. Write them out, change the numbers, read the file
        back.
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
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <Level key={`${one.projection} ${one.level.quantity} ${one.level.kg?.join() ?? ""}`} of={one} />
          ))}
        </tbody>
      </table>
      {shown.length === 0 && <p className="mt-3 text-ink-3">No level of such a view.</p>}
    </section>
  );
}

function Level({ of: { name, level } }: { of: DoseLevelRow }) {
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-1.5 pr-3">{name}</td>
      <td className="py-1.5 pr-6 whitespace-nowrap">{QUANTITY[level.quantity]}</td>
      <td className="py-1.5 text-right whitespace-nowrap">
        <b>{figure(level.value)}</b> {level.unit}
      </td>
      <td className="py-1.5 pl-6 whitespace-nowrap text-ink-2">{level.of_whom}</td>
      <td className={`py-1.5 pl-4 ${level.source.startsWith("example") ? "text-ink-3" : "text-ink-2"}`}>
        {level.source}
      </td>
    </tr>
  );
}
