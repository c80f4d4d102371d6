import { useState } from "react";

import type { Role } from "../api/queries";
import { useBegin } from "../api/setup";
import { RoleTicks } from "../people/RoleTicks";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { Refusal } from "../ui/Notice";

const BESIDES: Role[] = ["keeper", "physicist", "technologist"];

/** The first person. That they may is said by the code in a file that only whoever runs the server can read. */
export function Administrator({ onDone }: { onDone: () => void }) {
  const begin = useBegin();
  const [given, setGiven] = useState({ code: "", name: "", id: "", password: "" });
  const [roles, setRoles] = useState<Role[]>(["keeper", "physicist"]);
  const put = (change: Partial<typeof given>) => setGiven({ ...given, ...change });
  const missing = Object.values(given).some((text) => text.trim() === "");
  return (
    <form
      className="mt-3 flex max-w-xl flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        begin.mutate({ ...given, roles: ["admin", ...roles] }, { onSuccess: onDone });
      }}
    >
      <p className="text-ink-2">
        Nobody may sign in yet. Whoever started the server finds a code in the file{" "}
        <code>setup-code.txt</code> of its data folder: it shows that you may begin. You choose your own
        password.
      </p>
      <Field
        id="setup-code"
        label="Code from setup-code.txt"
        value={given.code}
        onChange={(code) => put({ code })}
      />
      <div className="grid grid-cols-2 gap-3">
        <Field id="own-name" label="Your name" value={given.name} onChange={(name) => put({ name })} />
        <Field
          id="own-id"
          label="Short name to sign in with"
          value={given.id}
          onChange={(id) => put({ id: id.toLowerCase() })}
          autoComplete="username"
        />
      </div>
      <Field
        id="own-password"
        label="Your password, 10 letters or more"
        value={given.password}
        onChange={(password) => put({ password })}
        autoComplete="new-password"
        secret
      />
      <fieldset>
        <legend className="text-ink-2">You look after people. What else do you do?</legend>
        <RoleTicks told offered={BESIDES} roles={roles} onChange={setRoles} />
      </fieldset>
      <Button type="submit" tone="main" className="self-start" disabled={missing || begin.isPending}>
        Begin
      </Button>
      {begin.isError && <Refusal error={begin.error} />}
    </form>
  );
}
