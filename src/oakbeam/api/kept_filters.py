"""Filters of the log that a person keeps under a name: no one else sees them."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from pydantic import StringConstraints

from oakbeam.api.access import Actor, StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.types import RequestBody
from oakbeam.store import kept_filters
from oakbeam.store.kept_filters import KeptFilter

router = resource("log", below="/api/log/filters")
NameQuery = Annotated[str, Query(min_length=1, max_length=60)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]


class KeptFilterIn(RequestBody):
    """A filter to be kept: its name and the words of its address, without the question mark."""

    name: Name
    address: Annotated[str, StringConstraints(min_length=1, max_length=600, pattern=r"^[\w%&=+.,:*~()!'-]+$")]


@router.get("")
def get_filters(store: StoreHere, who: Actor) -> list[KeptFilter]:
    """The filters that whoever asks keeps."""
    return kept_filters.of_person(store, who)


@router.put("")
def put_filter(store: StoreHere, who: Actor, asked: KeptFilterIn) -> list[KeptFilter]:
    """Keep a filter, in place of one of the same name."""
    kept_filters.keep(store, who, KeptFilter(asked.name, asked.address))
    return get_filters(store, who)


@router.delete("")
def delete_filter(store: StoreHere, who: Actor, name: NameQuery) -> list[KeptFilter]:
    """Keep a filter no longer."""
    kept_filters.drop(store, who, name)
    return get_filters(store, who)
