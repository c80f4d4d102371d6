import type { Exam } from "../../api/queries";
import { Finder } from "../../ui/Finder";
import { type Act } from "../useDesk";
import { Worklist } from "./Worklist";

/** Nobody is chosen: who waits, and a finder for everything else. No technique stands here for no one. */
export function Nobody({ exams, act, putAway }: { exams: Exam[]; act: Act; putAway: string }) {
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
        onPick={(hit) => {
          if (hit.kind === "projection") return act({ do: "view", projection: hit.id });
          const exam = exams.find((one) => one.id === hit.id);
          return exam && act({ do: "exam", exam });
        }}
      />
      <div className="mt-6 border-t border-rule pt-3">
        <Worklist exams={exams} act={act} />
      </div>
    </div>
  );
}
