"""The same operations from a shell: JSON in, JSON out, exit code 2 and problem details for a refusal."""

from __future__ import annotations

import argparse
import gc
import json
import os
import sys
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

import oakbeam
from oakbeam.api import problems
from oakbeam.api.beam import CASES, RESULTS, results
from oakbeam.api.catalogue import Hit, LocalEntryIn, LocalIn, LocalOut, find, local_entries, page, save_local
from oakbeam.api.chart_files import import_chart, import_chart_json
from oakbeam.api.exposures import ResultRequest, judge
from oakbeam.api.run_sheets import RunSheet, RunSheetRequest, run_sheet
from oakbeam.api.technique_request import TechniqueRequest
from oakbeam.api.techniques import TECHNIQUE_RESPONSE, technique
from oakbeam.api.types import Problem
from oakbeam.cli import charts as charts_cli
from oakbeam.core.errors import Refusal
from oakbeam.formats import chart_csv, chart_json
from oakbeam.store import NotFound, Store, charts, local, people

ACTOR = "command line"


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit code."""
    parser = _parser()
    given = parser.parse_args(arguments)
    run: Callable[[argparse.Namespace], int] = given.run
    try:
        return run(given)
    except Refusal as refusal:
        return _refuse(problems.of_refusal(refusal))
    except NotFound as missing:
        return _refuse(problems.of_missing(missing))
    except ValidationError as error:
        return _refuse(problems.of_validation(error.errors(include_input=False, include_url=False)))
    except UnicodeDecodeError:
        return _refuse(Problem(title="Not text", status=422, detail="The input is not UTF-8 text."))


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="oakbeam", description="Exposure technique charts: build, apply, judge, log.")
    parser.add_argument("--version", action="version", version=oakbeam.__version__)
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("OAKBEAM_DATA", "data")), help="data folder")
    commands = parser.add_subparsers(required=True, metavar="command")

    def add(name: str, run: Callable[[argparse.Namespace], int], text: str) -> argparse.ArgumentParser:
        command = commands.add_parser(name, help=text, description=text)
        command.set_defaults(run=run)
        return command

    serve = add("serve", _serve, "Serve the application.")
    serve.add_argument("--host", default=os.environ.get("HOST", "127.0.0.1"))
    serve.add_argument("--port", type=int, default=int(os.environ.get("PORT", "8321")))
    serve.add_argument("--front-end", type=Path, default=Path("web/dist"), help="folder of the built interface")
    add("seed", _seed, "Fill an empty database with the invented demo clinic.")
    add("technique", _technique, "A technique from a JSON request on standard input.")
    add("run-sheet", _run_sheet, "An exam's views with their techniques, from a JSON request on standard input.")
    search = add("search", _search, "Exams and projections by name, abbreviation or other name.")
    search.add_argument("words", nargs="+")
    page = add("projection", _projection, "Everything the catalogue knows of a projection, or the list of all.")
    page.add_argument("id", nargs="?")
    local_file = add(
        "catalogue-local", _catalogue_local, "Write the department's own entries, or with --read take them from JSON."
    )
    local_file.add_argument("--read", action="store_true")
    add("judge", _judge, "Judge an image from a JSON request on standard input.")
    add("beam", _beam, "The physics model for a JSON list of cases on standard input: a list of results in the same order.")
    export = add("chart-export", _export, "Write a chart to standard output.")
    export.add_argument("chart", type=int)
    export.add_argument("--format", choices=("csv", "json"), default="csv")
    importing = add("chart-import", _import, "Import a chart from CSV or JSON on standard input as a draft.")
    importing.add_argument("room")
    importing.add_argument("--name", default="Imported chart")
    importing.add_argument("--format", choices=("csv", "json"), default="csv")
    charts_cli.add_to(commands, lambda what: lambda given: what(given, _store(given)))
    person = add("person", _person, "List people, or add one; the password is read from standard input.")
    person.add_argument("id", nargs="?")
    person.add_argument("--name")
    person.add_argument("--role", action="append", choices=people.ROLES, default=[])
    backup = add("backup", _backup, "Write a consistent copy of the database while it is in use.")
    backup.add_argument("target", type=Path)
    add("openapi", _openapi, "Print the API's description.")
    return parser


def _store(given: argparse.Namespace) -> Store:
    return Store(given.data / "oakbeam.db")


def _serve(given: argparse.Namespace) -> int:
    import uvicorn

    from oakbeam.api.app import build

    store = _store(given)
    if (password := people.first_admin(store)) is not None:
        print(f"Nobody may sign in yet: made the admin 'admin' with the password {password}", flush=True)
    front_end = given.front_end if (given.front_end / "index.html").is_file() else None
    app = build(store, front_end)
    # What is loaded now stays: keep the collector from walking it in the middle of a request.
    gc.collect()
    gc.freeze()
    print(f"Oakbeam on http://{given.host}:{given.port}  (Ctrl-C stops)", flush=True)
    uvicorn.run(app, host=given.host, port=given.port, log_level="warning", access_log=False, server_header=False)
    return 0


def _seed(given: argparse.Namespace) -> int:
    from oakbeam.demo import seed

    added = seed.seed(_store(given), datetime.now(UTC))
    print("Demo clinic added." if added else "The database already has rooms; nothing was added.")
    return 0


def _technique(given: argparse.Namespace) -> int:
    asked = TechniqueRequest.model_validate_json(_input())
    return _print(TECHNIQUE_RESPONSE.dump_json(technique(_store(given), asked)).decode())


def _run_sheet(given: argparse.Namespace) -> int:
    asked = RunSheetRequest.model_validate_json(_input())
    return _print(TypeAdapter(RunSheet).dump_json(run_sheet(_store(given), asked)).decode())


def _search(given: argparse.Namespace) -> int:
    hits = find(local.catalogue_of(_store(given)), " ".join(given.words), 12)
    return _print(TypeAdapter(list[Hit]).dump_json(hits, indent=1).decode())


def _projection(given: argparse.Namespace) -> int:
    known = local.catalogue_of(_store(given))
    if given.id is None:
        return _print(json.dumps({one.id: f"{one.exam} {one.name}" for one in known.projections.values()}, indent=1))
    return _print(page(known, given.id).model_dump_json(indent=1))


def _catalogue_local(given: argparse.Namespace) -> int:
    store = _store(given)
    if not given.read:
        return _print(TypeAdapter(list[LocalOut]).dump_json(local_entries(store), indent=1).decode())
    entries = TypeAdapter(list[LocalEntryIn]).validate_json(_input())
    for entry in entries:
        save_local(store, entry.kind, entry.id, LocalIn(body=entry.body), ACTOR)
    return _print(json.dumps({"kept": len(entries)}))


def _beam(given: argparse.Namespace) -> int:
    found = results(CASES.validate_json(_input()))
    return _print(RESULTS.dump_json(found, indent=1).decode())


def _judge(given: argparse.Namespace) -> int:
    asked = ResultRequest.model_validate_json(_input())
    return _print(judge(_store(given), asked).model_dump_json())


def _export(given: argparse.Namespace) -> int:
    chart = charts.get(_store(given), given.chart)
    if given.format == "json":
        return _print(json.dumps(chart_json.write(chart), ensure_ascii=False, indent=2))
    sys.stdout.write(chart_csv.write(chart.lines))
    return 0


def _import(given: argparse.Namespace) -> int:
    read = import_chart if given.format == "csv" else import_chart_json
    chart = read(_store(given), given.room, given.name, _input(), ACTOR)
    return _print(json.dumps({"id": chart.id, "version": chart.version, "status": chart.status, "lines": len(chart.lines)}))


def _person(given: argparse.Namespace) -> int:
    store = _store(given)
    if given.id is None:
        return _print(TypeAdapter(list[people.Person]).dump_json(people.everybody(store), indent=1).decode())
    password = _input().rstrip("\r\n")
    added = people.add(store, given.id, given.name or given.id, given.role, password, ACTOR)
    return _print(TypeAdapter(people.Person).dump_json(added, indent=1).decode())


def _backup(given: argparse.Namespace) -> int:
    _store(given).backup(given.target)
    return 0


def _openapi(given: argparse.Namespace) -> int:
    import tempfile

    from oakbeam.api.app import build

    with tempfile.TemporaryDirectory() as folder:
        return _print(json.dumps(build(Store(Path(folder) / "none.db")).openapi(), indent=2, ensure_ascii=False))


def _input() -> str:
    return sys.stdin.buffer.read().decode("utf-8")


def _print(text: str) -> int:
    print(text)
    return 0


def _refuse(problem: Problem) -> int:
    print(problem.model_dump_json(exclude_none=True))
    print(f"oakbeam: {problem.title}: {problem.detail}", file=sys.stderr)
    return 2
