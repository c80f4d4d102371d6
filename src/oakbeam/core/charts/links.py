"""Families of lines: a line that follows another one, with what is added to its kVp, mAs and thickness.

The link is kept with the line, so that one edit moves the family: `followed` derives every follower anew from its parent.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from oakbeam.core.charts.line import THICKNESS_RANGE_CM, ChartLine, Link
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, VariableKvp
from oakbeam.core.errors import Refusal, within
from oakbeam.core.physics import rules_of_thumb

KVP_ADDED_RANGE = (-40.0, 40.0)
MAS_FACTOR_RANGE = (0.1, 10.0)
MOST_WHY = 200
THICKER_RANGE_CM = (-20.0, 20.0)


@dataclass(frozen=True, slots=True)
class KvpHabit:
    """What departments often add [kVp] for a view to that of another at the same mAs, and why: offered where a chart has
    both lines, never put in by itself."""

    projection: str
    follows: str
    kvp_added: float
    why: str


def scaled(law: MasRule, mas_factor: float, kvp_added: float = 0.0, thicker_cm: float = 0.0) -> MasRule:
    """A law whose technique at t is the given one's at t - thicker_cm, with kvp_added and the mAs times mas_factor."""

    def moved(kvp: float, mas: float) -> tuple[float, float]:
        return kvp + kvp_added, mas * mas_factor

    if isinstance(law, FixedKvp):
        return FixedKvp(law.thickness_cm + thicker_cm, *moved(law.kvp, law.mas), law.doubling_cm)
    if isinstance(law, VariableKvp):
        return VariableKvp(law.thickness_cm + thicker_cm, *moved(law.kvp, law.mas), law.kvp_per_cm)
    if isinstance(law, Banded):
        return Banded(
            tuple(Band(b.name, b.min_cm + thicker_cm, b.max_cm + thicker_cm, *moved(b.kvp, b.mas)) for b in law.bands)
        )
    points = tuple(Point(p.thickness_cm + thicker_cm, *moved(p.kvp, p.mas)) for p in law.points)
    return Levelled(points, law.base_cm + thicker_cm)


def cut(law: MasRule, low_cm: float, high_cm: float) -> MasRule:
    """A banded law's bands cut to a range, so that they fill it and no more; other laws need no cut."""
    if not isinstance(law, Banded):
        return law
    kept = [band for band in law.bands if band.max_cm > low_cm and band.min_cm < high_cm]
    return Banded(tuple(replace(b, min_cm=max(b.min_cm, low_cm), max_cm=min(b.max_cm, high_cm)) for b in kept))


def follow(line: ChartLine, parent: ChartLine, link: Link) -> ChartLine:
    """The line with the law of its parent as the link says, over the parent's range moved by thicker_cm."""
    within("link.kvp_added", link.kvp_added, *KVP_ADDED_RANGE, "kVp")
    within("link.mas_factor", link.mas_factor, *MAS_FACTOR_RANGE, "")
    within("link.thicker_cm", link.thicker_cm, *THICKER_RANGE_CM, "cm")
    if len(link.why) > MOST_WHY:
        raise Refusal("Too long", f"A reason has at most {MOST_WHY} characters.", None, "link.why")
    low = max(THICKNESS_RANGE_CM[0], parent.range_cm[0] + link.thicker_cm)
    high = min(THICKNESS_RANGE_CM[1], parent.range_cm[1] + link.thicker_cm)
    law = cut(scaled(parent.law, link.mas_factor, link.kvp_added, link.thicker_cm), low, high)
    return replace(line, law=law, range_cm=(low, high), link=link)


def link_between(parent: ChartLine, line: ChartLine, thicker_cm: float) -> Link:
    """The link that makes a line follow a parent and leaves its technique at its own thickness as it is.

    thicker_cm: how much more the same patient measures for the line's view; usually the difference of the average adults.
    """
    if parent.key is None:
        raise Refusal("No line to follow", "The line to follow has no key.", None, "link.to")
    at = min(max(line.thickness_cm - thicker_cm, parent.range_cm[0]), parent.range_cm[1])
    (kvp, mas), (parent_kvp, parent_mas) = line.law.at(line.thickness_cm), parent.law.at(at)
    return Link(parent.key, round(kvp - parent_kvp, 3), float(f"{mas / parent_mas:.6g}"), thicker_cm)


def followed(lines: Sequence[ChartLine]) -> tuple[ChartLine, ...]:
    """The lines with every follower derived from its parent as it now stands, parents first; order kept.

    Raises Refusal where a line follows one that is not there, or itself by way of others.
    """
    by_key = {line.key: line for line in lines if line.key is not None}
    done: dict[int, ChartLine] = {}

    def resolved(line: ChartLine, above: tuple[int, ...]) -> ChartLine:
        if line.link is None or line.key is None:
            return line
        if line.key in above:
            raise Refusal("Lines follow each other", "A line cannot follow itself by way of others.", None, "link.to")
        if line.key not in done:
            parent = by_key.get(line.link.to)
            if parent is None:
                raise Refusal("No line to follow", f"The chart has no line {line.link.to} to follow.", None, "link.to")
            done[line.key] = follow(line, resolved(parent, (*above, line.key)), line.link)
        return done[line.key]

    return tuple(resolved(line, ()) for line in lines)


def exposure_ratio(kvp: float, mas: float, other_kvp: float, other_mas: float) -> float:
    """How much more a setting exposes than another by the 15 % rule: what a link is worth whatever it is made of."""
    return mas / other_mas * math.pow(kvp / other_kvp, rules_of_thumb.KVP_EXPONENT)
