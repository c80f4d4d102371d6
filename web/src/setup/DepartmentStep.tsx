import { useState } from "react";
import { Link } from "react-router";

import { type Department, useKeepDepartment } from "../api/setup";
import { Agreement } from "../people/Agreement";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { preferUsually } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";
import { TextField } from "../ui/TextField";
import { TECHNIQUE_SYSTEM } from "../ui/words";

const EACH_ITS_OWN = "each";

/** What the department is called, its unit and its technique system, and what it agreed on. */
export function DepartmentStep({ now, onDone }: { now: Department; onDone: () => void }) {
  const keep = useKeepDepartment();
  const [given, setGiven] = useState(now);
  const put = (change: Partial<Department>) => setGiven({ ...given, ...change });
  return (
    <div className="mt-3 flex max-w-3xl flex-col gap-4">
      <TextField
        id="department"
        label="Name, as it stands on paper"
        value={given.name ?? ""}
        live
        onChange={(name) => put({ name })}
      />
      <div className="flex flex-wrap items-center gap-x-4">
        <span className="w-40 text-ink-2">Lengths are read in</span>
        <Segmented
          label="Unit of length"
          value={given.length_unit ?? "cm"}
          options={[
            { value: "cm", label: "Centimetres" },
            { value: "in", label: "Inches" },
          ]}
          onChange={(unit) => put({ length_unit: unit as "cm" | "in" })}
        />
      </div>
      <div className="flex flex-wrap items-center gap-x-4">
        <span className="w-40 text-ink-2">Charts are written in</span>
        <Segmented
          label="Technique system"
          value={given.system ?? EACH_ITS_OWN}
          options={[
            { value: EACH_ITS_OWN, label: "No one system" },
            ...Object.entries(TECHNIQUE_SYSTEM).map(([value, label]) => ({ value, label })),
          ]}
          onChange={(system) =>
            put({ system: system === EACH_ITS_OWN ? null : (system as NonNullable<Department["system"]>) })
          }
        />
      </div>
      <Button
        tone="main"
        className="self-start"
        disabled={(given.name ?? "").trim() === "" || keep.isPending}
        onClick={() =>
          keep.mutate(
            { ...given, name: (given.name ?? "").trim() },
            {
              onSuccess: (kept) => {
                preferUsually(kept.length_unit ?? "cm");
                onDone();
              },
            },
          )
        }
      >
        Keep
      </Button>
      {keep.isError && <Refusal error={keep.error} />}
      <Agreement />
      <p className="text-ink-2">
        Techniques are held against example dose levels.{" "}
        <Link className="inline-flex min-h-touch items-center underline" to="/dose-levels">
          Put your own in their place
        </Link>
      </p>
    </div>
  );
}
