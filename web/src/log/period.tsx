import { useAddress } from "../ui/address";
import { DayField } from "../ui/DayField";
import { Segmented } from "../ui/Segmented";

const today = () => new Date().toISOString().slice(0, 10);

/** The first of a month, so many months ago. */
function firstOf(monthsAgo: number): string {
  const now = new Date();
  return new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() - monthsAgo, 1))
    .toISOString()
    .slice(0, 10);
}

const PICKS = [
  { value: "1", label: "Since last month" },
  { value: "0", label: "This month" },
  { value: "11", label: "A year" },
];

/** The period of the address: it can be kept and sent. Nothing said is since the first of last month. */
export function usePeriod() {
  const { words } = useAddress();
  return { since: words.get("since") ?? firstOf(1), until: words.get("until") ?? "" };
}

/** From which day to which; a few usual stretches beside it. */
export function PeriodFields() {
  const { put } = useAddress();
  const { since, until } = usePeriod();
  const picked = until === "" ? PICKS.find((one) => firstOf(Number(one.value)) === since) : undefined;
  return (
    <>
      <Segmented
        label="Period"
        value={picked?.value ?? ""}
        options={PICKS}
        onChange={(months) => put({ since: months === "1" ? null : firstOf(Number(months)), until: null })}
      />
      <DayField
        label="From"
        value={since}
        latest={until || today()}
        onChange={(day) => put({ since: day })}
      />
      <DayField
        label="To"
        value={until || today()}
        latest={today()}
        onChange={(day) => put({ until: day })}
      />
    </>
  );
}
