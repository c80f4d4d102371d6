import type { Exam } from "../../api/queries";
import { Finder } from "../../ui/Finder";
import { type Act } from "../useDesk";
import { Worklist } from "./Worklist";

/** Nobody is chosen: who waits, and a finder for everything else. No technique stands here for no one. */
export function Nobody({ exams, act }: { exams: Exam[]; act: Act }) {
  return (
    <div className="mx-auto w-full max-w-3xl px-5 py-8">
      <h2 className="text-lead">Who is next?</h2>
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
