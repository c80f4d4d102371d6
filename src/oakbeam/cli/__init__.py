"""The same operations from a shell: JSON in, JSON out; exit code 2 and one clear line for whatever is wrong."""

from __future__ import annotations

import argparse
import gc
import json
import os
import re
import resource
import secrets
import sqlite3
import sys
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from importlib.resources import files
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
from oakbeam.cli import log as log_cli
from oakbeam.cli import people as people_cli
from oakbeam.cli import practice as practice_cli
from oakbeam.cli import rooms as rooms_cli
from oakbeam.cli.charts import ACTOR
from oakbeam.core.errors import Refusal
from oakbeam.formats import chart_csv, chart_json
from oakbeam.store import NoDatabase, NotFound, Store, backups, charts, database, local, people
from oakbeam.store.audit_chain import chain_fault, head, head_fault
from oakbeam.store.database import Older
from oakbeam.store.ownership import Owner

DATABASE = "oakbeam.db"
SETUP_CODE = "setup-code.txt"
MOST_FAREWELL_S = 4
"""How long a stopping server waits for what it is answering [s]: a service manager wants it gone within five."""
MOST_AT_ONCE = 2000
"""Connections and requests at a time; the next is told to come back (503)."""
OWN_DESCRIPTORS = 200
"""Open files that no connection may take: the database's, a few for each of the server's threads."""
LOOPBACK = ("127.0.0.1", "localhost", "[::1]", "::1")


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit code."""
    parser = _parser()
    given = parser.parse_args(arguments)
    run: Callable[[argparse.Namespace], int] = given.run
    try:
        code = run(given)
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # Whoever reads, `head` say, has enough. What is still to be written goes nowhere, without a second complaint.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Refusal as refusal:
        return _refuse(problems.of_refusal(refusal))
    except NotFound as missing:
        return _refuse(problems.of_missing(missing))
    except ValidationError as error:
        return _refuse(problems.of_validation(error.errors(include_input=False, include_url=False)))
    except UnicodeDecodeError:
        return _refuse(Problem(title="Not text", status=422, detail="The input is not UTF-8 text."))
    except OSError as error:
        where = f" '{error.filename}'" if error.filename else ""
        return _refuse(Problem(title="No access", status=422, detail=f"{error.strerror or error}:{where}."))
    except sqlite3.DatabaseError as error:
        return _refuse(Problem(title="Database", status=503, detail=f"The database cannot be used: {error}."))


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
    demo = add("demo", _demo, "Serve the invented clinic, in a folder of its own beside the data folder.")
    demo.set_defaults(new=True, trusted_proxies=[], allowed_hosts=[], person_header="")
    for one in (serve, demo):
        one.add_argument("--host", default=os.environ.get("HOST", "127.0.0.1"))
        one.add_argument("--port", type=int, default=os.environ.get("PORT", "8321"))
        one.add_argument(
            "--log",
            choices=("none", "slow", "requests"),
            default=os.environ.get("OAKBEAM_LOG", "slow"),
            help="which requests leave a line of JSON on standard error: none; slow, failed and refused ones; or all",
        )
        one.add_argument(
            "--workers",
            type=int,
            choices=range(17),
            metavar="N",
            default=os.environ.get("OAKBEAM_WORKERS", "2"),
            help="processes beside the server that read files and make images and reports; with 0 the server does it itself",
        )
    serve.add_argument("--new", action="store_true", help="make the data folder and an empty department where there is none")
    serve.add_argument(
        "--allowed-hosts",
        type=_listed,
        default=os.environ.get("OAKBEAM_ALLOWED_HOSTS", ""),
        metavar="NAMES",
        help="the names it may be called by, separated by commas; on a loopback address only that, elsewhere any",
    )
    serve.add_argument(
        "--trusted-proxies",
        type=_listed,
        default=os.environ.get("OAKBEAM_TRUSTED_PROXIES", ""),
        metavar="ADDRESSES",
        help="the proxies whose forwarded addresses are believed, separated by commas; none by default",
    )
    serve.add_argument(
        "--person-header",
        default=os.environ.get("OAKBEAM_PERSON_HEADER", ""),
        metavar="NAME",
        help="the header in which a trusted proxy says who is there, for signing in without a password; off by default",
    )
    add("seed", _seed, "Make the invented demo clinic in an empty data folder.")
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
    log_cli.add_to(commands, lambda what: lambda given: what(given, _store(given)))
    practice_cli.add_to(commands)
    rooms_cli.add_to(commands, lambda what: lambda given: what(given, _store(given)))
    people_cli.add_to(commands, lambda what: lambda given: what(given, _store(given)))
    backup = add("backup", _backup, "Write a consistent copy of the database while it is in use.")
    backup.add_argument("target", type=Path, help="a new file; with --keep a folder")
    backup.add_argument("--copy-to", type=Path, metavar="FOLDER", help="with --keep: a copy there too, on another disk say")
    backup.add_argument(
        "--keep",
        type=int,
        metavar="N",
        help="a dated backup in the folder, looked at once written; only the newest N that are whole stay",
    )
    restoring = add("restore", _restore, "Put a backup in the database's place, once it is seen to be whole.")
    restoring.add_argument("backup", type=Path)
    restoring.add_argument("--replace", action="store_true", help="where there is a database; it is kept as oakbeam.before")
    add(
        "migrate",
        _migrate,
        "Bring the database up to this version, after a backup beside it; a server does so as it starts.",
    )
    checking = add("check", _check, "Whether the database is whole, and of a step that this version knows.")
    checking.add_argument(
        "--head", type=Path, metavar="FILE", help="and whether its audit goes on from a head that was kept"
    )
    checking.add_argument("--key", type=Path, metavar="FILE", help="the key that the head was signed with")
    heading = add("audit-head", _audit_head, "The end of the audit's chain, signed, to be kept where nobody here can write.")
    heading.add_argument(
        "--key", type=Path, required=True, metavar="FILE", help="the key to sign with; made where it is not"
    )
    add("openapi", _openapi, "Print the API's description.")
    return parser


def _store(given: argparse.Namespace, older: Older = "refuse") -> Store:
    """The database of the data folder, which must be there: a mistyped folder is not an empty department. Only a server and
    `oakbeam migrate` bring an older one up."""
    return Store(given.data / DATABASE, new=False, older=older)


def _listed(text: str) -> list[str]:
    return [one.strip() for one in text.split(",") if one.strip()]


def _serve(given: argparse.Namespace) -> int:
    _check_proxies(given)
    path = given.data / DATABASE
    if not given.new and not path.is_file():
        raise NoDatabase(path)
    with Owner(path):
        _serve_owned(given, Store(path, new=given.new))
    return 0


def _serve_owned(given: argparse.Namespace, store: Store) -> None:
    import uvicorn

    from oakbeam.api import observing
    from oakbeam.api.app import build
    from oakbeam.api.slow_clients import Impatient
    from oakbeam.api.workers import Workers

    kept = given.data / SETUP_CODE
    kept.unlink(missing_ok=True)
    if (code := people.new_setup_code(store)) is not None:
        with os.fdopen(os.open(kept, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "w") as file:
            file.write(code + "\n")
        print(f"Not set up yet: open /setup and give the code in {kept}.", flush=True)
    here = given.host in LOOPBACK
    observing.log_to_stderr()
    hosts = given.allowed_hosts or (LOOPBACK if here else ())
    workers = Workers(store.path, given.workers, given.person_header) if given.workers else None
    app = build(store, interface(), hosts, given.log, given.trusted_proxies, given.person_header, workers)
    if workers:
        threading.Thread(target=workers.warm_up, daemon=True).start()
    # What is loaded now stays: keep the collector from walking it in the middle of a request.
    gc.collect()
    gc.freeze()
    # Techniques have a thread of their own; the others get their turn soon.
    sys.setswitchinterval(0.001)
    print(f"Oakbeam on http://{given.host}:{given.port}  (Ctrl-C stops)", flush=True)
    uvicorn.run(
        app,
        host=given.host,
        port=given.port,
        log_level="warning",
        access_log=False,
        server_header=False,
        # What is being answered is answered; a client that keeps its line open does not hold the server up.
        timeout_graceful_shutdown=MOST_FAREWELL_S,
        limit_concurrency=_connections(),
        http=Impatient,
        # The application takes forwarded addresses in itself: it has to see first who really is at the other end.
        proxy_headers=False,
    )


def _connections() -> int:
    """How many connections there may be at a time: as many open files as the system lets this process have, less those that
    the database and the server itself need."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft == resource.RLIM_INFINITY:
        return MOST_AT_ONCE
    wanted = 2 * MOST_AT_ONCE if hard == resource.RLIM_INFINITY else min(hard, 2 * MOST_AT_ONCE)
    if soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    return max(16, min(MOST_AT_ONCE, max(soft, wanted) - OWN_DESCRIPTORS))


