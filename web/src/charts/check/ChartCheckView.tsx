import { type Finding, lineIn } from "../../api/bench";
import type { Chart } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Empty, Refusal, Waiting } from "../../ui/Notice";
import type { Workbench } from "../editor/useWorkbench";
import { Said } from "../../ui/Said";

/** How grave a finding is; what it is comes with it from the server. */
const SEVERITY: Record<string, { word: string; mark: string; tone: string }> = {
  error: { word: "cannot be used", mark: "■", tone: "text-bad" },
  warning: { word: "likely a poor image", mark: "▲", tone: "text-warn" },
  note: { word: "worth a look", mark: "○", tone: "text-ink-3" },
};

interface Props {
  chart: Chart;
  bench: Workbench;
  findings: Finding[] | undefined;
  error: unknown;
  onOpen: (line: number) => void;
}

/** What is wrong with the chart, why, and what to do about it. The keeper decides. */
export function ChartCheckView({ chart, bench, findings, error, onOpen }: Props) {
  if (error) return <Refusal error={error} className="m-5" />;
  if (!findings)
    return (
      <div className="p-5">
        <Waiting what="the chart check" />
      </div>
    );
  if (findings.length === 0)
    return (
      <div className="p-5">
        <Empty title="Nothing found">
          The checks found nothing in {chart.lines.length} lines. They do not know your patients: the log
          does.
        </Empty>
      </div>
    );
  // By cause, the gravest cause first: the server tells the gravest finding first.
  const causes = [...new Set(findings.map((one) => one.rule))];
  const byCause = causes.flatMap((rule) => findings.filter((one) => one.rule === rule));
  const alike = (rule: string) => findings.filter((one) => one.rule === rule).length;
  return (
    <ol aria-label="Chart check" className="px-5 py-2">
      {byCause.map((one, i) => {
        const first = byCause[i - 1]?.rule !== one.rule;
        const line = chart.lines.find((each) => each.id === one.lines[0]);
        const severity = SEVERITY[one.severity];
        const proposal = one.proposal;
        return (
          <li
            key={i}
            className={`grid grid-cols-[8.5rem_minmax(0,1fr)_auto] gap-4 border-t py-2 ${first ? "border-rule-strong" : "border-rule"}`}
          >
            <span className={`text-note ${severity?.tone}`}>
              <span aria-hidden>{severity?.mark}</span> <span className="sr-only">{severity?.word}: </span>
              <span className={first ? "" : "sr-only"}>{one.title}</span>
              {first && alike(one.rule) > 1 && (
                <span className="block text-ink-3">{alike(one.rule)} findings</span>
              )}
            </span>
            <div>
              <p className="font-semibold">
                <Said>{one.what}</Said>
              </p>
              <p className="text-ink-2">
                <Said>{one.why}</Said>
              </p>
              <p>
                <span className="text-ink-3">Do: </span>
                {one.fix}
              </p>
            </div>
            <div className="flex items-start gap-2">
              {bench.editable && proposal && line && (
                <Button
                  disabled={bench.busy}
                  onClick={() =>
                    void bench.send(
                      [
                        {
                          line: line.id ?? null,
                          revision: line.revision ?? null,
                          to: lineIn(proposal),
                          position: null,
                        },
                      ],
                      one.fix,
                    )
                  }
                >
                  Apply the fix
                </Button>
              )}
              <Button tone="quiet" onClick={() => one.lines[0] !== undefined && onOpen(one.lines[0])}>
                Open the line
              </Button>
            </div>
          </li>
        );
      })}
    </ol>
  );
}
