import { Link } from "react-router";

import type { Choices, Projection, TechniqueResponse } from "../../api/queries";
import { useHand, withFingers } from "../../ui/hand";
import { type Stop } from "../state";

interface Props {
  projection: Projection;
  stop: Stop;
  choices: Choices | undefined;
  answer: TechniqueResponse | undefined;
  changes: string[];
  openClearance: string | null;
  question: string;
}

/** How this view is done as far as it bears on the exposure, and what the hands must change on the way to it. */
export function HowTo({ projection, stop, choices, answer, changes, openClearance, question }: Props) {
  const hand = useHand();
  const words = choices?.words;
  const breathing = projection.breathing.map((code) => words?.breathing?.[code] ?? code).join(" Or: ");
  return (
    <div className="px-5 pt-1.5 text-note text-ink-2">
      <p>
        <Link
          to={`/guide/${projection.id}`}
          className="-my-3 inline-flex min-h-10 items-center font-semibold text-ink underline decoration-rule-strong underline-offset-2 hover:decoration-beam"
          title="Open its page in the Guide"
        >
          {projection.exam} {projection.name}
        </Link>
        {projection.exposures > 1 && <b className="text-ink"> · {projection.exposures} exposures</b>}
        {stop.note && <span className="text-ink"> · {stop.note}</span>}
        {question && <span> · Request: {question}</span>} <span className="text-ink-3">· Measure</span>{" "}
        {projection.measure} <span className="text-ink-3">Centre</span>{" "}
        {withFingers(projection.central_ray, hand)}{" "}
        {answer?.turn && answer.turn.advice.deg !== 0 && (
          <>
            <span className="text-ink-3">Turn</span> {answer.turn.advice.deg.toFixed(0)}°{" "}
          </>
        )}
        <span className="text-ink-3">Breathing</span> {breathing}
        {projection.shields.includes("lead_behind") && (
          <>
            {" "}
            <span className="text-ink-3">Scatter</span> Lead rubber on the table behind the part.
          </>
        )}
      </p>
      {(openClearance !== null || stop.when !== "" || changes.length > 0) && (
        <p className="mt-0.5">
          {openClearance !== null && <b className="mr-3 text-warn">◇ Not recorded yet: {openClearance}.</b>}
          {stop.when && <span className="mr-3 text-warn">Only: {stop.when}.</span>}
          {changes.length > 0 && (
            <>
              <span className="text-ink-3">From the view before: </span>
              <span className="text-ink">{changes.join(" ")}</span>
            </>
          )}
        </p>
      )}
    </div>
  );
}
