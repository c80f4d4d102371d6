import { type ClipboardEvent, type KeyboardEvent, memo, useEffect, useRef, useState } from "react";

import type { LineTrust, Strip as Found } from "../../api/bench";
import type { Line, Projection, Room } from "../../api/queries";
import { toCm, typed, type Unit } from "../../ui/units";
import { controlWords, filterOf, projectionName, receptorName, SUPPORT, TRUST } from "../../ui/words";
import { canType, cellText, cellValue, COLUMNS, isLength, pasted, shown, type Typed } from "./cells";
import { IndexStrip } from "./IndexStrip";

interface Props {
  lines: Line[];
  projections: Map<string, Projection>;
  strips: Map<number, Found>;
  trust: Map<number, LineTrust>;
  marks: Map<number, string>;
  room: Room;
  unit: Unit;
  editable: boolean;
  selected: number | null;
  chosen: ReadonlySet<number>;
  onSelect: (line: number) => void;
  onChoose: (change: (now: ReadonlySet<number>) => ReadonlySet<number>) => void;
  onTyped: (cells: Typed[]) => void;
  onUndo: (() => void) | null;
  onRedo: (() => void) | null;
}

/**
 * The lines of a draft as a table to type into: arrows move, a digit or Enter opens a cell, Enter and Tab keep it and go on,
 * Escape leaves it, Space chooses the row, a block pasted from a spreadsheet fills from the cell down and to the right.
 */
