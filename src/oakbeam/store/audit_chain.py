"""The audit rows as a chain: each row's link is a hash of the row and of the link before, so that a change by hand is found.

The first linked row takes in all rows that were there before it. What is cut off at the end is found by the number that
SQLite remembers of the last row. Exposures are in the chain too: the audit row of whatever adds or changes one carries its
digest. Whoever owns the file can still write a whole new chain; a head that was kept elsewhere tells that one from this.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

_ROW = "at, actor, action, subject, detail"
BEGUN = "audit.linked"
"""The action of the row that says from which row on all are linked, and what the exposures were then."""
DIGESTED = (
    *("id", "taken_at", "room", "chart", "chart_version", "line_key", "projection", "side", "digit", "study_key"),
    *("event_key", "age_band", "sex", "weight_kg", "height_cm", "thickness_cm", "thickness_from", "thickness_spread_cm"),
    *("suggested_kvp", "suggested_mas", "kvp", "mas", "sid_cm", "support", "grid_ratio", "receptor", "filter"),
    *("exposure_control", "ei", "shown_index", "target_ei", "optical_density", "di", "incident_air_kerma_mgy"),
    *("kap_mgycm2", "reported_kerma_mgy", "reported_kap_mgycm2", "outcome", "rejects_known", "reject_reason", "findings"),
    *("reliable", "far_over", "attempt", "held_by", "note", "origin", "sources", "recorded_by", "recorded_as", "undone_at"),
)
"""The columns of an exposure that its digest is made of. A later column makes digests of another kind, with another first
letter; those that were written stay as they are."""
KIND = "a"


def next_link(db: sqlite3.Connection, at: str, actor: str, action: str, subject: str, detail: str) -> str:
    """The link of the row that is to be added now, inside its transaction."""
    last = db.execute("SELECT link, id FROM audit ORDER BY id DESC LIMIT 1").fetchone()
    before = "" if last is None else last[0] or _of_rows_before(db, last[1] + 1)
    return _link(before, at, actor, action, subject, detail)


def digests_of(db: sqlite3.Connection, ids: Iterable[int]) -> dict[str, str]:
    """The digest of each exposure as it is now, by its id as text, for an audit row."""
    wanted = ",".join(str(int(one)) for one in ids)
    return {str(number): digest for number, digest in _digests(db, f"id IN ({wanted})")}


def begin(db: sqlite3.Connection) -> Mapping[str, object]:
    """Within a migration: keep what each exposure is, and give what the row that begins it says."""
    found = list(_digests(db, "1"))
    db.executemany("INSERT INTO exposure_before (exposure, digest) VALUES (?, ?)", found)
    first = db.execute("SELECT min(id) FROM audit WHERE link IS NOT NULL").fetchone()[0]
    here = db.execute("SELECT coalesce(max(id), 0) + 1 FROM audit").fetchone()[0]
    return {"linked_from": first or here, "exposures": len(found), "digest": _of_digests(found)}


def chain_fault(db: sqlite3.Connection) -> str | None:
    """What is wrong with the chain or with the exposures in it, in a sentence; None where every row is as it was written and
    none is missing."""
    begun = db.execute(f"SELECT detail FROM audit WHERE action = '{BEGUN}' ORDER BY id LIMIT 1").fetchone()
    if begun is None:
        return "The audit row that says where its links begin is gone."
    said = json.loads(begun[0])
    before: str | None = None
    for row in db.execute(f"SELECT id, link, {_ROW} FROM audit ORDER BY id"):
        number, link, *rest = row
        if link is None:
            if before is not None or number >= said["linked_from"]:
                return f"Audit row {number} has no link, though rows from {said['linked_from']} on have."
            continue
        if before is None:
            before = _of_rows_before(db, number)
        if link != _link(before, *rest):
            return f"Audit row {number} is not as it was written, or a row before it is gone."
        before = link
    last = db.execute("SELECT max(id) FROM audit").fetchone()[0]
    remembered = db.execute("SELECT seq FROM sqlite_sequence WHERE name = 'audit'").fetchone()
    if remembered is not None and remembered[0] != (last or 0):
        return f"The audit ends at row {last or 0}; the last one written was {remembered[0]}."
    return _exposures_fault(db, said)


def _exposures_fault(db: sqlite3.Connection, begun: Mapping[str, Any]) -> str | None:
    """What is wrong with the exposures: each is as the last audit row that tells of it says, or as it was before those."""
    known: dict[int, str] = {}
    before = [(row[0], row[1]) for row in db.execute("SELECT exposure, digest FROM exposure_before ORDER BY exposure")]
    if (len(before), _of_digests(before)) != (begun["exposures"], begun["digest"]):
        return "What the exposures were before they were in the chain is not as it was written."
    known.update(before)
    of_exposures = "(subject LIKE 'exposure:%' OR subject = 'log:images') AND detail LIKE '%\"digests\"%'"
    for (detail,) in db.execute(f"SELECT detail FROM audit WHERE {of_exposures} ORDER BY id"):
        known.update((int(number), digest) for number, digest in json.loads(detail)["digests"].items())
    for number, digest in _digests(db, "1"):
        said = known.pop(number, None)
        if said is None:
            return f"Exposure {number} stands in no audit row."
        if said != digest:
            return f"Exposure {number} is not as it was recorded."
    return f"Exposure {min(known)} is gone." if known else None


def head(db: sqlite3.Connection, at: str, key: bytes) -> dict[str, object]:
    """The end of the chain now, signed (HMAC-SHA256), to be kept where whoever can write the file cannot."""
    row = db.execute("SELECT id, link FROM audit ORDER BY id DESC LIMIT 1").fetchone()
    said = {"at": at, "row": row[0], "link": row[1]}
    return {**said, "signature": _signature(said, key)}


def head_fault(db: sqlite3.Connection, kept: Mapping[str, object], key: bytes) -> str | None:
    """What is wrong between a head that was kept and the chain as it is, in a sentence; None where that goes on from it."""
    said = {name: kept.get(name) for name in ("at", "row", "link")}
    if not hmac.compare_digest(_signature(said, key), str(kept.get("signature", ""))):
        return "This head was not signed with this key, or is not as it was signed."
    row = db.execute("SELECT link FROM audit WHERE id = ?", (said["row"],)).fetchone()
    if row is None or row[0] != said["link"]:
        return f"The audit was written anew after {said['at']}: its row {said['row']} is another one now."
    return None


def _signature(said: Mapping[str, object], key: bytes) -> str:
    return hmac.new(key, json.dumps(said, sort_keys=True).encode(), hashlib.sha256).hexdigest()


def _digests(db: sqlite3.Connection, of: str) -> Iterator[tuple[int, str]]:
    for row in db.execute(f"SELECT {', '.join(DIGESTED)} FROM exposure WHERE {of} ORDER BY id"):
        text = json.dumps(tuple(row), ensure_ascii=False, separators=(",", ":"))
        yield row[0], KIND + hashlib.sha256(text.encode()).hexdigest()[:32]


def _of_digests(found: Iterable[tuple[int, str]]) -> str:
    return hashlib.sha256("\x1e".join(f"{number}\x1f{digest}" for number, digest in found).encode()).hexdigest()


def _of_rows_before(db: sqlite3.Connection, number: int) -> str:
    """What the first linked row takes in: all rows before it; "" where there are none."""
    digest, any_there = hashlib.sha256(), False
    for row in db.execute(f"SELECT id, {_ROW} FROM audit WHERE id < ? ORDER BY id", (number,)):
        digest.update("\x1f".join(map(str, row)).encode() + b"\x1e")
        any_there = True
    return digest.hexdigest() if any_there else ""


def _link(before: str, *row: str) -> str:
    return hashlib.sha256("\x1f".join((before, *row)).encode()).hexdigest()
