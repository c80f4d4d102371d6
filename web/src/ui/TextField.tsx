interface Props {
  id: string;
  label: string;
  value: string;
  onChange: (text: string) => void;
  /** Tell of each key, not only when the field is left. */
  live?: boolean;
}

/** A short text typed by a person; it goes out trimmed when the field is left, or with each key. */
export function TextField({ id, label, value, onChange, live = false }: Props) {
  return (
    <div className="flex min-h-[2.875rem] flex-col justify-center rounded-sm border border-rule-strong px-2.5 leading-tight focus-within:border-ink">
      <label htmlFor={id} className="label block truncate">
        {label}
      </label>
      <input
        id={id}
        defaultValue={value}
        maxLength={80}
        className="block w-full bg-transparent outline-none"
        onChange={(event) => live && onChange(event.currentTarget.value)}
        onBlur={(event) => onChange(event.currentTarget.value.trim())}
      />
    </div>
  );
}
