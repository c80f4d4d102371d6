import { usePreferences } from "./preferences";
import { lengthsIn } from "./units";

/** A sentence of the server or the catalogue, with its lengths in the unit that the person works in. */
export function Said({
  onBody = false,
  children,
}: {
  /** Lengths that are read off by hand on a body. */
  onBody?: boolean;
  children: string | null | undefined;
}) {
  const { unit } = usePreferences();
  return lengthsIn(children ?? "", unit, onBody);
}
