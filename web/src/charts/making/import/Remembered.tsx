import { useForgetAnswers, useImportAnswers } from "../../../api/bench";
import type { Projection, Room } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { Refusal } from "../../../ui/Notice";
import { projectionName, SUPPORT } from "../../../ui/words";

const ABOUT: Record<string, string> = {
  projection: "View",
  support: "Support",
  receptor: "Receptor",
  chamber: "Chambers",
};

/** What the department answered of its own words in earlier files: each can be forgotten, and is then asked again. */
export function Remembered({ room, projections }: { room: Room; projections: Projection[] }) {
  const kept = useImportAnswers();
  const forget = useForgetAnswers();
  const answers = Object.entries(kept.data ?? {});
  if (answers.length === 0) return null;
  const meant = (about: string, answer: string) =>
    answer === "leave out"
      ? "left out"
      : about === "projection"
        ? projectionName(
            projections.find((one) => one.id === answer),
            answer,
          )
        : about === "receptor"
          ? (room.receptors.find((one) => one.id === answer)?.name ?? answer)
          : (SUPPORT[answer] ?? answer);
  const without = (gone: string) => Object.fromEntries(answers.filter(([id]) => id !== gone));
  return (
    <details className="mt-4 max-w-prose">
      <summary className="min-h-touch cursor-pointer text-ink-2">
        {answers.length} of the department&apos;s own words {answers.length === 1 ? "is" : "are"} known from
        earlier files
      </summary>
      <ul>
        {answers.map(([id, answer]) => {
          const [about = "", ...words] = id.split(":");
          return (
            <li key={id} className="flex items-center gap-3 border-b border-rule">
              <span className="w-24 text-ink-3">{ABOUT[about] ?? about}</span>
              <span className="min-w-0 flex-1">
                “{words.join(":")}” is <b>{meant(about, answer)}</b>
              </span>
              <Button
                tone="quiet"
                disabled={forget.isPending}
                aria-label={`Forget ${words.join(":")}`}
                onClick={() => forget.mutate(without(id))}
              >
                Forget
              </Button>
            </li>
          );
        })}
      </ul>
      {forget.isError && <Refusal error={forget.error} />}
      <a
        className="inline-flex min-h-touch items-center underline"
        download="answers.json"
        href={`data:application/json,${encodeURIComponent(JSON.stringify(kept.data, null, 1))}`}
      >
        As a file (JSON)
      </a>
    </details>
  );
}
