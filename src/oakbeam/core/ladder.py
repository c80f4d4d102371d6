"""The ladder: the chart line's own numbers, then one rung for each thing that differs.

Each rung is one call into `rules`, so that another school can answer the same question in its place.
"""

from __future__ import annotations

import math

from oakbeam.core import geometry, rules
from oakbeam.core.chart import KVP_RANGE, Banded, ChartLine, VariableKvp
from oakbeam.core.derived import Caution, CautionLevel, Setup, Step
from oakbeam.core.patient import Patient, modified, strongest
from oakbeam.core.refusal import Refusal, within
from oakbeam.core.room import SUPPORT_NAMES, Receptor, Room, Support
from oakbeam.core.rules import GridTable
from oakbeam.core.stations import Stationed


class Ladder:
    """The running kVp and mAs while steps are added; cautions that a step raises are kept beside them."""

    def __init__(self, kvp: float, mas: float, why: str) -> None:
        self.kvp, self.mas = kvp, mas
        self.cautions: list[Caution] = []
        self.steps = [Step("Chart line", 1.0, kvp, mas, kvp, mas, "rules", why)]

    def to(self, name: str, kvp: float, mas: float, why: str) -> None:
        self.steps.append(Step(name, mas / self.mas, self.kvp, self.mas, kvp, mas, "rules", why))
        self.kvp, self.mas = kvp, mas

    def caution(self, level: CautionLevel, text: str, cites: str) -> None:
        self.cautions.append(Caution(level, text, cites))

    def scale(self, name: str, mas: float, why: str) -> None:
        self.to(name, self.kvp, mas, why)


def grid_in_use(line: ChartLine, support: Support, setup: Setup) -> int:
    """The grid in use: as said; else what comes with another support; else the line's."""
    if setup.grid_ratio is not None:
        if setup.grid_ratio and support.id == "tabletop":
            raise Refusal(
                "No grid on the tabletop", "A receptor on the tabletop has no grid; set the grid to 0.", [0.0], "grid_ratio"
            )
        return setup.grid_ratio
    if support.id != line.support:
        return support.grid.ratio if support.grid else 0
    return line.grid_ratio


def sid_in_use(line: ChartLine, line_support: Support, support: Support, setup: Setup) -> float:
    """The SID in use: as taped; else the chart's, moved by the gaps when the receptor changes place under the tube."""
    if setup.sid_cm is not None:
        return setup.sid_cm
    if support.id == line_support.id:
        return line.sid_cm
    return geometry.sid_when_support_changes_cm(line.sid_cm, line_support.gap_cm, support.gap_cm)


def start(line: ChartLine, patient: Patient) -> Ladder:
    kvp, mas = line.at(patient.thickness_cm)
    law = line.law
    if isinstance(law, Banded):
        band = law.band(patient.thickness_cm)
        return Ladder(
            kvp, mas, f"Band '{band.name}', {band.min_cm:g} to {band.max_cm:g} cm, holds {patient.thickness_cm:g} cm."
        )
    ladder = Ladder(law.kvp, law.mas, f"The chart's numbers at {law.thickness_cm:g} cm.")
    if patient.thickness_cm != law.thickness_cm:
        moved = f"{law.thickness_cm:g} to {patient.thickness_cm:g} cm"
        if isinstance(law, VariableKvp):
            why = f"{moved}: {law.kvp_per_cm:g} kVp per cm, mAs stays."
        else:
            why = f"{moved}: mAs doubles every {law.doubling_cm:g} cm, kVp stays."
        ladder.to("Thickness", kvp, mas, why)
    return ladder


def sid_step(
    ladder: Ladder,
    line: ChartLine,
    line_support: Support,
    support: Support,
    setup: Setup,
    sid_cm: float,
) -> None:
    if sid_cm == line.sid_cm:
        return
    mas = rules.maintain_exposure(ladder.mas, line.sid_cm, sid_cm)
    if setup.sid_cm is None:
        nearer = "nearer to" if sid_cm < line.sid_cm else "further from"
        gap = abs(support.gap_cm - line_support.gap_cm)
        why = (
            f"{line.sid_cm:g} to {sid_cm:g} cm: under an unmoved tube the {SUPPORT_NAMES[support.id]} is {gap:g} cm "
            f"{nearer} the focus than the {SUPPORT_NAMES[line_support.id]}."
        )
        ladder.caution(
            "note",
            f"SID taken as {sid_cm:g} cm: the tube has not moved, the receptor has. Tape it, or move the tube to "
            f"{line.sid_cm:g} cm.",
            "two distance references",
        )
    else:
        why = f"{line.sid_cm:g} to {sid_cm:g} cm: mAs goes with the square of the SID."
    ladder.scale("SID", mas, why)


def grid_step(
    ladder: Ladder,
    line: ChartLine,
    support: Support,
    grid_ratio: int,
    table: GridTable,
) -> None:
    if grid_ratio == line.grid_ratio:
        return
    mas = rules.convert_grid(ladder.mas, line.grid_ratio, grid_ratio, ladder.kvp, table)
    gcf_from = rules.grid_factor(line.grid_ratio, ladder.kvp, table)
    gcf_to = rules.grid_factor(grid_ratio, ladder.kvp, table)
    place = f" on the {SUPPORT_NAMES[support.id]}" if support.id != line.support else ""
    ladder.scale(
        "Grid",
        mas,
        f"{_grid_words(line.grid_ratio)} to {_grid_words(grid_ratio)}{place}: factor {gcf_from:.3g} to {gcf_to:.3g}"
        f" ({'textbook average' if table == 'average' else f'table at {ladder.kvp:.0f} kVp'}).",
    )
    low, high = rules.GRID_FACTORS_KVP[0], rules.GRID_FACTORS_KVP[-1]
    if table == "by_kvp" and not low <= ladder.kvp <= high:
        ladder.caution(
            "note", f"Grid factors are tabulated from {low:g} to {high:g} kVp; the end value was taken.", "grid table"
        )


