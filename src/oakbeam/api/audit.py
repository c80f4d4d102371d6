"""What was done, by whom and when, and who signed in: for the administrator."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import Query
from fastapi.responses import Response
from pydantic import BaseModel

from oakbeam.api.access import StoreHere
from oakbeam.api.answers import as_file
from oakbeam.api.resource import resource
from oakbeam.formats import rows_csv
from oakbeam.store import history
from oakbeam.store.audit_chain import chain_fault

router = resource("people")

MOST_EXPORTED = 100_000
Before = Annotated[int | None, Query(ge=1, le=2**63 - 1, description="only rows before this one")]
Limit = Annotated[int, Query(ge=1, le=1000)]
Actor = Annotated[str, Query(max_length=60, description="only what this person did")]
Action = Annotated[str, Query(max_length=60, description="only actions that begin so: chart, room, exposure.record")]


class Chain(BaseModel):
    """Whether the audit is as it was written; fault: what is not, in a sentence."""

    whole: bool
    fault: str | None


@router.get("/audit")
def get_audit(
    store: StoreHere, before: Before = None, limit: Limit = 100, actor: Actor = "", action: Action = ""
) -> list[history.Change]:
    """What was done, newest first."""
    return history.everything(store, before, limit, actor, action)


@router.get("/audit/chain")
def get_chain(store: StoreHere) -> Chain:
    """Whether every row of the audit is as it was written, by the hashes that link them."""
    fault = chain_fault(store.db)
    return Chain(whole=fault is None, fault=fault)


@router.get("/audit/csv", response_class=Response)
def audit_csv(store: StoreHere, actor: Actor = "", action: Action = "") -> Response:
    """What was done, as CSV, newest first."""
    rows = history.everything(store, None, MOST_EXPORTED, actor, action)
    columns = ("id", "at", "actor", "action", "subject", "detail")
    text = rows_csv.write(columns, ({**asdict(row), "detail": str(row.detail)} for row in rows))
    return as_file(text, "text/csv; charset=utf-8", "audit.csv")


@router.get("/sign-ins")
def get_sign_ins(store: StoreHere, limit: Limit = 100) -> list[history.Attempt]:
    """Who tried to sign in, from where, and whether it passed; kept for some months."""
    return history.sign_ins(store, limit)