def _check_proxies(given: argparse.Namespace) -> None:
    """A header that says who is there is believed from named proxies only: never from everybody."""
    if not given.person_header:
        return
    if not given.trusted_proxies or "*" in given.trusted_proxies:
        says = "--person-header needs the addresses of the proxies that set it: --trusted-proxies, and not '*'."
        raise Refusal("Which proxies", says, None, "trusted-proxies")
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9-]{1,60}", given.person_header):
        raise Refusal("Not a header", "A header's name is letters, digits and hyphens.", None, "person-header")


def interface() -> Path | None:
    """The folder of the built interface, which lies in the package; None where it was not built."""
    folder = Path(str(files("oakbeam") / "interface"))
    return folder if (folder / "index.html").is_file() else None


def _seed(given: argparse.Namespace) -> int:
    from oakbeam.demo import seed

    path = given.data / DATABASE
    with Owner(path):
        added = seed.seed(Store(path), datetime.now(UTC))
    print("Demo clinic added." if added else "The demo clinic is there already; nothing was added.")
    return 0


def _demo(given: argparse.Namespace) -> int:
    # Never in the data folder itself: the demo's people have a published password.
    given.data = given.data.resolve().with_name(f"{given.data.resolve().name}-demo")
    print(f"The invented clinic, in {given.data}", flush=True)
    return _seed(given) or _serve(given)


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


