"""`oakbeam chart …`: build, import, check, level, compare, adapt, convert and print charts from a shell.

A chart is named by its id in the database, or by a file (csv, xlsx, json) with --room for the room it is for. JSON goes out.
Exit code 0: nothing to do; 1: there are findings, drift or differences; 2: refused, with problem details.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from oakbeam.api.chart_making import BuildIn, build_chart
from oakbeam.api.corrections import corrected_draft
from oakbeam.api.printing import printed
from oakbeam.catalogue import Catalogue
from oakbeam.core.chart_check import level
from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.chart_check.register import Finding
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.chart_making import adapt, compare
from oakbeam.core.chart_making.systems import SYSTEMS
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.lengths import LENGTH_UNITS
from oakbeam.formats import chart_csv, chart_import, chart_json, chart_xlsx
from oakbeam.formats.chart_pdf import Printing
from oakbeam.store import Store, calibrations, charts, local, rooms

ACTOR = "command line"
FORMATS = ("csv", "xlsx", "json")
Run = Callable[[argparse.Namespace, Store], int]


def add_to(commands: Any, run: Callable[[Run], Callable[[argparse.Namespace], int]]) -> None:
    """Add the group to the parser's commands; run opens the database for a command."""
    group = commands.add_parser("chart", help="Build, check, compare, adapt, convert and print charts.")
    kinds = group.add_subparsers(required=True, metavar="what")

    def add(name: str, what: Run, text: str) -> argparse.ArgumentParser:
        command: argparse.ArgumentParser = kinds.add_parser(name, help=text, description=text)
        command.set_defaults(run=run(what))
        return command

    build = add("build", _build, "A whole chart from test exposures in JSON on standard input.")
    build.add_argument("room")
    build.add_argument("--school", choices=tuple(SYSTEMS))
    build.add_argument("--save", metavar="NAME", help="keep it as a draft of the room's next version")
    correct = add("correct", _correct, "The lines that are off since the room was calibrated, corrected in one draft.")
    correct.add_argument("room")
    says = "What is wrong with a chart, why, and what to do; exit code 1 where anything is."
    for name in ("check", "lint"):
        _with_chart(add(name, _check, says)).add_argument("--errors-only", action="store_true")
    level = _with_chart(
        add(
            "level", _level, "The expected deviation index of each line over thickness; exit code 1 where one is off target."
        )
    )
    level.add_argument("--fix", action="store_true", help="say the smallest changes that level it, too")
    compare = _with_chart(add("compare", _compare, "Two charts line by line; exit code 1 where they differ."))
    compare.add_argument("other")
    compare.add_argument("--other-room", help="the room that the other file is for, where it is another")
    reading = add(
        "import",
        _import,
        "Another's file of a chart: how it is read, what it asks, the lines; exit code 1 where something is open.",
    )
    reading.add_argument("file", type=Path, help="a csv, txt or xlsx file, of any office")
    reading.add_argument("--room", required=True, help="the room that the chart is for")
    reading.add_argument("--answers", type=Path, metavar="FILE", help="answers in JSON: the question's id, and the answer")
    reading.add_argument("--preview", action="store_true", help="say it and keep nothing, as without --save")
    reading.add_argument("--save", metavar="NAME", help="keep the lines as a draft once nothing is open")
    adapting = _with_chart(add("adapt", _adapt, "A chart adapted to another room, each line with its factors."))
    adapting.add_argument("to")
    adapting.add_argument("--save", metavar="NAME", help="keep it as a draft of that room's next version")
    convert = _with_chart(add("convert", _convert, "Write a chart as csv, xlsx or json, by the target's ending."))
    convert.add_argument("target", type=Path)
    printing = _with_chart(add("print", _print_chart, "Write a chart as PDF."))
    printing.add_argument("target", type=Path)
    printing.add_argument("--kind", choices=("wall", "booklet", "card"), default="wall")
    printing.add_argument("--paper", choices=("a3", "a4"), default="a4")
    printing.add_argument("--landscape", action="store_true")
    printing.add_argument("--rows", choices=("sizes", "steps"), default="sizes")
    printing.add_argument("--pages", choices=("few", "region"), default="few")
    printing.add_argument("--used", action="store_true", help="only views that the room uses")
    printing.add_argument("--unit", choices=LENGTH_UNITS, help="of lengths; the room's own unless given")


def _with_chart(command: argparse.ArgumentParser) -> argparse.ArgumentParser:
    command.add_argument("chart", help="a chart's id, or a csv, xlsx or json file")
    command.add_argument("--room", help="the room that a file is for")
    return command


def _found(store: Store, named: str, room_id: str | None) -> tuple[Chart, Room, Catalogue]:
    """The chart of an id or a file, the room it is for, and the catalogue."""
    known = local.catalogue_of(store)
    if named.isdigit():
        chart = charts.get(store, int(named))
        return chart, rooms.get(store, chart.room), known
    path = Path(named)
    kind = _format(path)
    if not path.is_file():
        raise Refusal("No such file", f"There is no file '{path.name}'.", None, "chart")
    if kind == "json":
        chart = chart_json.read(path.read_text(encoding="utf-8"))
        room = rooms.get(store, room_id or chart.room)
        lines = tuple(check_line(line, known.projection(line.projection), room) for line in chart.lines)
        return replace(chart, lines=lines, room=room.id), room, known
    if room_id is None:
        raise Refusal("Which room", "Say with --room for which room the file is.", None, "room")
    room = rooms.get(store, room_id)
    if kind == "csv":
        lines = chart_csv.read(path.read_text(encoding="utf-8"), room, known)
    else:
        lines = chart_xlsx.read(path.read_bytes(), room, known)
    return Chart(0, room.id, path.stem, 1, "draft", "average", lines), room, known


