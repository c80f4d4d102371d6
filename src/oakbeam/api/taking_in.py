"""What images and dose reports say, taken into the log: which room and view it is, which exposure, and what the chart of
that day says of it. Joins store, catalogue and core."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Literal

from pydantic import BaseModel

from oakbeam.api import progress
from oakbeam.catalogue.image_words import projection_of, reject_reason
from oakbeam.core.charts.line import Chart, ChartLine, find_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import EI_RANGE, deviation_index
from oakbeam.core.log.facts import Found, ImageFacts, RejectNote
from oakbeam.core.log.incidents import far_over
from oakbeam.core.log.joining import JUDGED_WITHIN_S, SAME_WITHIN_S, Choice, Told, choose
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import Thickness, estimated, measured
from oakbeam.core.projection import Projection
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup
from oakbeam.store import Store, charts, exposures, images, local, rooms, tally
from oakbeam.store.audit_chain import digests_of
from oakbeam.store.database import Connection, audit
from oakbeam.store.exposures import Exposure
from oakbeam.store.images import WaitsFor

BATCH, TOLD_EVERY = 200, 25
"""Objects taken in in one transaction, and after how many it is told how far it is."""


class Unread(BaseModel):
    """An object that was refused: which, counted from 0; file: a one-way key of it; and why."""

    at: int
    file: str
    why: str


class TakenIn(BaseModel):
    """What became of some objects: exposures added, objects merged into exposures that the log held, objects that wait,
    those known already, and those refused. read: all of them."""

    read: int = 0
    added: int = 0
    merged: int = 0
    waiting: int = 0
    known: int = 0
    refused: list[Unread] = []

    def and_of(self, other: TakenIn) -> None:
        """Count another batch in."""
        for name in ("read", "added", "merged", "waiting", "known"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.refused += other.refused


def take_in(store: Store, found: Iterable[Found | Unread], actor: str, room: str | None = None, of: int = 0) -> TakenIn:
    """Take what objects say into the log, batch by batch; room: of machines that are not known yet; of: how many there are,
    where that is known. What was read before changes nothing."""
    whole, batch = TakenIn(), list[Found | Unread]()
    for at, one in enumerate(found, 1):
        if of and at % TOLD_EVERY == 0:
            progress.tell(at, of)
        batch.append(one)
        if len(batch) >= BATCH:
            whole.and_of(_take_batch(store, batch, actor, room))
            batch = []
    if batch:
        whole.and_of(_take_batch(store, batch, actor, room))
    return whole


def _take_batch(store: Store, batch: Sequence[Found | Unread], actor: str, room: str | None) -> TakenIn:
    taker = Taker(store, actor, room)
    done = TakenIn(read=len(batch))
    with store.change() as db:
        for one in batch:
            if isinstance(one, Unread):
                done.refused.append(one)
                continue
            outcomes = [taker.take(db, facts) for facts in one.facts]
            outcomes += [taker.reject(db, note) for note in one.rejects]
            for outcome in outcomes:
                setattr(done, outcome, getattr(done, outcome) + 1)
        taker.finish(db)
    return done


Outcome = Literal["added", "merged", "waiting", "known"]


class Taker:
    """Takes facts into the log within one change: what the department said of machines and views is read once."""

    def __init__(self, store: Store, actor: str, room: str | None = None) -> None:
        self.store, self.actor = store, actor
        self.machines, self.views = images.machines(store), images.views(store)
        self.rooms = {one.id: one for one in rooms.all_rooms(store)}
        if room is not None and room not in self.rooms:
            raise Refusal("Unknown room", f"There is no room '{room[:60]}'.", sorted(self.rooms), "room")
        self.room = room
        self.known = local.catalogue_of(store)
        self.added: list[int] = []
        """Rows of this change, which are counted at its end."""

    def take(self, db: Connection, facts: ImageFacts) -> Outcome:
        """Take what one object says."""
        if images.exposure_of(db, facts.key) is not None:
            return "known"
        return self.settle(db, facts)

    def settle(self, db: Connection, facts: ImageFacts, same: int | None = None, own: bool = False) -> Outcome:
        """Take what an object says, whether or not it waited. same: somebody said which exposure it is; own: or that it is
        none of those in the log."""
        if facts.event_key and (row := exposures.of_event(db, facts.event_key)):
            # Whatever it calls its view and its machine, it is of the same irradiation.
            return self._join(db, facts, row)
        room, projection = self._room_of(facts), self._projection_of(facts)
        if room is None or projection is None:
            return self._wait(db, facts, "room" if room is None else "view")
        if same is not None:
            return self._join(db, facts, exposures.get(self.store, same))
        if not own:
            rows, choice = self.choice(db, facts)
            if choice.same is not None:
                return self._join(db, facts, rows[choice.same])
            if choice.doubtful:
                return self._wait(db, facts, "same")
        row = exposures.insert(db, exposure_of(facts, room, projection, self._chart_then(room, facts.taken_at)), None)
        self.added.append(row.id)
        images.keep(db, facts, row.id, None)
        for waiting in images.of_event(db, facts.event_key) if facts.event_key else ():
            self._join(db, waiting, exposures.of_event(db, waiting.event_key or "") or row)
        if (reason := images.rejected(db, facts.key)) is not None:
            self._reject(db, exposures.of_object(db, facts.key), reason)
        return "added"

    def reject(self, db: Connection, note: RejectNote) -> Outcome:
        """Take in that images were rejected: those that nobody recorded at the Desk, which says so itself. A note may come
        before its image."""
        reason, done = reject_reason(note.reason), False
        for key in note.keys:
            if images.exposure_of(db, key):
                done |= self._reject(db, exposures.of_object(db, key), reason)
            else:
                images.reject_later(db, key, reason)
        return "merged" if done else "known"

    def _reject(self, db: Connection, row: Exposure | None, reason: str) -> bool:
        if row is None or row.origin != "image" or row.outcome == "rejected":
            return False
        told = {**row.sources, "outcome": "reject note"}
        rejected = replace(row, outcome="rejected", reject_reason=reason, rejects_known=True, sources=told)
        exposures.join(db, row, rejected, self.actor, row.id not in self.added)
        return True

    def choice(self, db: Connection, facts: ImageFacts) -> tuple[list[Exposure], Choice]:
        """The exposures that an object may tell of, and which of them it does."""
        room, projection = self._room_of(facts), self._projection_of(facts)
        if room is None or projection is None:
            return [], Choice()
        rows = self._near(db, facts, room, projection)
        return rows, choose([_told(row) for row in rows], _told_by(facts, projection.id))

    def finish(self, db: Connection) -> None:
        """What was added is counted, and has an audit row; each exposure that was joined has one of its own."""
        if self.added:
            tally.count(db, self.added)
            detail = {
                "exposures": len(self.added),
                "first": self.added[0],
                "last": self.added[-1],
                "digests": digests_of(db, self.added),
            }
            audit(db, self.actor, "image.import", "log:images", detail)

    def _wait(self, db: Connection, facts: ImageFacts, waits_for: WaitsFor) -> Outcome:
        images.keep(db, facts, None, waits_for)
        return "waiting"

    def _room_of(self, facts: ImageFacts) -> Room | None:
        named = self.machines.get(facts.device) or facts.room or self.room
        if named is None and len(self.rooms) == 1:
            named = next(iter(self.rooms))
        return self.rooms.get(named) if named else None

    def _projection_of(self, facts: ImageFacts) -> Projection | None:
        named = self.views.get(facts.view) if facts.view else None
        named = named or facts.projection or projection_of(facts.view, facts.age_band)
        return self.known.projections.get(named) if named else None

    def _near(self, db: Connection, facts: ImageFacts, room: Room, projection: Projection) -> list[Exposure]:
        """The exposures that an object may tell of: of its view in the room about its time."""
        taken = datetime.fromisoformat(facts.taken_at)
        since, until = (
            (taken + timedelta(seconds=s)).isoformat(timespec="milliseconds") for s in (-SAME_WITHIN_S, JUDGED_WITHIN_S)
        )
        return exposures.between(db, room.id, projection.id, since, until, facts.event_key)

    def _join(self, db: Connection, facts: ImageFacts, row: Exposure) -> Outcome:
        view = self.known.projections.get(row.projection)
        level = view.usual_kerma_mgy if view else None
        exposures.join(db, row, with_facts(row, facts, self.rooms[row.room], level), self.actor, row.id not in self.added)
        images.keep(db, facts, row.id, None)
        return "merged"

    def _chart_then(self, room: Room, at: str) -> Chart | None:
        chart_id = charts.in_use_at(self.store, room.id, at)
        return charts.get(self.store, chart_id) if chart_id else None


def exposure_of(facts: ImageFacts, room: Room, projection: Projection, chart: Chart | None) -> Exposure:
    """The exposure that an object tells of, with what the chart of that day says of it. What the object does not say is the
    line's, and named so; the thickness is estimated from age, weight and height."""
    thickness = (
        measured(facts.thickness_cm)
        if facts.thickness_cm is not None
        else estimated(projection, None, facts.age_band, facts.weight_kg, facts.height_cm)
    )
    line = _line_of(facts, projection, chart, thickness)
    sources = {"thickness_cm": thickness.said, "kvp": facts.kind, "mas": facts.kind}
    row = Exposure(
        room=room.id,
        chart=chart.id if chart else None,
        chart_version=chart.version if chart else None,
        projection=projection.id,
        thickness_cm=thickness.cm,
        suggested_kvp=None,
        suggested_mas=None,
        kvp=facts.kvp,
        mas=facts.mas,
        sid_cm=facts.sid_cm,
        support=None,
        grid_ratio=0 if facts.with_grid is False else None,
        receptor=None,
        exposure_control=facts.exposure_control or (line.exposure_control if line else "manual"),
        outcome=facts.outcome or "accepted",
        reject_reason=facts.reject_reason or None,
        rejects_known=facts.outcome is not None,
        side=facts.side,
        study_key=facts.study_key,
        event_key=facts.event_key,
        age_band=facts.age_band,
        sex=facts.sex,
        weight_kg=facts.weight_kg,
        height_cm=facts.height_cm,
        thickness_from=thickness.source,
        thickness_spread_cm=thickness.spread_cm,
        origin="file" if facts.kind == "table row" else "image",
        sources=sources,
        taken_at=facts.taken_at,
    )
    if line is not None and chart is not None:
        row = _by_line(row, facts, room, projection, chart, line, thickness)
    return with_facts(row, facts, room, projection.usual_kerma_mgy)


