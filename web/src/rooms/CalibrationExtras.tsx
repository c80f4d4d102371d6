import type { Fit } from "../api/queries";
import { Tick } from "../people/Tick";
import { Button } from "../ui/Button";
import { DayField } from "../ui/DayField";
import { TextField } from "../ui/TextField";

export type Slip = Fit["slips"][number];

/** What stands with the readings in the record. */
export interface About {
  instrument: string;
  read_on: string;
  due_on: string;
}

/** Takes one row of readings out of its table. */
export function TakeOut({ what, onTake }: { what: string; onTake: () => void }) {
  return (
    <td className="w-9">
      <Button tone="quiet" className="px-2!" aria-label={`Take ${what} out`} onClick={onTake}>
        ×
      </Button>
    </td>
  );
}

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

/** Instrument and days: what an inspector asks for. */
export function AboutFields({
  about,
  onChange,
}: {
  about: About;
  onChange: (change: Partial<About>) => void;
}) {
  return (
    <div className="mt-4 grid grid-cols-3 gap-2">
      <TextField
        id="instrument"
        label="Instrument"
        value={about.instrument}
        live
        onChange={(instrument) => onChange({ instrument })}
      />
      <DayField label="Read on" value={about.read_on} onChange={(read_on) => onChange({ read_on })} />
      <DayField label="Next due" value={about.due_on} onChange={(due_on) => onChange({ due_on })} />
    </div>
  );
}
