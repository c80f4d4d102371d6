"""`oakbeam person …`: who may sign in, from a shell on the server itself."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from typing import Any

from pydantic import TypeAdapter

from oakbeam.cli.charts import ACTOR, Run
from oakbeam.store import Store, people


def add_to(commands: Any, run: Callable[[Run], Callable[[argparse.Namespace], int]]) -> None:
    """Add the group to the parser's commands; run opens the database for a command."""
    group = commands.add_parser("person", help="Who may sign in: list, add, reset, disable, enable, unlock.")
    group.set_defaults(run=run(_list))
    kinds = group.add_subparsers(metavar="what")

    def of_one(name: str, what: Run, text: str) -> argparse.ArgumentParser:
        command: argparse.ArgumentParser = kinds.add_parser(name, help=text, description=text)
        command.add_argument("id")
        command.set_defaults(run=run(what))
        return command

    kinds.add_parser("list", help="Everybody.").set_defaults(run=run(_list))
    adding = of_one("add", _add, "Add a person; the password is read from standard input.")
    adding.add_argument("--name")
    adding.add_argument("--role", action="append", choices=people.ROLES, default=[])
    of_one("reset", _reset, "A generated password, printed once; its owner has to change it.")
    of_one("disable", _disable, "May no longer sign in; sessions end.")
    of_one("enable", _enable, "May sign in again.")
    of_one("unlock", _unlock, "Forget the wrong passwords of a name, so that it need not wait.")


def _list(given: argparse.Namespace, store: Store) -> int:
    print(TypeAdapter(list[people.Person]).dump_json(people.everybody(store), indent=1).decode())
    return 0


def _add(given: argparse.Namespace, store: Store) -> int:
    password = sys.stdin.buffer.read().decode("utf-8").rstrip("\r\n")
    return _print(people.add(store, given.id, given.name or given.id, given.role, password, ACTOR))


def _reset(given: argparse.Namespace, store: Store) -> int:
    print(json.dumps({"id": given.id, "password": people.reset(store, given.id, ACTOR)}))
    return 0


def _disable(given: argparse.Namespace, store: Store) -> int:
    return _allow(store, given.id, False)


def _enable(given: argparse.Namespace, store: Store) -> int:
    return _allow(store, given.id, True)


def _allow(store: Store, person_id: str, active: bool) -> int:
    person = people.get(store, person_id)
    return _print(people.change(store, person_id, ACTOR, person.name, person.roles, active))


def _unlock(given: argparse.Namespace, store: Store) -> int:
    people.unlock(store, given.id, ACTOR)
    return _print(people.get(store, given.id))


def _print(person: people.Person) -> int:
    print(TypeAdapter(people.Person).dump_json(person, indent=1).decode())
    return 0
