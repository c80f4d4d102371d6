import { useState } from "react";

import { type LineIn, lineIn } from "../../api/bench";
import type { Chart, Line, LineTable, Projection } from "../../api/queries";
import { Button } from "../../ui/Button";
import { usePreferences } from "../../ui/preferences";
import { EditRule } from "./EditRule";
import { Links } from "./Links";
import { Comments } from "../versions/HistoryView";
import { LineView } from "./LineView";
import { Systems } from "./Systems";
import type { Workbench } from "./useWorkbench";

interface Props {
  chart: Chart;
  line: Line;
  table: LineTable | undefined;
  bench: Workbench;
  projections: Map<string, Projection>;
  name: (line: Line) => string;
  onRemoved: () => void;
}

/** One line: its numbers, its curve (a draft's can be dragged), its family, the schools, and what was said of it. */
export function Detail({ chart, line, table, bench, projections, name, onRemoved }: Props) {
  const { unit } = usePreferences();
  const [schools, setSchools] = useState(false);
  const change = (to: LineIn, why: string) =>
    void bench.send([{ line: line.id ?? null, revision: line.revision ?? null, to, position: null }], why);
  return (
    <aside
      aria-label="Line"
      className="sticky top-0 max-h-[calc(100vh-8rem)] overflow-auto border-l border-rule px-5 py-3"
    >
      <h3 className="mb-2">{name(line)}</h3>
      {bench.editable && line.id != null && !line.link && (
        <EditRule
          line={line}
          saving={bench.busy}
          error={null}
          onSave={(body) => change(body, "numbers")}
          onRemove={() =>
            void bench
              .send(
                [{ line: line.id ?? null, revision: line.revision ?? null, to: null, position: null }],
                "taken out",
              )
              .then((done) => done && onRemoved())
          }
        />
      )}
      {(bench.editable || line.link) && (
        <Links
          chart={chart.id}
          line={line}
          lines={chart.lines}
          name={name}
          projections={projections}
          editable={bench.editable && !bench.busy}
          onChange={(link) =>
            change({ ...lineIn(line), link }, link ? "follows another line" : "stands alone")
          }
        />
      )}
      {table && table.rows.length > 0 && (
        <LineView
          table={table}
          unit={unit}
          {...(bench.editable && !line.link && !bench.busy
            ? { onLaw: (law: Line["law"]) => change({ ...lineIn(line), law }, "dragged") }
            : {})}
        />
      )}
      <div className="mt-3 border-t border-rule pt-2">
        <Button onClick={() => setSchools(!schools)} aria-expanded={schools}>
          {schools ? "Hide the technique systems" : "Technique systems side by side"}
        </Button>
        {schools && line.id != null && (
          <Systems
            chart={chart}
            line={line}
            editable={bench.editable && !bench.busy}
            onSwitch={(to, school) => change({ ...lineIn(to), key: line.key ?? null }, `school: ${school}`)}
          />
        )}
      </div>
      <div className="mt-3 border-t border-rule pt-2">
        <h4 className="text-ink-2">Comments on this line</h4>
        <Comments chart={chart} lineKey={line.key ?? null} projections={projections} />
      </div>
    </aside>
  );
}
