import { ToggleGroup } from "radix-ui";

import type { Option } from "./Select";

interface Props {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
  className?: string;
  /** For a narrow column. */
  tight?: boolean;
}

/** A few choices side by side; arrow keys move between them. The chosen one is underlined, not only coloured. */
export function Segmented({ label, value, options, onChange, className = "", tight = false }: Props) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => next && onChange(next)}
      className={`inline-flex flex-wrap ${className}`}
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          className={`min-h-touch min-w-10 border-b-2 border-rule text-ink-2 hover:text-ink ${tight ? "px-2" : "px-2 xl:px-3"} data-[state=on]:border-ink data-[state=on]:font-semibold data-[state=on]:text-ink`}
        >
          {option.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
