import type { MouseEvent } from "react";

/** After a press by pointer the keys are the Desk's again: Enter is then "Exposed", and presses nothing twice. */
export function letGo(event: MouseEvent<HTMLElement>) {
  if (event.detail > 0) event.currentTarget.blur();
}
