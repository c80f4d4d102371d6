/** A labelled text or password field in a frame. */
export function Field({
  id,
  label,
  value,
  onChange,
  autoComplete,
  secret = false,
}: {
  id: string;
  label: string;
  value: string;
  onChange: (text: string) => void;
  autoComplete?: string;
  secret?: boolean;
}) {
  return (
    <div className="rounded-sm border border-rule-strong px-2.5 py-1 leading-tight focus-within:border-ink">
      <label htmlFor={id} className="label block">
        {label}
      </label>
      <input
        id={id}
        type={secret ? "password" : "text"}
        className="w-full bg-transparent leading-tight outline-none"
        maxLength={200}
        autoComplete={autoComplete ?? "off"}
        autoCapitalize="none"
        spellCheck={false}
        value={value}
        onChange={(event) => onChange(event.currentTarget.value)}
      />
    </div>
  );
}
