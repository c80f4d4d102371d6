import { Dialog } from "radix-ui";

import { useChoices } from "../api/queries";
import { Button } from "../ui/Button";
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

export function Help({ open, onClose }: { open: boolean; onClose: () => void }) {
  const choices = useChoices();
  const { keys } = usePreferences();
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-sunken/80" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 max-h-[92vh] w-[min(58rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-auto border border-rule-strong bg-ground p-6">
          <div className="flex items-start justify-between">
            <Dialog.Title className="text-lead">Keys and cautions</Dialog.Title>
            <Dialog.Close asChild>
              <Button tone="quiet">Close</Button>
            </Dialog.Close>
          </div>
          <Dialog.Description className="text-ink-2">
            Keys work when the cursor is not in a field. A key that is held down counts once.
          </Dialog.Description>
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
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
