import { useState } from "react";

import { type Judged, type Task, useAnswerTask, useHint, useTaskImage } from "../api/practice";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { figure, signed } from "../ui/units";
import { Radiograph } from "../ui/Radiograph";

/** A task: what is given, the image that belongs to it, the answer, and how it was judged. */
export function TaskCard({
  task,
  inClass = null,
  onNext,
  onJudged,
  next = "Next",
  title,
}: {
  task: Task;
  inClass?: number | null;
  onNext?: (() => void) | undefined;
  onJudged?: (judged: Judged) => void;
  /** What comes after it. */
  next?: string;
  /** Said over it in place of the drill's name. */
  title?: string;
}) {
  const [answer, setAnswer] = useState<Record<string, string | number>>({});
  const [judged, setJudged] = useState<Judged | null>(null);
  const image = useTaskImage(task.has_image ? task : null);
  const hint = useHint(task);
  const send = useAnswerTask(task.drill);
  const whole = task.asked.every((one) => answer[one.name] !== undefined);
  const say = (name: string, value: string | number | null) =>
    setAnswer((before) =>
      Object.fromEntries([
        ...Object.entries(before).filter(([other]) => other !== name),
        ...(value === null ? [] : [[name, value] as const]),
      ]),
    );

  const [first, ...rest] = task.asked;
  const asked = (one: Task["asked"][number]) => (
    <AskedFor
      key={one.name}
      one={one}
      group={`${task.drill}-${task.seed}`}
      value={answer[one.name]}
      fixed={judged !== null}
      onSay={(value) => say(one.name, value)}
    />
  );

  return (
    <article
      aria-label={task.name}
      className={
        task.has_image
          ? "grid max-w-7xl gap-x-8 gap-y-3 xl:grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)]"
          : "flex max-w-4xl flex-col gap-4"
      }
    >
      <header className="flex flex-wrap items-baseline gap-x-3 xl:col-span-2">
        <h2 className="text-lead font-semibold">{title ?? task.name}</h2>
        <p className="text-note text-ink-3">
          {task.aim}
          {task.level === 1 && " Easier than usual."}
          {task.level === 3 && " Harder than usual."}
        </p>
      </header>
      <p className="text-lead xl:col-span-2">{task.given}</p>
      {task.has_image &&
        (image.isError ? (
          <Refusal error={image.error} />
        ) : image.data ? (
          <div>
            {image.data.ei != null && (
              <p className="mb-1 text-ink-2">
                Index {figure(image.data.ei)}, DI <b>{signed(image.data.di ?? 0)}</b>
                {!image.data.recognised && ", the field was not recognised"}
              </p>
            )}
            <Radiograph
              picture={image.data.picture}
              // What is to be seen is said once it was answered.
              label={judged ? `The image of this task. ${judged.worked}` : "The image of this task"}
              tall="max(20rem, 100vh - 20rem)"
            />
          </div>
        ) : (
          <Waiting what="the image" />
        ))}
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!whole || judged) return;
          send.mutate(
            {
              seed: task.seed,
              level: task.level,
              answer,
              hinted: hint.data !== undefined,
              in_class: inClass,
            },
            {
              onSuccess: (found) => {
                setJudged(found);
                onJudged?.(found);
              },
            },
          );
        }}
      >
        {/* The longest list of causes beside what follows from it: all is seen at once. */}
        <div className={rest.length > 0 ? "grid gap-x-6 gap-y-3 sm:grid-cols-2" : ""}>
          {first && asked(first)}
          {rest.length > 0 && <div className="flex flex-col gap-3">{rest.map(asked)}</div>}
        </div>
        {hint.data !== undefined && (
          <p className="border-l-4 border-rule-strong pl-3 text-ink-2">{hint.data}</p>
        )}
        {!judged && (
          <div className="flex gap-2">
            <Button tone="main" type="submit" disabled={!whole || send.isPending}>
              Answer
            </Button>
            {hint.data === undefined && (
              <Button tone="quiet" disabled={hint.isPending} onClick={() => hint.mutate()}>
                A hint (costs {Math.round(100 * task.hint_costs)} %)
              </Button>
            )}
          </div>
        )}
      </form>
      {(send.isError || hint.isError) && <Refusal error={send.error ?? hint.error} />}
      {judged && (
        <section
          aria-label="How it was judged"
          role="status"
          ref={(one) => one?.scrollIntoView?.({ block: "nearest" })}
          className="flex flex-col gap-2 border-t border-rule pt-3 xl:col-span-2"
        >
          <p className={`text-lead font-semibold ${judged.credit >= 0.8 ? "text-good" : "text-warn"}`}>
            {judged.credit >= 0.995 ? "Right" : judged.credit >= 0.5 ? "Partly right" : "Not right"}:{" "}
            {Math.round(100 * judged.credit)} % credit
          </p>
          <ul>
            {judged.said.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
          <p className="text-ink-2">{judged.worked}</p>
          {judged.image && (
            <div>
              <p className="mb-2">{judged.image_says}</p>
              <Radiograph picture={judged.image.picture} label={`${judged.image_says} ${judged.worked}`} />
            </div>
          )}
          {!judged.kept && <p className="text-note text-ink-3">Not kept: nobody is signed in.</p>}
          {onNext && (
            <Button tone="main" className="self-start" onClick={onNext}>
              {next}
            </Button>
          )}
        </section>
      )}
    </article>
  );
}

/** One thing that is asked for: a number, or one of some options. */
function AskedFor({
  one,
  group,
  value,
  fixed,
  onSay,
}: {
  one: Task["asked"][number];
  group: string;
  value: string | number | undefined;
  fixed: boolean;
  onSay: (value: string | number | null) => void;
}) {
  if (Object.keys(one.options).length === 0)
    return (
      <div className="w-48">
        <NumberField
          id={`answer-${one.name}`}
          label={one.label}
          unit={one.unit}
          digits={2}
          signed
          value={typeof value === "number" ? value : null}
          onChange={onSay}
        />
      </div>
    );
  return (
    <fieldset disabled={fixed}>
      <legend className="label">{one.label}</legend>
      {Object.entries(one.options).map(([option, text]) => (
        <label key={option} className="flex min-h-touch items-center gap-2">
          <input
            type="radio"
            name={`${group}-${one.name}`}
            className="h-5 w-5 shrink-0 accent-(--ink)"
            checked={value === option}
            onChange={() => onSay(option)}
          />
          {text}
        </label>
      ))}
    </fieldset>
  );
}
