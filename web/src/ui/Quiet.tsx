import type { ComponentProps } from "react";

import { letGo } from "./letGo";

/** A press of little weight in a line of text, which it reaches beyond: the line stays as low as its words. */
export function Quiet({ className = "", onClick, ...rest }: ComponentProps<"button">) {
  return (
    <button
      type="button"
      className={`-my-2.5 min-h-touch text-note text-ink-2 underline decoration-rule-strong underline-offset-2 hover:text-ink ${className}`}
      onClick={(event) => {
        letGo(event);
        onClick?.(event);
      }}
      {...rest}
    />
  );
}
