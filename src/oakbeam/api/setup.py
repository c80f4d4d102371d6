"""From an empty server to the first technique: who begins, the department, and what is still missing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Literal

from fastapi import Request, Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.people import TOO_MANY, Password, PersonId, SessionOut, SignIn, WhoIsHere, sign_in
from oakbeam.api.resource import resource
from oakbeam.api.rules import CHART, ROOM
from oakbeam.api.types import Name, RequestBody
from oakbeam.core.chart_making.systems import TechniqueSystem
from oakbeam.core.charts.line import Status
from oakbeam.core.lengths import LengthUnit
from oakbeam.store import Store, charts, department, exposures, people, rooms
from oakbeam.store.department import Department
from oakbeam.store.people import Role

router = resource("setup", more=TOO_MANY)

Code = Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
StepName = Literal["administrator", "department", "people", "room", "readings", "chart", "approval", "desk"]


class FirstPerson(RequestBody):
    """Who sets the department up, by the code in the file that the server wrote."""

    code: Code
    id: PersonId
    name: Name
    roles: Annotated[list[Role], Field(min_length=1, max_length=5)]
    password: Password


class SetupStep(BaseModel):
    """One step. done: nothing is missing; says: what is there, or what is missing. needed: without it the Desk has no
    number; the others can wait."""

    name: StepName
    done: bool
    needed: bool
    says: str


class Setup(BaseModel):
    """How far the department is. open: nobody may sign in yet, and the code sets up the first person. ready: the Desk has an
    approved chart to work by."""

    open: bool
    ready: bool
    department: Department
    steps: list[SetupStep]


def setup(store: Store) -> Setup:
    """How far the department is, by what there is and not by what was clicked: any step can be left and taken up again."""
    own, open_ = department.read(store), people.nobody_yet(store)
    by_status = charts.count_by_status(store)
    steps = [
        SetupStep(
            name="administrator",
            done=not open_,
            needed=True,
            says="Nobody may sign in yet." if open_ else "Somebody may sign in.",
        ),
        SetupStep(
            name="department",
            done=bool(own.name),
            needed=False,
            says=own.name or "Has no name yet; lengths are in centimetres.",
        ),
        _people(store),
        *_rooms(store),
        SetupStep(name="chart", done=bool(by_status), needed=True, says=_versions(by_status)),
        SetupStep(
            name="approval",
            done="approved" in by_status,
            needed=True,
            says=_approval(by_status),
        ),
        _desk(store),
    ]
    return Setup(open=open_, ready="approved" in by_status, department=own, steps=steps)


def _people(store: Store) -> SetupStep:
    active = [one for one in people.everybody(store) if one.active]
    approvers = [one for one in active if ROOM & set(one.roles)]
    makers = [one for one in active if CHART & set(one.roles)]
    two = any(maker != approver for maker in makers for approver in approvers)
    done = bool(approvers) and (two or not people.agreement(store).another_approves)
    if done:
        says = f"{', '.join(one.name for one in approvers)} may approve."
    elif approvers:
        says = "Another than its author approves a chart: add a second person, or change that under Department."
    else:
        says = "Nobody may approve a chart yet: add a physicist."
    return SetupStep(name="people", done=done, needed=True, says=says)


def _rooms(store: Store) -> list[SetupStep]:
    there = rooms.all_rooms(store)
    unread = [room.name for room in there if room.typical_output]
    if unread:
        read = f"Output not read in {', '.join(unread)}: dose figures there are estimates."
    else:
        read = "Outputs are known." if there else "A room comes first."
    named = ", ".join(room.name for room in there) or "No room yet: a technique belongs to one."
    return [
        SetupStep(name="room", done=bool(there), needed=True, says=named),
        SetupStep(name="readings", done=bool(there) and not unread, needed=False, says=read),
    ]


def _versions(by_status: Mapping[Status, int]) -> str:
    return ", ".join(f"{count} {status}" for status, count in by_status.items()) or "No chart yet."


def _approval(by_status: Mapping[Status, int]) -> str:
    if "approved" in by_status:
        return f"{by_status['approved']} approved."
    waits = f"{by_status['proposed']} to approve. " if "proposed" in by_status else ""
    return f"{waits}Until a chart is approved the Desk has no numbers."


def _desk(store: Store) -> SetupStep:
    recorded = exposures.count(store) > 0
    return SetupStep(name="desk", done=recorded, needed=False, says="In use." if recorded else "No exposure recorded yet.")


@router.get("/setup")
def get_setup(store: StoreHere) -> Setup:
    """How far the department is on the way from an empty server to the first technique, and what is missing."""
    return setup(store)


@router.post("/setup", status_code=201)
def post_setup(store: StoreHere, who: WhoIsHere, request: Request, response: Response, asked: FirstPerson) -> SessionOut:
    """The first person, who is signed in at once. Only while nobody may sign in, and with the server's code."""
    address = request.client.host if request.client else ""
    people.add_first(store, asked.code, asked.id, asked.name, asked.roles, asked.password, address)
    return sign_in(store, who, request, response, SignIn(person=asked.id, password=asked.password))


class DepartmentIn(RequestBody):
    """What is to be changed of the department; what is not said stays."""

    name: str = ""
    length_unit: LengthUnit = "cm"
    system: TechniqueSystem | None = None


@router.put("/department")
def put_department(store: StoreHere, who: Actor, asked: DepartmentIn) -> Department:
    """Change the department's name, unit or technique system; what is not said stays."""
    return department.save(store, replace(department.read(store), **asked.model_dump(exclude_unset=True)), who)
