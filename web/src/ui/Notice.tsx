import type { ReactNode } from "react";
import { Link, useLocation } from "react-router";

import { type Problem, Refused } from "../api/client";
import { Said } from "./Said";

/** What was refused and what is allowed. */
export function Refusal({ error, className = "" }: { error: unknown; className?: string }) {
  const problem = error instanceof Refused ? error.problem : null;
  const faults = problem?.faults ?? [];
  const { pathname, search } = useLocation();
  return (
    <div role="alert" className={`border-l-4 border-bad py-1 pl-3 ${className}`}>
      <p className="font-semibold text-bad">{problem?.title ?? "Something failed"}</p>
      <p className="text-ink-2">
        <Said>{problem?.detail ?? String(error)}</Said>
      </p>
      {problem?.status === 401 && pathname !== "/sign-in" && (
        <Link
          className="inline-flex min-h-touch items-center font-semibold underline"
          to={`/sign-in?back=${encodeURIComponent(pathname + search)}`}
        >
          Sign in
        </Link>
      )}
      {faults.length > 0 && <FaultTable faults={faults} />}
    </div>
  );
}

type Fault = NonNullable<Problem["faults"]>[number];

/** The bad cells of a file, the first of them. */
export function FaultTable({ faults }: { faults: readonly Fault[] }) {
  return (
    <table className="mt-2 w-full text-left text-note">
      <thead className="text-ink-3">
        <tr>
          <th className="w-12 py-1 font-normal">Row</th>
          <th className="w-36 py-1 font-normal">Column</th>
          <th className="py-1 font-normal">What is wrong</th>
        </tr>
      </thead>
      <tbody>
        {faults.slice(0, 60).map((fault, i) => (
          <tr key={i} className="border-t border-rule align-top">
            <td className="py-1">{fault.row}</td>
            <td className="py-1 break-all">{fault.column || "–"}</td>
            <td className="py-1">{fault.problem}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="border-l-4 border-rule py-2 pl-4">
      <p className="text-lead">{title}</p>
      {children && <div className="mt-1 max-w-prose text-ink-2">{children}</div>}
    </div>
  );
}

export function Waiting({ what }: { what: string }) {
  return (
    <p role="status" className="py-2 text-ink-3">
      Reading {what}…
    </p>
  );
}
