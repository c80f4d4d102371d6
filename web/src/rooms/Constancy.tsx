import { scaleLinear, scaleTime } from "d3-scale";
import { useState } from "react";

import {
  type ConstancyTest,
  type Done,
  nameOf,
  type Sheet,
  type Standing,
  useConstancy,
  useConstancyTests,
  useInstruments,
  useKeepDone,
  useOutcome,
  useSetTolerance,
} from "../api/constancy";
import { type Room, useMay } from "../api/queries";
import { useAddress } from "../ui/address";
import { Button } from "../ui/Button";
import { DayField } from "../ui/DayField";
import { useDraft } from "../ui/drafts";
import { Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { trimmed } from "../ui/units";
import { date } from "../ui/words";

type Row = Record<string, number | null>;
/** To a tenth of a percent: a meter reads no finer. */
const shown = (value: number) => trimmed(value, 1).replace("-", "−");
const today = () => new Date().toISOString().slice(0, 10);

/** The tests that a room is put to again and again: what is due, an entry sheet that computes, and how it went over time. */
export function Constancy({ room }: { room: Room }) {
  const tests = useConstancyTests();
  const found = useConstancy(room.id);
  // In the address, so that a link leads to a test.
  const { words, put } = useAddress();
  const chosen = words.get("test") ?? "";
  const failed = tests.error ?? found.error;
  if (failed) return <Refusal error={failed} className="m-5" />;
  if (!tests.data || !found.data)
    return (
      <div className="p-5">
        <Waiting what="the tests" />
      </div>
    );
  const { due, done, simulated } = found.data;
  const byId = new Map(tests.data.map((one) => [one.id, one]));
  const at = due.find((one) => nameOf(one) === chosen) ?? due.find((one) => one.overdue) ?? due[0];
  const test = at && byId.get(at.test);
  if (!at || !test) return null;
  const groups = [...new Set(due.map((one) => byId.get(one.test)?.group ?? ""))];
  return (
    <div className="grid grid-cols-[19rem_minmax(0,1fr)] gap-6 px-5 py-4">
      <nav aria-label="Tests">
        {groups.map((group) => (
          <section key={group} aria-label={group}>
            <h3 className="mt-2 border-b border-rule-strong text-body text-ink-2">{group}</h3>
            <ul>
              {due
                .filter((one) => byId.get(one.test)?.group === group)
                .map((one) => (
                  <li key={nameOf(one)}>
                    <button
                      type="button"
                      aria-current={one === at ? "true" : undefined}
                      onClick={() => put({ test: nameOf(one) })}
                      className={`w-full border-l-4 px-2 py-1 text-left hover:bg-raised ${one === at ? "border-ink bg-raised" : "border-transparent"}`}
                    >
                      <span className="block">
                        {byId.get(one.test)?.name}
                        {one.receptor && (
                          <span className="text-ink-3">, {receptorName(room, one.receptor)}</span>
                        )}
                      </span>
                      <State of={one} />
                    </button>
                  </li>
                ))}
            </ul>
          </section>
        ))}
        <a
          className="mt-3 inline-flex min-h-touch items-center underline"
          href={`/api/rooms/${room.id}/constancy/csv`}
        >
          All of it as CSV
        </a>
      </nav>
      <OneTest
        key={nameOf(at)}
        room={room}
        test={test}
        receptor={at.receptor ?? null}
        done={done.filter((one) => one.test === at.test && one.receptor === at.receptor)}
        simulated={simulated}
      />
    </div>
  );
}

const receptorName = (room: Room, id: string) => room.receptors.find((one) => one.id === id)?.name ?? id;

/** How a test stands, in a line: failed and overdue before all else. */
function State({ of: { last, due_on, overdue } }: { of: Standing }) {
  if (!last) return <span className="block text-note text-ink-3">never done</span>;
  return (
    <span
      className={`block text-note ${!last.passed ? "font-semibold text-bad" : overdue ? "font-semibold text-warn" : "text-ink-2"}`}
    >
      {last.passed ? "passed" : "failed"} {date(last.done_on)}
      {due_on && (overdue ? `, overdue since ${date(due_on)}` : `, next ${date(due_on)}`)}
    </span>
  );
}

function OneTest({
  room,
  test,
  receptor,
  done,
  simulated,
}: {
  room: Room;
  test: ConstancyTest;
  receptor: string | null;
  done: Done[];
  simulated: boolean;
}) {
  const mayKeep = useMay("physicist");
  const blank = (): Row => Object.fromEntries(test.columns.map((column) => [column.key, null]));
  const [rows, setRows] = useDraft<Row[]>(`constancy ${room.id} ${test.id} ${receptor ?? ""}`, () =>
    Array.from({ length: test.rows }, blank),
  );
  const [doneOn, setDoneOn] = useState(today);
  const [note, setNote] = useState("");
  const whole = rows.filter((row) => Object.values(row).every((cell) => cell !== null));
  const sheet: Sheet | null =
    mayKeep && whole.length >= test.rows
      ? { test: test.id, rows: whole as Record<string, number>[], ...(receptor ? { receptor } : {}) }
      : null;
  const outcome = useOutcome(room.id, sheet);
  const keep = useKeepDone(room.id);
  const instruments = useInstruments(room.id);
  const put = (at: number, key: string, value: number | null) =>
    setRows(rows.map((row, i) => (i === at ? { ...row, [key]: value } : row)));
  return (
    <section aria-label={test.name} className="min-w-0">
      <h3 className="text-lead">
        {test.name}
        {receptor && `, ${receptorName(room, receptor)}`}
      </h3>
      <p className="max-w-prose text-ink-2">{test.how}</p>
      {mayKeep && (
        <>
          <table className="mt-2">
            <thead className="text-left text-note text-ink-3">
              <tr>
                {test.columns.map((column) => (
                  <th key={column.key} className="w-36 pl-1 font-normal">
                    {column.name}
                    {column.unit && `, ${column.unit}`}
                  </th>
                ))}
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.map((row, i) => (
                <tr key={i}>
                  {test.columns.map((column) => (
                    <td key={column.key} className="pr-1 pb-1">
                      <NumberField
                        bare
                        id={`${test.id}-${column.key}-${i}`}
                        label={`${column.name} of row ${i + 1}`}
                        digits={4}
                        value={row[column.key] ?? null}
                        onChange={(value) => put(i, column.key, value)}
                      />
                    </td>
                  ))}
                  <td>
                    <Button
                      tone="quiet"
                      className="px-2!"
                      aria-label={`Take row ${i + 1} out`}
                      disabled={rows.length <= 1}
                      onClick={() => setRows(rows.filter((_, j) => j !== i))}
                    >
                      ×
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="flex gap-2">
            <Button tone="quiet" onClick={() => setRows([...rows, blank()])}>
              Another row
            </Button>
            {simulated && (
              <Button
                tone="quiet"
                disabled={instruments.isPending}
                onClick={() => instruments.mutate(test.id, { onSuccess: setRows })}
              >
                Simulated instruments (demo)
              </Button>
            )}
          </div>
          {instruments.isError && <Refusal error={instruments.error} />}
          <div aria-live="polite" className="mt-2 min-h-8">
            {outcome.isError ? (
              <Refusal error={outcome.error} />
            ) : sheet && outcome.data ? (
              <p>
                <b className={`text-lead ${outcome.data.passed ? "text-good" : "text-bad"}`}>
                  {outcome.data.passed ? "Passed" : "Failed"}
                </b>{" "}
                {shown(outcome.data.value)} {outcome.data.unit}; at most {trimmed(outcome.data.limit, 2)}.
              </p>
            ) : (
              <p className="text-ink-3">
                {test.rows} {test.rows === 1 ? "whole row" : "whole rows"} or more say how it stands.
              </p>
            )}
          </div>
          <div className="mt-1 flex flex-wrap items-end gap-2">
            <DayField label="Done on" value={doneOn} latest={today()} onChange={setDoneOn} />
            <label className="flex min-h-[2.875rem] min-w-56 flex-1 flex-col justify-center rounded-sm border border-rule-strong px-2.5 leading-tight focus-within:border-ink">
              <span className="label">Note: instrument, what was done about it</span>
              <input
                className="bg-transparent outline-none"
                maxLength={500}
                value={note}
                onChange={(event) => setNote(event.currentTarget.value)}
              />
            </label>
            <Button
              tone="main"
              disabled={!sheet || !outcome.data || outcome.isError || !doneOn || keep.isPending}
              onClick={() =>
                sheet &&
                keep.mutate(
                  { ...sheet, done_on: doneOn, note },
                  {
                    onSuccess: () => {
                      setNote("");
                      setRows(Array.from({ length: test.rows }, blank));
                    },
                  },
                )
              }
            >
              Keep it
            </Button>
          </div>
          {keep.isError && <Refusal error={keep.error} className="mt-2" />}
        </>
      )}
      <Tolerance test={test} mayChange={mayKeep} />
      {done.length > 0 && <OverTime done={done} />}
    </section>
  );
}

/** What the department allows, and how often: its own numbers, or the examples that ship. */
function Tolerance({ test, mayChange }: { test: ConstancyTest; mayChange: boolean }) {
  const set = useSetTolerance();
  const { limit, months, own } = test.tolerance;
  const put = (change: Partial<{ limit: number; months: number }>) =>
    set.mutate({ test: test.id, body: { limit, months, ...change } });
  return (
    <section aria-label="Tolerance" className="mt-4 border-t border-rule pt-2">
      <div className="flex flex-wrap items-center gap-2">
        <fieldset disabled={!mayChange} className="flex gap-2">
          <NumberField
            id={`limit-${test.id}`}
            className="w-44"
            label="At most"
            unit={test.unit}
            value={limit}
            onChange={(value) => value !== null && put({ limit: value })}
          />
          <NumberField
            id={`months-${test.id}`}
            className="w-36"
            label="Every"
            unit="months"
            digits={0}
            value={months}
            onChange={(value) => value !== null && put({ months: Math.round(value) })}
          />
        </fieldset>
        <span className="text-note text-ink-3">
          {own
            ? `Our own; ships as ${trimmed(test.shipped_limit, 2)} every ${test.shipped_months} months (${test.source}).`
            : `An example, ${test.source}; local rules go before it.`}
        </span>
        {own && mayChange && (
          <Button tone="quiet" onClick={() => set.mutate({ test: test.id, body: {} })}>
            As it ships
          </Button>
        )}
      </div>
      {set.isError && <Refusal error={set.error} className="mt-2" />}
    </section>
  );
}

const W = 620;
const H = 150;

/** Each time it was done, against the tolerance that held then; the newest rows beside. */
function OverTime({ done }: { done: Done[] }) {
  const oldest = [...done].reverse();
  const days = oldest.map((one) => new Date(one.done_on).getTime());
  const first = Math.min(...days);
  const last = Math.max(...days, first + 86_400_000);
  const x = scaleTime([first, last], [56, W - 20]);
  const most = Math.max(...done.map((one) => Math.max(one.value, one.most)), 0.001) * 1.15;
  const least = Math.min(0, ...done.map((one) => one.value));
  const y = scaleLinear([least, most], [H - 24, 10]);
  return (
    <section aria-label="Over time" className="mt-4">
      {done.length > 1 && (
        <svg
          viewBox={`0 0 ${W} ${H}`}
          className="w-full max-w-3xl"
          role="img"
          aria-label="The figure over time"
        >
          {oldest.map((one, i) => (
            <line
              key={`limit ${one.id}`}
              x1={x(days[i] ?? first) - 12}
              x2={x(days[i] ?? first) + 12}
              y1={y(one.most)}
              y2={y(one.most)}
              stroke="var(--bad)"
              strokeDasharray="4 3"
            />
          ))}
          <text x={38} y={y(done[0]?.most ?? 0) + 4} textAnchor="end" fontSize={11} fill="var(--ink-3)">
            {trimmed(done[0]?.most ?? 0, 2)}
          </text>
          <polyline
            points={oldest.map((one, i) => `${x(days[i] ?? first)},${y(one.value)}`).join(" ")}
            fill="none"
            stroke="var(--ink-3)"
          />
          {oldest.map((one, i) =>
            one.passed ? (
              <circle key={one.id} cx={x(days[i] ?? first)} cy={y(one.value)} r={4} fill="var(--ink)" />
            ) : (
              <path
                key={one.id}
                d={`M${x(days[i] ?? first) - 5},${y(one.value) - 5} l10,10 m-10,0 l10,-10`}
                stroke="var(--bad)"
                strokeWidth={2}
              />
            ),
          )}
          <text x={56} y={H - 6} fontSize={11} fill="var(--ink-3)">
            {date(oldest[0]?.done_on ?? "")}
          </text>
          {oldest.length > 1 && (
            <text x={W - 20} y={H - 6} textAnchor="end" fontSize={11} fill="var(--ink-3)">
              {date(oldest.at(-1)?.done_on ?? "")}
            </text>
          )}
        </svg>
      )}
      <ul className="max-w-3xl">
        {done.slice(0, 12).map((one) => (
          <li key={one.id} className="flex gap-3 border-b border-rule py-1">
            <span className="w-28">{date(one.done_on)}</span>
            <b className={`w-16 ${one.passed ? "text-good" : "text-bad"}`}>
              {one.passed ? "passed" : "failed"}
            </b>
            <span className="w-56">
              {shown(one.value)} {one.unit} (at most {trimmed(one.most, 2)})
            </span>
            <span className="min-w-0 flex-1 truncate text-ink-2">
              {one.kept_by}
              {one.note && `: ${one.note}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
