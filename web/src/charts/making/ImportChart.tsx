import { useEffect, useState } from "react";

import { type Preview, useImportPreview } from "../../api/bench";
import { Button, buttonClass } from "../../ui/Button";
import { useDraft } from "../../ui/drafts";
import { LengthField } from "../../ui/LengthField";
import { FaultTable, Refusal } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { SUPPORT } from "../../ui/words";
import { MakeBar } from "./MakeBar";
import type { Making } from "./making";

const OUT = "left out";
const FILLERS = ["support", "receptor", "grid_ratio", "sid_cm"] as const;
type Filler = (typeof FILLERS)[number];

interface Given {
  name: string;
  csv: string | null;
  xlsx: string | null;
}

interface Typed {
  file: Given | null;
  mapping: Record<string, string | null>;
  defaults: Partial<Record<Filler, string>>;
}
const NOTHING: Typed = { file: null, mapping: {}, defaults: {} };

/** A chart from somebody's file: columns guessed and put right, every bad cell named, nothing kept before it is looked at. */
export function ImportChart(props: Making) {
  const { room } = props;
  const preview = useImportPreview();
  const [given, setGiven] = useDraft<Typed>(`import ${room.id}`, () => NOTHING);
  const { file, mapping, defaults } = given;
  // Stays while the file is read again by other columns, and where that is refused: there is then a way back.
  const [found, setFound] = useState<Preview | null>(null);

  /** Keeps what was chosen and answered, and reads the file by it. */
  function look(next: Typed) {
    setGiven(next);
    if (!next.file) return;
    preview.mutate(
      {
        room: room.id,
        csv: next.file.csv,
        xlsx: next.file.xlsx,
        mapping: next.mapping,
        defaults: next.defaults as Record<string, string>,
      },
      { onSuccess: setFound },
    );
  }
  // What was chosen before another view was looked at is read again.
  useEffect(() => {
    if (file && preview.isIdle) look(given);
  });
  async function read(chosen: File | undefined) {
    preview.reset();
    if (!chosen) return;
    const sheet = /\.xlsx$/i.test(chosen.name);
    const file: Given = {
      name: chosen.name.replace(/\.(csv|xlsx|txt)$/i, "").slice(0, 100) || "Imported chart",
      csv: sheet ? null : await chosen.text(),
      xlsx: sheet ? base64(await chosen.arrayBuffer()) : null,
    };
    setFound(null);
    look({ ...NOTHING, file });
  }
  const map = (column: string, ours: string) => {
    look({ ...given, mapping: { ...mapping, [column]: ours === OUT ? null : ours } });
  };
  const fill = (column: Filler, value: string) => {
    look({ ...given, defaults: { ...defaults, [column]: value } });
  };

  return (
    <section aria-label="Import a chart" className="px-5 py-4">
      <h2 className="text-lead">Import a chart from CSV or a spreadsheet</h2>
      <p className="mt-1 max-w-prose text-ink-2">
        It becomes a draft for {room.name}. Columns are guessed by their names and shown below; a length needs
        its unit, in the column's name or in each cell. Nothing is kept unless every cell is right.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <label
          className={`${buttonClass(file ? "plain" : "main")} cursor-pointer focus-within:outline-2 focus-within:outline-ink`}
        >
          <span>{file ? "Choose another file" : "Choose a file"}</span>
          <input
            type="file"
            accept=".csv,.xlsx,.txt,text/csv"
            className="sr-only"
            // The same file, mended, is a new choice.
            onClick={(event) => {
              event.currentTarget.value = "";
            }}
            onChange={(event) => void read(event.currentTarget.files?.[0])}
          />
        </label>
        <span className="text-ink-2">{file ? file.name : "no file chosen"}</span>
        {!found && (
          <Button tone="quiet" onClick={props.onCancel}>
            Cancel
          </Button>
        )}
      </div>
      {preview.isError && <Refusal error={preview.error} className="mt-4" />}
      {file && found && (
        <>
          <Columns found={found} busy={preview.isPending} onMap={map} />
          <Fillers found={found} props={props} values={defaults} onFill={fill} />
          {found.taken.length > 0 && <Taken found={found} />}
          {found.faults.length > 0 ? (
            <Faults found={found} onCancel={props.onCancel} />
          ) : preview.data !== found ? null : (
            <MakeBar
              key={file.name}
              making={props}
              usual={file.name}
              lines={found.lines.length}
              onMake={(name) => props.onMake(name, found.lines, `Imported from ${file.name}.`)}
            />
          )}
        </>
      )}
    </section>
  );
}

