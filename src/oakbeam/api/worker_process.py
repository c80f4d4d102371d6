"""What a worker runs: loaded once, ahead, by the process that workers are forked from."""

from __future__ import annotations

import gc
import signal
from multiprocessing.connection import Connection
from pathlib import Path

# Loaded here, so that a new worker has it: what the application itself loads only when it is first needed, too.
import pypdfium2
import reportlab.pdfgen.canvas
from PIL import Image

from oakbeam.api import workers
from oakbeam.api.app import build
from oakbeam.core.practice import simulated_room
from oakbeam.store import Store

LOADED = (pypdfium2, reportlab, Image, simulated_room)
gc.freeze()


def work(line: Connection, path: Path, person_header: str) -> None:
    """Answer what comes over a line, out of the database that the server has open."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the server's terminal is not the worker's
    workers.bound()
    store = Store(path, new=False, older="refuse")
    workers.Serving(line, build(store, person_header=person_header)).until_the_line_ends()
