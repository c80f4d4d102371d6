"""What the log's images say of the chart: tuned lines and causes of the room, applied to the draft, and whether it
worked."""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated

import numpy as np
from fastapi import Query
from pydantic import Field

from oakbeam.api.access import Actor, StoreHere, WhoHere, sees_names
from oakbeam.api.charts import ChartOut, chart_out
from oakbeam.api.log_watch import events_of, watched
from oakbeam.api.resource import resource
from oakbeam.api.types import Id, RequestBody
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.log.alerts import Together, groups, version_of
from oakbeam.core.log.images import SeenImage, line_images, of_line
from oakbeam.core.log.said import as_evidence, cause_said, tuning_said, verdict_said, why_said
from oakbeam.core.log.shares import Share, share
from oakbeam.core.log.tuning import Cause, Tuning, learn, retuned
from oakbeam.core.log.why_off import Explained, NumberCause, explain
from oakbeam.core.projection import Projection
from oakbeam.store import Store, charts, evidence, local, people, rooms
from oakbeam.store.charts import LineChange

router = resource("log")


@dataclass(frozen=True, slots=True)
class TuningOut:
    """What the images of a line say of it, the line that would follow, and that in words. to None: nothing is to be changed,
    or refusal says why it cannot be. key: of the line."""

    key: int
    tuning: Tuning
    to: ChartLine | None
    refusal: str | None
    said: str


@dataclass(frozen=True, slots=True)
class LearnedOut:
    """What a room's log says: of the room, in words too; of its lines; how many lines have too few images yet."""

    causes: list[Cause]
    causes_said: list[str]
    lines: list[TuningOut]
    too_few: int


@dataclass(frozen=True, slots=True)
class SideOf:
    """The images of a tuned line before or after: how many, their mean DI and the share within ±1."""

    images: int
    mean_di: float | None
    within: Share | None


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """Whether a tuned line came out as it should: verdict is worked, too_early, no_better or worse."""

    key: int
    projection: str
    version: int
    approved_at: str
    expected: Share
    before: SideOf
    after: SideOf
    verdict: str
    said: str


class ApplyIn(RequestBody):
    """The lines to tune, by key; all that are sure where none is named."""

    lines: list[Id] = Field(default_factory=list, max_length=500)


def learned(store: Store, room_id: str) -> LearnedOut:
    """What the images of a room's log say of its approved chart. NotFound without one."""
    room, chart = rooms.get(store, room_id), charts.newest_approved(store, room_id)

    def work_out() -> LearnedOut:
        seen = evidence.images(store, room_id)
        known = local.catalogue_of(store).projections
        # What moved together, at once or slowly, is known already, and taken off: it is no line's. But what a new version of
        # the chart moved is the lines' own, and each image is held against today's line anyway.
        happened = events_of(store, room_id)
        moved = [one for one in groups(watched(store, room)) if version_of(one, happened) is None]
        told = [
            one
            for line in chart.lines
            if line.projection in known and (one := line_images(_without(seen, moved), line, room, known[line.projection]))
        ]
        result = learn(told)
        enough = {one.line.key for one in result.lines}
        lines = [_tuning_out(one, room, known[one.line.projection]) for one in result.lines]
        causes = [*(_as_cause(one) for one in moved), *result.causes]
        said = [cause_said(one, room) for one in causes]
        return LearnedOut(causes, said, lines, len([one for one in told if one.line.key not in enough]))

    return store.remembered(("learned", room_id, room.revision, chart.id), work_out)


def _as_cause(one: Together) -> Cause:
    images = sum(day >= one.day for series in one.series for day in series.days)
    since = datetime.fromtimestamp(one.day * 86_400, UTC).date().isoformat()
    return Cause(
        "receptor" if one.of else "room", one.of, one.size, one.low, one.high, len(one.series), images, since, one.slow
    )


def _without(seen: Iterable[SeenImage], moved: Sequence[Together]) -> list[SeenImage]:
    """Images without what moved the series of their receptor, or of the room, together."""
    found = []
    for one in seen:
        off = sum(what.by(one.day) for what in moved if what.of in ("", one.receptor))
        found.append(one._replace(di=one.di - off) if off else one)
    return found


