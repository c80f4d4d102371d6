import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";

import { useAgreement, useApprove, useGiveBack } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { type Chart, useDiscard, useHeading, useMay, useSession } from "../../api/queries";
import { Button, buttonClass } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { date } from "../../ui/words";
import { InUse } from "./InUse";
import { Propose } from "./Propose";
import { STATUS } from "./Versions";

interface Props {
  chart: Chart;
  mayEdit: boolean;
  onNewLine: () => void;
  onPrint: () => void;
  onGone: () => void;
}

/** What a version is called, where it stands, who stands for it, and what can be done with it as a whole. */
export function Heading({ chart, mayEdit, onNewLine, onPrint, onGone }: Props) {
  const approve = useApprove();
  const giveBack = useGiveBack();
  const discard = useDiscard();
  const approves = useMay("physicist");
  const { data: session } = useSession();
  const { data: agreement } = useAgreement();
  // Where another person approves, who made or proposed the version is not offered what they may not do.
  const own = [chart.author, chart.proposed_by].includes(session?.person?.id ?? "");
  const mayApprove = approves && !(own && agreement?.another_approves);
  const [sure, setSure] = useState(false);
  const [why, setWhy] = useState<string | null>(null);
  const [naming, setNaming] = useState(false);
  const draft = chart.status === "draft";
  const proposed = chart.status === "proposed";
  const error = approve.error ?? discard.error ?? giveBack.error;
  return (
    <header className="border-b border-rule px-5 py-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <div className="mr-auto min-w-0">
          <h2 className="truncate text-lead">
            {chart.name} <span className="font-normal text-ink-2">version {chart.version}</span>
          </h2>
          <p className="text-note text-ink-3">
            <b className={STATUS[chart.status]?.tone}>
              {STATUS[chart.status]?.mark} {chart.status}
            </b>{" "}
            {standing(chart)}
            {chart.note && ` · ${chart.note}`}
            {draft && mayEdit && (
              <>
                {" · "}
                <button
                  type="button"
                  aria-expanded={naming}
                  className="text-ink-2 underline"
                  onClick={() => setNaming(!naming)}
                >
                  name and grid factors
                </button>
              </>
            )}
          </p>
        </div>
        {mayEdit && chart.status !== "superseded" && !proposed && (
          <Button tone={draft ? "plain" : "main"} onClick={onNewLine}>
            New line
          </Button>
        )}
        <Files chart={chart} onPrint={onPrint} />
        {draft && mayEdit && (
          <>
            <Button
              tone="quiet"
              disabled={discard.isPending}
              onClick={() => (sure ? discard.mutate(chart.id, { onSuccess: onGone }) : setSure(true))}
              onBlur={() => setSure(false)}
            >
              {sure ? "Discard: press again" : "Discard"}
            </Button>
            <Propose key={chart.id} chart={chart} lines={chart.lines.length} />
          </>
        )}
        {proposed && mayEdit && (
          <Button tone="quiet" disabled={giveBack.isPending} onClick={() => setWhy(why === null ? "" : null)}>
            Return to author
          </Button>
        )}
        {proposed && approves && !mayApprove && (
          <span className="text-note text-ink-3">Another person approves it.</span>
        )}
        {proposed && mayApprove && (
          <Button tone="main" disabled={approve.isPending} onClick={() => approve.mutate(chart.id)}>
            Approve version {chart.version}
          </Button>
        )}
      </div>
      {chart.status === "approved" && <InUse key={chart.id} chart={chart} />}
      {why !== null && (
        <form
          className="mt-2 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            giveBack.mutate({ chart: chart.id, why }, { onSuccess: () => setWhy(null) });
          }}
        >
          <input
            autoFocus
            aria-label="Why it goes back"
            placeholder="What has to change before it can be approved"
            className="min-h-touch flex-1 rounded-sm border border-rule-strong bg-transparent px-2.5 focus:border-ink"
            maxLength={500}
            value={why}
            onChange={(event) => setWhy(event.currentTarget.value)}
          />
          <Button type="submit" disabled={!why.trim() || giveBack.isPending}>
            Return to author as draft
          </Button>
        </form>
      )}
      {draft && mayEdit && naming && <DraftSettings key={chart.id} chart={chart} />}
      {error && <Refusal error={error} className="mt-2" />}
    </header>
  );
}

function standing(chart: Chart): string {
  if (chart.status === "draft") return `· by ${chart.author}, not in use until approved`;
  if (chart.status === "proposed")
    return `· by ${chart.author}, proposed by ${chart.proposed_by} on ${date(chart.proposed_at)}; waits for a physicist`;
  return `· by ${chart.author}, approved by ${chart.approver} on ${date(chart.approved_at)}; never changes`;
}

const FILES = [
  { name: "CSV", path: "csv" },
  { name: "Spreadsheet (XLSX)", path: "xlsx" },
  { name: "JSON", path: "json" },
];
const ITEM =
  "flex min-h-touch items-center px-3 data-highlighted:bg-sunken data-highlighted:outline-1 data-highlighted:outline-rule-strong";

/** The chart as a file, and on paper. */
function Files({ chart, onPrint }: { chart: Chart; onPrint: () => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={buttonClass("quiet")}>Files and paper</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-50 min-w-56 rounded-sm border border-rule-strong bg-raised p-1 shadow-lg"
        >
          <DropdownMenu.Item className={ITEM} onSelect={onPrint}>
            Print: wall, booklet, pocket…
          </DropdownMenu.Item>
          {chart.status === "approved" && (
            <DropdownMenu.Item asChild>
              <Link to={`/bedside?room=${chart.room}`} className={ITEM}>
                At the bedside, without a network
              </Link>
            </DropdownMenu.Item>
          )}
          {FILES.map((file, i) => (
            <DropdownMenu.Item key={file.path} asChild>
              <a
                href={`/api/charts/${chart.id}/${file.path}`}
                download={file.path === "json" ? `chart-${chart.room}-v${chart.version}.json` : ""}
                className={`${ITEM} ${i === 0 ? "border-t border-rule" : ""}`}
              >
                {file.name}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** What a draft is called, and which of the textbooks' two tables of grid factors it uses. */
function DraftSettings({ chart }: { chart: Chart }) {
  const change = useHeading();
  const [name, setName] = useState(chart.name);
  const save = (body: Partial<Schemas["Heading"]>) =>
    change.mutate({
      chart: chart.id,
      body: { name: chart.name, grid_table: chart.grid_table, note: chart.note, ...body },
    });
  return (
    <div className="mt-2 flex flex-wrap items-start gap-2">
      <div className="w-72 rounded-sm border border-rule-strong px-2.5 py-1 leading-tight focus-within:border-ink">
        <label htmlFor="chart-name" className="label block">
          Name of the chart
        </label>
        <input
          id="chart-name"
          className="w-full bg-transparent leading-tight outline-none"
          maxLength={120}
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
          onBlur={() => name.trim() && name !== chart.name && save({ name })}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      </div>
      <Select
        label="Grid factors"
        labelled
        className="w-72"
        value={chart.grid_table}
        options={[
          { value: "computed", label: "Computed for this part" },
          { value: "average", label: "Textbook average" },
          { value: "by_kvp", label: "By kVp (70, 90, 120)" },
        ]}
        onChange={(table) => save({ grid_table: table as Chart["grid_table"] })}
      />
      {change.isError && <Refusal error={change.error} />}
    </div>
  );
}
