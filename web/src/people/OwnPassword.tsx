import { useState } from "react";

import { useOwnPassword } from "../api/bench";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { Refusal } from "../ui/Notice";

/** Change one's own password. Whoever came in with a generated one is asked for it before anything is kept. */
export function OwnPassword({ mustChange }: { mustChange: boolean }) {
  const [open, setOpen] = useState(false);
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useOwnPassword();
  if (!open && !mustChange)
    return (
      <Button tone="quiet" className="mt-4" onClick={() => setOpen(true)}>
        Change your password
      </Button>
    );
  return (
    <form
      aria-label="Your password"
      className="mt-6 flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ old, new: fresh });
      }}
    >
      <h2 className="text-lead">Your password</h2>
      {mustChange && (
        <p className="text-ink-2">
          The one you came in with was generated. Set your own: nothing is kept in your name before.
        </p>
      )}
      <Field
        id="old"
        label="The one you have"
        value={old}
        onChange={setOld}
        autoComplete="current-password"
        secret
      />
      <Field
        id="new"
        label="The new one, 10 characters or more"
        value={fresh}
        onChange={setFresh}
        autoComplete="new-password"
        secret
      />
      <div className="flex gap-2">
        <Button type="submit" tone="main" disabled={!old || fresh.length < 10 || change.isPending}>
          Change it and sign in again
        </Button>
        {!mustChange && (
          <Button tone="quiet" onClick={() => setOpen(false)}>
            Cancel
          </Button>
        )}
      </div>
      {change.isError && <Refusal error={change.error} />}
    </form>
  );
}