def _tuning_out(tuning: Tuning, room: Room, projection: Projection) -> TuningOut:
    to, refusal = None, None
    if tuning.sure:
        try:
            to = check_line(retuned(tuning, room, projection), projection, room)
        except Refusal as refused:
            refusal = refused.detail
    return TuningOut(tuning.line.key or 0, tuning, to, refusal, tuning_said(tuning, to))


def tuned_draft(store: Store, room_id: str, asked: ApplyIn, actor: str) -> ChartOut:
    """The tuned lines in the room's draft: the open one, else a new one from the approved version. The evidence stays with
    it."""
    found = learned(store, room_id)
    wanted = {one.key: one for one in found.lines if one.to is not None and (not asked.lines or one.key in asked.lines)}
    if not wanted:
        raise Refusal("Nothing to tune", "The images support no change of these lines.", None, "lines")
    draft = next((one for one in charts.in_use(store, room_id) if one.status != "approved"), None)
    if draft is not None and draft.status != "draft":
        raise Refusal("A draft waits", "A draft of this room waits for approval: approve or return it first.")
    room, known = rooms.get(store, room_id), local.catalogue_of(store)
    if draft is None:
        draft = charts.next_draft(store, charts.newest_approved(store, room_id).id, actor)

    def check(line: ChartLine) -> ChartLine:
        return check_line(line, known.projection(line.projection), room)

    by_key = {line.key: line for line in draft.lines}
    for key, one in wanted.items():
        line = by_key.get(key)
        if line is None or line.id is None or one.to is None:
            continue
        changes = [LineChange(line.id, one.to, line.revision)]
        draft = charts.change_lines(store, draft.id, changes, actor, check, f"Tuned: {one.said}").chart
        by_key = {line.key: line for line in draft.lines}
    with store.change() as db:
        evidence.keep_tuning(db, draft.id, actor, {key: as_evidence(one.tuning, one.said) for key, one in wanted.items()})
    return chart_out(draft)


def worked(store: Store, room_id: str) -> list[WorkedOut]:
    """Of each tuned line that was approved, whether its images came out better than before."""
    seen, found = evidence.images(store, room_id), []
    for one in evidence.tuned(store, room_id):
        if not one.approved_at:
            continue
        line = next((line for line in charts.get(store, one.chart).lines if line.key == one.line_key), None)
        if line is None:
            continue
        own = of_line(seen, line)
        until = next(
            (later.approved_at for later in _versions(store, room_id) if later.approved_at > one.approved_at), "9999"
        )
        before = [image.di for image in own if image.taken_at < one.approved_at][-int(one.evidence["images"]) :]
        after = [image.di for image in own if one.approved_at <= image.taken_at < until]
        expected = Share(**one.evidence["after"])
        was, is_now = _side(before), _side(after)
        verdict = _verdict(before, after)
        found.append(
            WorkedOut(
                one.line_key,
                line.projection,
                one.version,
                one.approved_at,
                expected,
                was,
                is_now,
                verdict,
                verdict_said(verdict, was.mean_di, was.images, is_now.mean_di, is_now.images),
            )
        )
    return found


def _versions(store: Store, room_id: str) -> list[Chart]:
    """The approved versions of a room, oldest first."""
    rows = store.db.execute(
        "SELECT id FROM chart WHERE room = ? AND status IN ('approved', 'superseded') ORDER BY version", (room_id,)
    )
    return [charts.get(store, row["id"]) for row in rows]


def _side(values: Sequence[float]) -> SideOf:
    mean = statistics.fmean(values) if values else None
    return SideOf(len(values), mean, share(sum(abs(one) <= 1 for one in values), len(values)))


ENOUGH = 8
"""Images after a change from which it can be judged."""


def _verdict(before: Sequence[float], after: Sequence[float]) -> str:
    """worked: the mean is nearer to the target, surely, or within 0.3 of it; worse: surely further away."""
    if len(after) < ENOUGH or len(before) < 3:
        return "too_early"
    was, is_now = statistics.fmean(before), statistics.fmean(after)
    error = math.hypot(statistics.stdev(before) / math.sqrt(len(before)), statistics.stdev(after) / math.sqrt(len(after)))
    gained = abs(was) - abs(is_now)
    if gained > 1.96 * error or (abs(is_now) <= 0.3 and gained > 0):
        return "worked"
    return "worse" if gained < -1.96 * error else "no_better"


