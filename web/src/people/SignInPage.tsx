import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import { useSignIn, useSignInByProxy, useSignOut } from "../api/bench";
import { type Session, useSession } from "../api/queries";
import { useTitle } from "../ui/address";
import { Button } from "../ui/Button";
import { forgetDrafts } from "../ui/drafts";
import { Field } from "../ui/Field";
import { Refusal, Waiting } from "../ui/Notice";
import { ROLE } from "../ui/words";
import { OtherConsoles } from "./OtherConsoles";
import { OwnPassword } from "./OwnPassword";
import { People } from "./People";

/** Who is at the console: sign in, hand over to somebody else, sign out. A demo offers its accounts here. */
export function SignInPage() {
  const session = useSession();
  const [asked] = useSearchParams();
  const navigate = useNavigate();
  const signIn = useSignIn();
  const byProxy = useSignInByProxy();
  const signOut = useSignOut();
  const [person, setPerson] = useState("");
  const [password, setPassword] = useState("");
  useTitle("Sign in");
  const back = asked.get("back") ?? "/desk";
  // Only a place of this application is gone back to.
  const home = back.startsWith("/") && !back.startsWith("//") ? back : "/desk";

  if (!session.data)
    return (
      <div className="p-6">
        <Waiting what="who is here" />
      </div>
    );
  const here = session.data.person;
  const onSuccess = (now: Session) => {
    // What the person before typed and did not save is not the next one's.
    if (here && here.id !== now.person?.id) forgetDrafts("");
    setPerson("");
    setPassword("");
    // A generated password is changed here before anything else.
    if (!now.must_change) void navigate(home);
  };
  const enter = (who: string, word: string) =>
    signIn.mutate(
      { person: who, password: word },
      { onSuccess, onError: () => document.getElementById("password")?.focus() },
    );
  return (
    <div className="mx-auto grid w-full max-w-5xl grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)] gap-12 px-6 py-8">
      <section aria-label="Sign in">
        <h1 className="text-lead">{here ? "Hand the console over" : "Sign in"}</h1>
        <p className="mt-1 text-ink-2">
          {here ? (
            <>
              <b className="text-ink">{here.name}</b> is at the console. Whoever signs in takes over.
            </>
          ) : (
            "The Desk and the Guide answer without it. What is kept, an exposure or a change, carries a name."
          )}
        </p>
        {session.data.by_proxy && session.data.by_proxy !== here?.name && (
          <div className="mt-5">
            <Button
              tone="main"
              disabled={byProxy.isPending}
              onClick={() => byProxy.mutate(undefined, { onSuccess })}
            >
              Go on as {session.data.by_proxy}
            </Button>
            <p className="mt-1 text-note text-ink-3">
              Your hospital&apos;s sign-in says that you are there. Or as somebody else:
            </p>
            {byProxy.isError && <Refusal error={byProxy.error} />}
          </div>
        )}
        <form
          className="mt-5 flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            enter(person, password);
          }}
        >
          <Field id="person" label="Name" value={person} onChange={setPerson} autoComplete="username" />
          <Field
            id="password"
            label="Password"
            value={password}
            onChange={setPassword}
            autoComplete="current-password"
            secret
          />
          <div className="flex gap-2">
            <Button type="submit" tone="main" disabled={!person.trim() || !password || signIn.isPending}>
              Sign in
            </Button>
            {here && (
              <Button disabled={signOut.isPending} onClick={() => signOut.mutate()}>
                Sign {here.name} out
              </Button>
            )}
          </div>
          {signIn.isError && <Refusal error={signIn.error} />}
        </form>
        {here && (
          <ul className="mt-5 text-note text-ink-2" aria-label="Your roles">
            {here.roles.map((role) => (
              <li key={role}>
                <b className="font-semibold text-ink">{ROLE[role]?.name}</b>: {ROLE[role]?.does}.
              </li>
            ))}
          </ul>
        )}
        {here && <OwnPassword mustChange={session.data.must_change ?? false} />}
        {here && <OtherConsoles />}
        <p className="mt-5 text-note text-ink-3">
          A console left alone for {session.data.idle_minutes} minutes signs out by itself; nothing typed is
          lost.
        </p>
      </section>
      {session.data.offered.length > 0 && (
        <section aria-label="Accounts of the demo">
          <h2 className="text-lead">Accounts of the demo</h2>
          <p className="mt-1 text-ink-2">
            Made-up people of a made-up clinic; everybody's password is “{session.data.offered[0]?.password}”.
          </p>
          <ul className="mt-4 border-t border-rule-strong">
            {session.data.offered.map((one) => (
              <li key={one.id} className="border-b border-rule">
                <button
                  type="button"
                  className="flex min-h-12 w-full items-center gap-3 px-2 text-left hover:bg-raised"
                  aria-current={here?.id === one.id ? "true" : undefined}
                  onClick={() => enter(one.id, one.password)}
                >
                  <span aria-hidden className={`w-3 ${here?.id === one.id ? "text-ink" : "text-ink-3"}`}>
                    {here?.id === one.id ? "●" : "○"}
                  </span>
                  <span className="w-36 font-semibold">{one.name}</span>
                  <span className="flex-1 text-ink-2">
                    {one.roles.map((role) => ROLE[role]?.does).join("; ")}
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      {here?.roles.includes("admin") && <People me={here.id} />}
    </div>
  );
}
