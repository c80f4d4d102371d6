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
}: {
  task: Task;
  inClass?: number | null;
  onNext?: (() => void) | undefined;
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

  return (
    <article
      aria-label={task.name}
      className={
        task.has_image
          ? "grid max-w-7xl gap-x-8 gap-y-4 xl:grid-cols-[minmax(0,1fr)_24rem]"
          : "flex max-w-4xl flex-col gap-4"
      }
    >
      <header className="xl:col-span-2">
        <h2 className="text-lead font-semibold">{task.name}</h2>
        <p className="text-note text-ink-3">{task.aim}</p>
      </header>
      <p className="text-lead xl:col-span-2">{task.given}</p>
      {task.has_image &&
        (image.isError ? (
          <Refusal error={image.error} />
        ) : image.data ? (
          <div>
            <Radiograph picture={image.data.picture} label="The image of this task" />
            <p className="mt-1 text-ink-2">
              {image.data.ei != null && (
                <>
                  Index {figure(image.data.ei)}, DI <b>{signed(image.data.di ?? 0)}</b>
                  {!image.data.recognised && ", the field was not recognised"}
                </>
              )}
            </p>
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
            { seed: task.seed, answer, hinted: hint.data !== undefined, in_class: inClass },
            { onSuccess: setJudged },
          );
        }}
      >
        {task.asked.map((one) =>
          Object.keys(one.options).length === 0 ? (
            <div key={one.name} className="w-48">
              <NumberField
                id={`answer-${one.name}`}
                label={one.label}
                unit={one.unit}
                digits={2}
                signed
                value={typeof answer[one.name] === "number" ? (answer[one.name] as number) : null}
                onChange={(value) => say(one.name, value)}
              />
            </div>
          ) : (
            <fieldset key={one.name} disabled={judged !== null}>
              <legend className="label">{one.label}</legend>
              {Object.entries(one.options).map(([value, text]) => (
                <label key={value} className="flex min-h-touch items-center gap-2">
                  <input
                    type="radio"
                    name={`${task.drill}-${task.seed}-${one.name}`}
                    className="h-5 w-5 accent-(--ink)"
                    checked={answer[one.name] === value}
                    onChange={() => say(one.name, value)}
                  />
                  {text}
                </label>
              ))}
            </fieldset>
          ),
        )}
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
              <Radiograph picture={judged.image.picture} label={judged.image_says} />
            </div>
          )}
          {!judged.kept && <p className="text-note text-ink-3">Not kept: nobody is signed in.</p>}
          {onNext && (
            <Button tone="main" className="self-start" onClick={onNext}>
              Next
            </Button>
          )}
        </section>
      )}
    </article>
  );
}
