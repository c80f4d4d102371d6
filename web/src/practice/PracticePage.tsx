import { useTitle } from "../ui/address";
import { FreeRoom } from "./FreeRoom";

/** Practice: a simulated room with computed bodies. */
export function PracticePage() {
  useTitle("Practice");
  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Practice</h1>
      <FreeRoom />
    </div>
  );
}