def _line_of(facts: ImageFacts, projection: Projection, chart: Chart | None, thickness: Thickness) -> ChartLine | None:
    if chart is None:
        return None
    lines = chart.lines
    if facts.with_grid is not None:
        as_said = tuple(one for one in lines if one.projection == projection.id and (one.grid_ratio > 0) == facts.with_grid)
        lines = as_said or lines
    try:
        return find_line(lines, projection, thickness.cm, exposure_control=facts.exposure_control)
    except Refusal:
        return None


def _by_line(
    row: Exposure,
    facts: ImageFacts,
    room: Room,
    projection: Projection,
    chart: Chart,
    line: ChartLine,
    thickness: Thickness,
) -> Exposure:
    """A row with what the line of its chart says: conditions that the object leaves open, the suggestion, and the dose."""
    patient = Patient(
        thickness.cm,
        age_band=facts.age_band,
        thickness_spread_cm=thickness.spread_cm,
        thickness_confirmed=True,
        weight_kg=facts.weight_kg,
    )
    told = dict(row.sources)
    for name, said in (("sid_cm", row.sid_cm), ("grid_ratio", row.grid_ratio), ("support", None), ("receptor", None)):
        told[name] = facts.kind if said is not None else "the chart line"
    row = replace(
        row,
        line_key=line.key,
        sid_cm=row.sid_cm or line.sid_cm,
        grid_ratio=row.grid_ratio if row.grid_ratio is not None else line.grid_ratio,
        support=line.support,
        receptor=line.receptor,
        filter=line.filter,
        target_ei=room.receptor(line.receptor).target_for(projection.region, line.target_ei),
        sources=told,
    )
    control = facts.exposure_control
    setup = Setup(sid_cm=row.sid_cm, grid_ratio=row.grid_ratio, exposure_control=control if control == "manual" else None)
    try:
        suggested = derive(line, room, projection, patient, setup, chart.grid_table).technique
        row = replace(row, suggested_kvp=suggested.kvp, suggested_mas=suggested.mas)
        real = derive(line, room, projection, patient, replace(setup, kvp=facts.kvp, mas=facts.mas), chart.grid_table)
    except Refusal:
        return row
    if real.technique.kvp != facts.kvp:
        return row
    scale = facts.mas / real.technique.mas
    doses = (real.forecast.incident_air_kerma_mgy, real.forecast.kap_mgycm2)
    kerma, kap = (None if one is None else one * scale for one in doses)
    return replace(row, incident_air_kerma_mgy=kerma, kap_mgycm2=kap)


