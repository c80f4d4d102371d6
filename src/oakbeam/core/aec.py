"""Automatic exposure control: where the chambers lie, whether the beam covers them, and when they cannot be trusted."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from oakbeam.core.derived import Caution, Chamber
from oakbeam.core.patient import Patient
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import within

CELL_CM = (5.0, 5.0)
"""Width and height of a chamber."""
CELL_CENTRES_CM: Mapping[str, tuple[float, float]] = {"L": (-7.5, 5.0), "C": (0.0, 0.0), "R": (7.5, 5.0)}
"""Centres from the middle of the receptor, seen from the tube: x to the right, y up. A usual layout; makers differ."""
DENSITY_STEPS = (-4, 4)
SMALL_CHILD = ("newborn", "1y")


def chambers(there: tuple[str, ...], selected: str, field_cm: tuple[float, float]) -> tuple[Chamber, ...]:
    """The chambers of a room, with what is selected ("L+R") and what a centred field [cm at the receptor] covers wholly."""
    chosen = set(selected.split("+")) if selected != "none" else set()
    return tuple(
        Chamber(name, CELL_CENTRES_CM[name], CELL_CM, name in chosen, _covered(CELL_CENTRES_CM[name], field_cm))
        for name in there
        if name in CELL_CENTRES_CM
    )


def density_factor(step_ratio: float, steps: int) -> float:
    """Exposure factor of a density setting: ratio^steps, steps from -4 to 4. A trim, not a substitute for kVp or chamber."""
    return float(step_ratio ** within("aec_density", steps, *DENSITY_STEPS, ""))


def mistrust(
    projection: Projection, patient: Patient, cells: tuple[Chamber, ...], minimum_response_ms: float, time_ms: float
) -> Iterator[Caution]:
    """Why the AEC may be wrong here; each says what to do instead."""
    selected = [cell for cell in cells if cell.selected]
    if not selected:
        yield Caution("warning", "No chamber is usual for this projection: check that the part covers one.", "AEC")
    if bare := [cell.name for cell in selected if not cell.covered]:
        names = " and ".join(bare)
        yield Caution(
            "warning", f"The field does not cover chamber {names}: choose another or expose manually.", "AEC chamber"
        )
    if patient.cast:
        yield Caution("warning", f"{patient.cast.name} over the chamber makes it expose longer: manual is safer.", "AEC")
    if patient.age_band in SMALL_CHILD:
        yield Caution("warning", "A small child does not cover a chamber: expose manually.", "AEC")
    if projection.breathing[0] == "slow" and projection.aec_cells == "none":
        yield Caution("note", "A breathing technique is set manually unless the AEC was proven for it here.", "AEC")
    if time_ms < minimum_response_ms:
        text = f"{time_ms:g} ms is below the AEC's shortest response, {minimum_response_ms:g} ms: lower mA."
        yield Caution("warning", text, "AEC minimum response")


def _covered(centre: tuple[float, float], field_cm: tuple[float, float]) -> bool:
    return all(abs(c) + size / 2 <= side / 2 + 1e-9 for c, size, side in zip(centre, CELL_CM, field_cm, strict=True))
