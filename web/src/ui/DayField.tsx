/** A day, in a frame as the other fields have; "" while there is none. latest: no day after it. */
export function DayField({
  label,
  value,
  latest,
  onChange,
}: {
  label: string;
  value: string;
  latest?: string;
  onChange: (day: string) => void;
}) {
  return (
    <label className="flex min-h-[2.875rem] flex-col justify-center rounded-sm border border-rule-strong px-2.5 leading-tight focus-within:border-ink">
      <span className="label">{label}</span>
      <input
        type="date"
        max={latest}
        className="bg-transparent outline-none"
        value={value}
        onChange={(event) => onChange(event.currentTarget.value)}
      />
    </label>
  );
}
