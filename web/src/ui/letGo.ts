import type { MouseEvent } from "react";

/** After a press by pointer the keys are the view's again (at the Desk: Enter is "Exposed"), and nothing is pressed twice. */
export function letGo(event: MouseEvent<HTMLElement>) {
  if (event.detail > 0) event.currentTarget.blur();
}
