import { type ReactNode, useEffect, useRef } from "react";
import { Link, useSearchParams } from "react-router";

import { useSession } from "../api/queries";
import { type Setup, type StepName, useSetup } from "../api/setup";
import { useTitle } from "../ui/address";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { Administrator } from "./Administrator";
import { ApprovalStep, ChartStep, DeskStep } from "./FirstChart";
import { ReadingsStep, RoomStep } from "./FirstRoom";
import { DepartmentStep } from "./DepartmentStep";
import { PeopleStep } from "./PeopleStep";

const TITLE: Record<StepName, string> = {
  administrator: "Who sets it up",
  department: "Department",
  people: "People",
  room: "Room",
  readings: "Output",
  chart: "Chart",
  approval: "Approval",
  desk: "Desk",
};

/** From an empty server to the first technique: each step says what is there; any can be left and taken up again. */
export function SetupPage() {
  const setup = useSetup();
  useTitle("Set up");
  const [words, setWords] = useSearchParams();
  if (setup.isError) return <Refusal error={setup.error} className="m-6" />;
  if (!setup.data)
    return (
      <div className="p-6">
        <Waiting what="how far the department is" />
      </div>
    );
  const { steps } = setup.data;
  // While nobody may sign in there is one thing to do; else what was asked for, or the first thing that is needed.
  const wanted = setup.data.open ? "administrator" : words.get("step");
  const at =
    steps.find((one) => one.name === wanted) ?? steps.find((one) => !one.done && one.needed) ?? steps.at(-1);
  const go = (name: StepName) => setWords({ step: name });
  const next = at && steps[steps.indexOf(at) + 1];
  return (
    <div className="mx-auto grid w-full max-w-6xl grid-cols-1 gap-8 px-5 py-6 md:grid-cols-[17rem_minmax(0,1fr)]">
      <nav aria-label="Steps">
        <h1 className="text-lead">Set up{setup.data.department.name && ` ${setup.data.department.name}`}</h1>
        <p className="mt-1 text-note text-ink-3">
          In this order it goes quickest. Leave it when you want to: what is done stays.
        </p>
        <ol className="mt-3">
          {steps.map((one, i) => (
            <li key={one.name}>
              <button
                type="button"
                disabled={setup.data.open && one.name !== "administrator"}
                aria-current={one.name === at?.name ? "step" : undefined}
                onClick={() => go(one.name)}
                className={`flex w-full gap-3 border-l-4 px-2 py-2 text-left enabled:hover:bg-raised disabled:opacity-60 ${one.name === at?.name ? "border-ink bg-raised" : "border-transparent"}`}
              >
                <span
                  aria-hidden
                  className={`w-4 shrink-0 text-center ${one.done ? "text-good" : "text-ink-3"}`}
                >
                  {one.done ? "✓" : i + 1}
                </span>
                <span className="min-w-0">
                  <b className="font-semibold">{TITLE[one.name]}</b>
                  {!one.done && !one.needed && <span className="text-note text-ink-3"> can wait</span>}
                  <span className="sr-only">{one.done ? ", done" : ""}</span>
                  <span className="block text-note break-words text-ink-2">{one.says}</span>
                </span>
              </button>
            </li>
          ))}
        </ol>
      </nav>
      {at && (
        <Step
          key={at.name}
          title={TITLE[at.name]}
          after={next && !setup.data.open ? { title: TITLE[next.name], go: () => go(next.name) } : undefined}
          done={at.done || !at.needed}
        >
          <Body name={at.name} setup={setup.data} onNext={() => next && go(next.name)} />
        </Step>
      )}
    </div>
  );
}

function Body({ name, setup, onNext }: { name: StepName; setup: Setup; onNext: () => void }) {
  const { data: session } = useSession();
  if (setup.open) return <Administrator onDone={onNext} />;
  if (!session?.person)
    return (
      <p className="mt-3">
        <Link
          className="inline-flex min-h-touch items-center font-semibold underline"
          to={`/sign-in?back=${encodeURIComponent(`/setup?step=${name}`)}`}
        >
          Sign in
        </Link>{" "}
        to go on: what is set up carries a name.
      </p>
    );
  switch (name) {
    case "administrator":
      return (
        <p className="mt-3 text-ink-2">Somebody may sign in: that is done. Others are added under People.</p>
      );
    case "department":
      return <DepartmentStep now={setup.department} onDone={onNext} />;
    case "people":
      return <PeopleStep />;
    case "room":
      return <RoomStep onDone={onNext} />;
    case "readings":
      return <ReadingsStep />;
    case "chart":
      return <ChartStep department={setup.department} />;
    case "approval":
      return <ApprovalStep />;
    case "desk":
      return <DeskStep ready={setup.ready} />;
  }
}

/** The step in hand; the cursor goes to its head, so that a keyboard goes on from there. */
function Step({
  title,
  after,
  done,
  children,
}: {
  title: string;
  after: { title: string; go: () => void } | undefined;
  done: boolean;
  children: ReactNode;
}) {
  const head = useRef<HTMLHeadingElement>(null);
  useEffect(() => head.current?.focus(), []);
  return (
    <section aria-label={title} className="min-w-0">
      <h2 ref={head} tabIndex={-1} className="border-b border-rule-strong pb-1 text-lead outline-none">
        {title}
      </h2>
      {children}
      {after && (
        <div className="mt-6 border-t border-rule pt-3">
          <Button tone={done ? "main" : "quiet"} onClick={after.go}>
            {done ? `Next: ${after.title}` : `Later: go on to ${after.title}`}
          </Button>
        </div>
      )}
    </section>
  );
}
