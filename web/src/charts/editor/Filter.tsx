import { DropdownMenu } from "radix-ui";

import type { Line, Projection } from "../../api/queries";
import { buttonClass } from "../../ui/Button";
import { supportWords, TRUST } from "../../ui/words";
import { isChild } from "./cells";

/** What there is to show only: for whom, regions, supports and trust; each is a word in the field beside it. */
export function Filter({
  lines,
  projections,
  words,
  onWords,
}: {
  lines: Line[];
  projections: Map<string, Projection>;
  words: string;
  onWords: (words: string) => void;
}) {
  const of = (line: Line) => projections.get(line.projection);
  const once = (all: string[]) => [...new Set(all)];
  const groups = [
    { name: "For whom", words: once(lines.map((line) => (isChild(line, of(line)) ? "children" : "adults"))) },
    { name: "Region", words: once(lines.flatMap((line) => of(line)?.region?.replace("_", " ") ?? [])) },
    { name: "Support", words: once(lines.map((line) => supportWords(line.support))) },
    { name: "Trust", words: Object.values(TRUST) },
  ].filter((one) => one.words.length > 1);
  const has = (word: string) => words.toLowerCase().includes(word.toLowerCase());
  const turn = (word: string) =>
    onWords(
      has(word)
        ? words.toLowerCase().replace(word.toLowerCase(), "").replace(/\s+/g, " ").trim()
        : `${words} ${word}`.trim(),
    );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={buttonClass("quiet")}>Filter</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-50 grid max-h-(--radix-dropdown-menu-content-available-height) grid-cols-2 gap-x-4 overflow-y-auto rounded-sm border border-rule-strong bg-raised p-2 shadow-lg"
        >
          {groups.map((group) => (
            <DropdownMenu.Group key={group.name} className="min-w-40">
              <DropdownMenu.Label className="px-2 pt-1 text-note text-ink-3">{group.name}</DropdownMenu.Label>
              {group.words.map((word) => (
                <DropdownMenu.CheckboxItem
                  key={word}
                  checked={has(word)}
                  onCheckedChange={() => turn(word)}
                  onSelect={(event) => event.preventDefault()}
                  className="flex min-h-8 items-center gap-2 px-2 data-highlighted:bg-sunken data-highlighted:outline-1 data-highlighted:outline-rule-strong"
                >
                  <span aria-hidden className="w-3">
                    <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
                  </span>
                  {word}
                </DropdownMenu.CheckboxItem>
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
