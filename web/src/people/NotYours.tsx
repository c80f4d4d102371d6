import { Link, useLocation } from "react-router";

import { useSession } from "../api/queries";

/** In the place of what the person at the console may not do: who does it, or the way to sign in. */
export function NotYours({ whoDoes, toDo }: { whoDoes: string; toDo: string }) {
  const { data: session } = useSession();
  const { pathname, search } = useLocation();
  return (
    <p className="text-note text-ink-2">
      {session?.person ? (
        whoDoes
      ) : (
        <Link
          className="underline underline-offset-2"
          to={`/sign-in?back=${encodeURIComponent(pathname + search)}`}
        >
          Sign in {toDo}
        </Link>
      )}
    </p>
  );
}