def receptor_step(ladder: Ladder, line: ChartLine, room: Room, receptor: Receptor) -> float | None:
    """Add the receptor step where it differs; return the target EI that now rules (None for film)."""
    if receptor.id == line.receptor:
        return (line.target_ei or receptor.target_ei) if receptor.digital else None
    before = room.receptor(line.receptor)
    speed_from, speed_to = before.speed_class(line.target_ei), receptor.speed_class()
    ladder.scale(
        "Receptor",
        rules.convert_speed(ladder.mas, speed_from, speed_to),
        f"{before.name} to {receptor.name}: speed class {speed_from:.0f} to {speed_to:.0f}.",
    )
    return receptor.target_ei


def field_step(ladder: Ladder, line: ChartLine, patient: Patient, setup: Setup) -> None:
    """Textbook collimation factor, for thick parts whose line says for which field it was made."""
    if setup.field_cm is None or line.field_cm is None or setup.field_cm == line.field_cm:
        return
    if patient.thickness_cm < rules.COLLIMATION_FROM_THICKNESS_CM:
        return
    before, after = (rules.collimation_factor(w * h) for w, h in (line.field_cm, setup.field_cm))
    if before == after:
        return
    ladder.scale(
        "Collimation",
        ladder.mas * after / before,
        f"{line.field_cm[0]:g} x {line.field_cm[1]:g} to {setup.field_cm[0]:g} x {setup.field_cm[1]:g} cm on a thick part: "
        "another amount of scatter (textbook factor, usually overstated).",
    )


def patient_steps(ladder: Ladder, patient: Patient, setup: Setup) -> None:
    if patient.conditions and setup.exposure_control == "aec":
        ladder.caution("note", "The condition is left to the AEC, which ends the exposure for it.", "AEC")
    elif condition := strongest(patient.conditions, ladder.kvp):
        factor, kvp = modified(condition, ladder.kvp)
        ladder.to(condition.name, kvp, ladder.mas * factor, condition.note)
        if len(patient.conditions) > 1:
            ladder.caution(
                "warning",
                f"Conditions are not stacked: only {condition.name.lower()}, the strongest, was applied.",
                "one condition",
            )
    if patient.cast:
        factor, kvp = modified(patient.cast, ladder.kvp)
        if factor != 1 or kvp != ladder.kvp:
            ladder.to(patient.cast.name, kvp, ladder.mas * factor, patient.cast.note)


def hand_step(ladder: Ladder, setup: Setup) -> None:
    """kVp by hand with mAs following, mAs by hand with kVp following, or both by hand (then the exposure changes)."""
    kvp_before = ladder.kvp
    if setup.kvp is not None:
        within("kvp", setup.kvp, *KVP_RANGE, "kVp")
    if setup.kvp is not None and setup.mas is not None:
        if (setup.kvp, setup.mas) != (ladder.kvp, ladder.mas):
            ladder.to("kVp and mAs by hand", setup.kvp, setup.mas, "Both set by hand: the exposure is no longer held.")
        return
    if setup.kvp is not None and setup.kvp != ladder.kvp:
        ladder.to(
            "kVp by hand",
            setup.kvp,
            rules.mas_for_kvp(ladder.mas, ladder.kvp, setup.kvp),
            f"{kvp_before:.3g} to {setup.kvp:g} kVp; mAs follows by the 15 % rule.",
        )
    elif setup.mas is not None and setup.mas != ladder.mas:
        kvp = rules.kvp_for_mas(ladder.kvp, ladder.mas, setup.mas)
        within("kvp", kvp, *KVP_RANGE, "kVp")
        ladder.to("mAs by hand", kvp, setup.mas, f"{ladder.mas:.3g} to {setup.mas:g} mAs; kVp follows by the 15 % rule.")
    if ladder.kvp == kvp_before:
        return
    low, high = rules.FIFTEEN_PERCENT_VALID_KVP
    if abs(rules.fifteen_percent_steps(kvp_before, ladder.kvp)) > rules.FIFTEEN_PERCENT_MOST_STEPS:
        text = f"{kvp_before:.0f} to {ladder.kvp:.0f} kVp is more than two steps of the 15 % rule, which is then unsafe."
        ladder.caution("warning", text, "15 % rule")
    elif min(kvp_before, ladder.kvp) < low or max(kvp_before, ladder.kvp) > high:
        weak = "too weak below 60 kVp" if min(kvp_before, ladder.kvp) < low else "too strong above 100 kVp"
        ladder.caution("note", f"The 15 % rule is {weak}: expect the index to be off.", "15 % rule")


def station_steps(ladder: Ladder, stationed: Stationed, exact_kvp: float, mas_by_hand: bool) -> None:
    if stationed.kvp != exact_kvp:
        mas = ladder.mas if mas_by_hand else stationed.mas_at_kvp
        why = "Nearest kVp station" + ("." if mas_by_hand else "; mAs follows by the 15 % rule.")
        ladder.to("kVp station", stationed.kvp, mas, why)
    if not math.isclose(stationed.mas, ladder.mas, rel_tol=1e-9):
        percent = 100 * (stationed.mas / ladder.mas - 1)
        ladder.to(
            "mAs station", stationed.kvp, stationed.mas, f"Nearest mAs station: {percent:+.1f} % exposure.".replace("-", "−")
        )


def _grid_words(ratio: int) -> str:
    return f"{ratio}:1" if ratio else "no grid"
