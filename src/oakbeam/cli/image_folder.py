"""Folders of images and dose reports, taken into the log: recursively, and where it broke off it goes on."""

from __future__ import annotations

import argparse
import json
import sys
import zipfile
from collections.abc import Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import islice
from pathlib import Path

from oakbeam.api.image_import import MOST_OBJECT, one_way, read_all, unpack
from oakbeam.api.taking_in import TakenIn, Unread, take_in
from oakbeam.cli.charts import ACTOR
from oakbeam.core.errors import Refusal
from oakbeam.core.log.facts import Found
from oakbeam.formats.image_header import Unreadable
from oakbeam.formats.one_way import OneWay
from oakbeam.store import Store, images

PROCESSES, CHUNK = 2, 100
FEW = 300
"""Files that one process reads as soon as several have started."""


def import_images(given: argparse.Namespace, store: Store) -> int:
    """Take the files of the paths given into the log, and say what became of them."""
    keys = one_way(store)
    named = {_name(keys, path): path for one in given.paths for path in _files(one)}
    done = set() if given.again else {name for name in named if images.was_read(store.db, name)}
    wanted = [path for name, path in named.items() if name not in done]
    whole = TakenIn(read=len(done), known=len(done))
    for chunk, found in _read(wanted, keys):
        whole.and_of(take_in(store, found, ACTOR, given.room))
        with store.change() as db:
            for path in chunk:
                images.file_was_read(db, _name(keys, path))
        _progress(whole, len(named))
    if sys.stderr.isatty():
        print(file=sys.stderr)
    if given.json:
        counts = whole.model_dump(include={"read", "added", "merged", "waiting", "known"})
        print(json.dumps({**counts, "refused": [{"file": one.file, "why": one.why} for one in whole.refused]}))
        return 0
    print(
        f"{whole.read} read: {whole.added} exposures added, {whole.merged} merged into one that was there, {whole.waiting}"
        f" wait for an answer in the Log, {whole.known} known already, {len(whole.refused)} refused."
    )
    for one in whole.refused:
        print(f"  {named.get(one.file, one.file)}: {one.why}")
    return 0


def _files(named: Path) -> Iterator[Path]:
    if named.is_dir():
        yield from sorted(path for path in named.rglob("*") if path.is_file())
    elif named.exists():
        yield named
    else:
        raise Refusal("No such file", f"There is no file or folder '{named}'.", None, "paths")


def _name(keys: OneWay, path: Path) -> str:
    """The one-way key of a file as it is now: another one once it is changed."""
    try:
        state = path.stat()
    except OSError:
        return keys.key("path", str(path.absolute()))
    return keys.key("path", f"{path.absolute()}\0{state.st_size}\0{state.st_mtime_ns}")


def _read(paths: list[Path], keys: OneWay) -> Iterator[tuple[list[Path], list[Found | Unread]]]:
    """The files, chunk by chunk, with what they say; with many of them, other processes read ahead."""
    chunks = list(_chunks(paths))
    if len(paths) <= FEW:
        yield from ((chunk, read_chunk(chunk, keys)) for chunk in chunks)
        return
    with ProcessPoolExecutor(PROCESSES) as pool:
        yield from zip(chunks, pool.map(read_chunk, chunks, [keys] * len(chunks)), strict=True)


def _chunks(paths: Iterable[Path]) -> Iterator[list[Path]]:
    rest = iter(paths)
    while chunk := list(islice(rest, CHUNK)):
        yield chunk


def read_chunk(paths: list[Path], keys: OneWay) -> list[Found | Unread]:
    """What the objects of some files say; refused ones are named by their file."""
    found: list[Found | Unread] = []
    for path in paths:
        said = read_all(_objects(path), keys)
        name = {"file": _name(keys, path)}
        found += [one.model_copy(update=name) if isinstance(one, Unread) else one for one in said]
    return found


def _objects(path: Path) -> Iterator[bytes | Unreadable]:
    try:
        if path.stat().st_size > MOST_OBJECT and path.suffix.lower() != ".zip":
            yield Unreadable("A file of more than 64 MB.")
            return
        data = path.read_bytes()
    except OSError:
        yield Unreadable("It cannot be opened.")
        return
    if data[:4] == b"PK\x03\x04" and zipfile.is_zipfile(path):
        try:
            yield from unpack(data)
        except Refusal as refusal:
            yield Unreadable(refusal.detail)
        return
    yield data


def _progress(whole: TakenIn, files: int) -> None:
    if sys.stderr.isatty():
        share = min(1.0, whole.read / max(files, 1))
        print(f"\r[{'#' * round(30 * share):30}] {whole.read} of {files}", end="", file=sys.stderr, flush=True)
