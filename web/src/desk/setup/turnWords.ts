import type { TechniqueResponse } from "../../api/queries";

/** How far the patient or the part is turned: the range as it is taught, or what a rule makes of what was measured. */
export function turnWords(turn: TechniqueResponse["turn"] | undefined): string {
  const way = turn?.schools.find((one) => one.school === turn.school);
  if (!turn || !way) return "";
  return way.rule === "fixed" ? way.name : `${turn.advice.deg.toFixed(0)}°, of ${way.name}`;
}
