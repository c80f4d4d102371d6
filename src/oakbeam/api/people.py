"""Signing in and out, and looking after people."""

from __future__ import annotations

from dataclasses import replace
from ipaddress import ip_address
from typing import Annotated, Any

from fastapi import Depends, Request, Response
from pydantic import BaseModel, Field, StringConstraints

from oakbeam.api.access import COOKIE, Actor, Here, StoreHere, here
from oakbeam.api.proxy_sign_in import NobodySaid, person_said
from oakbeam.api.resource import resource
from oakbeam.api.types import Name, Problem, RequestBody
from oakbeam.store import Store, people
from oakbeam.store.local import offered_accounts
from oakbeam.store.people import Agreement, Person, Role

TOO_MANY: dict[int | str, dict[str, Any]] = {429: {"model": Problem, "description": "Too many attempts; wait"}}
router = resource("people", more=TOO_MANY)


class Offered(BaseModel):
    """An account that a demo offers on its sign-in page."""

    id: str
    name: str
    roles: tuple[Role, ...]
    password: str


class SessionOut(BaseModel):
    """Who is signed in (None: nobody), the token that changes must carry, and what a demo offers."""

    person: Person | None
    token: str | None
    idle_minutes: int
    offered: list[Offered]
    must_change: bool = False
    """The password was generated: nothing is kept before it is changed."""
    by_proxy: str | None = None
    """The name of whom the proxy says is there and who may sign in without a password; None where it says nothing."""


PersonId = Annotated[str, StringConstraints(min_length=1, max_length=40, pattern=r"^[a-z0-9][a-z0-9._-]*$")]
Password = Annotated[str, StringConstraints(min_length=1, max_length=people.MOST_PASSWORD)]
WhoIsHere = Annotated[Here, Depends(here)]


class SignIn(RequestBody):
    """Name and password."""

    person: Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True, to_lower=True)]
    password: Password


class NewPassword(RequestBody):
    """One's own password, old and new."""

    old: Password
    new: Password


class PersonIn(RequestBody):
    """A person as an admin writes them. password None keeps the old one."""

    name: Name
    roles: Annotated[list[Role], Field(min_length=1, max_length=5)]
    active: bool = True
    password: Password | None = None
    revision: int | None = None


class NewPerson(PersonIn):
    """A new person."""

    id: PersonId
    password: Password


@router.get("/session")
def who_is_here(store: StoreHere, who: WhoIsHere, request: Request) -> SessionOut:
    """Who is signed in."""
    return session_out(store, who.session, request)


@router.post("/session")
def sign_in(store: StoreHere, who: WhoIsHere, request: Request, response: Response, asked: SignIn) -> SessionOut:
    """Sign in; whoever was signed in here is signed out. After some wrong passwords it has to wait."""
    opened = people.sign_in(store, asked.person, asked.password, _address(request))
    return _signed_in(store, request, response, opened)


def _address(request: Request) -> str:
    return request.client.host if request.client else ""


def _signed_in(store: Store, request: Request, response: Response, opened: tuple[str, people.Session]) -> SessionOut:
    """Give the new session's cookie; whoever was signed in here is signed out."""
    token, session = opened
    if old := request.cookies.get(COOKIE):
        people.sign_out(store, old)
    secure = request.url.scheme == "https"
    response.set_cookie(COOKIE, token, httponly=True, samesite="strict", secure=secure, path="/")
    return session_out(store, session, request)


@router.post("/session/by-proxy")
def sign_in_by_proxy(store: StoreHere, request: Request, response: Response) -> SessionOut:
    """Sign in whom a trusted proxy says is there, without a password; off unless the department names the header."""
    said = person_said(store, request)
    if said is None:
        raise NobodySaid
    return _signed_in(store, request, response, people.sign_in_known(store, said.id, _address(request)))


@router.delete("/session")
def sign_out(store: StoreHere, request: Request, response: Response) -> SessionOut:
    """Sign out."""
    if token := request.cookies.get(COOKIE):
        people.sign_out(store, token)
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return session_out(store, None, request)


@router.get("/session/all")
def my_sessions(store: StoreHere, who: Actor, request: Request) -> list[people.OpenSession]:
    """One's own sessions that have not ended: at which times, not where."""
    return people.sessions_of(store, who, request.cookies.get(COOKIE, ""))


@router.delete("/session/others", status_code=204)
def end_other_sessions(store: StoreHere, who: Actor, request: Request) -> None:
    """End one's sessions at all other consoles."""
    people.sign_out_elsewhere(store, who, request.cookies.get(COOKIE, ""))


@router.put("/session/password", status_code=204)
def change_password(store: StoreHere, who: Actor, request: Request, asked: NewPassword) -> None:
    """Change one's own password; every session of one's own ends."""
    person = people.get(store, who)
    token, _ = people.sign_in(store, who, asked.old, request.client.host if request.client else "")
    people.sign_out(store, token)
    people.change(store, who, who, person.name, person.roles, True, asked.new)


@router.get("/people")
def list_people(store: StoreHere) -> list[Person]:
    """Everybody who may sign in, or might once."""
    return people.everybody(store)


@router.post("/people", status_code=201)
def add_person(store: StoreHere, who: Actor, asked: NewPerson) -> Person:
    """Add a person."""
    return people.add(store, asked.id, asked.name, asked.roles, asked.password, who)


@router.put("/people/{person_id}")
def change_person(store: StoreHere, who: Actor, person_id: PersonId, asked: PersonIn) -> Person:
    """Change a person's name, roles, leave to sign in, or password."""
    return people.change(store, person_id, who, asked.name, asked.roles, asked.active, asked.password, asked.revision)


@router.get("/agreement")
def get_agreement(store: StoreHere) -> Agreement:
    """What the department agreed on: who approves, and how long a session may be idle."""
    return people.agreement(store)


class AgreementIn(RequestBody):
    """What the department agrees on anew; what is not said stays."""

    another_approves: bool | None = None
    idle_minutes: int | None = None
    open_records: bool | None = None


@router.put("/agreement")
def set_agreement(store: StoreHere, who: Actor, asked: AgreementIn) -> Agreement:
    """Change what the department agreed on; what is not said stays."""
    return people.agree(store, replace(people.agreement(store), **asked.model_dump(exclude_none=True)), who)


def on_this_machine(request: Request) -> bool:
    """The request comes from the machine that serves it, and through no proxy that would hide where it is from."""
    if any(name in request.headers for name in ("forwarded", "x-forwarded-for", "x-real-ip")):
        return False
    try:
        return ip_address(request.client.host if request.client else "").is_loopback
    except ValueError:
        return False


def session_out(store: Store, session: people.Session | None, request: Request) -> SessionOut:
    """Who is signed in, and what a demo offers: its accounts have a published password, so only on its own machine."""
    offered = offered_accounts(store) if on_this_machine(request) else None
    accounts = [people.get(store, person_id) for person_id in offered[1]] if offered else []
    return SessionOut(
        person=session.person if session else None,
        token=session.csrf if session else None,
        idle_minutes=people.agreement(store).idle_minutes,
        must_change=bool(session and session.person.must_change),
        by_proxy=said.name if (said := person_said(store, request)) else None,
        offered=[Offered(id=one.id, name=one.name, roles=one.roles, password=offered[0]) for one in accounts if offered],
    )
