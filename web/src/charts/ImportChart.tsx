import { useState } from "react";

import { type Room, useImportChart } from "../api/queries";
import { Button, buttonClass } from "../ui/Button";
import { Refusal } from "../ui/Notice";

interface Props {
  room: Room;
  onDone: (chart: number) => void;
  onCancel: () => void;
}

const COLUMNS =
  "projection, support, receptor, grid_ratio, sid_cm, range_min_cm, range_max_cm, school, thickness_cm, kvp, mas, doubling_cm, kvp_per_cm, band, band_min_cm, band_max_cm, target_ei, field_width_cm, field_height_cm, note";

/** A chart from a CSV file, as a draft. Nothing is imported unless every cell is right. */
export function ImportChart({ room, onDone, onCancel }: Props) {
  const [file, setFile] = useState<{ name: string; text: string } | null>(null);
  const importing = useImportChart();

  async function read(chosen: File | undefined) {
    importing.reset();
    setFile(chosen ? { name: chosen.name, text: await chosen.text() } : null);
  }

  return (
    <section aria-label="Import a chart" className="max-w-4xl px-5 py-4">
      <h2 className="text-lead">Import a chart from CSV</h2>
      <p className="mt-1 max-w-prose text-ink-2">
        It becomes a draft for {room.name}; look it over, then approve it. Name lengths with their unit (
        <code>sid_cm</code> or <code>sid_in</code>). Nothing is imported unless every cell is right.
      </p>
      <details className="mt-2 text-note text-ink-2">
        <summary className="cursor-pointer text-ink">Columns</summary>
        <p className="mt-1 max-w-prose">{COLUMNS}</p>
      </details>
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <label
          className={`${buttonClass("plain")} cursor-pointer focus-within:outline-2 focus-within:outline-beam`}
        >
          <span>{file ? "Choose another file" : "Choose a file"}</span>
          <input
            type="file"
            accept=".csv,text/csv"
            className="sr-only"
            onChange={(event) => void read(event.currentTarget.files?.[0])}
          />
        </label>
        <span className="text-ink-2">{file ? file.name : "no file chosen"}</span>
        <Button
          tone="beam"
          disabled={!file || importing.isPending}
          onClick={() =>
            file &&
            importing.mutate(
              {
                room: room.id,
                name: file.name.replace(/\.csv$/i, "").slice(0, 100) || "Imported chart",
                csv: file.text,
              },
              { onSuccess: (chart) => onDone(chart.id) },
            )
          }
        >
          Import as draft
        </Button>
        <Button tone="quiet" onClick={onCancel}>
          Cancel
        </Button>
      </div>
      {importing.isError && <Refusal error={importing.error} className="mt-4" />}
    </section>
  );
}
