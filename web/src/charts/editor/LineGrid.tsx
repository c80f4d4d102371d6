import { type ClipboardEvent, Fragment, type KeyboardEvent, memo, useEffect, useRef, useState } from "react";

import type { LineTrust, Strip as Found } from "../../api/bench";
import type { Line, Projection, Room } from "../../api/queries";
import type { Unit } from "../../ui/units";
import { filterOf, projectionName, receptorName, SUPPORT, TRUST } from "../../ui/words";
import {
  block,
  canType,
  cellText,
  COLUMNS,
  isChild,
  isLength,
  KVP,
  pasted,
  type Typed,
  typedText,
} from "./cells";
import { IndexStrip } from "./IndexStrip";

interface Props {
  lines: Line[];
  projections: Map<string, Projection>;
  /** Undefined while they are being computed. */
  strips: Map<number, Found> | undefined;
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
  /** Rows of a pasted block that are no lines of the chart, and the column that they begin in. */
  onPast: (rows: string[][], column: number) => void;
  /** To the field that says which lines are shown. */
  onFind: () => void;
  onUndo: (() => void) | null;
  onRedo: (() => void) | null;
}

/**
 * The lines of a draft as a table to type into: arrows move, a digit or Enter opens a cell, Enter and Tab keep it and go on,
 * Escape leaves it, Space chooses the row, a block pasted from a spreadsheet fills from the cell down and to the right, Ctrl+D
 * fills the chosen rows with the cell (or the cell with what stands over it), Ctrl+C copies the chosen rows as a table.
 */
export function LineGrid(props: Props) {
  const { lines, unit, editable, chosen } = props;
  // The cursor begins on the line that is shown beside the table.
  const [at, setAt] = useState(() => ({
    row: Math.max(
      0,
      lines.findIndex((line) => line.id === props.selected),
    ),
    column: KVP,
  }));
  const [draft, showDraft] = useState<string | null>(null);
  // What is typed is kept once, though Enter and the field's loss of the cursor both ask for it.
  const typing = useRef<string | null>(null);
  const setDraft = (text: string | null) => {
    typing.current = text;
    showDraft(text);
  };
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
  const child = (line: Line) => isChild(line, props.projections.get(line.projection));
  const firstChild = lines.some((line) => !child(line)) ? lines.findIndex(child) : -1;

  const nameOf = (line: Line) => projectionName(props.projections.get(line.projection), line.projection);

  function go(to: { row: number; column: number }) {
    const last = COLUMNS.length - 1;
    const step = to.column < at.column ? -1 : 1;
    let column = Math.max(0, Math.min(last, to.column));
    // A column that a narrow screen leaves out is stepped over.
    const hidden = () => {
      const cell = table.current?.querySelector<HTMLElement>(`[data-cell="0-${column}"]`);
      return cell ? window.getComputedStyle(cell).display === "none" : false;
    };
    while (hidden() && column + step >= 0 && column + step <= last) column += step;
    const next = { row: Math.max(0, Math.min(lines.length - 1, to.row)), column };
    setAt(next);
    setDraft(null);
    const line = lines[next.row];
    if (line?.id != null) props.onSelect(line.id);
    // At once: a key that is typed before the next frame belongs to this cell.
    table.current?.querySelector<HTMLElement>(`[data-cell="${next.row}-${next.column}"]`)?.focus();
  }

  function keep() {
    const line = lines[row];
    const column = COLUMNS[at.column];
    if (typing.current === null || !line || !column) return;
    const text = typing.current.trim();
    setDraft(null);
    if (text !== "" && text !== typedText(line, column.id, unit) && canType(line, column.id))
      props.onTyped([{ line, column: column.id, text }]);
  }

  /** The cell into the chosen rows; where none is chosen, what stands over the cell into the cell. */
  function fillDown() {
    const column = COLUMNS[at.column];
    const onlyHere = chosen.size === 0;
    const from = lines[onlyHere ? row - 1 : row];
    if (!editable || !column || !from) return;
    const into = lines.filter((line, i) =>
      onlyHere ? i === row : line !== from && chosen.has(line.id ?? -1),
    );
    const text = typedText(from, column.id, unit);
    const typed = into.flatMap((line) =>
      text !== "" && canType(line, column.id) && canType(from, column.id)
        ? [{ line, column: column.id, text }]
        : [],
    );
    if (typed.length > 0) props.onTyped(typed);
  }

  function copy(event: ClipboardEvent) {
    const line = lines[row];
    const column = COLUMNS[at.column];
    if (draft !== null || !line || !column) return;
    event.preventDefault();
    const texts = (one: Line) =>
      COLUMNS.map((each) =>
        each.id === "projection"
          ? nameOf(one)
          : each.id === "mas"
            ? typedText(one, each.id, unit)
            : cellText(one, each.id, unit),
      );
    const heads = COLUMNS.map((each) => `${each.name}${isLength(each.id) ? ` (${unit})` : ""}`);
    const rows = lines.filter((one) => one.id != null && chosen.has(one.id));
    const text =
      rows.length > 0
        ? [heads, ...rows.map(texts)].map((one) => one.join("\t")).join("\n")
        : (texts(line)[at.column] ?? "");
    event.clipboardData.setData("text/plain", text);
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
            Home: [0, -COLUMNS.length],
            End: [0, COLUMNS.length],
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
    } else if (control && event.key.toLowerCase() === "d" && !editing) {
      event.preventDefault();
      fillDown();
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
    } else if (event.key === "/" && !editing) {
      event.preventDefault();
      props.onFind();
    } else if (!editing && editable && canType(line, column.id)) {
      if (event.key === "Enter" || event.key === "F2") {
        event.preventDefault();
        setDraft(typedText(line, column.id, unit));
      } else if (column.id === "exposure_control" ? /^[a-z]$/i.test(event.key) : /^[\d.,]$/.test(event.key)) {
        event.preventDefault();
        setDraft(event.key);
      }
    }
    // A letter or digit pressed here is meant for the table: none of the view's single keys runs by it.
    if (/^[a-z\d]$/.test(event.key)) event.stopPropagation();
  }

  function paste(event: ClipboardEvent) {
    if (!editable || draft !== null) return;
    event.preventDefault();
    const { cells, past } = pasted(block(event.clipboardData.getData("text")), lines, nameOf, row, at.column);
    if (cells.length > 0) props.onTyped(cells);
    if (past.length > 0) props.onPast(past, at.column);
  }

  return (
    <table
      ref={table}
      role="grid"
      aria-label="Lines of the chart"
      aria-rowcount={lines.length}
      className="w-full table-fixed border-collapse text-note"
      onKeyDown={press}
      onPaste={paste}
      onCopy={copy}
    >
      <thead className="sticky top-0 z-10 bg-ground text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="w-9 pl-1">
            <Choose
              label="Choose all lines shown"
              on={lines.length > 0 && lines.every((line) => line.id != null && chosen.has(line.id))}
              onChange={() => choose(lines.flatMap((line) => line.id ?? []))}
            />
          </th>
          {COLUMNS.map((column) => (
            <th
              key={column.id}
              className={`${column.width} py-1 ${column.id === "projection" ? "text-left" : "pr-1.5 text-right"} font-normal`}
            >
              {column.name}
              {isLength(column.id) ? `, ${unit}` : ""}
            </th>
          ))}
          <th className="hidden w-25 pr-3 pl-1 font-normal xl:table-cell">Expected DI</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line, i) => (
          <Fragment key={line.id ?? i}>
            {i === firstChild && (
              <tr className="border-b border-rule">
                <th colSpan={COLUMNS.length + 2} className="py-1 pl-11 text-left text-ink-2">
                  Children
                </th>
              </tr>
            )}
            <Row
              line={line}
              place={i}
              name={nameOf(line)}
              receptor={receptorName(props.room, line.receptor)}
              filter={line.filter ? filterOf(props.room, line.filter) : null}
              strip={line.id == null ? undefined : props.strips?.get(line.id)}
              waiting={props.strips === undefined}
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
                if (editable && cell && canType(line, cell.id)) setDraft(typedText(line, cell.id, unit));
              }}
              onChoose={() => line.id != null && choose([line.id])}
              onDraft={setDraft}
              onLeave={keep}
            />
          </Fragment>
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
  waiting: boolean;
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

