import { useAddress } from "../ui/address";
import { DayField } from "../ui/DayField";
import { Segmented } from "../ui/Segmented";

const PICKS = [
  { value: "30", label: "30 days" },
  { value: "90", label: "90 days" },
  { value: "365", label: "A year" },
];

export const dayBefore = (days: number) =>
  new Date(Date.now() - days * 86_400_000).toISOString().slice(0, 10);

/** The period of the address: it can be kept and sent. Nothing said is the last 30 days. */
export function usePeriod() {
  const { words } = useAddress();
  const since = words.get("since") ?? dayBefore(29);
  const until = words.get("until") ?? "";
  return { since, until };
}

/** From which day to which; a few usual stretches beside it. */
export function PeriodFields() {
  const { put } = useAddress();
  const { since, until } = usePeriod();
  const today = dayBefore(0);
  const picked = until === "" ? PICKS.find((one) => dayBefore(Number(one.value) - 1) === since) : undefined;
  return (
    <>
      <Segmented
        label="Period"
        value={picked?.value ?? ""}
        options={PICKS}
        onChange={(days) => put({ since: days === "30" ? null : dayBefore(Number(days) - 1), until: null })}
      />
      <DayField label="From" value={since} latest={until || today} onChange={(day) => put({ since: day })} />
      <DayField label="To" value={until || today} latest={today} onChange={(day) => put({ until: day })} />
    </>
  );
}
