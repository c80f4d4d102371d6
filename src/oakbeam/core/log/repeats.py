"""What rejected images cost: dose that showed nothing, and what the advice at Judge would have spared of it.

Counted on the images themselves: of what was rejected, what Judge says of such an image; of what a repeat gave, what it
would have given at the mAs Judge advises. While kVp, SID and grid stay, DI moves by 10 * log10 of the mAs (IEC 62494-1).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import cast

from oakbeam.core.image_review import Evaluation, Finding, corrected_mas, evaluate

TOO_LOW, TOO_HIGH = "R03", "R04"
WITHIN_DI = 1.0
MINUTES_APART = 60
"""A later try of the view in the same exam repeats a rejected one if it came this soon."""


@dataclass(frozen=True, slots=True)
class Try:
    """One try of a view. di: None where there is none to be relied on. conditions: what has to stay for DI to follow mAs."""

    mas: float
    di: float | None
    by_hand: bool
    conditions: tuple[float | str | None, ...]
    kap_mgycm2: float | None
    reason: str = ""
    findings: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Repeats:
    """Of a period's rejected images. kap_mgycm2: of the kap_known of which it is known, together; repeated: those that a
    later try of the view is tied to.

    for_exposure: rejected as too low or too high, with an index to be relied on; not_needed: those of them Judge asks no
    repeat of, spared_mgycm2: KAP of their repeats. off_again: repeats set by hand, out of ±1 DI again; mended: those of them
    that the mAs Judge advises would have put within ±1.
    """

    rejected: int
    repeated: int
    kap_known: int
    kap_mgycm2: float
    for_exposure: int
    not_needed: int
    spared_mgycm2: float
    off_again: int
    mended: int


def repeats(tries: Iterable[tuple[Try, Try | None]]) -> Repeats:
    """What rejected tries cost, each with the try that repeats it where there is one."""
    pairs = list(tries)
    kaps = [rejected.kap_mgycm2 for rejected, _ in pairs if rejected.kap_mgycm2 is not None]
    for_exposure = [(one.di, one, then) for one, then in pairs if one.reason in (TOO_LOW, TOO_HIGH) and one.di is not None]
    needless = [then for di, one, then in for_exposure if not _asks_repeat(di, one)]
    off_again = [advised for pair in pairs if (advised := _off_again(*pair)) is not None]
    return Repeats(
        rejected=len(pairs),
        repeated=sum(then is not None for _, then in pairs),
        kap_known=len(kaps),
        kap_mgycm2=math.fsum(kaps),
        for_exposure=len(for_exposure),
        not_needed=len(needless),
        spared_mgycm2=math.fsum(then.kap_mgycm2 or 0.0 for then in needless if then),
        off_again=len(off_again),
        mended=sum(abs(advised) <= WITHIN_DI for advised in off_again),
    )


def share_of_kap(found: Repeats, all_known: bool, kap_bins: Mapping[int, int], per_decade: int) -> float | None:
    """The share of all KAP of a period that went into rejected images, 0 to 1; None where it is not known of every image
    whether it was rejected, or of any what it took. kap_bins: as the sums of the log count them, good to a few percent."""
    whole = math.fsum(n * 10 ** (at / per_decade) for at, n in kap_bins.items())
    return min(found.kap_mgycm2 / whole, 1.0) if all_known and found.kap_known and whole > 0 else None


def _judged(di: float, one: Try) -> Evaluation:
    return evaluate(di, cast("frozenset[Finding]", one.findings))


def _asks_repeat(di: float, one: Try) -> bool:
    return _judged(di, one).repeat not in ("no", "only_if_clipped") or "clipped" in one.findings


def _off_again(one: Try, then: Try | None) -> float | None:
    """For a repeat that was out again, the DI it would have had at the mAs Judge advises. None where it was not out, where
    Judge would not have changed mAs, or where DI does not follow mAs alone: an AEC, or other conditions than before."""
    if then is None or one.di is None or then.di is None or abs(then.di) <= WITHIN_DI:
        return None
    if not (one.by_hand and then.by_hand) or one.conditions != then.conditions:
        return None
    if _judged(one.di, one).change != "mas":
        return None
    return then.di + 10 * math.log10(corrected_mas(one.mas, one.di) / then.mas)
