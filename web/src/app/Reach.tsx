import { useReachAgain } from "../api/queries";
import { useReach } from "../api/reach";

/** Says at once that nothing answers, and what that means; it goes by itself when the server answers again. */
export function Reach() {
  const reach = useReach();
  useReachAgain(reach !== "here");
  if (reach === "here") return null;
  return (
    <p
      role="alert"
      data-part="offline"
      className="no-print border-b border-bad bg-raised px-5 py-1.5 font-semibold text-bad"
    >
      {reach === "no-network" ? "No network." : "The Oakbeam server does not answer."}{" "}
      <span className="font-normal text-ink-2">
        Nothing new is worked out and nothing can be recorded; nothing is sent later. What you typed stays.
      </span>
    </p>
  );
}
