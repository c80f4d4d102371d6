import { useState } from "react";

import { type Printing, usePrintPreview } from "../../api/bench";
import type { Chart } from "../../api/queries";
import { Button, buttonClass } from "../../ui/Button";
import { Refusal, Waiting } from "../../ui/Notice";
import { usePreferences } from "../../ui/preferences";
import { Segmented } from "../../ui/Segmented";

/** A chart on paper: how it is to be, and its pages as they will be, before anything is printed. */
export function PrintChart({ chart, onDone }: { chart: Chart; onDone: () => void }) {
  const { unit } = usePreferences();
  const [how, setHow] = useState<Omit<Printing, "unit">>({
    kind: "wall",
    paper: "a3",
    across: false,
    rows: "sizes",
    pages: "few",
    only: "used",
  });
  const asked = { ...how, unit };
  const preview = usePrintPreview(chart, asked);
  const query = new URLSearchParams(
    Object.entries(asked).map(([key, value]): [string, string] => [key, String(value)]),
  ).toString();
  const put = (change: Partial<Printing>) => setHow({ ...how, ...change });
  const found = preview.data;
  const wall = how.kind === "wall";
  return (
    <div className="grid grid-cols-[17rem_minmax(0,1fr)] gap-6 px-5 py-4">
      <section aria-label="How it is printed" className="flex flex-col gap-3">
        <h2 className="text-lead">
          Print version {chart.version} <span className="font-normal text-ink-2">({chart.status})</span>
        </h2>
        <Choice
          label="For"
          value={how.kind}
          options={[
            { value: "wall", label: "Wall" },
            { value: "booklet", label: "Booklet" },
            { value: "card", label: "Pocket" },
          ]}
          onChange={(kind) => put({ kind })}
        />
        <p className="text-note text-ink-3">
          {wall
            ? "kVp and mAs to read from two metres, from the head down; children on a sheet of their own."
            : how.kind === "booklet"
              ? "A5: each line with its settings all along its range."
              : "A4, printed on one side: fold lengthwise, then twice across, to A7."}
        </p>
        {wall && (
          <>
            <Choice
              label="Paper"
              value={how.paper}
              options={[
                { value: "a3", label: "A3" },
                { value: "a4", label: "A4" },
              ]}
              onChange={(paper) => put({ paper })}
            />
            <Choice
              label="Sheet"
              value={how.across ? "across" : "upright"}
              options={[
                { value: "upright", label: "Upright" },
                { value: "across", label: "Across" },
              ]}
              onChange={(way) => put({ across: way === "across" })}
            />
            <Choice
              label="Rows"
              value={how.rows}
              options={[
                { value: "sizes", label: "Three sizes" },
                { value: "steps", label: "Every step" },
              ]}
              onChange={(rows) => put({ rows })}
            />
            <Choice
              label="Pages"
              value={how.pages}
              options={[
                { value: "few", label: "As few as fit" },
                { value: "region", label: "A region each" },
              ]}
              onChange={(pages) => put({ pages })}
            />
          </>
        )}
        <Choice
          label="Lines"
          value={how.only}
          options={[
            { value: "used", label: "Used here" },
            { value: "all", label: "All" },
          ]}
          onChange={(only) => put({ only })}
        />
        {found && (
          <p className="text-note text-ink-3">
            {found.lines} of {found.of} lines, {found.pages} {found.pages === 1 ? "page" : "pages"}.
            {how.only === "used" &&
              " Used: the views ticked under Build a chart, else those that the log of the room has."}
          </p>
        )}
        <div className="flex flex-wrap gap-2">
          <a className={buttonClass("main")} href={`/api/charts/${chart.id}/pdf?${query}`} download="">
            Save the PDF
          </a>
          <Button tone="quiet" onClick={onDone}>
            Back to the chart
          </Button>
        </div>
      </section>
      <section aria-label="Pages" aria-busy={preview.isFetching} className="min-w-0">
        {preview.isError ? (
          <Refusal error={preview.error} />
        ) : !found ? (
          <Waiting what="the pages" />
        ) : (
          <ol
            className={`grid gap-4 ${how.kind !== "card" && !(wall && how.across) ? "grid-cols-2" : ""} ${preview.isFetching ? "opacity-50" : ""}`}
          >
            {found.shown.map((page, i) => (
              <li key={i}>
                <img
                  src={`data:image/png;base64,${page.png}`}
                  alt={`Page ${i + 1} of ${found.pages}`}
                  className="w-full border border-rule bg-white"
                  style={{ aspectRatio: `${page.width_mm} / ${page.height_mm}` }}
                />
                <p className="text-note text-ink-3">
                  Page {i + 1} of {found.pages}, {Math.round(page.width_mm)} × {Math.round(page.height_mm)} mm
                </p>
              </li>
            ))}
          </ol>
        )}
        {found && found.shown.length < found.pages && (
          <p className="mt-2 text-note text-ink-3">
            The other {found.pages - found.shown.length} pages are in the PDF.
          </p>
        )}
      </section>
    </div>
  );
}

function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: { value: T; label: string }[];
  onChange: (value: T) => void;
}) {
  return (
    <div className="flex items-center gap-2">
      <span className="w-12 text-note text-ink-3">{label}</span>
      <Segmented label={label} value={value} options={options} onChange={(next) => onChange(next as T)} />
    </div>
  );
}
