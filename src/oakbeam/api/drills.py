"""Drills, critique and class tests: tasks by seed, answers judged by the engine, who did how well. A trainee sees their
own."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Annotated, cast

import numpy as np
from fastapi import Query
from fastapi.responses import Response
from pydantic import Field, StringConstraints

from oakbeam.api.access import NAMES, Actor, Here, SignedIn, StoreHere, WhoHere
from oakbeam.api.answers import as_file
from oakbeam.api.practice import PracticeImage, practice_image
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, Number, RequestBody
from oakbeam.core.errors import Refusal
from oakbeam.core.practice.drills.on_images import FAULTS
from oakbeam.core.practice.drills.pack import DRILL as PACK_OF
from oakbeam.core.practice.drills.pack import pack
from oakbeam.core.practice.drills.question import HINT_COSTS, LEVELS, Drill, Level, Question, Scene, judge
from oakbeam.core.practice.drills.register import DRILLS, TRACKS
from oakbeam.core.practice.drills.what_next import confusions, level_of, next_drill, standings
from oakbeam.core.practice.simulated_room import take
from oakbeam.formats import rows_csv
from oakbeam.store import NotFound, Store, local, people, practice
from oakbeam.store.practice import Answered, ClassTest

router = resource("practice", below="/api/practice")
MOST_SEED = 2**31 - 1
Seed = Annotated[int, Query(ge=0, le=MOST_SEED)]
LevelAsked = Annotated[int, Query(ge=1, le=3, description="1 easier, 2 usual, 3 harder")]
PIXELS = 320


@dataclass(frozen=True, slots=True)
class DrillOut:
    """A drill, and how it goes for whoever asks: answers, mean credit of the last five, after how many more it is due, and
    how hard it is next; None for who is not signed in or never did it."""

    id: str
    track: str
    name: str
    aim: str
    answers: int
    mean: float | None
    due_in: int | None
    level: Level | None


@dataclass(frozen=True, slots=True)
class AskedOut:
    """One thing that is asked for: a number with its unit, or one of some options."""

    name: str
    label: str
    unit: str
    options: dict[str, str]


@dataclass(frozen=True, slots=True)
class Task:
    """A drill's task for a seed at a level: what is given, what is asked, whether an image belongs to it, and what a hint
    costs."""

    drill: str
    seed: int
    level: Level
    level_name: str
    track: str
    name: str
    aim: str
    given: str
    asked: list[AskedOut]
    has_image: bool
    hint_costs: float


class TaskAnswerIn(RequestBody):
    """An answer to a task: by the name of what was asked. hinted: the hint was looked at. in_class: of a class test, whose
    tasks are all of the usual level."""

    seed: Annotated[int, Field(ge=0, le=MOST_SEED)]
    level: Level = 2
    answer: dict[Annotated[str, StringConstraints(max_length=30)], Number | Annotated[str, StringConstraints(max_length=40)]]
    hinted: bool = False
    in_class: Id | None = None


@dataclass(frozen=True, slots=True)
class JudgedOut:
    """An answer judged: credit 0 to 1, what is right or wrong of each thing asked, how it is worked out, the model answer,
    and the image that the answer would have made where it makes one. kept: for whoever is signed in."""

    credit: float
    said: list[str]
    worked: str
    model_answer: dict[str, float | str]
    image: PracticeImage | None
    image_says: str
    kept: bool


class ClassIn(RequestBody):
    """A class test: its name, its drills, and the seed that all of its tasks come from."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
    drills: Annotated[list[Annotated[str, StringConstraints(max_length=40)]], Field(min_length=1, max_length=40)]
    seed: Annotated[int, Field(ge=0, le=MOST_SEED)] | None = None


@dataclass(frozen=True, slots=True)
class ClassItem:
    """A task of a class test, with the credit of whoever asks; None while it is not answered."""

    drill: str
    name: str
    seed: int
    credit: float | None


@dataclass(frozen=True, slots=True)
class ClassResult:
    """How somebody did in a class test: answered, mean credit over all of its tasks, and the credit of each; None where it
    is not answered."""

    person: str
    name: str
    answered: int
    mean: float
    credits: list[float | None]


@dataclass(frozen=True, slots=True)
class ClassOut:
    """A class test; results of all for an instructor, one's own for a trainee; by_drill: mean credit of each task, for an
    instructor."""

    id: int
    name: str
    by: str
    at: str
    items: list[ClassItem]
    results: list[ClassResult]
    by_drill: dict[str, float]


