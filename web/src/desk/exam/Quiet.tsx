import type { ComponentProps } from "react";

/** A press of little weight in a line of text. */
export function Quiet({ className = "", ...rest }: ComponentProps<"button">) {
  return (
    <button
      type="button"
      className={`min-h-touch text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink xl:min-h-6 ${className}`}
      {...rest}
    />
  );
}
