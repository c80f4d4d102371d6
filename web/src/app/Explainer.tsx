import { type Ref, useEffect, useMemo, useRef, useState } from "react";

import { type GlossaryTerm, useGlossary } from "../api/queries";

const SLOW_MS = 500;
/** Where a term may stand: marked ones, and the heads and labels that name what is beside them. */
const NAMES = "[data-term], label, .label, th, dt, legend";

interface Shown {
  words: string;
  at: HTMLElement;
}

/** The words that a glossary is looked up by: "SID (measured)" or "mAs doubles every (cm)" without what is in brackets too. */
function* spellings(words: string) {
  const plain = words.trim().toLowerCase();
  yield plain;
  yield plain.replace(/\s*\(.*\)$/, "");
  yield plain.replace(/,.*$/, "");
}

export function lookUp(terms: GlossaryTerm[], words: string): GlossaryTerm | undefined {
  const known = new Map(
    terms.flatMap((one) => [one.term, one.whole, ...one.also].map((word) => [word.toLowerCase(), one])),
  );
  for (const spelling of spellings(words)) {
    const found = known.get(spelling);
    if (found && spelling !== "") return found;
  }
  return undefined;
}

const wordsOf = (node: HTMLElement) => node.dataset.term ?? node.textContent ?? "";

/** What names the thing that has the focus: a field's label, in a table its column's head, or the term itself. */
function labelOf(node: Element | null): HTMLElement | null {
  const cell = node?.closest("td");
  const head = cell?.closest("table")?.tHead?.rows[0]?.cells[cell.cellIndex];
  if (head) return head;
  if (node instanceof HTMLInputElement) return node.labels?.[0] ?? null;
  return node?.querySelector<HTMLElement>(NAMES) ?? node?.closest<HTMLElement>(NAMES) ?? null;
}

/**
 * Explains terms: a label, a head of a table or a marked word that is pointed at for half a second, a marked word with the
 * focus, and with F1 the field that has it, or the column it stands in. Where nothing has it F1 shows all words. Escape, or
 * looking away, takes it off; the pointer may move onto it.
 */
export function Explainer({ onAllWords }: { onAllWords: () => void }) {
  const [shown, setShown] = useState<Shown | null>(null);
  const [wanted, setWanted] = useState(false);
  const glossary = useGlossary(wanted);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    let timer = 0;
    const show = (at: HTMLElement, after: number) => {
      setWanted(true);
      window.clearTimeout(timer);
      timer = window.setTimeout(() => setShown({ words: wordsOf(at), at }), after);
    };
    const hide = () => {
      window.clearTimeout(timer);
      setShown(null);
    };
    const over = (event: Event) => {
      const target = event.target as HTMLElement;
      if (box.current?.contains(target)) return;
      const at = target.closest<HTMLElement>(NAMES);
      if (at) show(at, SLOW_MS);
      else hide();
    };
    const focus = (event: FocusEvent) => {
      const at = (event.target as HTMLElement).closest<HTMLElement>("[data-term]");
      if (at) show(at, 0);
      else hide();
    };
    const key = (event: KeyboardEvent) => {
      // Escape takes the explanation off, and nothing else then.
      if (event.key === "Escape" && box.current) {
        event.stopPropagation();
        hide();
      }
      if (event.key !== "F1") return;
      event.preventDefault();
      const at = labelOf(document.activeElement);
      if (at) show(at, 0);
      else onAllWords();
    };
    document.addEventListener("pointerover", over);
    document.addEventListener("focusin", focus);
    document.addEventListener("focusout", hide);
    document.addEventListener("keydown", key, true);
    window.addEventListener("scroll", hide, true);
    return () => {
      window.clearTimeout(timer);
      document.removeEventListener("pointerover", over);
      document.removeEventListener("focusin", focus);
      document.removeEventListener("focusout", hide);
      document.removeEventListener("keydown", key, true);
      window.removeEventListener("scroll", hide, true);
    };
  }, [onAllWords]);
  const term = useMemo(
    () => (shown && glossary.data ? lookUp(glossary.data, shown.words) : undefined),
    [shown, glossary.data],
  );
  return (
    <div aria-live="polite">{term && shown?.at.isConnected && <Box of={term} at={shown.at} box={box} />}</div>
  );
}

/** Under the word, or over it where it stands low on the screen. */
function Box({ of: term, at, box }: { of: GlossaryTerm; at: HTMLElement; box: Ref<HTMLDivElement> }) {
  const { left, top, bottom } = at.getBoundingClientRect();
  const below = bottom < window.innerHeight * 0.7;
  return (
    <div
      ref={box}
      role="tooltip"
      className="fixed z-60 w-80 max-w-[92vw] rounded-sm border border-rule-strong bg-raised px-3 py-2 text-note leading-snug text-ink shadow-lg"
      style={{
        left: Math.max(8, Math.min(left, window.innerWidth - 336)),
        ...(below ? { top: bottom + 6 } : { bottom: window.innerHeight - top + 6 }),
      }}
    >
      <b>{term.term}</b>
      {term.whole && <span className="text-ink-2"> ({term.whole})</span>}. {term.says}
    </div>
  );
}
