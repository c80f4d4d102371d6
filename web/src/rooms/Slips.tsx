import type { Fit } from "../api/queries";
import { Tick } from "../people/Tick";

export type Slip = Fit["slips"][number];

/** What can hardly be so, before it is accepted: leave it out, or say that it was looked at. */
export function Slips({
  slips,
  stands,
  onStands,
  onLeaveOut,
}: {
  slips: readonly Slip[];
  stands: boolean;
  onStands: (yes: boolean) => void;
  onLeaveOut: (slip: Slip) => void;
}) {
  if (slips.length === 0) return null;
  return (
    <section aria-label="Look at these again" className="mb-4 border-l-4 border-bad pl-3">
      <h3 className="text-body text-bad">Look at these again before you accept</h3>
      <ul>
        {slips.map((one) => (
          <li key={one.says} className="py-1">
            {one.says}{" "}
            {!one.all && (
              <button type="button" className="min-h-touch underline" onClick={() => onLeaveOut(one)}>
                Leave it out
              </button>
            )}
          </li>
        ))}
      </ul>
      <label className="flex items-center">
        <Tick label="They are right as they stand" on={stands} onChange={() => onStands(!stands)} />
        They are right as they stand
      </label>
    </section>
  );
}
