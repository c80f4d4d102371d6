import { useState } from "react";

import { type TakenIn, useTablePreview, useTakeTable } from "../api/log";
import { useRooms } from "../api/queries";
import { Button } from "../ui/Button";
import { FaultTable, Refusal, Waiting } from "../ui/Notice";
import { Select } from "../ui/Select";

const LEFT = "left out";
const NAMED: Record<string, string> = {
  taken_at: "day and time",
  day_first: "date (or day and time), day first",
  month_first: "date (or day and time), month first",
  accepted: "accepted, yes or no",
  rejected: "rejected, yes or no",
  thickness_cm: "thickness",
  kvp: "kVp",
  mas: "mAs",
  sid_cm: "SID",
  ei: "exposure index",
  target_ei: "target index",
  kap_mgycm2: "KAP in mGy·cm²",
  kap_dgycm2: "KAP in dGy·cm²",
  kap_ugym2: "KAP in µGy·m²",
  reject_reason: "why rejected",
  weight_kg: "weight",
  height_cm: "height",
  study: "study (kept as a one-way key)",
};
const named = (field: string) => NAMED[field] ?? field;

/** A table of exposures looked at before it is taken in: what each column was taken as, and what is wrong with which row. */
export function ExposureTable({
  name,
  file,
  onTaken,
}: {
  name: string;
  file: string;
  onTaken: (taken: TakenIn) => void;
}) {
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const [room, setRoom] = useState("");
  const rooms = useRooms().data ?? [];
  const preview = useTablePreview({ file, mapping });
  const take = useTakeTable();
  if (preview.isError)
    return (
      <div>
        <Refusal error={preview.error} />
      </div>
    );
  if (!preview.data) return <Waiting what={name} />;
  const { columns, choices, exposures, missing, asked, faults, decided } = preview.data;
  return (
    <section aria-label={`Table ${name}`} className="flex w-full flex-col gap-3 border-t border-rule pt-3">
      {missing.length > 0 && (
        <p className="font-semibold text-warn">
          Say which column is: {missing.map(named).join(", ")}. Without them no row is an exposure.
        </p>
      )}
      {asked && <p className="font-semibold text-warn">{asked}</p>}
      <p>
        <b>{name}</b>: {exposures} {exposures === 1 ? "row is an exposure" : "rows are exposures"}
        {faults.length > 0 && `, ${faults.length} ${faults.length === 1 ? "is" : "are"} not`}.{" "}
        {decided.join(" ")}
      </p>
      <div className="flex flex-wrap gap-3">
        {columns.map((column) => (
          <div key={column.given} className="w-52">
            <p className="label truncate">{column.given || "(no head)"}</p>
            <Select
              label={`${column.given} is`}
              value={column.taken_as || LEFT}
              options={[LEFT, ...choices].map((value) => ({ value, label: named(value) }))}
              onChange={(next) => setMapping({ ...mapping, [column.given]: next === LEFT ? "" : next })}
            />
            <p className="truncate text-note text-ink-3">
              {column.first ? `first: ${column.first}` : "first: –"}
            </p>
          </div>
        ))}
      </div>
      {faults.length > 0 && <FaultTable faults={faults} />}
      <div className="flex flex-wrap items-end gap-3">
        <Select
          label="Room of rows that name none"
          labelled
          className="w-64"
          value={room}
          options={rooms.map((one) => ({ value: one.id, label: one.name }))}
          onChange={setRoom}
        />
        <Button
          tone="main"
          // The count of another mapping is not what would be taken.
          disabled={exposures === 0 || take.isPending || preview.isPlaceholderData}
          onClick={() =>
            take.mutate(
              { file, mapping, ...(room ? { room } : {}) },
              { onSuccess: (taken) => onTaken(taken) },
            )
          }
        >
          {`Take ${exposures} ${exposures === 1 ? "exposure" : "exposures"} in`}
        </Button>
      </div>
      {take.isError && <Refusal error={take.error} />}
    </section>
  );
}
