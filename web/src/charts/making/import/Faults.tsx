import type { Preview } from "../../../api/bench";
import { Button } from "../../../ui/Button";
import { FaultTable } from "../../../ui/Notice";

/** The cells that are not right, and one press that leaves their rows out. */
export function Faults({
  faults,
  onAnswer,
}: {
  faults: Preview["faults"];
  onAnswer: (more: Record<string, string>) => void;
}) {
  const rows = [...new Set(faults.map((one) => one.row))];
  return (
    <div role="alert" className="mt-3 border-l-4 border-bad py-1 pl-3">
      <p className="font-semibold text-bad">
        {faults.length} {faults.length === 1 ? "cell is" : "cells are"} not right
      </p>
      <FaultTable faults={faults} />
      <Button
        className="mt-2"
        onClick={() => onAnswer(Object.fromEntries(rows.map((row) => [`row:${row}`, "leave out"])))}
      >
        Leave out {rows.length === 1 ? `row ${rows[0]}` : `these ${rows.length} rows`}
      </Button>
    </div>
  );
}
