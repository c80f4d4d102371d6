"""Views whose number does not hold for the patient in hand: an adult's for a child, and one that would turn a patient who is
to stay as brought. No number is given for them, but the way on."""

from __future__ import annotations

from collections.abc import Iterable

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.posture import POSTURES, stance
from oakbeam.core.patient.thickness import LIMB_SHARE, Thickness
from oakbeam.core.projection import SUPPORT_NAMES, Projection, SupportId

AGES: dict[AgeBand, str] = {
    "newborn": "a newborn",
    "1y": "a child of about 1 year",
    "5y": "a child of about 5 years",
    "10y": "a child of about 10 years",
    "15y": "a child of about 15 years",
}


def of_an_adults_trunk(projection: Projection) -> bool:
    """Whether a view is an adult's of trunk, hip, shoulder or skull: what holds of a limb by its measured thickness does not
    hold of these, where a child is built otherwise."""
    return not projection.for_children and (projection.child != "limb" or projection.region in ("shoulder", "skull"))


def refuse_unsuited_view(
    projection: Projection, age_band: AgeBand | None, thickness: Thickness, known: Iterable[Projection]
) -> None:
    """Refuse an adult's view of the trunk for a newborn, and for an older child whose thickness was not measured; and a
    children's view for a child of another age who was not. known: the catalogue's views, of which those for the age are
    named. Raises Refusal."""
    if age_band is None or age_band not in LIMB_SHARE:
        return
    if projection.for_children and age_band not in projection.ages and thickness.estimated:
        ages = ", ".join(AGES[one].removeprefix("a child of ") for one in projection.ages if one in AGES)
        raise Refusal(
            "For another age",
            f"{projection.exam} {projection.name} is for children of {ages}; for {AGES[age_band]} who was not measured it"
            f" gives no number. Measure it ({projection.measure.rstrip('.').lower()}).",
            None,
            "thickness_cm",
        )
    if not of_an_adults_trunk(projection) or (age_band != "newborn" and not thickness.estimated):
        return
    instead = [one for one in known if age_band in one.ages and one.region == projection.region]
    newborn = age_band == "newborn"
    ways = [] if newborn else [f"measure it ({projection.measure.rstrip('.').lower()})"]
    ways += [f"take {' or '.join(f'{one.exam}: {one.name}' for one in instead)}"] if instead else []
    on = " or ".join(ways) or "there is no view for that age here: set it by your department's own protocol"
    whom = AGES[age_band] if newborn else f"{AGES[age_band]} who was not measured"
    raise Refusal(
        "An adult's view",
        f"{projection.exam} {projection.name} is an adult's view; for {whom} it gives no number. {on[:1].upper()}{on[1:]}.",
        [one.id for one in instead] or None,
        "projection" if newborn else "thickness_cm",
    )


def refuse_to_turn(projection: Projection, support: SupportId, chosen: bool) -> None:
    """Refuse a view whose posture on a support would turn a patient who stays as brought, on the back, or have them get up.
    chosen: a person named the support, and so knows that the patient stands or sits there. Raises Refusal."""
    posture, _ = stance(projection, support)
    if posture == "supine" or (chosen and posture in ("standing", "seated", "sitting")):
        return
    moves = "turn" if posture in ("prone", "side_lying") else "move"
    raise Refusal(
        "Stays as brought",
        f"As this room's chart has it, {projection.exam} {projection.name} is done {POSTURES[posture]} "
        f"({SUPPORT_NAMES[support]}): that would {moves} a patient who stays as brought, so there is no number. Do it on "
        "the back with a horizontal beam by your department's protocol, or have it cleared first.",
        None,
        "projection",
    )