const ACTIVE =
  "shadow-[inset_0_0_0_1px_var(--rule-strong)] focus:shadow-[inset_0_0_0_2px_var(--ink)] focus:outline-none";

const Row = memo(
  function Row(props: RowProps) {
    const { line, place, unit, current, chosen } = props;
    return (
      <tr className={`border-b border-rule ${current ? "bg-raised" : ""}`}>
        <td className={`border-l-4 ${current ? "border-ink" : "border-transparent"}`}>
          <Choose label={`Choose ${props.name}`} on={chosen} onChange={props.onChoose} />
        </td>
        <td
          role="gridcell"
          data-cell={`${place}-0`}
          tabIndex={props.column === 0 ? 0 : -1}
          aria-label={`Projection of ${props.name}`}
          aria-readonly
          className={`cursor-cell truncate pr-2 ${props.column === 0 ? ACTIVE : ""}`}
          title={`${props.name}, ${SUPPORT[line.support]}, ${props.receptor}`}
          onClick={() => props.onCell(0)}
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
          <span className="text-ink-3">
            {" "}
            {SUPPORT[line.support]}
            {props.trust && (
              <span title={props.trust.said} className={props.trust.trust === "model" ? "text-warn" : ""}>
                {" "}
                · {TRUST[props.trust.trust]}
              </span>
            )}
            {props.filter && `, ${props.filter}`}, {props.receptor}
          </span>
        </td>
        {COLUMNS.map((column, i) => {
          if (column.id === "projection") return null;
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
              className={`cursor-cell truncate pr-1.5 text-right ${column.width} ${column.id === "mas" || column.id === "kvp" ? "font-semibold" : ""} ${off ? "text-ink-3" : ""} ${active ? ACTIVE : ""}`}
              onClick={() => !editing && props.onCell(i)}
              onDoubleClick={() => props.onOpen(i)}
            >
              {editing ? (
                <input
                  autoFocus
                  inputMode={column.id === "exposure_control" ? "text" : "decimal"}
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
          {props.waiting ? (
            <span className="text-ink-3">computing…</span>
          ) : (
            <IndexStrip strip={props.strip} width={84} height={22} />
          )}
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
    a.waiting === b.waiting &&
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
      className="flex h-7 w-8 items-center justify-center"
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
