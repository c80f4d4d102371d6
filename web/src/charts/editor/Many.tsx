import { useState } from "react";

import { type Adjustment, lineIn, type Proposal, useAdjust } from "../../api/bench";
import type { Chart, Line, Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { TECHNIQUE_SYSTEM, GRID_RATIOS, grid } from "../../ui/words";
import { Choose } from "./LineGrid";
import type { Workbench } from "./useWorkbench";

const STAY = "stay";

interface Props {
  chart: Chart;
  room: Room;
  bench: Workbench;
  lines: Line[];
  onDone: () => void;
}

/** One change of all the lines that are chosen. It is worked out first, then made as one. */
export function Many({ chart, room, bench, lines, onDone }: Props) {
  const adjust = useAdjust();
  const [kvp, setKvp] = useState("");
  const [mas, setMas] = useState("");
  const [ratio, setRatio] = useState(STAY);
  const [receptor, setReceptor] = useState(STAY);
  const [school, setSchool] = useState(STAY);
  const [hold, setHold] = useState(true);
  const [onStations, setOnStations] = useState(false);
  const [refused, setRefused] = useState<Proposal[]>([]);
  const kvpAdded = signedNumber(kvp);
  const masPercent = signedNumber(mas);
  const nothing =
    kvpAdded === null &&
    masPercent === null &&
    ratio === STAY &&
    receptor === STAY &&
    school === STAY &&
    !onStations;

  async function make() {
    const body: Adjustment = {
      lines: lines.flatMap((line) => line.id ?? []),
      hold,
      on_stations: onStations,
      ...(kvpAdded === null ? {} : { kvp_added: kvpAdded }),
      ...(masPercent === null ? {} : { mas_percent: masPercent }),
      ...(ratio === STAY ? {} : { grid_ratio: Number(ratio) as NonNullable<Adjustment["grid_ratio"]> }),
      ...(receptor === STAY ? {} : { receptor }),
      ...(school === STAY ? {} : { school: school as NonNullable<Adjustment["school"]> }),
    };
    const found = await adjust.mutateAsync({ chart: chart.id, body });
    const changes = found.flatMap((one) =>
      one.line ? [{ line: one.id, revision: one.revision, to: lineIn(one.line), position: null }] : [],
    );
    setRefused(found.filter((one) => !one.line));
    const what = found.find((one) => one.line)?.what ?? "";
    const done = await bench.send(changes, `${changes.length} lines: ${what}`.slice(0, 400));
    if (done && changes.length === found.length) onDone();
  }

  return (
    <form
      aria-label="Change the chosen lines"
      className="border-b border-rule bg-sunken px-5 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        void make().catch(() => undefined);
      }}
    >
      <div className="flex flex-wrap items-end gap-2">
        <b className="pb-2.5">{lines.length} chosen</b>
        <Signed id="many-kvp" label="kVp ±" value={kvp} onChange={setKvp} />
        <Signed id="many-mas" label="mAs ± %" value={mas} onChange={setMas} />
        <Select
          label="Grid"
          labelled
          className="w-28"
          value={ratio}
          options={[
            { value: STAY, label: "as it is" },
            ...GRID_RATIOS.map((one) => ({ value: String(one), label: grid(one) })),
          ]}
          onChange={setRatio}
        />
        <Select
          label="Receptor"
          labelled
          className="w-36"
          value={receptor}
          options={[
            { value: STAY, label: "as it is" },
            ...room.receptors.map((one) => ({ value: one.id, label: one.name })),
          ]}
          onChange={setReceptor}
        />
        <Select
          label="Method"
          labelled
          className="w-32"
          value={school}
          options={[
            { value: STAY, label: "as it is" },
            ...Object.entries(TECHNIQUE_SYSTEM).map(([value, label]) => ({ value, label })),
          ]}
          onChange={setSchool}
        />
        <span className="flex items-center">
          <Choose label="Hold the receptor exposure" on={hold} onChange={() => setHold(!hold)} />
          <span className="text-note leading-tight">
            hold the
            <br />
            exposure
          </span>
        </span>
        <span className="flex items-center">
          <Choose
            label="Put on generator settings"
            on={onStations}
            onChange={() => setOnStations(!onStations)}
          />
          <span className="text-note">on generator settings</span>
        </span>
        <div className="ml-auto flex gap-2">
          <Button
            tone="danger"
            disabled={bench.busy}
            onClick={() =>
              void bench
                .send(
                  lines.map((line) => ({
                    line: line.id ?? null,
                    revision: line.revision ?? null,
                    to: null,
                    position: null,
                  })),
                  "taken out",
                )
                .then((done) => done && onDone())
            }
          >
            Take out
          </Button>
          <Button type="submit" tone="main" disabled={nothing || bench.busy || adjust.isPending}>
            Change {lines.length}
          </Button>
        </div>
      </div>
      {adjust.isError && <Refusal error={adjust.error} className="mt-2" />}
      {refused.length > 0 && (
        <p role="status" className="mt-1 text-note text-warn">
          {refused.length} of them stay as they are: {refused[0]?.refusal}
        </p>
      )}
    </form>
  );
}

/** A number with a sign; null where it is none or nothing. */
function signedNumber(text: string): number | null {
  const value = Number(text.trim().replace(",", ".").replace("−", "-"));
  return text.trim() === "" || !Number.isFinite(value) || value === 0 ? null : value;
}

function Signed({
  id,
  label,
  value,
  onChange,
}: {
  id: string;
  label: string;
  value: string;
  onChange: (text: string) => void;
}) {
  const wrong = value.trim() !== "" && !/^[+\-−]?\d+([.,]\d+)?$/.test(value.trim());
  return (
    <div
      className={`w-20 rounded-sm border px-2.5 py-1 leading-tight focus-within:border-ink ${wrong ? "border-bad" : "border-rule-strong"}`}
    >
      <label htmlFor={id} className="label block">
        {label}
      </label>
      <input
        id={id}
        inputMode="decimal"
        autoComplete="off"
        aria-invalid={wrong}
        placeholder="0"
        className="w-full bg-transparent leading-tight outline-none"
        value={value}
        onChange={(event) => onChange(event.currentTarget.value)}
      />
    </div>
  );
}
