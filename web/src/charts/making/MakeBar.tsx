import { useState } from "react";

import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { TextField } from "../../ui/TextField";
import type { Making } from "./making";

/** The end of every way to a draft: what it is called, and the button that makes it. */
export function MakeBar({
  making,
  usual,
  lines,
  onMake,
}: {
  making: Making;
  usual: string;
  lines: number;
  onMake: (name: string) => void;
}) {
  const [name, setName] = useState(usual);
  const { open } = making;
  return (
    <div className="mt-3 border-t border-rule-strong pt-3">
      <div className="flex flex-wrap items-center gap-2">
        <div className="w-80">
          <TextField id="draft-name" label="Name of the draft" value={usual} onChange={setName} live />
        </div>
        <Button
          tone="main"
          disabled={open !== undefined || lines === 0 || making.making || !name.trim()}
          onClick={() => onMake(name.trim())}
        >
          Make version {making.nextVersion} with {lines} lines
        </Button>
        <Button tone="quiet" onClick={making.onCancel}>
          Cancel
        </Button>
      </div>
      {open && (
        <p className="mt-1 text-note text-warn">
          Version {open.version} is {open.status}: approve or discard it first.
        </p>
      )}
      {making.error != null && <Refusal error={making.error} className="mt-2" />}
    </div>
  );
}
