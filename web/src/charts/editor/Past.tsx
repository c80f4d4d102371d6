import type { Chart } from "../../api/queries";
import { Button } from "../../ui/Button";
import type { Unit } from "../../ui/units";
import { asTable, COLUMNS } from "./cells";
import { keepForImport } from "../making/import/ImportChart";

/** Rows of a pasted block that are no lines of the chart yet: read as new ones, as an imported file is, or left out. */
export function Past({
  rows,
  column,
  chart,
  unit,
  onRead,
  onLeave,
}: {
  rows: string[][];
  column: number;
  chart: Chart;
  unit: Unit;
  onRead: () => void;
  onLeave: () => void;
}) {
  const named = COLUMNS[column]?.id === "projection";
  const count = `${rows.length} ${rows.length === 1 ? "row" : "rows"}`;
  return (
    <div role="status" className="mx-5 mt-2 flex flex-wrap items-center gap-x-3 border-l-4 border-warn pl-3">
      <p className="min-w-0 flex-1">
        {named
          ? `${count} of what you pasted ${rows.length === 1 ? "is no line" : "are no lines"} at this place of the chart.`
          : `${count} go past the last line and say no view: copy the names with them and paste on Projection.`}
      </p>
      {named && (
        <Button
          tone="main"
          onClick={() => {
            keepForImport(chart.room, "pasted rows", asTable(rows, column, unit));
            onRead();
          }}
        >
          Read {rows.length === 1 ? "it as a new line" : "them as new lines"}
        </Button>
      )}
      <Button tone="quiet" onClick={onLeave}>
        Leave {rows.length === 1 ? "it" : "them"} out
      </Button>
    </div>
  );
}
