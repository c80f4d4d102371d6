"""`oakbeam room …`: rooms from a shell: listed, added from a template or a file, and written to one."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from oakbeam.api.rooms import NewRoom, add, room_of_workbook, take_in
from oakbeam.cli.charts import ACTOR, Run
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.templates import room_templates
from oakbeam.core.errors import Refusal
from oakbeam.formats import room_xlsx
from oakbeam.formats.chart_import import ZIP
from oakbeam.store import Store, rooms

ROOM = TypeAdapter(Room)


def add_to(commands: Any, run: Callable[[Run], Callable[[argparse.Namespace], int]]) -> None:
    """Add the group to the parser's commands; run opens the database for a command."""
    group = commands.add_parser("room", help="Rooms: list, templates, add, export.")
    kinds = group.add_subparsers(required=True, metavar="what")

    def command(name: str, what: Run, text: str) -> argparse.ArgumentParser:
        made: argparse.ArgumentParser = kinds.add_parser(name, help=text, description=text)
        made.set_defaults(run=run(what))
        return made

    command("list", _list, "Every room: its id and name.")
    command("templates", _templates, "The rooms to start from.")
    adding = command("add", _add, "A new room from a template, like another, or from a file (JSON or a workbook).")
    adding.add_argument("name")
    start = adding.add_mutually_exclusive_group(required=True)
    start.add_argument("--template", choices=tuple(room_templates()))
    start.add_argument("--like", metavar="ROOM", help="a room that is there")
    start.add_argument("--file", type=Path, help="as `oakbeam room export` writes it")
    out = command("export", _export, "Write a room's equipment: JSON to standard output, or a workbook to a file.")
    out.add_argument("room")
    out.add_argument("--xlsx", type=Path, metavar="FILE", help="a workbook, to be filled in and read back")


def _list(given: argparse.Namespace, store: Store) -> int:
    for room in rooms.all_rooms(store):
        print(f"{room.id}\t{room.name}")
    return 0


def _templates(given: argparse.Namespace, store: Store) -> int:
    for one in room_templates().values():
        print(f"{one.id}\t{one.name}: {one.says}")
    return 0


def _add(given: argparse.Namespace, store: Store) -> int:
    if given.file is None:
        made = add(store, NewRoom(name=given.name, like=given.like, template=given.template), ACTOR)
    else:
        if not given.file.is_file():
            raise Refusal("No such file", f"There is no file '{given.file.name}'.", None, "file")
        content = given.file.read_bytes()
        read = room_of_workbook(content) if content.startswith(ZIP) else ROOM.validate_json(content)
        made = take_in(store, replace(read, name=given.name), ACTOR)
    print(made.id)
    return 0


def _export(given: argparse.Namespace, store: Store) -> int:
    room = rooms.get(store, given.room)
    if given.xlsx is not None:
        given.xlsx.write_bytes(room_xlsx.write(ROOM.dump_python(room, mode="json")))
    else:
        print(ROOM.dump_json(room, indent=1).decode())
    return 0