_FROM_FACTS = (
    *("event_key", "age_band", "sex", "weight_kg", "height_cm", "reported_kerma_mgy", "reported_kap_mgycm2"),
    "sid_cm",
)


def with_facts(row: Exposure, facts: ImageFacts, room: Room, level_mgy: float | None) -> Exposure:
    """A row with what an object adds: what was recorded stays, what is missing is filled, and each such field says from
    where. An index that contradicts the recorded one is named, not taken."""
    told = dict(row.sources)
    new = {
        name: getattr(facts, name) for name in _FROM_FACTS if getattr(row, name) is None and getattr(facts, name) is not None
    }
    if apart := _kap_apart(row, facts):
        new.pop("reported_kap_mgycm2", None)
        told["kerma-area product"] = apart
    told |= {name: facts.kind for name in new if name != "event_key"}
    receptor = room.receptor(row.receptor) if row.receptor else None
    ei, shown = facts.ei, None
    if ei is None and facts.index_of_its_own is not None and receptor and receptor.index_scale:
        shown = facts.index_of_its_own
        ei = receptor.ei_read(None, shown)
    if ei is not None and EI_RANGE[0] <= ei <= EI_RANGE[1] and row.optical_density is None:
        if row.ei is None:
            target = row.target_ei or facts.target_ei
            new |= {"ei": ei, "target_ei": target, "di": deviation_index(ei, target) if target else facts.di}
            new |= {"shown_index": shown} if shown is not None else {}
            told["ei"] = facts.kind
            if target and facts.target_ei and not math.isclose(target, facts.target_ei, rel_tol=0.02):
                told["target_ei"] = f"the chart; the {facts.kind} says {facts.target_ei:.4g}"
        elif not math.isclose(row.ei, ei, rel_tol=0.02):
            told["ei"] = f"the Desk; the {facts.kind} says {ei:.4g}"
    for name in ("kvp", "mas"):
        if row.origin != "image" and not math.isclose(getattr(row, name), getattr(facts, name), rel_tol=0.02):
            told[name] = f"the Desk; the {facts.kind} says {getattr(facts, name):.4g}"
    if facts.odd:
        told["left out"] = "; ".join(facts.odd)
    origin = "both" if row.origin in ("desk", "both") else row.origin
    whole = replace(row, **new, sources=told, origin=origin)
    why = far_over(whole.di, whole.reliable, whole.incident_air_kerma_mgy, level_mgy)
    return replace(whole, far_over=row.far_over or bool(why))


