import { useAgreement, usePeople } from "../api/bench";
import { useMay } from "../api/queries";
import { NotYours } from "../people/NotYours";
import { NewPerson } from "../people/People";
import { Refusal, Waiting } from "../ui/Notice";
import { ROLE } from "../ui/words";

/** Who works here. Two are needed at least where another than its author approves a chart. */
export function PeopleStep() {
  const mayAdd = useMay("admin");
  const people = usePeople(mayAdd);
  const agreement = useAgreement();
  if (!mayAdd) return <NotYours whoDoes="An administrator adds people." toDo="to add people" />;
  if (people.isError) return <Refusal error={people.error} />;
  if (!people.data) return <Waiting what="the people" />;
  const approvers = people.data.filter((one) => one.roles.includes("physicist"));
  return (
    <div className="mt-3">
      <p className="max-w-prose text-ink-2">
        {agreement.data?.another_approves
          ? "A chart is approved by a physicist who did not write it: whoever drafts and whoever approves are two."
          : "Whoever may approve may approve their own chart here."}{" "}
        Technologists record exposures; trainees practise.
      </p>
      <ul className="mt-3 max-w-2xl border-t border-rule">
        {people.data.map((one) => (
          <li key={one.id} className="flex gap-3 border-b border-rule py-1.5">
            <b className="w-44 font-semibold">{one.name}</b>
            <span className="text-ink-2">{one.roles.map((role) => ROLE[role]?.name ?? role).join(", ")}</span>
          </li>
        ))}
      </ul>
      {/* A fresh form once the last person stands in the list. */}
      <NewPerson key={people.data.length} usual={approvers.length < 2 ? ["physicist"] : ["technologist"]} />
    </div>
  );
}
