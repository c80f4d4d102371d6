import { useState } from "react";

import { Quiet } from "../../ui/Quiet";
import { TextField } from "../../ui/TextField";
import { type Act } from "../useDesk";

/** Who held the patient, or pulled the shoulders, during this exposure: it goes into the record, so it always shows here. */
export function HeldBy({ who, expected, act }: { who: string; expected: boolean; act: Act }) {
  const [open, setOpen] = useState(false);
  if (!open && !expected && who === "")
    return (
      <Quiet className="self-start" onClick={() => setOpen(true)}>
        Somebody held the patient
      </Quiet>
    );
  return (
    <TextField
      live
      id="held-by"
      label="Held by (role), in apron and gloves"
      value={who}
      onChange={(next) => act({ do: "held-by", who: next })}
    />
  );
}