function Columns({
  found,
  busy,
  onMap,
}: {
  found: Preview;
  busy: boolean;
  onMap: (column: string, ours: string) => void;
}) {
  const options = [OUT, ...found.ours, ...inches(found.ours)].map((one) => ({ value: one, label: one }));
  return (
    <div className="mt-4 overflow-x-auto" aria-busy={busy}>
      <table className="border-collapse">
        <caption className="pb-1 text-left text-ink-2">How the columns are read</caption>
        <tbody>
          <tr>
            {found.columns.map((one) => (
              <th
                key={one.given}
                className="max-w-44 min-w-32 border-b border-rule-strong px-2 text-left font-semibold"
              >
                {one.given}
              </th>
            ))}
          </tr>
          <tr>
            {found.columns.map((one) => (
              <td key={one.given} className="px-1 py-1">
                <Select
                  label={`Column ${one.given} is`}
                  value={one.taken_as ?? OUT}
                  options={
                    options.some((option) => option.value === one.taken_as) || one.taken_as === null
                      ? options
                      : [...options, { value: one.taken_as, label: one.taken_as }]
                  }
                  onChange={(ours) => onMap(one.given, ours)}
                />
              </td>
            ))}
          </tr>
          {[0, 1, 2].map((i) => (
            <tr key={i}>
              {found.columns.map((one) => (
                <td key={one.given} className="max-w-44 truncate px-2 text-note text-ink-2">
                  {one.sample[i]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The same columns, given in inches. */
const inches = (ours: readonly string[]) =>
  ours.filter((one) => one.endsWith("_cm")).map((one) => one.replace(/_cm$/, "_in"));

/** What the file has no column for and every line needs. */
function Fillers({
  found,
  props,
  values,
  onFill,
}: {
  found: Preview;
  props: Making;
  values: Partial<Record<Filler, string>>;
  onFill: (column: Filler, value: string) => void;
}) {
  const { room } = props;
  const there = new Set(found.columns.map((one) => (one.taken_as ?? "").replace(/_(cm|in)$/, "")));
  const missing = FILLERS.filter((one) => !there.has(one.replace(/_cm$/, "")));
  if (missing.length === 0) return null;
  const choices: Partial<Record<Filler, { value: string; label: string }[]>> = {
    support: room.supports.map((one) => ({ value: one.id, label: SUPPORT[one.id] ?? one.id })),
    receptor: room.receptors.map((one) => ({ value: one.id, label: one.name })),
    grid_ratio: ["0", "5", "6", "8", "10", "12", "16"].map((one) => ({
      value: one,
      label: one === "0" ? "no grid" : `${one}:1`,
    })),
  };
  return (
    <div className="mt-3">
      <p className="text-ink-2">The file has no column for these; what holds for all its lines?</p>
      <div className="mt-1 flex flex-wrap gap-2">
        {missing.map((one) =>
          choices[one] ? (
            <Select
              key={one}
              label={one.replace("_", " ")}
              labelled
              className="w-52"
              value={values[one] ?? ""}
              options={choices[one]}
              onChange={(value) => onFill(one, value)}
            />
          ) : (
            <div key={one} className="w-40">
              <LengthField
                id="fill-sid"
                label="SID"
                value={values[one] ? Number(values[one]) : null}
                onChange={(cm) => cm !== null && onFill(one, String(cm))}
              />
            </div>
          ),
        )}
      </div>
    </div>
  );
}

function Taken({ found }: { found: Preview }) {
  const pairs = [...new Map(found.taken.map((one) => [one.given, one.taken_as]))];
  return (
    <details className="mt-3 text-ink-2" open>
      <summary className="cursor-pointer text-ink">
        {pairs.length} cells were taken as something else: look at them
      </summary>
      <ul className="mt-1 max-h-48 columns-2 gap-6 overflow-auto text-note">
        {pairs.map(([given, taken]) => (
          <li key={given}>
            “{given}” → <b>{taken}</b>
          </li>
        ))}
      </ul>
    </details>
  );
}

function Faults({ found, onCancel }: { found: Preview; onCancel: () => void }) {
  return (
    <div role="alert" className="mt-3 border-l-4 border-bad py-1 pl-3">
      <p className="font-semibold text-bad">
        {found.faults.length} {found.faults.length === 1 ? "cell is" : "cells are"} not right; nothing is kept
      </p>
      <FaultTable faults={found.faults as unknown as Record<string, string | number>[]} />
      <Button tone="quiet" className="mt-2" onClick={onCancel}>
        Cancel
      </Button>
    </div>
  );
}

function base64(content: ArrayBuffer): string {
  let text = "";
  for (const byte of new Uint8Array(content)) text += String.fromCharCode(byte);
  return btoa(text);
}