def _backup(given: argparse.Namespace) -> int:
    store = _store(given, older="read")
    if given.keep is None:
        store.backup(given.target)
        return 0
    kept = backups.rotate(store, given.target, given.keep)
    print(f"{kept.made.name} is whole; {len(kept.removed)} older removed.{_damaged(kept)}")
    if given.copy_to is not None:
        before = backups.last(store).copied_at
        print(f"The last copy was made {before}." if before else "No copy was made before.", flush=True)
        there = backups.copy(store, kept.made, given.copy_to, given.keep)
        print(f"Its copy is whole; {len(there.removed)} older removed.{_damaged(there)}")
    return 0


def _damaged(kept: backups.Rotated) -> str:
    return f" Damaged, and left alone: {', '.join(one.name for one in kept.damaged)}." if kept.damaged else ""


def _restore(given: argparse.Namespace) -> int:
    database.restore(given.backup, given.data / DATABASE, given.replace)
    print(f"{given.backup.name} is now the database of {given.data}.")
    return 0


def _check(given: argparse.Namespace) -> int:
    path = given.data / DATABASE
    if not path.is_file():
        raise NoDatabase(path)
    database.verify(path)
    store = _store(given, older="read")
    if store.step < database.newest_step():
        print(f"The database is whole, at step {store.step}; this version works at step {database.newest_step()}.")
        return 0
    if (given.head is None) != (given.key is None):
        raise Refusal(
            "Head and key", "A head is looked at with the key that it was signed with: --head and --key.", None, "head"
        )
    fault = chain_fault(store.db)
    if fault is None and given.head is not None:
        kept = json.loads(given.head.read_text(encoding="utf-8"))
        fault = head_fault(store.db, kept, given.key.read_bytes().strip())
    if fault:
        print(f"oakbeam: {fault}", file=sys.stderr)
        return 1
    last = backups.last(store)
    print("The database is whole, and its audit and exposures as they were written.")
    print(f"Last backup: {last.made_at or 'none known'}; last copy elsewhere: {last.copied_at or 'none known'}.")
    return 0


def _audit_head(given: argparse.Namespace) -> int:
    if not given.key.exists():
        with os.fdopen(os.open(given.key, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "w") as file:
            file.write(secrets.token_hex(32) + "\n")
    store = _store(given)
    return _print(json.dumps(head(store.db, database.now(), given.key.read_bytes().strip())))


def _migrate(given: argparse.Namespace) -> int:
    path = given.data / DATABASE
    if not path.is_file():
        raise NoDatabase(path)
    with Owner(path):
        before = Store(path, new=False, older="read").step
        step = Store(path, new=False).step
    kept = "" if before == step else f", from step {before}; a backup of it lies beside it"
    print(f"The database is at step {step}{kept}.")
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