def drill_of(drill_id: str) -> Drill:
    """A drill. NotFound where there is none."""
    if drill_id not in DRILLS:
        raise NotFound(f"There is no drill {drill_id[:40]}.")
    return DRILLS[drill_id]


def question_of(store: Store, drill_id: str, seed: int, level: Level = 2) -> Question:
    """The task of a drill for a seed at a level."""
    return drill_of(drill_id).question(seed, local.catalogue_of(store).projections, level)


def _history(store: Store, who: Here) -> list[Answered]:
    return practice.of_person(store, who.session.person.id) if who.session else []


def _image(scene: Scene, seed: int) -> PracticeImage:
    return practice_image(take(scene.case, scene.console, scene.lie, scene.mishap, PIXELS, seed))


@router.get("/drills")
def get_drills(store: StoreHere, who: WhoHere) -> list[DrillOut]:
    """All drills in the order of the work, each with how it goes."""
    history = _history(store, who)
    known, levels = standings([(one.drill, one.credit) for one in history]), _levels(history)
    found = []
    for one in DRILLS.values():
        mine = known.get(one.id)
        found.append(
            DrillOut(
                one.id,
                one.track,
                one.name,
                one.aim,
                mine.answers if mine else 0,
                mine.mean if mine else None,
                mine.due_in if mine else None,
                levels.get(one.id),
            )
        )
    return found


@router.get("/next")
def get_next(
    store: StoreHere, who: WhoHere, track: Annotated[str, Query(max_length=40)] = "", level: LevelAsked | None = None
) -> Task:
    """The task that comes next for whoever asks, of a track or of all; as hard as is asked, or as it goes for them."""
    wanted = [one.id for one in DRILLS.values() if not track or one.track == track]
    if not wanted:
        raise Refusal("No such track", "There is no track of that name.", [str(one) for one in TRACKS], "track")
    answered = _history(store, who)
    history = [(one.drill, one.credit) for one in answered if one.drill in wanted]
    # Which task is by chance: two people beside each other do not get the same.
    seed = secrets.randbelow(MOST_SEED)
    drill = next_drill(history, wanted, np.random.default_rng(seed))
    # Nobody is known to whom it could be easier: the usual level.
    begins: Level = 1 if who.session else 2
    return get_task(store, drill, seed, level or _levels(answered).get(drill, begins))


def _levels(answered: Sequence[Answered]) -> dict[str, Level]:
    """How hard each drill is next for who answered so."""
    earned: dict[str, list[float]] = {}
    for one in answered:
        earned.setdefault(one.drill, []).append(one.credit)
    return {drill: level_of(all_of_it) for drill, all_of_it in earned.items()}


@router.get("/pack")
def get_pack(store: StoreHere, level: LevelAsked = 2) -> list[Task]:
    """A pack of images, each with one hidden fault or none, to be judged one after the other."""
    seeds = pack(
        np.random.default_rng(secrets.randbelow(MOST_SEED)), local.catalogue_of(store).projections, cast(Level, level)
    )
    return [get_task(store, PACK_OF, seed, level) for seed in seeds]


@router.get("/drills/{drill_id}")
def get_task(store: StoreHere, drill_id: str, seed: Seed, level: LevelAsked = 2) -> Task:
    """A drill's task for a seed at a level."""
    drill, question = drill_of(drill_id), question_of(store, drill_id, seed, cast(Level, level))
    asked = [AskedOut(one.name, one.label, one.unit, dict(one.options)) for one in question.asked]
    has_image = question.before is not None
    return Task(
        drill.id,
        seed,
        cast(Level, level),
        LEVELS[cast(Level, level)],
        drill.track,
        drill.name,
        drill.aim,
        question.given,
        asked,
        has_image,
        HINT_COSTS,
    )


@router.get("/drills/{drill_id}/image")
def get_task_image(store: StoreHere, drill_id: str, seed: Seed, level: LevelAsked = 2) -> PracticeImage:
    """The image that belongs to a task. NotFound where there is none."""
    scene = question_of(store, drill_id, seed, cast(Level, level)).before
    if scene is None:
        raise NotFound("No image belongs to this task.")
    return _image(scene, seed)


@router.get("/drills/{drill_id}/hint")
def get_hint(store: StoreHere, drill_id: str, seed: Seed) -> str:
    """The hint of a task."""
    return question_of(store, drill_id, seed).hint


