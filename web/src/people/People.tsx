import { useState } from "react";

import { useAddPerson, useChangePerson, usePeople } from "../api/bench";
import type { Person, Role } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { ROLE } from "../ui/words";
import { Field } from "../ui/Field";
import { Agreement } from "./Agreement";
import { RoleTicks } from "./RoleTicks";
import { Tick } from "./Tick";
import { WhatWasDone } from "./WhatWasDone";

const ROLES = Object.keys(ROLE) as Role[];

/** For an admin: who may sign in, with which roles, and what the department agreed on. */
export function People({ me }: { me: string }) {
  const people = usePeople(true);
  const change = useChangePerson();
  const [adding, setAdding] = useState(false);
  if (people.isError) return <Refusal error={people.error} className="col-span-2" />;
  if (!people.data) return <Waiting what="the people" />;
  const set = (person: Person, body: Partial<Person>) =>
    change.mutate({
      id: person.id,
      body: {
        name: person.name,
        roles: person.roles,
        active: person.active ?? true,
        revision: person.revision ?? null,
        ...body,
      },
    });
  return (
    <section aria-label="People" className="col-span-2 border-t border-rule pt-5">
      <h2 className="text-lead">People</h2>
      <table className="mt-2 w-full">
        <thead className="text-left text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 font-normal">Name</th>
            {ROLES.map((role) => (
              <th key={role} className="text-center font-normal">
                {ROLE[role]?.name}
              </th>
            ))}
            <th className="text-center font-normal">May sign in</th>
          </tr>
        </thead>
        <tbody>
          {people.data.map((person) => (
            <tr key={person.id} className="border-b border-rule">
              <td className="py-1">
                <b className="font-semibold">{person.name}</b>{" "}
                <span className="text-note text-ink-3">
                  {person.id}
                  {person.id === me ? ", you" : ""}
                </span>
              </td>
              {ROLES.map((role) => {
                const has = person.roles.includes(role);
                return (
                  <td key={role} className="text-center">
                    <Tick
                      label={`${person.name}: ${ROLE[role]?.name}`}
                      on={has}
                      onChange={() =>
                        set(person, {
                          roles: has ? person.roles.filter((one) => one !== role) : [...person.roles, role],
                        })
                      }
                    />
                  </td>
                );
              })}
              <td className="text-center">
                <Tick
                  label={`${person.name} may sign in`}
                  on={person.active ?? true}
                  onChange={() => set(person, { active: !(person.active ?? true) })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {change.isError && <Refusal error={change.error} className="mt-2" />}
      {adding ? (
        <NewPerson onDone={() => setAdding(false)} onCancel={() => setAdding(false)} />
      ) : (
        <Button className="mt-3" onClick={() => setAdding(true)}>
          New person
        </Button>
      )}
      <Agreement />
      <WhatWasDone />
    </section>
  );
}

/** A person who may sign in, with a first password that they are told. */
export function NewPerson({
  usual = ["technologist"],
  onDone,
  onCancel,
}: {
  usual?: Role[];
  onDone?: () => void;
  onCancel?: () => void;
}) {
  const add = useAddPerson();
  const [given, setGiven] = useState({ id: "", name: "", password: "" });
  const [roles, setRoles] = useState<Role[]>(usual);
  const missing = Object.values(given).some((text) => text.trim() === "");
  const put = (change: Partial<typeof given>) => setGiven({ ...given, ...change });
  return (
    <form
      aria-label="New person"
      className="mt-3 max-w-2xl border-l-4 border-rule pl-4"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate({ ...given, roles, active: true }, { onSuccess: () => onDone?.() });
      }}
    >
      <div className="grid grid-cols-[1fr_1fr_1.3fr] gap-2">
        <Field
          id="new-id"
          label="Short name to sign in with"
          value={given.id}
          onChange={(id) => put({ id })}
        />
        <Field id="new-name" label="Full name" value={given.name} onChange={(name) => put({ name })} />
        <Field
          id="new-password"
          label="First password, 10 letters or more"
          value={given.password}
          onChange={(password) => put({ password })}
          autoComplete="new-password"
          secret
        />
      </div>
      <div className="mt-1 flex flex-wrap items-center gap-x-3">
        <RoleTicks offered={ROLES} roles={roles} onChange={setRoles} />
      </div>
      <div className="mt-2 flex gap-2">
        <Button type="submit" tone="main" disabled={missing || add.isPending || roles.length === 0}>
          Add
        </Button>
        {onCancel && (
          <Button tone="quiet" onClick={onCancel}>
            Cancel
          </Button>
        )}
      </div>
      {add.isError && <Refusal error={add.error} className="mt-2" />}
    </form>
  );
}
