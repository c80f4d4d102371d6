import { Link } from "react-router";

import type { Exam, Room } from "../../api/queries";
import { useSession } from "../../api/queries";
import { buttonClass } from "../../ui/Button";
import { Finder } from "../../ui/Finder";
import { type Act } from "../useDesk";
import { ChartNews } from "./ChartNews";
import { withoutLine } from "./withoutLine";
import { Worklist } from "./Worklist";

/** Nobody is chosen: who waits, and a finder for everything else. No technique stands here for no one. */
export function Nobody({
  room,
  exams,
  charted,
  act,
  putAway,
}: {
  room: Room;
  exams: Exam[];
  charted: Set<string>;
  act: Act;
  putAway: string;
}) {
  const { data: session } = useSession();
  return (
    <div className="mx-auto w-full max-w-3xl px-5 py-8">
      <h1 className="text-lead">
        <span className="sr-only">Desk: </span>Who is next?
      </h1>
      {putAway && (
        <p role="status" className="mt-2 border-l-4 border-warn pl-3">
          {putAway}
        </p>
      )}
      <Finder
        id="exam"
        part="finder"
        label="Exam or view"
        shown=""
        hint="e"
        className="mt-3 text-lead"
        mark={withoutLine(exams, charted)}
        onPick={(hit) => {
          if (hit.kind === "projection") return act({ do: "view", projection: hit.id });
          const exam = exams.find((one) => one.id === hit.id);
          return exam && act({ do: "exam", exam });
        }}
      />
      {session && !session.person && (
        <p className="mt-3 flex flex-wrap items-center gap-x-3">
          <Link to="/sign-in?back=%2Fdesk" className={buttonClass("main")}>
            Sign in
          </Link>
          <span className="text-ink-2">
            Techniques can be read without it; an exposure is recorded under a name.
          </span>
        </p>
      )}
      <ChartNews room={room} />
      <div className="mt-6 border-t border-rule pt-3">
        <Worklist exams={exams} act={act} />
      </div>
    </div>
  );
}