def _format(path: Path) -> str:
    ending = path.suffix.lower().lstrip(".")
    if ending not in FORMATS:
        raise Refusal("Unknown format", f"'{path.name}' should end in .csv, .xlsx or .json.", list(FORMATS), "chart")
    return ending


def _out(value: object, kind: Any = None) -> None:
    adapter: TypeAdapter[Any] = TypeAdapter(kind or type(value))
    print(adapter.dump_json(value, indent=1).decode())


def _build(given: argparse.Namespace, store: Store) -> int:
    asked = BuildIn.model_validate_json(sys.stdin.buffer.read())
    if given.school:
        asked = asked.model_copy(update={"school": given.school})
    built = build_chart(store, given.room, asked)
    _out(built)
    if given.save:
        _keep(store, given.room, given.save, [draft.line for draft in built.drafts])
    return 0


def _correct(given: argparse.Namespace, store: Store) -> int:
    draft = corrected_draft(store, given.room, ACTOR)
    _out({"chart": draft.id, "version": draft.version, "status": draft.status})
    return 0


def _check(given: argparse.Namespace, store: Store) -> int:
    chart, room, known = _found(store, given.chart, given.room)
    moved = calibrations.moved_by_key(store, room.id, chart.lines)
    findings = [
        one
        for one in check_chart(chart.lines, room, known.projections, moved)
        if one.severity == "error" or not given.errors_only
    ]
    _out(findings, list[Finding])
    return 1 if findings else 0


def _level(given: argparse.Namespace, store: Store) -> int:
    chart, room, known = _found(store, given.chart, given.room)
    found = []
    for at, line in enumerate(chart.lines):
        projection = known.projection(line.projection)
        strip = index_over_thickness(line, room, projection)
        proposal = level.level_it(line, room, projection) if given.fix else None
        found.append(
            {
                "line": at,
                "projection": line.projection,
                "support": line.support,
                "worst_di": strip and round(strip.worst_di, 3),
                "offset_di": strip and round(strip.offset_di, 3),
                "level": strip.level if strip else None,
                **({"fix": proposal.what, "worst_after_di": round(proposal.worst_after_di, 3)} if proposal else {}),
            }
        )
    print(json.dumps(found, indent=1))
    return 1 if any(one["level"] is False for one in found) else 0


def _compare(given: argparse.Namespace, store: Store) -> int:
    before, room, known = _found(store, given.chart, given.room)
    after, other_room, _ = _found(store, given.other, given.other_room or given.room)
    found = compare.compare(before.lines, room, after.lines, other_room, known.projections)
    _out(found, tuple[compare.Compared, ...])
    return 1 if any(one.change != "same" for one in found) else 0


def _import(given: argparse.Namespace, store: Store) -> int:
    if not given.file.is_file():
        raise Refusal("No such file", f"There is no file '{given.file.name}'.", None, "file")
    answers = chart_import.answers_of(given.answers.read_text(encoding="utf-8")) if given.answers else {}
    room, known = rooms.get(store, given.room), local.catalogue_of(store)
    answers = {**local.import_answers(store), **answers}
    found = chart_import.preview(chart_import.file_of(given.file.read_bytes()), room, known, answers=answers)
    _out(found, chart_import.Preview)
    if not found.ready:
        open_ = sum(1 for one in found.questions if one.answer is None)
        print(f"oakbeam: {open_} questions and {len(found.faults)} faults open", file=sys.stderr)
        return 1
    if given.save and not given.preview:
        _keep(store, given.room, given.save, found.lines)
    return 0


def _adapt(given: argparse.Namespace, store: Store) -> int:
    chart, room, known = _found(store, given.chart, given.room)
    carried = adapt.adapt(chart.lines, room, rooms.get(store, given.to), known.projections)
    _out(carried, tuple[adapt.Adapted, ...])
    if given.save:
        _keep(store, given.to, given.save, [one.line for one in carried if one.line])
    return 0


def _keep(store: Store, room_id: str, name: str, lines: Sequence[ChartLine]) -> None:
    chart = charts.add_draft(store, room_id, name, ACTOR, tuple(lines))
    print(f"oakbeam: draft {chart.id}, version {chart.version}, {len(lines)} lines", file=sys.stderr)


def _convert(given: argparse.Namespace, store: Store) -> int:
    chart, _, _ = _found(store, given.chart, given.room)
    kind = _format(given.target)
    if kind == "xlsx":
        given.target.write_bytes(chart_xlsx.write(chart))
    elif kind == "csv":
        given.target.write_text(chart_csv.write(chart.lines), encoding="utf-8", newline="")
    else:
        text = json.dumps(chart_json.write(chart), ensure_ascii=False, indent=1)
        given.target.write_text(text + "\n", encoding="utf-8")
    return 0


def _print_chart(given: argparse.Namespace, store: Store) -> int:
    where = _found(store, given.chart, given.room)
    printing = Printing(given.kind, given.paper, given.landscape, given.rows, given.pages)
    given.target.write_bytes(printed(store, where, printing, given.unit, "used" if given.used else "all"))
    return 0
