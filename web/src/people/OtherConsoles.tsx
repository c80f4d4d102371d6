import { useEndOtherSessions, useMySessions } from "../api/bench";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { moment } from "../ui/words";

/** Where else one is signed in, by when it was last used; a press ends all of those. */
export function OtherConsoles() {
  const sessions = useMySessions();
  const end = useEndOtherSessions();
  const others = sessions.data?.filter((one) => !one.this) ?? [];
  const [newest] = others;
  if (!newest) return end.isError ? <Refusal error={end.error} /> : null;
  return (
    <p className="mt-4 text-ink-2">
      You are signed in at {others.length} other {others.length === 1 ? "console" : "consoles"}, last used{" "}
      {moment(newest.used_at)}.{" "}
      <Button tone="quiet" disabled={end.isPending} onClick={() => end.mutate()}>
        Sign out there
      </Button>
    </p>
  );
}
