import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from "react";

import { type Hit, useSearch } from "../api/queries";
import { Key } from "./Button";

interface Props {
  id: string;
  label: string;
  /** What stands in the field while nobody types. */
  shown: string;
  hint?: string;
  /** Where outside checks find the field. */
  part?: string;
  only?: Hit["kind"];
  onPick: (hit: Hit) => void;
  /** What stands behind a hit that is not as it should be, as "no line here". */
  mark?: (hit: Hit) => string;
  /** Shown under an empty query. */
  idle?: (close: () => void) => ReactNode;
  className?: string;
}

/** A field that finds exams and views while one types; arrows choose, Enter takes, Escape leaves. */
export function Finder({
  id,
  label,
  shown,
  hint,
  part,
  only,
  onPick,
  mark: markOf,
  idle,
  className = "",
}: Props) {
  const [query, setQuery] = useState("");
  const [open, setOpen] = useState(false);
  const [mark, setMark] = useState(0);
  const box = useRef<HTMLDivElement>(null);
  const field = useRef<HTMLInputElement>(null);
  const found = useSearch(open ? query : "");
  const hits = (query.trim() ? (found.data ?? []) : []).filter((hit) => !only || hit.kind === only);
  // Until the answer to what stands in the field is here, the list is that of a letter before: Enter waits for it.
  const behind = query.trim() !== "" && (found.isPlaceholderData || found.isPending);
  const taking = useRef(false);

  useEffect(() => {
    if (!open) return;
    function away(event: PointerEvent) {
      if (!box.current?.contains(event.target as Node)) close();
    }
    window.addEventListener("pointerdown", away);
    return () => window.removeEventListener("pointerdown", away);
  }, [open]);

  useEffect(() => {
    if (!taking.current || behind) return;
    taking.current = false;
    pick(hits[0]);
  });

  function close() {
    setOpen(false);
    setQuery("");
    setMark(0);
    taking.current = false;
    field.current?.blur();
  }

  function pick(hit: Hit | undefined) {
    if (!hit) return;
    close();
    onPick(hit);
  }

  function key(event: KeyboardEvent) {
    if (event.key === "Escape") close();
    else if (event.key === "ArrowDown") setMark(Math.min(mark + 1, hits.length - 1));
    else if (event.key === "ArrowUp") setMark(Math.max(mark - 1, 0));
    else if (event.key === "Enter" && behind) taking.current = true;
    else if (event.key === "Enter") pick(hits[mark]);
    else return;
    event.preventDefault();
  }

  const list = `${id}-list`;
  return (
    <div ref={box} className={`relative ${className}`}>
      <div className="flex items-center gap-2 rounded-sm border border-rule-strong px-2.5 focus-within:border-ink">
        <input
          ref={field}
          id={id}
          data-part={part}
          role="combobox"
          aria-label={label}
          aria-expanded={open}
          aria-controls={list}
          aria-autocomplete="list"
          aria-activedescendant={open && hits[mark] ? `${list}-${mark}` : undefined}
          autoComplete="off"
          spellCheck={false}
          className="min-h-touch min-w-0 flex-1 bg-transparent font-semibold outline-none focus:font-normal"
          value={open ? query : shown}
          placeholder={open ? "Type: chest, knee lat, towne…" : label}
          onFocus={() => setOpen(true)}
          onClick={() => setOpen(true)}
          onChange={(event) => {
            setQuery(event.currentTarget.value);
            setMark(0);
            taking.current = false;
          }}
          onBlur={(event) => {
            if (!box.current?.contains(event.relatedTarget)) close();
          }}
          onKeyDown={key}
        />
        {hint && <Key>{hint}</Key>}
      </div>
      {open && (
        <div className="absolute top-full left-0 z-40 mt-1 max-h-[70vh] w-[30rem] max-w-[90vw] overflow-auto rounded-sm border border-rule-strong bg-raised p-1 shadow-lg">
          <ul id={list} role="listbox" aria-label={label} aria-busy={behind}>
            {hits.map((hit, i) => (
              <li
                key={`${hit.kind} ${hit.id}`}
                id={`${list}-${i}`}
                role="option"
                aria-selected={i === mark}
                onPointerMove={() => setMark(i)}
                onPointerDown={(event) => {
                  event.preventDefault();
                  pick(hit);
                }}
                className={`flex min-h-touch cursor-default items-center gap-3 rounded-xs px-3 ${i === mark ? "bg-sunken text-ink outline outline-rule-strong" : ""}`}
              >
                <span className="w-10 shrink-0 text-note text-ink-3">
                  {hit.kind === "exam" ? "Exam" : "View"}
                </span>
                <span className="min-w-0 flex-1 truncate">{hit.title}</span>
                {markOf?.(hit) && <span className="shrink-0 text-note text-warn">{markOf(hit)}</span>}
              </li>
            ))}
          </ul>
          {query.trim() && found.data && hits.length === 0 && (
            <p className="px-3 py-2 text-ink-2">Nothing like “{query.trim()}”. Try the part of the body.</p>
          )}
          {!query.trim() &&
            (idle?.(close) ?? <p className="px-3 py-2 text-ink-3">Type a name or an abbreviation.</p>)}
        </div>
      )}
    </div>
  );
}
