import type { Exam, Hit } from "../../api/queries";

/** Says of a hit that the room's chart has no line for it, or for how many of its usual views. */
export const withoutLine = (exams: Exam[], charted: Set<string>) => (hit: Hit) => {
  if (hit.kind === "projection") return charted.has(hit.id) ? "" : "no line here";
  const views = exams.find((one) => one.id === hit.id)?.projections ?? [];
  const missing = views.filter((one) => !charted.has(one)).length;
  return missing === 0
    ? ""
    : missing === views.length
      ? "no line here"
      : `${missing} of ${views.length} without a line`;
};