@router.post("/drills/{drill_id}/answers")
def post_answer(store: StoreHere, who: WhoHere, drill_id: str, asked: TaskAnswerIn) -> JudgedOut:
    """Judge an answer; kept for whoever is signed in."""
    question = question_of(store, drill_id, asked.seed, 2 if asked.in_class is not None else asked.level)
    judged = judge(question, asked.answer, asked.hinted)
    if asked.in_class is not None and who.session is None:
        raise Refusal("Sign in for a class test", "A class test is done by somebody: sign in first.", None, "in_class")
    if who.session:
        person = who.session.person.id
        practice.add(store, person, drill_id, asked.seed, asked.answer, asked.hinted, judged.credit, asked.in_class)
    scene = question.after(asked.answer) if question.after else None
    image = _image(scene, asked.seed) if scene else None
    says = "" if image is None else f"What your answer would have made: {image.judged.verdict.lower()}."
    model = question.model_answer()
    return JudgedOut(judged.credit, list(judged.said), judged.worked, model, image, says, who.session is not None)


@router.get("/confusions")
def get_confusions(store: StoreHere, who: SignedIn) -> dict[str, dict[str, int]]:
    """What whoever asks took for what in critiques, by name: right, given, how often."""
    pairs = []
    for one in practice.of_person(store, who.id):
        given = one.answer.get("fault")
        if isinstance(given, str) and given in FAULTS and one.drill in DRILLS:
            # What is drawn does not depend on the level: the fault is the one that was shown.
            right = question_of(store, one.drill, one.seed).model_answer().get("fault")
            if isinstance(right, str):
                pairs.append((FAULTS[right], FAULTS[given]))
    return {right: dict(row) for right, row in confusions(pairs).items()}


def _class_out(store: Store, one: ClassTest, who: Here) -> ClassOut:
    answers = practice.of_class(store, one.id)
    person = who.session.person if who.session else None
    instructor = person is not None and not NAMES.isdisjoint(person.roles)
    mine = {(a.drill, a.seed): a.credit for a in answers if person and a.person == person.id}
    items = [ClassItem(d, DRILLS[d].name if d in DRILLS else d, s, mine.get((d, s))) for d, s in one.items]
    by_person: dict[str, dict[tuple[str, int], float]] = {}
    for answer in answers:
        if instructor or (person and answer.person == person.id):
            by_person.setdefault(answer.person, {})[answer.drill, answer.seed] = answer.credit
    names = {somebody.id: somebody.name for somebody in people.everybody(store)}
    results = [
        ClassResult(who, names.get(who, who), len(got), sum(got.values()) / len(one.items), [got.get(i) for i in one.items])
        for who, got in by_person.items()
    ]
    by_drill = {}
    if instructor:
        for drill, seed in one.items:
            got = [a.credit for a in answers if (a.drill, a.seed) == (drill, seed)]
            if got:
                by_drill[drill] = sum(got) / len(got)
    return ClassOut(
        one.id, one.name, names.get(one.by, one.by), one.at, items, sorted(results, key=lambda r: r.person), by_drill
    )


@router.get("/classes")
def get_classes(store: StoreHere, who: WhoHere) -> list[ClassOut]:
    """The class tests, the newest first."""
    return [_class_out(store, one, who) for one in practice.class_tests(store)]


@router.post("/classes", status_code=201)
def post_class(store: StoreHere, who: WhoHere, actor: Actor, asked: ClassIn) -> ClassOut:
    """Set a class test: the same tasks for all who do it."""
    for drill in asked.drills:
        drill_of(drill)
    seed = secrets.randbelow(MOST_SEED // 2) if asked.seed is None else asked.seed
    items = [(drill, (seed + 7919 * number) % MOST_SEED) for number, drill in enumerate(asked.drills)]
    return _class_out(store, practice.set_class_test(store, asked.name, items, actor), who)


@router.get("/classes/{class_id}/csv", response_class=Response)
def get_class_csv(store: StoreHere, class_id: Id) -> Response:
    """The answers of a class test as CSV: person, drill, seed, when, hint, credit."""
    one = practice.class_test(store, class_id)
    rows = (
        {**asdict(a), "hint": "yes" if a.hinted else "no", "credit": f"{a.credit:.2f}"}
        for a in practice.of_class(store, one.id)
    )
    text = rows_csv.write(("person", "drill", "seed", "at", "hint", "credit"), rows)
    return as_file(text, "text/csv; charset=utf-8", f"class-{one.id}.csv")
