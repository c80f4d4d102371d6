import { useState } from "react";
import { Link } from "react-router";

import type { Page } from "../api/queries";
import type { components } from "../api/schema";
import { useLocalEntries, useRemoveLocal, useSaveLocal } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { OwnView } from "./OwnView";
import { usualLevel } from "../ui/words";

type OwnLevel = Pick<components["schemas"]["DoseLevel"], "quantity" | "value"> & {
  kg?: [number, number] | null;
};

/** What the department does its own way: which method of angle and turn, and its own numbers over the shipped ones. */
export function Department({ page }: { page: Page }) {
  const entries = useLocalEntries();
  const own = entries.data?.find((one) => one.kind === "projection" && one.id === page.id);
  const body = (own?.body ?? {}) as Record<string, unknown>;
  const save = useSaveLocal();
  const remove = useRemoveLocal();
  const [change, setChange] = useState<Record<string, unknown>>({});
  const pending = Object.keys(change).length > 0;
  const put = (key: string, value: unknown) => setChange({ ...change, [key]: value });
  const field = (key: string, label: string, unit: string, shipped: number | null | undefined) => (
    <NumberField
      id={`own-${key}`}
      label={label}
      unit={unit}
      value={(change[key] as number | undefined) ?? (body[key] as number | undefined) ?? null}
      placeholder={shipped == null ? "none" : String(shipped)}
      onChange={(value) => {
        if (value !== null) put(key, value);
      }}
    />
  );
  function keep() {
    save.mutate(
      {
        kind: "projection",
        id: page.id,
        body: { ...body, ...change },
        ...(own ? { revision: own.revision } : {}),
      },
      { onSuccess: () => setChange({}) },
    );
  }
  const method = (key: "angle_school" | "turn_school", label: string, ways: Page["angles"]) =>
    ways.length > 1 && (
      <Select
        label={label}
        labelled
        className="col-span-2"
        value={(change[key] ?? body[key] ?? ways[0]?.school ?? "") as string}
        options={ways.map((way) => ({ value: way.school, label: way.name }))}
        onChange={(value) => put(key, value)}
      />
    );
  return (
    <section className="no-print mt-3">
      <h2 className="border-b border-rule text-body text-ink-3">
        Our department{own ? `: changed here, revision ${own.revision}` : ": as shipped"}
      </h2>
      <div className="mt-1 grid grid-cols-2 gap-2 xl:grid-cols-4">
        {method("angle_school", "Angle by", page.angles)}
        {method("turn_school", "Turn by", page.turns)}
        {field("sid_cm", "SID", "cm", page.sid_cm)}
        {field("grid_over_cm", "Grid above", "cm", page.grid_over_cm)}
        {field("time_ceiling_ms", "Time at most", "ms", page.time_ceiling_ms)}
        <NumberField
          id="own-dose-level"
          label="Our dose level"
          unit="mGy"
          value={
            usualLevel((change["dose_levels"] ?? body["dose_levels"] ?? []) as OwnLevel[])?.value ?? null
          }
          placeholder={String(usualLevel(page.dose_levels)?.value ?? "none")}
          onChange={(value) => {
            if (value === null) return;
            const own = (body["dose_levels"] ?? []) as OwnLevel[];
            const others = own.filter((level) => level !== usualLevel(own));
            put("dose_levels", [...others, { quantity: "incident_air_kerma", value }]);
          }}
        />
      </div>
      {(pending || own) && (
        <div className="mt-2 flex gap-2">
          {pending && (
            <Button tone="main" disabled={save.isPending} onClick={keep}>
              Keep for our department
            </Button>
          )}
          {own && (
            <Button
              tone="quiet"
              disabled={remove.isPending}
              onClick={() => remove.mutate({ kind: "projection", id: page.id })}
            >
              Back to what ships
            </Button>
          )}
        </div>
      )}
      <OwnView key={page.id} page={page} />
      <Link className="inline-flex min-h-touch items-center underline underline-offset-2" to="/dose-levels">
        All dose levels, and our own from a file
      </Link>
      {save.isError && <Refusal error={save.error} className="mt-2" />}
      {remove.isError && <Refusal error={remove.error} className="mt-2" />}
    </section>
  );
}