def why_off(store: Store, room_id: str, projection_id: str, names: bool) -> WhyOffOut:
    """Why the images of a projection are off, in parts. names: whether people may be named."""
    room, projection = rooms.get(store, room_id), local.catalogue_of(store).projection(projection_id)
    seen = [one for one in evidence.images(store, room_id, projection.id) if one.exposure_control != "aec"][-MOST_WHY:]
    if not seen:
        return WhyOffOut(0, None, [])
    set_over = np.array(
        [
            10 * math.log10(one.mas / one.suggested_mas) if one.suggested_mas and one.kvp == one.suggested_kvp else 0.0
            for one in seen
        ]
    )
    months = np.array([one.day for one in seen]) / 30
    makers = [one.recorded_by or "" for one in seen]
    called = {one.id: one.name for one in people.everybody(store)}
    shown = [called.get(one, one) if names else _mask(one, makers) for one in makers]
    numbers = {
        "set": NumberCause(set_over, 0.0, 1.0),
        "thickness": NumberCause(np.array([one.thickness_cm for one in seen]), 0.3),
        "time": NumberCause(months, 0.15),
        "build": NumberCause(np.array([_build(one) for one in seen]), 0.5),
    }
    groups = {
        "person": shown,
        "shift": [_shift(one.taken_at) for one in seen],
        "receptor": [room.receptor(one.receptor).name for one in seen],
        "grid and place": [f"{one.support} {one.grid_ratio}" for one in seen],
        "thickness known by": [one.thickness_from for one in seen],
        "SID": ["as charted" if abs(one.sid_cm / _usual_sid(seen) - 1) < 0.03 else "another" for one in seen],
    }
    found = explain([one.di for one in seen], numbers, groups)
    return WhyOffOut(len(seen), found, why_said(found, float(set_over.mean())) if found else [])


MOST_WHY = 1500


@dataclass(frozen=True, slots=True)
class WhyOffOut:
    """Why a projection's images are off: how many were looked at, the parts (None of too few), and that in sentences."""

    images: int
    explained: Explained | None
    sentences: list[str]


def _mask(person: str, people: Sequence[str]) -> str:
    """A person without a name: the same letter for the same one."""
    order = sorted({one for one in people if one})
    return f"person {chr(65 + order.index(person) % 26)}" if person else ""


def _usual_sid(seen: Sequence[SeenImage]) -> float:
    return statistics.median(one.sid_cm for one in seen)


def _build(one: SeenImage) -> float:
    """Weight for height, over that of the reference adult; 0 where it is not known."""
    if one.weight_kg is None or one.height_cm is None:
        return 0.0
    return one.weight_kg / (one.height_cm / 100) ** 2 / 24.2 - 1


def _shift(taken_at: str) -> str:
    """Early, late or night, by the hour (UTC)."""
    hour = int(taken_at[11:13])
    return "early" if 6 <= hour < 14 else "late" if 14 <= hour < 22 else "night"


@router.get("/rooms/{room_id}/learned")
def get_learned(store: StoreHere, room_id: str) -> LearnedOut:
    """What the images of a room's log say of its approved chart: causes of the room, and lines to tune."""
    return learned(store, room_id)


@router.post("/rooms/{room_id}/tuned-draft", status_code=201)
def post_tuned_draft(store: StoreHere, who: Actor, room_id: str, asked: ApplyIn) -> ChartOut:
    """Put tuned lines into the room's draft, with their evidence; somebody else approves it."""
    return tuned_draft(store, room_id, asked, who)


@router.get("/rooms/{room_id}/why-off")
def get_why_off(store: StoreHere, who: WhoHere, room_id: str, projection: Annotated[str, Query(max_length=60)]) -> WhyOffOut:
    """Why the images of a projection are off in a room, in parts and in sentences."""
    return why_off(store, room_id, projection, sees_names(who))


@router.get("/rooms/{room_id}/tuned")
def get_tuned(store: StoreHere, room_id: str) -> list[WorkedOut]:
    """Of each tuned line that was approved, whether it worked."""
    return worked(store, room_id)