MOST_KAP_RATIO = 5.0
"""A reported kerma-area product so many times over or under the model's is in another unit, or of another exposure: no
collimation, and no room, makes that much."""


def _kap_apart(row: Exposure, facts: ImageFacts) -> str | None:
    """Why a reported kerma-area product is kept out of the row, and so out of every sum, with what it was; None where it is
    believed, or there is none."""
    said, expected = facts.reported_kap_mgycm2, row.kap_mgycm2
    if said is None or expected is None or not expected or 1 / MOST_KAP_RATIO <= said / expected <= MOST_KAP_RATIO:
        return None
    far = f"{said / expected:.3g} times" if said > expected else f"1/{expected / said:.3g} of"
    return f"kept apart: the {facts.kind} says {said:.4g} mGy·cm², {far} what the model expects"


def _told(row: Exposure) -> Told:
    """What the log says of an exposure."""
    return Told(
        row.projection,
        row.side,
        datetime.fromisoformat(row.taken_at).timestamp(),
        row.kvp,
        row.mas,
        row.ei,
        row.study_key,
        row.event_key,
        row.origin in ("desk", "both"),
        row.origin in ("image", "both"),
    )


def _told_by(facts: ImageFacts, projection: str) -> Told:
    taken = datetime.fromisoformat(facts.taken_at).timestamp()
    where = (projection, facts.side, taken, facts.kvp, facts.mas, facts.ei, facts.study_key, facts.event_key)
    return Told(*where, at_desk=False, with_image=True)


def join_record(db: Connection, recorded: Exposure, actor: str) -> Exposure | None:
    """Within a change: where images told of an exposure already that the Desk now records, its row takes the record in; None
    where there is none such."""
    taken = datetime.fromisoformat(recorded.taken_at)
    since = (taken - timedelta(seconds=JUDGED_WITHIN_S)).isoformat(timespec="milliseconds")
    rows = [
        row
        for row in exposures.between(db, recorded.room, recorded.projection, since, f"{recorded.taken_at}~")
        if row.origin == "image"
    ]
    choice = choose([_told(row) for row in rows], replace(_told(recorded), at_desk=True, with_image=False))
    if choice.same is None:
        return None
    row = rows[choice.same]
    kept = {name: getattr(row, name) for name in _OF_IMAGE if getattr(recorded, name) in (None, "")}
    told = {name: said for name, said in row.sources.items() if name in kept or name == "left out"}
    whole = replace(recorded, **kept, id=row.id, taken_at=row.taken_at, origin="both", sources=told, recorded_by=actor)
    exposures.join(db, row, whole, actor)
    return whole


_OF_IMAGE = (*_FROM_FACTS[:-1], "ei", "di", "target_ei", "shown_index", "study_key")
