import { DayField } from "../ui/DayField";
import { TextField } from "../ui/TextField";

/** What stands with the readings in the record. */
export interface About {
  instrument: string;
  read_on: string;
  due_on: string;
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
