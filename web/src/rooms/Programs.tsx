import { useState } from "react";

import { type ProgramRow, type Room, useMay, usePrograms, useTickPrograms } from "../api/queries";
import { Button, buttonClass } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { Segmented } from "../ui/Segmented";
import { fromCm, trimmed } from "../ui/units";
import { usePreferences } from "../ui/preferences";
import { date, SUPPORT } from "../ui/words";

const STATES = ["to enter", "entered", "changed", "checked"] as const;
const idOf = (row: ProgramRow) => `${row.program.line_key} ${row.program.size}`;

/** What is stored at the generator for each view and size: a list to type from, ticked as it is entered and checked there. */
export function Programs({ room }: { room: Room }) {
  const { unit } = usePreferences();
  const programs = usePrograms(room.id);
  const tick = useTickPrograms();
  const mayTick = useMay("keeper", "physicist");
  const [only, setOnly] = useState<string>("all");
  const [wanted, setWanted] = useState("");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  if (programs.isError) return <Refusal error={programs.error} className="m-5" />;
  if (!programs.data)
    return (
      <div className="p-5">
        <Waiting what="the programs" />
      </div>
    );
  const all = programs.data;
  if (all.length === 0)
    return (
      <div className="p-5">
        <Empty title="No program">
          The room&apos;s approved chart has no line that its generator can set.
        </Empty>
      </div>
    );
  const words = wanted.toLowerCase().split(/\s+/);
  const shown = all.filter(
    (row) =>
      (only === "all" || row.state === only) &&
      words.every((word) =>
        `${row.exam} ${row.view} ${SUPPORT[row.program.support] ?? ""} ${row.program.size}`
          .toLowerCase()
          .includes(word),
      ),
  );
  const count = (state: string) => all.filter((row) => row.state === state).length;
  const picked = shown.filter((row) => chosen.has(idOf(row)));
  const turn = (ids: string[]) =>
    setChosen((now) => {
      const every = ids.every((id) => now.has(id));
      const next = new Set(now);
      for (const id of ids) {
        if (every) next.delete(id);
        else next.add(id);
      }
      return next;
    });
  const done = (what: "entered" | "checked") =>
    tick.mutate(
      {
        room: room.id,
        body: {
          done: what,
          programs: picked.map((row) => ({ line_key: row.program.line_key, size: row.program.size })),
        },
      },
      { onSuccess: () => setChosen(new Set()) },
    );
  return (
    <section aria-label="Programs of the generator" className="px-5 py-3">
      <p className="max-w-4xl text-ink-2">
        What each view&apos;s program holds at the generator, from the approved chart. Type it in, tick it as
        entered, read it back, tick it as checked. When the chart changes, what stands there otherwise is
        said.
      </p>
      <div className="my-2 flex flex-wrap items-center gap-x-4 gap-y-1">
        <Segmented
          label="Show"
          value={only}
          options={[
            { value: "all", label: `All (${all.length})` },
            ...STATES.map((state) => ({ value: state, label: `${STATE[state]} (${count(state)})` })),
          ]}
          onChange={setOnly}
        />
        <input
          aria-label="Show only"
          placeholder="knee, table, large…"
          className="min-h-touch min-w-32 flex-1 bg-transparent outline-none"
          value={wanted}
          onChange={(event) => setWanted(event.currentTarget.value)}
        />
        <a className={buttonClass("quiet")} href={`/api/rooms/${room.id}/programs/csv`} download="">
          CSV
        </a>
        {mayTick && (
          <>
            <Button disabled={picked.length === 0 || tick.isPending} onClick={() => done("entered")}>
              Entered {picked.length > 0 && picked.length}
            </Button>
            <Button disabled={picked.length === 0 || tick.isPending} onClick={() => done("checked")}>
              Checked {picked.length > 0 && picked.length}
            </Button>
          </>
        )}
      </div>
      {tick.isError && <Refusal error={tick.error} className="mb-2" />}
      <table className="w-full table-fixed text-note">
        <thead className="sticky top-0 bg-ground text-left text-ink-3">
          <tr className="border-b border-rule-strong">
            {mayTick && (
              <th className="w-9">
                <input
                  type="checkbox"
                  aria-label="Choose all shown"
                  checked={shown.length > 0 && shown.every((row) => chosen.has(idOf(row)))}
                  onChange={() => turn(shown.map(idOf))}
                />
              </th>
            )}
            <th className="py-1 font-normal">View</th>
            <th className="w-28 font-normal">Size</th>
            {["kVp", "mAs", "mA", "ms"].map((name) => (
              <th key={name} className="w-11 pr-2 text-right font-normal xl:w-14">
                {name}
              </th>
            ))}
            <th className="w-12 font-normal xl:w-14">Focus</th>
            <th className="w-18 font-normal xl:w-24">Control</th>
            <th className="w-40 font-normal xl:w-64">At the generator</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((row) => {
            const { stored, size, thickness_cm, support } = row.program;
            const name = `${row.exam} ${row.view}`;
            return (
              <tr key={idOf(row)} className="border-b border-rule align-top">
                {mayTick && (
                  <td className="py-1">
                    <input
                      type="checkbox"
                      aria-label={`${name}, ${size}`}
                      checked={chosen.has(idOf(row))}
                      onChange={() => turn([idOf(row)])}
                    />
                  </td>
                )}
                <td className="truncate py-1 pr-2" title={name}>
                  <b className="font-semibold">{name}</b>{" "}
                  <span className="text-ink-3">{SUPPORT[support]}</span>
                </td>
                <td className="py-1">
                  {size}{" "}
                  <span className="text-ink-3">
                    {trimmed(fromCm(thickness_cm, unit), 1)} {unit}
                  </span>
                </td>
                {[stored.kvp, stored.mas, stored.ma, stored.time_ms].map((value, i) => (
                  <td key={i} className={`py-1 pr-2 text-right ${i < 2 ? "font-semibold" : ""}`}>
                    {trimmed(value, 2)}
                  </td>
                ))}
                <td className="py-1">{stored.focal_spot}</td>
                <td className="py-1">
                  {stored.exposure_control === "aec"
                    ? `AEC ${stored.aec_cells}${stored.aec_density ? ` ${stored.aec_density > 0 ? "+" : "−"}${Math.abs(stored.aec_density)}` : ""}, back-up`
                    : stored.exposure_control}
                </td>
                <td className="py-1">
                  <Standing row={row} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

const STATE: Record<(typeof STATES)[number], string> = {
  "to enter": "To enter",
  entered: "To check",
  changed: "Chart changed",
  checked: "Checked",
};

/** Who entered and checked a program, or what the generator holds otherwise than the chart. */
function Standing({ row }: { row: ProgramRow }) {
  if (row.state === "to enter") return <span className="text-ink-3">to enter</span>;
  if (row.state === "changed") return <span className="text-warn">Enter anew: {row.differs.join("; ")}</span>;
  return (
    <span className="text-ink-2">
      entered {date(row.entered_at ?? "")} by {row.entered_by}
      {row.checked_at && `, checked ${date(row.checked_at)} by ${row.checked_by ?? ""}`}
    </span>
  );
}