export function LineGrid(props: Props) {
  const { lines, unit, editable, chosen } = props;
  // The cursor begins on the line that is shown beside the table.
  const [at, setAt] = useState(() => ({
    row: Math.max(
      0,
      lines.findIndex((line) => line.id === props.selected),
    ),
    column: 3,
  }));
  const [draft, setDraft] = useState<string | null>(null);
  const table = useRef<HTMLTableElement>(null);
  useEffect(() => {
    if (at.row > 0)
      table.current
        ?.querySelector(`[data-cell="${at.row}-${at.column}"]`)
        ?.scrollIntoView({ block: "center" });
    // Only where the table opens: after that the cursor is moved by the person.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const row = Math.min(at.row, Math.max(0, lines.length - 1));

  function go(to: { row: number; column: number }) {
    const next = {
      row: Math.max(0, Math.min(lines.length - 1, to.row)),
      column: Math.max(0, Math.min(COLUMNS.length - 1, to.column)),
    };
    setAt(next);
    setDraft(null);
    const line = lines[next.row];
    if (line?.id != null) props.onSelect(line.id);
    window.requestAnimationFrame(() =>
      table.current?.querySelector<HTMLElement>(`[data-cell="${next.row}-${next.column}"]`)?.focus(),
    );
  }

  function keep(): boolean {
    const line = lines[row];
    const column = COLUMNS[at.column];
    if (draft === null || !line || !column) return true;
    const value = typed(draft);
    setDraft(null);
    if (value === null) return false;
    const own = isLength(column.id) ? toCm(value, unit) : value;
    if (own !== cellValue(line, column.id)) props.onTyped([{ line, column: column.id, value: own }]);
    return true;
  }

  function choose(ids: number[]) {
    props.onChoose((now) => {
      const next = new Set(now);
      const all = ids.every((id) => next.has(id));
      for (const id of ids) {
        if (all) next.delete(id);
        else next.add(id);
      }
      return next;
    });
  }

  function press(event: KeyboardEvent) {
    const line = lines[row];
    const column = COLUMNS[at.column];
    if (!line || !column) return;
    const editing = draft !== null;
    const moves: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ...(editing
        ? {}
        : {
            ArrowLeft: [0, -1],
            ArrowRight: [0, 1],
            Home: [0, -9],
            End: [0, 9],
            PageUp: [-12, 0],
            PageDown: [12, 0],
          }),
    };
    const move = moves[event.key];
    const control = event.ctrlKey || event.metaKey;
    if (control && event.key.toLowerCase() === "z") {
      event.preventDefault();
      (event.shiftKey ? props.onRedo : props.onUndo)?.();
    } else if (control && event.key.toLowerCase() === "y") {
      event.preventDefault();
      props.onRedo?.();
    } else if (control && event.key.toLowerCase() === "a" && !editing) {
      event.preventDefault();
      choose(lines.flatMap((one) => one.id ?? []));
    } else if (control || event.altKey) {
      return;
    } else if (move) {
      event.preventDefault();
      keep();
      go({ row: row + move[0], column: at.column + move[1] });
    } else if (event.key === "Enter" && editing) {
      event.preventDefault();
      keep();
      go({ row: row + 1, column: at.column });
    } else if (event.key === "Tab" && editing) {
      event.preventDefault();
      keep();
      go({ row, column: at.column + (event.shiftKey ? -1 : 1) });
    } else if (event.key === "Escape" && editing) {
      event.stopPropagation();
      go(at);
    } else if (event.key === " " && !editing && line.id != null) {
      event.preventDefault();
      choose([line.id]);
    } else if (!editing && editable && canType(line, column.id)) {
      if (event.key === "Enter" || event.key === "F2") {
        event.preventDefault();
        const value = cellValue(line, column.id);
        setDraft(value === null ? "" : shown(value, column.id, unit));
      } else if (/^[\d.,]$/.test(event.key)) {
        event.preventDefault();
        event.stopPropagation();
        setDraft(event.key);
      }
    }
  }

  function paste(event: ClipboardEvent) {
    if (!editable || draft !== null) return;
    event.preventDefault();
    const cells = pasted(event.clipboardData.getData("text"), lines, row, at.column, unit);
    if (cells.length > 0) props.onTyped(cells);
  }

  return (
    <table
      ref={table}
      role="grid"
      aria-label="Lines of the chart"
      aria-rowcount={lines.length}
      className="w-full border-collapse"
      onKeyDown={press}
      onPaste={paste}
    >
      <thead className="sticky top-0 z-10 bg-ground text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="w-10 pl-2">
            <Choose
              label="Choose all lines shown"
              on={lines.length > 0 && lines.every((line) => line.id != null && chosen.has(line.id))}
              onChange={() => choose(lines.flatMap((line) => line.id ?? []))}
            />
          </th>
          <th className="py-1.5 font-normal">Projection</th>
          {COLUMNS.map((column) => (
            <th key={column.id} className={`${column.width} pr-2 text-right font-normal`}>
              {column.name}
              {isLength(column.id) ? `, ${unit}` : ""}
            </th>
          ))}
          <th className="hidden w-34 pr-3 pl-1 font-normal xl:table-cell">Expected DI</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line, i) => (
          <Row
            key={line.id ?? i}
            line={line}
            place={i}
            name={projectionName(props.projections.get(line.projection), line.projection)}
            receptor={receptorName(props.room, line.receptor)}
            filter={line.filter ? filterOf(props.room, line.filter) : null}
            strip={line.id == null ? undefined : props.strips.get(line.id)}
            trust={line.id == null ? undefined : props.trust.get(line.id)}
            mark={line.id == null ? undefined : props.marks.get(line.id)}
            unit={unit}
            editable={editable}
            current={line.id === props.selected}
            chosen={line.id != null && chosen.has(line.id)}
            column={i === row ? at.column : null}
            draft={i === row ? draft : null}
            onCell={(column) => go({ row: i, column })}
            onOpen={(column) => {
              go({ row: i, column });
              const cell = COLUMNS[column];
              const value = cell && cellValue(line, cell.id);
              if (editable && cell && canType(line, cell.id) && value != null)
                setDraft(shown(value, cell.id, unit));
            }}
            onChoose={() => line.id != null && choose([line.id])}
            onDraft={setDraft}
            onLeave={keep}
          />
        ))}
      </tbody>
    </table>
  );
}

interface RowProps {
  line: Line;
  place: number;
  name: string;
  receptor: string;
  filter: string | null;
  strip: Found | undefined;
  trust: LineTrust | undefined;
  mark: string | undefined;
  unit: Unit;
  editable: boolean;
  current: boolean;
  chosen: boolean;
  column: number | null;
  draft: string | null;
  onCell: (column: number) => void;
  onOpen: (column: number) => void;
  onChoose: () => void;
  onDraft: (text: string) => void;
  onLeave: () => void;
}

