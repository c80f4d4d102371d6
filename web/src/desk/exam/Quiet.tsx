import type { ComponentProps } from "react";

/** A press of little weight in a line of text, which it reaches beyond: the line stays as low as its words. */
export function Quiet({ className = "", ...rest }: ComponentProps<"button">) {
  return (
    <button
      type="button"
      className={`-my-2.5 min-h-touch text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink ${className}`}
      {...rest}
    />
  );
}
