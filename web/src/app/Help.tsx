import { Dialog } from "radix-ui";
import { useState } from "react";

import { useChoices, useGlossary } from "../api/queries";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { Refusal, Waiting } from "../ui/Notice";
import { prefer, usePreferences } from "../ui/preferences";
import { Segmented } from "../ui/Segmented";

/** The keyboard map, by view. The bindings themselves live with the views; a browser test presses each of them. */
const KEYS: { view: string; keys: [string, string][] }[] = [
  {
    view: "Everywhere",
    keys: [
      ["Shift D, C, R, L, G", "Desk, Charts, Rooms, Log, Guide"],
      ["Shift P", "sign in, or hand the console over"],
      ["c", "centimetres or inches"],
      ["?", "this help"],
      ["F1", "explains the field, column or word that has the cursor; else all words"],
      ["Enter, Escape", "leave a field; Escape takes back what was typed"],
    ],
  },
  {
    view: "Desk: choose and measure",
    keys: [
      ["e", "choose the exam"],
      ["q", "next patient: everything of this one is cleared"],
      ["[ and ]", "previous, next view"],
      ["0 … 9", "type the thickness"],
      ["← →", "thickness by half a centimetre (on the ruler; with Shift by two)"],
    ],
  },
  {
    view: "Desk: set-up",
    keys: [
      ["s", "SID (measured)"],
      ["b", "next support"],
      ["g", "next grid"],
      ["r", "next receptor"],
      ["k, m", "kVp, mAs or both by hand"],
      ["t", "set-up, patient, exposure"],
      ["w, p", "what if; the picture"],
      ["v", "checks before the exposure"],
      ["x", "back to the chart's conditions"],
    ],
  },
  {
    view: "Desk: after the exposure",
    keys: [
      ["Enter", "exposed: the judging opens; once recorded, the next view"],
      ["i", "index or density that came back"],
      ["f", "simulated index (demo)"],
      ["a", "record as accepted"],
      ["j", "record as rejected: choose the reason"],
      ["n", "next view"],
      ["Escape", "back to the set-up; nothing is lost"],
    ],
  },
  {
    view: "Practice: the free room",
    keys: [
      ["e", "choose the view"],
      ["0 … 9", "type the thickness; ← → on the ruler"],
      ["k, m, s, g", "kVp, mAs, SID; next grid"],
      ["Enter", "expose"],
      ["← → ↑ ↓ on the image", "contrast, brightness; Home as at first"],
      ["i, m on the image", "inverse, magnify"],
    ],
  },
  {
    view: "Charts: the lines of a draft",
    keys: [
      ["arrows", "from cell to cell; Home, End, Page"],
      ["0 … 9, Enter", "open the cell; Enter keeps and goes down, Tab to the right"],
      ["Space", "choose the line; Ctrl A all that are shown"],
      ["Ctrl Z, Ctrl Y", "undo, redo"],
      ["Ctrl V", "a block from a spreadsheet, from the cell down and to the right"],
      ["↑ ↓ on a point", "5 % more or less mAs"],
    ],
  },
];

const PAGES = [
  { value: "keys", label: "Keys and cautions" },
  { value: "words", label: "Words" },
];
export type HelpPage = "keys" | "words";

/** Closed where no page is shown. */
export function Help({ page, onPage }: { page: HelpPage | null; onPage: (page: HelpPage | null) => void }) {
  const { theme } = usePreferences();
  return (
    <Dialog.Root open={page !== null} onOpenChange={(next) => !next && onPage(null)}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-sunken/80" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 flex h-[92vh] w-[min(58rem,94vw)] -translate-x-1/2 -translate-y-1/2 flex-col border border-rule-strong bg-ground p-6"
        >
          <div className="flex flex-wrap items-center gap-x-6 gap-y-1">
            <Dialog.Title className="text-lead">Help</Dialog.Title>
            <Segmented
              label="Page of Help"
              value={page ?? "keys"}
              options={PAGES}
              onChange={(to) => onPage(to as HelpPage)}
            />
            <Button
              tone="quiet"
              className="ml-auto sm:hidden"
              onClick={() => prefer({ theme: theme === "night" ? "day" : "night" })}
            >
              {theme === "night" ? "Day" : "Night"}
            </Button>
            <Dialog.Close asChild>
              <Button tone="quiet" className="sm:ml-auto">
                Close
              </Button>
            </Dialog.Close>
          </div>
          <div className="mt-3 min-h-0 flex-1 overflow-auto">{page === "keys" ? <Keys /> : <Words />}</div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Keys() {
  const choices = useChoices();
  const { keys } = usePreferences();
  return (
    <>
      <p className="text-ink-2">
        Keys work when the cursor is not in a field. A key that is held down counts once.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <span className="text-ink-2">Single keys</span>
        <Segmented
          label="Single keys"
          value={keys}
          options={[
            { value: "plain", label: "as they are" },
            { value: "alt", label: "with Alt" },
            { value: "off", label: "off" },
          ]}
          onChange={(next) => prefer({ keys: next === "alt" || next === "off" ? next : "plain" })}
        />
      </div>
      <div className="mt-4 grid gap-x-10 gap-y-5 md:grid-cols-2">
        {KEYS.map((group) => (
          <section key={group.view}>
            <h3 className="border-b border-rule pb-1 text-ink-2">{group.view}</h3>
            <dl>
              {group.keys.map(([key, does]) => (
                <div key={key} className="flex gap-3 py-1">
                  <dt className="w-28 shrink-0 font-semibold text-ink">{key}</dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      <section className="mt-6 border-t border-rule pt-4">
        <h3 className="text-ink-2">General cautions</h3>
        <ul className="mt-1 list-inside list-disc space-y-1">
          {choices.data?.general_cautions.map((text) => (
            <li key={text}>{text}</li>
          ))}
        </ul>
      </section>
    </>
  );
}

/** The glossary, with a field that finds a word by any of its names. */
function Words() {
  const glossary = useGlossary(true);
  const [typed, setTyped] = useState("");
  if (glossary.isError) return <Refusal error={glossary.error} />;
  if (!glossary.data) return <Waiting what="the words" />;
  const wanted = typed.trim().toLowerCase();
  const found = glossary.data.filter((one) =>
    [one.term, one.whole, one.says, ...one.also].some((text) => text.toLowerCase().includes(wanted)),
  );
  return (
    <>
      <Field id="word" label="Find a word" value={typed} onChange={setTyped} />
      {found.length === 0 && <p className="mt-3 text-ink-2">No word like “{typed.trim()}”.</p>}
      <dl className="mt-3">
        {found.map((one) => (
          <div
            key={one.term}
            className="border-t border-rule py-1.5 sm:grid sm:grid-cols-[13rem_1fr] sm:gap-4"
          >
            <dt>
              <b>{one.term}</b>
              {one.whole && <span className="block text-note text-ink-2">{one.whole}</span>}
            </dt>
            <dd className="text-ink-2">{one.says}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
