import { useAddressWord, useTitle } from "../ui/address";
import { Segmented } from "../ui/Segmented";
import { ClassTests } from "./ClassTests";
import { CritiquePack } from "./CritiquePack";
import { Drills } from "./Drills";
import { FreeRoom } from "./FreeRoom";

const PARTS = ["room", "drills", "critique", "classes"] as const;
const NAMES: Record<(typeof PARTS)[number], string> = {
  room: "Free room",
  drills: "Drills",
  critique: "Critique",
  classes: "Class tests",
};

/** Practice: a simulated room with computed bodies, drills, and class tests. */
export function PracticePage() {
  const [part, setPart] = useAddressWord("part", PARTS);
  useTitle(`${NAMES[part]} · Practice`);
  const parts = (
    <Segmented
      label="Part of practice"
      value={part}
      options={PARTS.map((value) => ({ value, label: NAMES[value] }))}
      onChange={(next) => setPart(next as typeof part)}
    />
  );
  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Practice</h1>
      {part === "room" ? (
        <FreeRoom parts={parts} />
      ) : (
        <>
          <div className="border-b border-rule px-5 pt-1">{parts}</div>
          {part === "drills" && <Drills />}
          {part === "critique" && <CritiquePack />}
          {part === "classes" && <ClassTests />}
        </>
      )}
    </div>
  );
}
