import type { ReactNode } from "react";

import { Button } from "../../ui/Button";

interface Props {
  moment: "before" | "after";
  /** Recorded as accepted, or nothing left to record for this view. */
  done: boolean;
  /** What to know before the next press. */
  says: string[];
  /** What a press would leave behind, which is asked; null for nothing. */
  left: { says: string[]; stay: () => void; close: (() => void) | null } | null;
  onExposed: () => void;
  onBack: () => void;
  /** After a record that leaves the view open: what comes then, in a word or two. */
  again: string | null;
  onNext: (() => void) | null;
  onNextPatient: () => void;
  children: ReactNode;
}

/** The slim bar at the foot: what the next press is, and one's own last record. */
export function Bar({
  moment,
  done,
  says,
  left,
  onExposed,
  onBack,
  again,
  onNext,
  onNextPatient,
  children,
}: Props) {
  return (
    <div
      role="group"
      aria-label="Next"
      className="flex min-h-14 items-center gap-3 border-t-2 border-rule-strong bg-raised px-4 py-1 xl:px-5"
    >
      {moment === "after" && again ? (
        <Button tone="main" className="min-h-11" hint="⏎" onClick={onBack}>
          {again}
        </Button>
      ) : moment === "after" && !done ? (
        <Button className="min-h-11" hint="Esc" onClick={onBack}>
          Back to the set-up
        </Button>
      ) : done && onNext ? (
        <Button tone="main" className="min-h-11" hint="⏎" onClick={onNext}>
          Next view
        </Button>
      ) : done ? (
        <Button tone="main" className="min-h-11" hint="q" onClick={onNextPatient}>
          Next patient
        </Button>
      ) : (
        <Button tone="main" className="min-h-11" hint="⏎" data-part="exposed" onClick={onExposed}>
          Exposed
        </Button>
      )}
      {done && moment === "before" && (
        <Button className="min-h-11" data-part="exposed" onClick={onExposed}>
          Exposed
        </Button>
      )}
      {left && (
        <div
          role="alert"
          data-part="unaccounted"
          className="flex min-w-0 flex-1 flex-wrap items-center gap-x-3 sm:flex-nowrap"
        >
          <p className="min-w-0 font-semibold text-warn">
            {left.says.join(" ")} Press again to go on without.
          </p>
          <Button className="shrink-0" onClick={left.stay}>
            Stay
          </Button>
          {left.close && (
            <Button
              className="shrink-0"
              onClick={left.close}
              title="Nothing more is to be taken: the request leaves the list."
            >
              Not to be taken
            </Button>
          )}
        </div>
      )}
      {!left && says.length > 0 && (
        <p role="alert" className="text-note text-warn">
          {says.join(" ")}
        </p>
      )}
      {!left && <div className="ml-auto min-w-0">{children}</div>}
    </div>
  );
}
