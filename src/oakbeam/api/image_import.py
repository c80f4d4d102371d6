"""Images, dose reports and reject notes taken into the log from a browser, and the answers that end what waits.

Nothing is dropped: an object that tells of an exposure becomes a row, joins one, or waits for the one thing that is missing.
No identity is kept, and nothing that a file says is written anywhere but as numbers and words of the field.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from io import BytesIO
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.taking_in import BATCH, TakenIn, Taker, Unread, take_in
from oakbeam.api.types import Id, Key, RequestBody, Text
from oakbeam.core.errors import Refusal
from oakbeam.core.log.facts import Found, ImageFacts
from oakbeam.formats import exposure_table, image_header
from oakbeam.formats.chart_csv import BadFile
from oakbeam.formats.exposure_table import TableColumn
from oakbeam.formats.image_header import Unreadable
from oakbeam.formats.one_way import OneWay
from oakbeam.store import Store, images, local, rooms
from oakbeam.store.images import Heap, RefusedObject

router = resource("log")
MOST_OBJECTS, MOST_OBJECT, MOST_UNPACKED = 2000, 64 * 1024 * 1024, 512 * 1024 * 1024


class ObjectsIn(RequestBody):
    """DICOM objects, each as base64 (a file's head will do: pixels are not read), or a ZIP of them. room: of machines that
    are not known yet."""

    objects: Annotated[
        list[Annotated[str, Field(max_length=66_000_000)]], Field(max_length=MOST_OBJECTS, default_factory=list)
    ]
    zip: Annotated[str, Field(max_length=66_000_000)] | None = None
    room: Key | None = None


class Candidate(BaseModel):
    """An exposure of the log that an object may belong to."""

    id: int
    taken_at: str
    kvp: float
    mas: float
    ei: float | None
    recorded_by: str | None


class HeapOut(BaseModel):
    """Objects that wait for one answer, and the exposures it may be where that is the question."""

    heap: Heap
    candidates: list[Candidate]


class WaitingOut(BaseModel):
    """What waits: how many objects, in heaps; and what the department said so far of machines and of words."""

    objects: int
    heaps: list[HeapOut]
    machines: dict[str, str]
    views: dict[str, str]


class AnswerIn(RequestBody):
    """The answer to a heap: the room of a machine, or the projection that some words name. aside: it is none of ours, with
    the reason."""

    waits_for: Literal["room", "view"]
    device: Annotated[str, Field(max_length=40)] = ""
    view: Annotated[str, Field(max_length=200)] = ""
    room: Key | None = None
    projection: Key | None = None
    aside: Text = ""


class SameIn(RequestBody):
    """The exposure that an object belongs to; None: it is one of its own."""

    exposure: Id | None = None


def one_way(store: Store) -> OneWay:
    """This department's keys."""
    return OneWay(images.salt(store), tuple((room.id, room.name) for room in rooms.all_rooms(store)))


def read_all(objects: Iterable[bytes | Unreadable], keys: OneWay) -> Iterator[Found | Unread]:
    """What each object says, or why it was refused."""
    for at, data in enumerate(objects):
        try:
            if isinstance(data, Unreadable):
                raise data
            yield image_header.read(data, keys)
        except Unreadable as why:
            name = keys.key("file", hashlib.sha256(data).hexdigest()) if isinstance(data, bytes) else ""
            yield Unread(at=at, file=name, why=str(why))


def unpack(zipped: bytes) -> Iterator[bytes | Unreadable]:
    """The files of a ZIP one by one, in memory. Refusal for what is no ZIP; files in it that are too large are refused."""
    try:
        archive = zipfile.ZipFile(BytesIO(zipped))
        entries = [one for one in archive.infolist() if not one.is_dir()]
    except (zipfile.BadZipFile, ValueError, OSError, EOFError):
        raise Refusal("Not a ZIP", "The file is not a ZIP, or is damaged.", None, "zip") from None
    if len(entries) > MOST_OBJECTS:
        text = f"A ZIP may hold {MOST_OBJECTS} files at most; this one holds {len(entries)}."
        raise Refusal("Too many files", text, {"max": float(MOST_OBJECTS), "unit": "files"}, "zip")
    unpacked = 0
    for entry in entries:
        try:
            with archive.open(entry) as file:
                data = file.read(MOST_OBJECT + 1)
        except (zipfile.BadZipFile, RuntimeError, NotImplementedError, OSError, EOFError, ValueError, zlib.error):
            yield Unreadable("It cannot be unpacked: damaged, or locked by a password.")
            continue
        unpacked += len(data)
        if unpacked > MOST_UNPACKED:
            raise Refusal("Too large", "The ZIP unpacks to more than 512 MB; send it in parts.", None, "zip")
        yield Unreadable("A file of more than 64 MB.") if len(data) > MOST_OBJECT else data


def take_objects(store: Store, asked: ObjectsIn, actor: str) -> TakenIn:
    """Take in what a browser sends."""
    objects: list[bytes | Unreadable] = [_decoded(one, "objects") for one in asked.objects]
    if asked.zip is not None:
        objects += unpack(_decoded(asked.zip, "zip"))
    if not objects:
        raise Refusal("Nothing to read", "Send at least one object, or a ZIP with some.", None, "objects")
    return take_in(store, read_all(objects, one_way(store)), actor, asked.room, len(objects))


def _decoded(text: str, field: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        raise Refusal("Not base64", "A file is sent as base64.", None, field) from None


def waiting(store: Store) -> WaitingOut:
    """What waits."""
    found = [HeapOut(heap=heap, candidates=_candidates(store, heap)) for heap in images.heaps(store)]
    return WaitingOut(objects=images.waiting(store), heaps=found, machines=images.machines(store), views=images.views(store))


def _candidates(store: Store, heap: Heap) -> list[Candidate]:
    if heap.waits_for != "same":
        return []
    rows, choice = Taker(store, "").choice(store.db, images.waiting_one(store, heap.key))
    wanted = [rows[at] for at in choice.doubtful]
    return [Candidate(**{name: getattr(row, name) for name in Candidate.model_fields}) for row in wanted]


def answer(store: Store, asked: AnswerIn, actor: str) -> TakenIn:
    """Say which room a machine stands in, or which projection some words name: remembered, and the heap goes on."""
    known = local.catalogue_of(store)
    said = asked.room if asked.waits_for == "room" else asked.projection
    if said is None and not asked.aside:
        raise Refusal(
            "What is it?", f"Name the {'room' if asked.waits_for == 'room' else 'projection'}.", None, asked.waits_for
        )
    if asked.waits_for == "room" and asked.room is not None:
        rooms.get(store, asked.room)
    if asked.waits_for == "view" and asked.projection is not None:
        known.projection(asked.projection)
    if asked.waits_for == "view" and not asked.view and said is not None:
        raise Refusal(
            "No words", "These images name no view: take each from the console's list, or set them aside.", None, "view"
        )
    done = TakenIn()
    if said is None:
        with store.change() as db:
            facts = images.of_heap(store, asked.waits_for, asked.device, asked.view, MOST_OBJECTS)
            done.known = images.set_aside(db, (one.key for one in facts), actor, asked.aside)
        return done
    with store.change() as db:
        if asked.waits_for == "room":
            images.name_machine(db, asked.device, said, actor)
        else:
            images.name_view(db, asked.view, said, actor)
    while facts := images.of_heap(store, asked.waits_for, asked.device, asked.view, BATCH):
        taker, batch = Taker(store, actor), TakenIn(read=len(facts))
        with store.change() as db:
            for one in facts:
                outcome = taker.settle(db, one)
                setattr(batch, outcome, getattr(batch, outcome) + 1)
            taker.finish(db)
        done.and_of(batch)
    return done


def say_same(store: Store, key: str, asked: SameIn, actor: str) -> TakenIn:
    """Say which exposure an object belongs to, or that it is one of its own."""
    facts, taker, done = images.waiting_one(store, key), Taker(store, actor), TakenIn(read=1)
    with store.change() as db:
        outcome = taker.settle(db, facts, asked.exposure, own=asked.exposure is None)
        taker.finish(db)
    setattr(done, outcome, 1)
    return done


class TableIn(RequestBody):
    """A table of exposures: a CSV in any usual encoding, or a spreadsheet, as base64. mapping: what columns are, by their
    heads, "" for one to leave out. room: of rows that name none that is known."""

    file: Annotated[str, Field(max_length=14_000_000)]
    mapping: dict[Annotated[str, Field(max_length=200)], Annotated[str, Field(max_length=40)]] = Field(
        default_factory=dict, max_length=200
    )
    room: Key | None = None


class TablePreview(BaseModel):
    """How a table would be read: its columns, how many rows are exposures, and what is wrong with the others; missing: what
    no column is taken as and some column has to be; asked: what somebody has to say before any row is taken; choices: what a
    column can be taken as; rows: the first few as they would be read."""

    columns: list[TableColumn]
    exposures: int
    missing: list[str]
    asked: str
    faults: list[dict[str, str | int]]
    decided: list[str]
    choices: list[str]
    rows: list[ImageFacts]


def table_of(store: Store, asked: TableIn) -> exposure_table.TableOfExposures:
    """A table as it is read. BadFile where it is none."""
    content = _decoded(asked.file, "file")
    return exposure_table.read(content, one_way(store), local.catalogue_of(store), asked.mapping)


def preview_table(store: Store, asked: TableIn) -> TablePreview:
    """How a table would be read; nothing is kept."""
    found = table_of(store, asked)
    faults: list[dict[str, str | int]] = [
        {"row": one.row, "column": one.column, "problem": one.problem} for one in found.faults
    ]
    return TablePreview(
        columns=list(found.columns),
        exposures=len(found.facts),
        missing=[one.column for one in found.missing],
        asked=found.asked,
        faults=faults,
        decided=list(found.decided),
        choices=list(exposure_table.heads()),
        rows=list(found.facts[:5]),
    )


def take_table(store: Store, asked: TableIn, actor: str) -> TakenIn:
    """Take the good rows of a table into the log; the others are refused, by row. BadFile where a column is missing without
    which no row is an exposure."""
    found = table_of(store, asked)
    if found.missing:
        raise BadFile(list(found.missing))
    if found.asked:
        raise Refusal("Day or month first", found.asked, None, "mapping")
    done = take_in(store, [Found(facts=(one,)) for one in found.facts], actor, asked.room, len(found.facts))
    done.refused += [Unread(at=one.row, file="", why=f"{one.column}: {one.problem}") for one in found.faults]
    done.read += len(found.faults)
    return done


@router.post("/log/table/preview")
def post_table_preview(store: StoreHere, asked: TableIn) -> TablePreview:
    """How a table of exposures would be read. Nothing is kept."""
    return preview_table(store, asked)


@router.post("/log/table")
def post_table(store: StoreHere, who: Actor, asked: TableIn) -> TakenIn:
    """Take a table of exposures into the log."""
    return take_table(store, asked, who)


@router.post("/log/images")
def post_images(store: StoreHere, who: Actor, asked: ObjectsIn) -> TakenIn:
    """Take DICOM images, dose reports and reject notes into the log. No identity and no pixels are kept."""
    return take_objects(store, asked, who)


@router.get("/log/images/waiting")
def get_waiting_images(store: StoreHere) -> WaitingOut:
    """Objects that wait for an answer, in heaps, and what was answered so far."""
    return waiting(store)


@router.get("/log/images/refused")
def get_refused_objects(store: StoreHere) -> list[RefusedObject]:
    """What the listener refused, newest first: when, from whom and why, without a word of what was sent."""
    return images.refused(store)


@router.post("/log/images/answers")
def post_answer(store: StoreHere, who: Actor, asked: AnswerIn) -> TakenIn:
    """Say which room a machine stands in, or which projection some words name."""
    return answer(store, asked, who)


@router.post("/log/images/{key}/same")
def post_same(store: StoreHere, who: Actor, key: str, asked: SameIn) -> TakenIn:
    """Say which exposure an object belongs to."""
    return say_same(store, key, asked, who)
