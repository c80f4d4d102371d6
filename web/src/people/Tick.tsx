/** A box that is ticked or not, large enough for a gloved hand. */
export function Tick({ label, on, onChange }: { label: string; on: boolean; onChange: () => void }) {
  return (
    <button
      type="button"
      role="checkbox"
      aria-checked={on}
      aria-label={label}
      className="inline-flex h-10 w-10 items-center justify-center rounded-sm hover:bg-raised"
      onClick={onChange}
    >
      <span
        aria-hidden
        className={`flex h-5 w-5 items-center justify-center rounded-xs border ${on ? "border-ink text-ink" : "border-rule-strong"}`}
      >
        {on ? "✓" : ""}
      </span>
    </button>
  );
}
