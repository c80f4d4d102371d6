import { Select as Radix } from "radix-ui";
import { useState } from "react";

export interface Option {
  value: string;
  label: string;
}

interface Props {
  id?: string;
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
  /** Show the label inside the control, above its value; otherwise it only names it. */
  labelled?: boolean;
  className?: string;
  disabled?: boolean;
}

/** A list to pick one from; opens with Enter or Space, takes typed letters. */
export function Select({
  id,
  label,
  value,
  options,
  onChange,
  labelled = false,
  className = "",
  disabled = false,
}: Props) {
  // While the menu is open it keeps what it opened with: an answer that arrives meanwhile takes no option from under the hand,
  // and what it brings stands below.
  const [held, setHeld] = useState<Option[] | null>(null);
  const shown = held
    ? [...held, ...options.filter((one) => !held.some((old) => old.value === one.value))]
    : options;
  const now = options.find((option) => option.value === value);
  return (
    <div className={className}>
      <Radix.Root
        value={value}
        onValueChange={onChange}
        onOpenChange={(open) => setHeld(open ? options : null)}
        disabled={disabled}
      >
        <Radix.Trigger
          id={id}
          aria-label={`${label}: ${now?.label ?? "choose"}`}
          className={`flex w-full items-center justify-between gap-2 rounded-sm border border-rule-strong px-2.5 text-left text-ink hover:border-ink-2 disabled:opacity-45 ${labelled ? "min-h-[2.875rem]" : "min-h-touch"}`}
        >
          <span className="min-w-0 leading-tight">
            {labelled && <span className="label block truncate">{label}</span>}
            <span className="block truncate">
              <Radix.Value placeholder="Choose…">{now?.label}</Radix.Value>
            </span>
          </span>
          <svg aria-hidden width="10" height="6" viewBox="0 0 10 6" className="shrink-0 text-ink-3">
            <path d="M1 1l4 4 4-4" fill="none" stroke="currentColor" strokeWidth="1.5" />
          </svg>
        </Radix.Trigger>
        <Radix.Portal>
          <Radix.Content
            position="popper"
            sideOffset={4}
            className="z-50 max-h-(--radix-select-content-available-height) min-w-(--radix-select-trigger-width) overflow-hidden rounded-sm border border-rule-strong bg-raised shadow-lg"
          >
            <Radix.Viewport className="p-1">
              {shown.map((option) => (
                <Radix.Item
                  key={option.value}
                  value={option.value}
                  className="flex min-h-touch cursor-default items-center gap-2 rounded-xs px-3 outline-none select-none data-highlighted:bg-sunken data-highlighted:outline-1 data-highlighted:outline-rule-strong data-highlighted:text-ink"
                >
                  <span aria-hidden className="w-3 text-ink">
                    <Radix.ItemIndicator>•</Radix.ItemIndicator>
                  </span>
                  <Radix.ItemText>{option.label}</Radix.ItemText>
                </Radix.Item>
              ))}
            </Radix.Viewport>
          </Radix.Content>
        </Radix.Portal>
      </Radix.Root>
    </div>
  );
}
