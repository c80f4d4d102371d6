/** Narrows a list to what holds a text. */
export function ShowOnly({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <label className="flex min-h-touch min-w-0 items-center rounded-sm border border-rule-strong px-2.5 focus-within:border-ink">
      <span className="sr-only">Show only</span>
      <input
        className="w-full bg-transparent outline-none"
        placeholder="Show only …"
        value={value}
        onChange={(event) => onChange(event.currentTarget.value)}
      />
    </label>
  );
}
