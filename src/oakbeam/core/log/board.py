"""The board of a log: what a period of a room was like, in counts and shares that say how sure they are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from oakbeam.core.log.shares import Quartiles, Share, quartiles, share

LOW_REJECTS, HIGH_REJECTS = 0.04, 0.10
"""Below the one a department may not be recording its rejects, above the other something is wrong (after AAPM TG-151, from
memory: 8 % is usual with digital receptors)."""
MOST_UNKNOWN = 0.1
"""Where of more of the images nobody said whether they were rejected, no rate is said: rejected ones are told more readily
than accepted ones, so those that are known are no sample of all."""
ENOUGH = 5
"""Images from which a share says anything at all."""
HISTOGRAM = (-4.0, 4.0, 0.5)
"""From, to and width of the bins shown [DI]; the outer ones hold what lies beyond."""
Counted = Mapping[tuple[str, str], Mapping[int | str, int]]
"""As `tally.bins` gives them: by projection and what, how many in each bin."""


@dataclass(frozen=True, slots=True)
class ViewOnBoard:
    """A projection in the period: images with a reliable index, their DI, the share within ±1; rejects; skin kerma and KAP.
    None: not known."""

    projection: str
    made: int
    di: Quartiles | None
    within: Share | None
    histogram: tuple[int, ...]
    rejects: Share | None
    kerma_mgy: Quartiles | None
    kap_mgycm2: Quartiles | None


@dataclass(frozen=True, slots=True)
class Board:
    """A period. exposures: all; rejects: of those of whom it is known, None where that is not of nearly all; said: what to
    think of the rate; by_reason and by_role: rejects; views: the furthest off first."""

    exposures: int
    rejects_known: int
    rejects: Share | None
    said: str
    within: Share | None
    by_reason: tuple[tuple[str, int], ...]
    by_role: tuple[tuple[str, Share], ...]
    views: tuple[ViewOnBoard, ...]


def board(counted: Counted, made: Mapping[str, int], di_bins: int, dose_bins: int) -> Board:
    """The board from the counts of a period. made: exposures by projection."""
    views = [_view(one, counted, n, di_bins, dose_bins) for one, n in made.items()]
    views.sort(key=lambda one: (one.di is None or one.di.n < ENOUGH, -abs(one.di.median) if one.di else 0.0, -one.made))
    made_by, rejected_by = _summed(counted, "made by"), _summed(counted, "rejected by")
    known, rejected = sum(made_by.values()), sum(rejected_by.values())
    exposures = sum(made.values())
    rejects = share(rejected, known) if nearly_all(known, exposures) else None
    within = sum(one.within.part for one in views if one.within), sum(one.within.of for one in views if one.within)
    reasons = sorted(_summed(counted, "reason").items(), key=lambda one: (-one[1], one[0]))
    return Board(
        exposures,
        known,
        rejects,
        reject_words(rejects, known, exposures),
        share(*within),
        tuple((str(reason), n) for reason, n in reasons),
        # What nobody recorded at the Desk is nobody's.
        tuple((str(role), found) for role, n in made_by.items() if role and (found := share(rejected_by.get(role, 0), n))),
        tuple(views),
    )


def nearly_all(known: int, made: int) -> bool:
    """Whether it is known of so many images, whether they were rejected, that a rate can be said."""
    return made > 0 and known >= (1 - MOST_UNKNOWN) * made


def reject_words(rejects: Share | None, known: int, made: int) -> str:
    """What to think of a reject rate: a low one is questioned as a high one is; where there is none, why, and how to get
    one."""
    if rejects is None:
        of = f"of {made} images {known or 'none'} {'says' if known == 1 else 'say'} whether they were accepted or rejected"
        return f"Not known: {of}. Take in the machines' reject notes with their accepted images, or record at the Desk."
    if rejects.high < LOW_REJECTS:
        return "Low: is every reject recorded?"
    if rejects.low > HIGH_REJECTS:
        return "High: look at the reasons."
    return ""


def _view(projection: str, counted: Counted, made: int, di_bins: int, dose_bins: int) -> ViewOnBoard:
    di = {int(at): n for at, n in counted.get((projection, "di"), {}).items()}
    judged = sum(di.values())
    doses = [{int(at): n for at, n in counted.get((projection, what), {}).items()} for what in ("kerma", "kap")]
    known = sum(counted.get((projection, "made by"), {}).values())
    rejected = sum(counted.get((projection, "rejected by"), {}).values())
    kerma, kap = (_decades(quartiles(one, dose_bins)) for one in doses)
    return ViewOnBoard(
        projection,
        made,
        quartiles(di, di_bins),
        share(sum(n for at, n in di.items() if abs(at) <= di_bins), judged),
        _histogram(di, di_bins),
        share(rejected, known) if nearly_all(known, made) else None,
        kerma,
        kap,
    )


def _decades(found: Quartiles | None) -> Quartiles | None:
    """Quartiles of a logarithm as those of the dose."""
    if found is None:
        return None
    ends = (found.low, found.median, found.high, found.median_low, found.median_high)
    return Quartiles(found.n, *(10**one for one in ends))


def _histogram(di: Mapping[int, int], per_unit: int) -> tuple[int, ...]:
    low, high, width = HISTOGRAM
    bins = [0] * round((high - low) / width)
    for at, n in di.items():
        place = int((at / per_unit - low) // width)
        bins[min(max(place, 0), len(bins) - 1)] += n
    return tuple(bins)


def _summed(counted: Counted, what: str) -> dict[int | str, int]:
    found: dict[int | str, int] = {}
    for (_, kind), bins in counted.items():
        if kind == what:
            for at, n in bins.items():
                found[at] = found.get(at, 0) + n
    return found
