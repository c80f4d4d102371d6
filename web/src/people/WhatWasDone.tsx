import { useState } from "react";

import { useAudit, useChain, useReadiness, useSignIns } from "../api/bench";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { Segmented } from "../ui/Segmented";
import { moment } from "../ui/words";

/** For an admin: what was done, by whom and when, whether that is as it was written, and who tried to sign in. */
export function WhatWasDone() {
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <Button className="mt-6" onClick={() => setOpen(true)}>
        What was done, and who signed in
      </Button>
    );
  return <Open />;
}

function Open() {
  const [shown, setShown] = useState("changes");
  const chain = useChain();
  const ready = useReadiness();
  return (
    <section aria-label="What was done" className="mt-6">
      <div className="flex flex-wrap items-center gap-4">
        <h2 className="text-lead">What was done</h2>
        <Segmented
          label="Shown"
          value={shown}
          options={[
            { value: "changes", label: "Changes" },
            { value: "sign-ins", label: "Signing in" },
          ]}
          onChange={setShown}
        />
        <a className="inline-flex min-h-touch items-center underline" href="/api/audit/csv">
          Changes as CSV
        </a>
        {chain.data && (
          <span className={chain.data.whole ? "text-good" : "font-semibold text-bad"} role="status">
            {chain.data.whole ? "As it was written." : chain.data.fault}
          </span>
        )}
      </div>
      {ready.data && (
        <p className="mt-1 text-note text-ink-2">
          Last backup: {ready.data.backup_at ? moment(ready.data.backup_at) : "none known here"}. Last copy in
          a second folder:{" "}
          {ready.data.backup_copied_at ? moment(ready.data.backup_copied_at) : "none known here"}.
        </p>
      )}
      {shown === "changes" ? <Changes /> : <SignIns />}
    </section>
  );
}

function Changes() {
  const audit = useAudit();
  if (audit.isError) return <Refusal error={audit.error} />;
  if (!audit.data) return <Waiting what="what was done" />;
  const rows = audit.data.pages.flat();
  return (
    <>
      <table className="mt-2 w-full table-fixed text-left">
        <thead className="text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="w-36 py-1 font-normal">When</th>
            <th className="w-32 font-normal">Who</th>
            <th className="w-44 font-normal">What</th>
            <th className="w-44 font-normal">Of</th>
            <th className="font-normal">With</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((one) => (
            <tr key={one.id} className="border-b border-rule align-top">
              <td className="py-1 whitespace-nowrap">{moment(one.at)}</td>
              <td className="truncate pr-2">{one.actor}</td>
              <td className="truncate pr-2">{one.action}</td>
              <td className="truncate pr-2">{one.subject}</td>
              <td className="truncate text-note text-ink-2" title={JSON.stringify(one.detail)}>
                {JSON.stringify(one.detail)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {audit.hasNextPage && (
        <Button
          className="mt-2"
          disabled={audit.isFetchingNextPage}
          onClick={() => void audit.fetchNextPage()}
        >
          Earlier
        </Button>
      )}
    </>
  );
}

function SignIns() {
  const found = useSignIns();
  if (found.isError) return <Refusal error={found.error} />;
  if (!found.data) return <Waiting what="who signed in" />;
  return (
    <table className="mt-2 w-full max-w-3xl text-left">
      <thead className="text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="py-1 font-normal">When</th>
          <th className="font-normal">Who was named</th>
          <th className="font-normal">From</th>
          <th className="font-normal">Came in</th>
        </tr>
      </thead>
      <tbody>
        {found.data.map((one, i) => (
          <tr key={i} className="border-b border-rule">
            <td className="py-1">{moment(one.at)}</td>
            <td>{one.person}</td>
            <td>{one.address}</td>
            <td className={one.passed ? "" : "text-warn"}>{one.passed ? "yes" : "no"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