const Row = memo(
  function Row(props: RowProps) {
    const { line, place, unit, current, chosen } = props;
    return (
      <tr className={`border-b border-rule ${current ? "bg-raised" : ""}`}>
        <td className={`border-l-4 ${current ? "border-ink" : "border-transparent"}`}>
          <Choose label={`Choose ${props.name}`} on={chosen} onChange={props.onChoose} />
        </td>
        <td className="py-0.5 pr-2">
          <button
            type="button"
            className="min-h-touch w-full text-left leading-tight"
            onClick={() => props.onCell(3)}
          >
            <b className="font-semibold">{props.name}</b>
            {line.link && (
              <span className="text-note text-ink-2" title="Follows another line">
                {" "}
                ↳ follows
              </span>
            )}
            {props.mark && (
              <span className="text-note text-warn" title={props.mark}>
                {" "}
                ! {props.mark}
              </span>
            )}
            <span className="block max-w-64 truncate text-note text-ink-3">
              {props.trust && (
                <span title={props.trust.said} className={props.trust.trust === "model" ? "text-warn" : ""}>
                  {TRUST[props.trust.trust]} ·{" "}
                </span>
              )}
              {SUPPORT[line.support]}, {controlWords(line) && `${controlWords(line)}, `}
              {props.filter && `${props.filter}, `}
              {props.receptor}
            </span>
          </button>
        </td>
        {COLUMNS.map((column, i) => {
          const active = props.column === i;
          const editing = active && props.draft !== null;
          const off = !canType(line, column.id);
          return (
            <td
              key={column.id}
              role="gridcell"
              data-cell={`${place}-${i}`}
              tabIndex={active && !editing ? 0 : -1}
              aria-label={`${column.name} of ${props.name}`}
              aria-readonly={!props.editable || off}
              className={`cursor-cell pr-2 text-right whitespace-nowrap ${column.id === "mas" || column.id === "kvp" ? "font-semibold" : ""} ${off ? "text-ink-3" : ""} ${active ? "shadow-[inset_0_0_0_1px_var(--rule-strong)] focus:shadow-[inset_0_0_0_2px_var(--ink)] focus:outline-none" : ""}`}
              onClick={() => !editing && props.onCell(i)}
              onDoubleClick={() => props.onOpen(i)}
            >
              {editing ? (
                <input
                  autoFocus
                  inputMode="decimal"
                  aria-label={`${column.name} of ${props.name}`}
                  className="w-full bg-sunken text-right outline-2 outline-ink"
                  value={props.draft ?? ""}
                  onChange={(event) => props.onDraft(event.currentTarget.value)}
                  onBlur={props.onLeave}
                />
              ) : (
                cellText(line, column.id, unit)
              )}
            </td>
          );
        })}
        <td className="hidden pr-3 pl-1 xl:table-cell">
          <IndexStrip strip={props.strip} width={124} height={26} />
        </td>
      </tr>
    );
  },
  (a, b) =>
    a.line === b.line &&
    a.place === b.place &&
    a.name === b.name &&
    a.receptor === b.receptor &&
    a.strip === b.strip &&
    a.mark === b.mark &&
    a.trust === b.trust &&
    a.filter === b.filter &&
    a.unit === b.unit &&
    a.editable === b.editable &&
    a.current === b.current &&
    a.chosen === b.chosen &&
    a.column === b.column &&
    a.draft === b.draft &&
    // The handlers of a row with the cursor look at what is typed; those of the others at nothing that changes.
    a.column === null,
);

export function Choose({ label, on, onChange }: { label: string; on: boolean; onChange: () => void }) {
  return (
    <button
      type="button"
      role="checkbox"
      aria-checked={on}
      aria-label={label}
      tabIndex={-1}
      className="flex h-10 w-8 items-center justify-center"
      onClick={onChange}
    >
      <span
        aria-hidden
        className={`flex h-4.5 w-4.5 items-center justify-center rounded-xs border text-note ${on ? "border-ink text-ink" : "border-rule-strong"}`}
      >
        {on ? "✓" : ""}
      </span>
    </button>
  );
}
