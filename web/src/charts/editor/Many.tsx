import { useState } from "react";

import { type Adjustment, lineIn, type Proposal, useAdjust } from "../../api/bench";
import type { Chart, Line, Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
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
  const [kvpAdded, setKvpAdded] = useState<number | null>(null);
  const [masPercent, setMasPercent] = useState<number | null>(null);
  const [ratio, setRatio] = useState(STAY);
  const [receptor, setReceptor] = useState(STAY);
  const [school, setSchool] = useState(STAY);
  const [hold, setHold] = useState(true);
  const [onStations, setOnStations] = useState(false);
  const [refused, setRefused] = useState<Proposal[]>([]);
  const nothing =
    !kvpAdded && !masPercent && ratio === STAY && receptor === STAY && school === STAY && !onStations;

  async function make() {
    const body: Adjustment = {
      lines: lines.flatMap((line) => line.id ?? []),
      hold,
      on_stations: onStations,
      ...(kvpAdded ? { kvp_added: kvpAdded } : {}),
      ...(masPercent ? { mas_percent: masPercent } : {}),
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
        <NumberField
          signed
          id="many-kvp"
          label="kVp ±"
          className="w-20"
          placeholder="0"
          value={kvpAdded}
          onChange={setKvpAdded}
        />
        <NumberField
          signed
          id="many-mas"
          label="mAs ± %"
          className="w-20"
          placeholder="0"
          value={masPercent}
          onChange={setMasPercent}
        />
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
