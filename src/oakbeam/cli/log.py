"""`oakbeam log …` and `oakbeam dicom`: the log from a shell. What reads images is loaded only where images are read."""

from __future__ import annotations

import argparse
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from oakbeam.cli.charts import Run
from oakbeam.core.errors import Refusal
from oakbeam.store import Store


def add_to(commands: Any, run: Callable[[Run], Callable[[argparse.Namespace], int]]) -> None:
    """Add the groups to the parser's commands; run opens the database for a command."""
    kinds = commands.add_parser("log", help="The log: take in images and dose reports.").add_subparsers(
        required=True, metavar="what"
    )
    text = "Take DICOM images, dose reports and reject notes into the log."
    taking = kinds.add_parser("import", help=text, description=text)
    taking.add_argument("paths", nargs="+", type=Path, help="files, folders or ZIPs")
    taking.add_argument("--room", help="the room of machines that are not known yet")
    taking.add_argument("--again", action="store_true", help="read files again that were read before")
    taking.add_argument("--json", action="store_true", help="the summary as JSON, refused files by one-way keys alone")
    taking.set_defaults(run=run(_import))
    text = "Write the report of a month, for the quality meeting."
    report = kinds.add_parser("report", help=text, description=text)
    report.add_argument("--month", required=True, help="as 2026-10")
    report.add_argument("--room", default="", help="a room; the department where it is not said")
    report.add_argument("--out", type=Path, required=True, metavar="FILE", help="a .pdf or .xlsx")
    report.set_defaults(run=run(_report))
    text = "Listen for images and dose reports that machines send (C-STORE)."
    listening = commands.add_parser("dicom", help=text, description=text)
    listening.add_argument("--host", default="127.0.0.1", help="the address to listen at; 0.0.0.0 for all")
    listening.add_argument("--port", type=int, default=11112)
    listening.add_argument("--title", default="OAKBEAM", help="the application entity title it is called by")
    listening.add_argument(
        "--allow", type=_listed, default=[], metavar="TITLES", help="the callers it takes, separated by commas"
    )
    listening.add_argument("--room", help="the room of machines that are not known yet")
    listening.add_argument("--tls-certificate", type=Path, metavar="FILE", help="encrypt: this listener's certificate (PEM)")
    listening.add_argument("--tls-key", type=Path, metavar="FILE", help="and its key")
    listening.add_argument("--tls-callers", type=Path, metavar="FILE", help="take only callers whose certificate these sign")
    listening.set_defaults(run=run(_listen))
    text = "Answer worklist questions with invented requests, for trying out."
    inventing = commands.add_parser("worklist-demo", help=text, description=text)
    inventing.add_argument("--port", type=int, default=11113)
    inventing.add_argument("--title", default="WORKLIST")
    inventing.set_defaults(run=_stand_in)


def _listed(text: str) -> list[str]:
    return [one.strip() for one in text.split(",") if one.strip()]


def _import(given: argparse.Namespace, store: Store) -> int:
    from oakbeam.cli.image_folder import import_images

    return import_images(given, store)


def _report(given: argparse.Namespace, store: Store) -> int:
    from oakbeam.api.log_report import A_MONTH, month_of_log
    from oakbeam.formats import log_report

    kinds = {".pdf": log_report.as_pdf, ".xlsx": log_report.as_xlsx}
    if given.out.suffix not in kinds:
        raise Refusal("Which kind of file?", "Name a file that ends with .pdf or .xlsx.", sorted(kinds), "out")
    if not re.fullmatch(A_MONTH, given.month):
        raise Refusal("Which month?", "Name a month as 2026-10.", None, "month")
    given.out.write_bytes(kinds[given.out.suffix](month_of_log(store, given.room, given.month)))
    print(f"{given.out.name}: {given.month} of {given.room or 'the department'}.")
    return 0


def _stand_in(given: argparse.Namespace) -> int:
    from oakbeam.cli.listener import wait_for_the_end
    from oakbeam.demo.worklist_server import WorklistStandIn

    server = WorklistStandIn(given.port, given.title)
    print(f"Invented requests as {server.title} on 127.0.0.1:{server.port}  (Ctrl-C stops)", flush=True)
    wait_for_the_end()
    server.close()
    return 0


def _listen(given: argparse.Namespace, store: Store) -> int:
    from oakbeam.cli.bounded_peer import tls
    from oakbeam.cli.listener import listen

    if not given.allow:
        text = "Name the callers it takes with --allow: the titles of your machines, separated by commas."
        raise Refusal("Whose images?", text, None, "allow")
    if (given.tls_certificate is None) != (given.tls_key is None) or (given.tls_callers and not given.tls_key):
        raise Refusal("Half of TLS", "Name both --tls-certificate and --tls-key.", None, "tls-certificate")
    secure = tls(given.tls_certificate, given.tls_key, given.tls_callers) if given.tls_key else None
    return listen(store, given.host, given.port, given.title, given.allow, given.room, secure)
