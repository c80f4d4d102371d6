import type { TechniqueResponse } from "../../api/queries";

/** How far the patient or the part is turned, where a rule works it out from what was measured; else the position says it. */
export function turnWords(turn: TechniqueResponse["turn"] | undefined): string {
  const way = turn?.schools.find((one) => one.school === turn.school);
  return !turn || !way || way.rule === "fixed" ? "" : `${turn.advice.deg.toFixed(0)}°, of ${way.name}`;
}
