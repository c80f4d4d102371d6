import type { TechniqueResponse } from "../../api/queries";

type Turn = TechniqueResponse["turn"] | undefined;

const chosen = (turn: Turn) => turn?.schools.find((one) => one.school === turn.school);

/** How far the patient or the part is turned, where a rule works it out from what was measured. */
export function turnByRule(turn: Turn): string {
  const way = chosen(turn);
  return !turn || !way || way.rule === "fixed" ? "" : `${turn.advice.deg.toFixed(0)}°, of ${way.name}`;
}

/** The turn to tell: by a rule, or the one chosen of several; of a view with a single one the position says it. */
export function turnWords(turn: Turn): string {
  return turnByRule(turn) || (turn && turn.schools.length > 1 ? (chosen(turn)?.name ?? "") : "");
}
