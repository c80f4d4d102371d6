import { useState } from "react";

import { useComments, useHistory, useResolve, useSay } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { type Chart, type Projection, useMay } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Empty, Refusal, Waiting } from "../../ui/Notice";
import { moment, projectionName } from "../../ui/words";

const ACTION: Record<string, string> = {
  "chart.draft": "began the draft",
  "chart.heading": "changed the heading",
  "chart.propose": "proposed the version",
  "chart.return_to_author": "gave the version back",
  "chart.approve": "approved the version",
  "chart.review": "looked at it again: it stands",
  "chart.read": "read what changed",
  "line.add": "added",
  "line.change": "changed",
  "line.remove": "took out",
  "line.follow": "moved with its family",
  "comment.add": "said",
  "comment.resolve": "settled a comment",
};

interface Detail {
  projection?: string;
  before?: { projection?: string; law?: object };
  after?: { projection?: string; law?: object };
  why?: string;
  text?: string;
}

/** What was said of a version, and every change of it, newest first. */
export function HistoryView({ chart, projections }: { chart: Chart; projections: Map<string, Projection> }) {
  const history = useHistory(chart.id);
  if (history.isError) return <Refusal error={history.error} className="m-5" />;
  return (
    <div className="grid grid-cols-2 gap-8 px-5 py-3">
      <section aria-label="Comments">
        <h3 className="border-b border-rule-strong pb-1 text-ink-2">Comments</h3>
        <Comments chart={chart} lineKey={null} projections={projections} />
      </section>
      <section aria-label="Changes">
        <h3 className="border-b border-rule-strong pb-1 text-ink-2">Changes</h3>
        {!history.data ? (
          <Waiting what="the history" />
        ) : (
          <ol>
            {together(history.data).map(({ row, count }) => {
              const detail = row.detail as Detail;
              const projection = detail.projection ?? detail.after?.projection ?? detail.before?.projection;
              return (
                <li key={row.id} className="flex gap-3 border-b border-rule py-1">
                  <span className="w-28 shrink-0 text-note text-ink-3">{moment(row.at)}</span>
                  <span>
                    <b className="font-semibold">{row.actor}</b> {ACTION[row.action] ?? row.action}{" "}
                    {count > 1
                      ? `${count} lines`
                      : projection && projectionName(projections.get(projection), projection)}
                    {detail.text && <span className="text-ink-2"> “{detail.text}”</span>}
                    {detail.why && <span className="text-ink-2">: {detail.why}</span>}
                  </span>
                </li>
              );
            })}
          </ol>
        )}
      </section>
    </div>
  );
}

/** Rows of one change of many lines as one entry. */
function together(rows: Schemas["Change"][]): { row: Schemas["Change"]; count: number }[] {
  const found: { row: Schemas["Change"]; count: number }[] = [];
  for (const row of rows) {
    const last = found[found.length - 1];
    const why = (row.detail as Detail).why;
    const alike =
      last &&
      row.action.startsWith("line.") &&
      last.row.action === row.action &&
      last.row.actor === row.actor &&
      (last.row.detail as Detail).why === why &&
      Math.abs(Date.parse(last.row.at) - Date.parse(row.at)) < 1000;
    if (alike) last.count += 1;
    else found.push({ row, count: 1 });
  }
  return found;
}

/** What was said of a chart (lineKey null: of all of it), oldest first, and room to say more. */
export function Comments({
  chart,
  lineKey,
  projections,
}: {
  chart: Chart;
  lineKey: number | null;
  projections: Map<string, Projection>;
}) {
  const comments = useComments(chart.id);
  const say = useSay();
  const resolve = useResolve();
  const maySay = useMay("technologist", "keeper", "physicist");
  const maySettle = useMay("keeper", "physicist");
  const [text, setText] = useState("");
  const shown = (comments.data ?? []).filter((one) => lineKey === null || one.line_key === lineKey);
  return (
    <div>
      {comments.isError && <Refusal error={comments.error} />}
      {shown.length === 0 && lineKey === null && comments.data && (
        <div className="pt-2">
          <Empty title="Nothing was said yet" />
        </div>
      )}
      <ul>
        {shown.map((one) => {
          const line = chart.lines.find((each) => each.key === one.line_key);
          return (
            <li key={one.id} className={`border-b border-rule py-1.5 ${one.resolved_at ? "text-ink-3" : ""}`}>
              <p className="text-note text-ink-3">
                {one.author}, {moment(one.at)}
                {lineKey === null && line
                  ? `, on ${projectionName(projections.get(line.projection), line.projection)}`
                  : ""}
                {one.resolved_by ? `; settled by ${one.resolved_by}` : ""}
              </p>
              <div className="flex items-start gap-2">
                <p className="min-w-0 flex-1 break-words">{one.text}</p>
                {!one.resolved_at && maySettle && (
                  <Button tone="quiet" disabled={resolve.isPending} onClick={() => resolve.mutate(one.id)}>
                    Settled
                  </Button>
                )}
              </div>
            </li>
          );
        })}
      </ul>
      {maySay && (
        <form
          className="mt-2 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            say.mutate(
              { chart: chart.id, text: text.trim(), line_key: lineKey },
              { onSuccess: () => setText("") },
            );
          }}
        >
          <input
            aria-label={lineKey === null ? "Comment on this version" : "Comment on this line"}
            placeholder={lineKey === null ? "Comment on this version" : "Comment on this line"}
            className="min-h-touch min-w-0 flex-1 rounded-sm border border-rule-strong bg-transparent px-2.5 outline-none focus:border-ink"
            maxLength={1000}
            value={text}
            onChange={(event) => setText(event.currentTarget.value)}
          />
          <Button type="submit" disabled={!text.trim() || say.isPending}>
            Post
          </Button>
        </form>
      )}
      {say.isError && <Refusal error={say.error} className="mt-2" />}
    </div>
  );
}
