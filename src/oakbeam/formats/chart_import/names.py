"""The projection of each row of a table: by its own cells, by what stands over it, or by asking."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.catalogue import Catalogue
from oakbeam.core.projection import Projection
from oakbeam.formats.chart_import import projections
from oakbeam.formats.chart_import.questions import LEFT_OUT, Asking, Confidence, Option
from oakbeam.formats.chart_import.table import Row, Table
from oakbeam.formats.chart_import.words import plain

MOST_LOOKED_UP = 300
"""Different names that are looked for; a chart has no more, and each costs some milliseconds."""


@dataclass(frozen=True, slots=True)
class Named:
    """A row's projection: as the file says it, its id (None while it is asked), how sure, and what it was carried from."""

    said: str
    projection: str | None
    confidence: Confidence
    why: str = ""


def views_of(table: Table) -> list[str]:
    """The views that stand over columns; one empty where none does."""
    return list(dict.fromkeys(head.view for head in table.heads if head.view)) or [""]


def named(table: Table, known: Catalogue, asking: Asking) -> dict[tuple[int, str], Named]:
    """The projection of each row that was not left out, by row and by the view over its columns."""
    names, views = _Names(table, known, asking), views_of(table)
    rows = [row for row in table.rows if not asking.left_out(row.at)]
    return {(row.at, view): names.of(row, view) for row in rows for view in views}


class _Names:
    """The projections of the rows, each different name looked for once; a blank name is that of the row above."""

    def __init__(self, table: Table, known: Catalogue, asking: Asking) -> None:
        self.table, self.known, self.asking = table, known, asking
        self.found: dict[tuple[str, ...], projections.Match] = {}
        self.last: dict[str, str] = {}

    def of(self, row: Row, view: str) -> Named:
        """The projection of a row's columns under a view."""
        by = {head.means: head for head in self.table.heads if head.means in ("projection", "region", "view", "position")}
        said: dict[str, str] = {str(means): row.cell(head) for means, head in by.items()}
        carried = False
        for means in ("region", "projection"):
            # A merged or left-out cell stands for what is above it, within the same heading.
            if means in said and not said[means] and (self.last.get("heading", "") == " ".join(row.sections)):
                said[means] = self.last.get(means, "")
                carried = carried or bool(said[means])
        self.last = {**self.last, **{means: text for means, text in said.items() if text}, "heading": " ".join(row.sections)}
        parts = [*(said.get(means, "") for means in ("region", "projection", "view")), view]
        own = " ".join(filter(None, parts))
        with_position = " ".join(filter(None, (own, said.get("position", ""))))
        ways = [with_position, own] if own else []
        for over in self._over(row):
            # What stands over a row may name the part, or where and at what distance all below is done.
            ways += [f"{over} {with_position}", f"{over} {own}"] if own else [over]
        key = tuple(ways)
        if key not in self.found:
            if len(self.found) >= MOST_LOOKED_UP:
                self.asking.fault(row.at, "", f"More than {MOST_LOOKED_UP} different names: this is no list of projections.")
                return Named(own, None, "asked")
            self.found[key] = projections.match(ways, self.known)
        match = self.found[key]
        name = with_position or match.said or (ways[0] if ways else "")
        if match.projection:
            return Named(name, match.projection, "assumed" if carried else "exact", "the row above" if carried else "")
        return Named(name, self._asked(name, match, row.at), "asked")

    def _over(self, row: Row) -> list[str]:
        """What stands over a row, the nearest first: its headings, the sheet's name, the titles."""
        titles = [text for _, text in reversed(self.table.titles)]
        return [*reversed(row.sections), *filter(None, [self.table.sheet]), *titles]

    def _asked(self, name: str, match: projections.Match, row: int) -> str | None:
        known = self.known.projections
        offered = [Option(one, _title(known[one])) for one in match.offered]
        text = f"Which projection is “{name[:60]}”?" if name else "No row names a projection: of which is this table?"
        guess = match.offered[0] if match.likely else None
        about = plain(name)[:100] or f"{plain(self.table.sheet)} table".strip()
        answer = self.asking.ask("projection", about, text, [row], [*offered, LEFT_OUT], guess, free=True, given=name)
        return answer if answer in known else None


def _title(projection: Projection) -> str:
    return f"{projection.exam} {projection.name}"
