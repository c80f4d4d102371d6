import type { ReactNode } from "react";

import type { Room, Version } from "../../api/queries";
import { Button } from "../../ui/Button";
import { day } from "../../ui/words";

export const STATUS: Record<string, { mark: string; tone: string }> = {
  draft: { mark: "◌", tone: "text-warn" },
  proposed: { mark: "◐", tone: "text-warn" },
  approved: { mark: "●", tone: "text-good" },
  superseded: { mark: "○", tone: "text-ink-3" },
};

/** The versions of a room's chart, newest first, and what can be begun. */
export function Versions({
  room,
  versions,
  more,
  current,
  onChoose,
  actions,
}: {
  room: Room;
  versions: Version[];
  /** Fetches the page of older ones; undefined where there are none. */
  more: (() => void) | undefined;
  current: number | undefined;
  onChoose: (chart: number) => void;
  actions: ReactNode;
}) {
  return (
    <nav aria-label="Versions" className="flex w-44 shrink-0 flex-col gap-1 border-r border-rule px-2 py-4">
      <h2 className="px-2 text-body text-ink-2">{room.name}, versions</h2>
      {versions.length === 0 && <p className="px-2 text-ink-3">None yet.</p>}
      {/* Many versions are scrolled in their place: what can be begun stays in sight. */}
      <div className="max-h-[55vh] shrink-0 overflow-y-auto">
        <ol>
          {versions.map((one) => (
            <li key={one.id}>
              <button
                type="button"
                aria-current={one.id === current ? "true" : undefined}
                onClick={() => onChoose(one.id)}
                className={`flex min-h-11 w-full items-center gap-2 border-l-4 px-2 text-left hover:bg-raised ${one.id === current ? "border-ink bg-raised" : "border-transparent"}`}
              >
                <span aria-hidden className={`w-4 text-center ${STATUS[one.status]?.tone}`}>
                  {STATUS[one.status]?.mark}
                </span>
                <span>
                  <b className="font-semibold">Version {one.version}</b>
                  <br />
                  <span className="text-note text-ink-3">
                    {one.status} {day(one.approved_at || one.proposed_at || one.created_at)}
                  </span>
                </span>
              </button>
            </li>
          ))}
        </ol>
        {more && (
          <Button tone="quiet" onClick={more}>
            Older versions
          </Button>
        )}
      </div>
      <div className="mt-3 flex flex-col gap-2 px-2">{actions}</div>
    </nav>
  );
}
