"""What people answered in practice, and class tests. Nothing here touches the log."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from oakbeam.store.database import Conflict, NotFound, Store, audit, now

MOST_LOOKED_AT = 400
"""Of a person's answers, the newest: what was missed before is learned or missed again since."""


@dataclass(frozen=True, slots=True)
class Answered:
    """An answer to a drill, with its credit 0 to 1."""

    person: str
    drill: str
    seed: int
    at: str
    answer: dict[str, float | str]
    hinted: bool
    credit: float
    in_class: int | None


@dataclass(frozen=True, slots=True)
class ClassTest:
    """A class test: (drill, seed) of each task."""

    id: int
    name: str
    by: str
    at: str
    items: tuple[tuple[str, int], ...]


_COLUMNS = "person, drill, seed, at, answer, hinted, credit, in_class"


def _read(row: Mapping[str, object]) -> Answered:
    values = dict(row)
    values["answer"], values["hinted"] = json.loads(str(values["answer"])), bool(values["hinted"])
    return Answered(**values)  # type: ignore[arg-type]


def of_person(store: Store, person: str) -> list[Answered]:
    """What a person answered lately, oldest first."""
    rows = store.db.execute(
        f"SELECT {_COLUMNS} FROM practice_answer WHERE person = ? ORDER BY id DESC LIMIT ?", (person, MOST_LOOKED_AT)
    ).fetchall()
    return [_read(row) for row in reversed(rows)]


def of_class(store: Store, class_id: int) -> list[Answered]:
    """What was answered in a class test."""
    rows = store.db.execute(f"SELECT {_COLUMNS} FROM practice_answer WHERE in_class = ? ORDER BY person, id", (class_id,))
    return [_read(row) for row in rows]


def add(
    store: Store,
    person: str,
    drill: str,
    seed: int,
    answer: Mapping[str, float | str],
    hinted: bool,
    credit: float,
    in_class: int | None,
) -> None:
    """Keep an answer. In a class test each task is answered once: Conflict after that, NotFound where it is none of its."""
    with store.change() as db:
        if in_class is not None:
            if (drill, seed) not in class_test(store, in_class).items:
                raise NotFound("That task is none of this class test.")
            done = "SELECT 1 FROM practice_answer WHERE in_class = ? AND person = ? AND drill = ? AND seed = ?"
            if db.execute(done, (in_class, person, drill, seed)).fetchone():
                raise Conflict("Answered already", "Each task of a class test is answered once.")
        db.execute(
            f"INSERT INTO practice_answer ({_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (person, drill, seed, now(), json.dumps(dict(answer)), int(hinted), credit, in_class),
        )


def class_tests(store: Store) -> list[ClassTest]:
    """All class tests, the newest first."""
    return [_class(row) for row in store.db.execute("SELECT * FROM practice_class ORDER BY id DESC")]


def class_test(store: Store, class_id: int) -> ClassTest:
    """A class test. NotFound where there is none."""
    row = store.db.execute("SELECT * FROM practice_class WHERE id = ?", (class_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is no class test {class_id}.")
    return _class(row)


def set_class_test(store: Store, name: str, items: Sequence[tuple[str, int]], actor: str) -> ClassTest:
    """Set a class test."""
    with store.change() as db:
        row = db.execute(
            "INSERT INTO practice_class (name, by, at, items) VALUES (?, ?, ?, ?) RETURNING *",
            (name, actor, now(), json.dumps([list(one) for one in items])),
        ).fetchone()
        audit(
            db, actor, "practice.class", f"practice_class:{row['id']}", {"name": name, "items": [list(one) for one in items]}
        )
    return _class(row)


def _class(row: Mapping[str, object]) -> ClassTest:
    items = tuple((str(drill), int(seed)) for drill, seed in json.loads(str(row["items"])))
    return ClassTest(int(str(row["id"])), str(row["name"]), str(row["by"]), str(row["at"]), items)
