import { useState } from "react";

import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { TextField } from "../../ui/TextField";
import type { Line } from "../../api/queries";
import { IntoDraft } from "./IntoDraft";
import type { Making } from "./making";

/** The end of every way to a draft: what it is called and the button that makes it, or what goes into the open one. */
export function MakeBar({
  making,
  usual,
  lines,
  waits = "",
  why,
  onMake,
}: {
  making: Making;
  usual: string;
  lines: Line[];
  /** What has to be done first; empty where nothing has. */
  waits?: string;
  /** Where the lines come from, for the history. */
  why: string;
  onMake?: () => void;
}) {
  const [name, setName] = useState(usual);
  const { open } = making;
  return (
    <div className="mt-3 border-t border-rule-strong pt-3">
      {open?.status === "draft" ? (
        <>
          {/* What was compared belongs to these lines and to no others. */}
          <IntoDraft key={JSON.stringify(lines)} {...{ making, open, lines, waits, why }} />
          <Button tone="quiet" onClick={making.onCancel}>
            Cancel
          </Button>
        </>
      ) : (
        <div className="flex flex-wrap items-center gap-2">
          <div className="w-80">
            <TextField id="draft-name" label="Name of the draft" value={usual} onChange={setName} live />
          </div>
          <Button
            tone="main"
            disabled={
              open !== undefined || lines.length === 0 || waits !== "" || making.making || !name.trim()
            }
            onClick={() => {
              onMake?.();
              making.onMake(name.trim(), lines, why);
            }}
          >
            Make version {making.nextVersion} with {lines.length} lines
          </Button>
          <Button tone="quiet" onClick={making.onCancel}>
            Cancel
          </Button>
        </div>
      )}
      {waits && <p className="mt-1 text-note text-warn">{waits}</p>}
      {open?.status === "proposed" && (
        <p className="mt-1 text-note text-warn">
          Version {open.version} is proposed: approve it or give it back first.
        </p>
      )}
      {making.error != null && <Refusal error={making.error} className="mt-2" />}
    </div>
  );
}
