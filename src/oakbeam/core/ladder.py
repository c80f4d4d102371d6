"""The ladder: the chart line's own numbers, then one rung for each thing that differs.

Each rung asks both schools, `rules` and the beam model (`modelling.ModelPath`), the same question: by what factor must the
mAs change to hold the image density? The room's school rules; the other's answer stands beside it.
"""

from __future__ import annotations

import math
from copy import copy

from oakbeam.core import geometry, rules
from oakbeam.core.aec import density_factor
from oakbeam.core.chart import KVP_RANGE, Banded, ChartLine, Levelled, VariableKvp
from oakbeam.core.derived import Caution, CautionLevel, Setup, Step
from oakbeam.core.modelling import MOST_GRID_LOSS, ModelPath, within_receptor
from oakbeam.core.patient import Patient, modified, strongest
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal, within
from oakbeam.core.room import SUPPORT_NAMES, Receptor, Room, School, Support
from oakbeam.core.rules import GridTable
from oakbeam.core.stations import Stationed

APART = 0.10
"""Where the schools differ by more than this, the other's answer is shown beside."""
OTHER_SCHOOL: dict[School, School] = {"rules": "model", "model": "rules"}


class Ladder:
    """The running kVp and mAs while steps are added; cautions that a step raises are kept beside them.

    ruling: the school whose factors are taken. path: the beam model's side, moved along with each step.
    """

    def __init__(self, kvp: float, mas: float, why: str, ruling: School, path: ModelPath) -> None:
        self.kvp, self.mas = kvp, mas
        self.ruling, self.path = ruling, path
        self.cautions: list[Caution] = []
        self.steps = [Step("Chart line", 1.0, kvp, mas, kvp, mas, ruling, why)]

    def caution(self, level: CautionLevel, text: str, cites: str) -> None:
        self.cautions.append(Caution(level, text, cites))

    def to(
        self, name: str, kvp: float, mas: float, why: str, school: School | None = None, other: float | None = None
    ) -> None:
        """Add a step to a kVp and mAs; other: the mAs factor that the other school would have taken."""
        factor, taken = mas / self.mas, school or self.ruling
        other_school = None if other is None else OTHER_SCHOOL[taken]
        apart = other is not None and abs(math.log(other / factor)) > math.log1p(APART)
        self.steps.append(Step(name, factor, self.kvp, self.mas, kvp, mas, taken, why, other_school, other, apart))
        self.kvp, self.mas = kvp, mas

    def marked(self) -> Ladder:
        """A copy that stays where this ladder stands now."""
        copied = copy(self)
        copied.path = self.path.trial()
        return copied

    def change(self, name: str, by_rules: float, by_model: float | None, why: str, kvp: float | None = None) -> None:
        """Add a step that both schools have a factor for; the ruling one's is taken, the rules' where the model has none."""
        taken: School = "rules" if by_model is None else self.ruling
        if taken != self.ruling:
            self.caution("note", f"{name}: outside what the beam model covers; the rule of thumb was taken.", "beam model")
        factor, other = (by_rules, by_model) if taken == "rules" else (by_model or by_rules, by_rules)
        self.to(name, self.kvp if kvp is None else kvp, self.mas * factor, why, taken, other)


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


def start(line: ChartLine, room: Room, projection: Projection, patient: Patient, ruling: School) -> Ladder:
    """The ladder at the line's own numbers, and its first rung: the patient's thickness by the line's own law."""
    kvp, mas = line.at(patient.thickness_cm)
    law, thickness = line.law, patient.thickness_cm
    path = ModelPath.along(line, room, projection, patient.habitus)
    path.thickness_spread_cm = patient.thickness_spread_cm
    if isinstance(law, Banded):
        band = law.band(thickness)
        path.move(thickness_cm=thickness, kvp=kvp)
        why = f"Band '{band.name}', {band.min_cm:g} to {band.max_cm:g} cm, holds {thickness:g} cm."
        return Ladder(kvp, mas, why, ruling, path)
    base_kvp, base_mas = law.at(line.thickness_cm)
    why = f"The chart's numbers at {line.thickness_cm:g} cm."
    ladder = Ladder(base_kvp, base_mas, why, ruling, path)
    if thickness != line.thickness_cm:
        moved = f"{line.thickness_cm:g} to {thickness:g} cm"
        if isinstance(law, VariableKvp):
            how = f"{law.kvp_per_cm:g} kVp per cm, mAs stays."
        elif isinstance(law, Levelled):
            how = "levelled by the beam model when the line was made."
        else:
            how = f"mAs doubles every {law.doubling_cm:g} cm, kVp stays."
        by_model = path.move(thickness_cm=thickness, kvp=kvp)
        # The chart is the authority on thickness: the model only stands beside it.
        if isinstance(law, Levelled):
            ladder.to("Thickness", kvp, mas, f"{moved}: {how}", "model")
        else:
            ladder.to("Thickness", kvp, mas, f"{moved}: {how}", "rules", by_model)
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
    by_rules = rules.maintain_exposure(1.0, line.sid_cm, sid_cm)
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
    ladder.change("SID", by_rules, ladder.path.move(sid_cm=sid_cm), why)


def grid_step(
    ladder: Ladder,
    line: ChartLine,
    support: Support,
    grid_ratio: int,
    table: GridTable,
) -> None:
    """The grid, and with it the table top or front that comes with another support."""
    if grid_ratio == line.grid_ratio:
        # The rules have no factor for a table top; it is only a step where the model rules and sees one.
        moved = ladder.path.move(support=support)
        if support.id != line.support and ladder.ruling == "model" and moved is not None:
            ladder.change(
                "Support", 1.0, moved, f"{SUPPORT_NAMES[support.id]}: its own top and distance behind the patient."
            )
        return
    gcf_from = rules.grid_factor(line.grid_ratio, ladder.kvp, table)
    gcf_to = rules.grid_factor(grid_ratio, ladder.kvp, table)
    place = f" on the {SUPPORT_NAMES[support.id]}" if support.id != line.support else ""
    ladder.change(
        "Grid",
        rules.convert_grid(1.0, line.grid_ratio, grid_ratio, ladder.kvp, table),
        ladder.path.move(support=support, grid_ratio=grid_ratio),
        f"{_grid_words(line.grid_ratio)} to {_grid_words(grid_ratio)}{place}: factor {gcf_from:.3g} to {gcf_to:.3g}"
        f" ({'textbook average' if table == 'average' else f'table at {ladder.kvp:.0f} kVp'}).",
    )
    low, high = rules.GRID_FACTORS_KVP[0], rules.GRID_FACTORS_KVP[-1]
    if table == "by_kvp" and not low <= ladder.kvp <= high:
        ladder.caution(
            "note", f"Grid factors are tabulated from {low:g} to {high:g} kVp; the end value was taken.", "grid table"
        )


def alignment_step(ladder: Ladder, setup: Setup) -> None:
    """A grid off its centre line or off level: primary lost, which more mAs makes up for in density but not in contrast."""
    path = ladder.path
    if not (setup.grid_offset_cm or setup.grid_tilt_deg):
        return
    if not path.grid_ratio:
        raise Refusal(
            "No grid to align", "Without a grid there is no decentring and no tilt; set both to 0.", [0.0], "grid_ratio"
        )
    before = path.grid_loss()
    by_model = path.move(grid_offset_cm=setup.grid_offset_cm, grid_tilt_deg=setup.grid_tilt_deg)
    lost = path.grid_loss()
    if lost >= MOST_GRID_LOSS:
        raise Refusal(
            "Grid cut-off",
            f"A {path.grid_ratio}:1 grid {abs(setup.grid_offset_cm):g} cm off its centre line and "
            f"{abs(setup.grid_tilt_deg):g}° off level lets next to nothing through: align it, or take it out.",
            None,
            "grid_offset_cm",
        )
    parts = [f"{abs(setup.grid_offset_cm):g} cm off its centre line"] if setup.grid_offset_cm else []
    parts += [f"{abs(setup.grid_tilt_deg):g}° off level"] if setup.grid_tilt_deg else []
    where = " and ".join(parts)
    ladder.change(
        "Grid alignment", (1 - before) / (1 - lost), by_model, f"Grid {where}: {100 * lost:.0f} % of the primary lost."
    )
    if lost >= geometry.CUTOFF_WARNING:
        ladder.caution(
            "warning",
            f"Grid {where}: {100 * lost:.0f} % of the primary is cut off. Align it: more mAs restores the index, not the "
            "contrast.",
            "grid cut-off",
        )


def gap_step(ladder: Ladder, support: Support, setup: Setup) -> None:
    """An air gap between patient and receptor: a matter of scatter, for which the rules have no factor."""
    if setup.gap_cm is None or setup.gap_cm == support.gap_cm:
        return
    why = f"{support.gap_cm:g} to {setup.gap_cm:g} cm behind the patient: less scatter arrives. The rules know no factor."
    ladder.change("Air gap", 1.0, ladder.path.move(gap_cm=setup.gap_cm), why)


def receptor_step(ladder: Ladder, line: ChartLine, room: Room, receptor: Receptor) -> float | None:
    """Add the receptor step where it differs; return the target EI that now rules (None for film)."""
    path = ladder.path
    if receptor.id == line.receptor:
        return path.target_ei if receptor.digital else None
    before = room.receptor(line.receptor)
    target_ei = receptor.target_for(path.projection.region)
    speed_from, speed_to = before.speed_class(path.target_ei), receptor.speed_class(target_ei)
    ladder.change(
        "Receptor",
        rules.convert_speed(1.0, speed_from, speed_to),
        path.move(receptor=receptor, target_ei=target_ei, field_cm=within_receptor(path.field_cm, receptor)),
        f"{before.name} to {receptor.name}: speed class {speed_from:.0f} to {speed_to:.0f}.",
    )
    return target_ei


def field_step(ladder: Ladder, line: ChartLine, patient: Patient, setup: Setup) -> None:
    """Another field than the line's: the textbooks have a factor for thick parts, the model for all."""
    before = ladder.path.field_cm
    if setup.field_cm is None or setup.field_cm == before:
        return
    thick = patient.thickness_cm >= rules.COLLIMATION_FROM_THICKNESS_CM and line.field_cm is not None
    old, new = (rules.collimation_factor(w * h) for w, h in (before, setup.field_cm))
    by_rules = new / old if thick else 1.0
    by_model = ladder.path.move(field_cm=setup.field_cm)
    if by_rules == 1 and (ladder.ruling == "rules" or by_model is None):
        return
    ladder.change(
        "Collimation",
        by_rules,
        by_model,
        f"{before[0]:g} x {before[1]:g} to {setup.field_cm[0]:g} x {setup.field_cm[1]:g} cm: another amount of scatter "
        "(the textbook factor is usually overstated).",
    )


def patient_steps(ladder: Ladder, patient: Patient, setup: Setup) -> None:
    if patient.conditions and setup.exposure_control == "aec":
        ladder.caution("note", "The condition is left to the AEC, which ends the exposure for it.", "AEC")
    elif condition := strongest(patient.conditions, ladder.kvp):
        factor, kvp = modified(condition, ladder.kvp)
        ladder.to(condition.name, kvp, ladder.mas * factor, condition.note, "rules")
        ladder.path.move(kvp=kvp)
        if len(patient.conditions) > 1:
            ladder.caution(
                "warning",
                f"Conditions are not stacked: only {condition.name.lower()}, the strongest, was applied.",
                "one condition",
            )
    if (medium := patient.contrast) and medium.kvp_window:
        _contrast(ladder, medium.name, medium.note, medium.kvp_window)
    if cast := patient.cast:
        factor, kvp = modified(cast, ladder.kvp)
        by_model = ladder.path.move(overlay=(cast.overlay,)) if cast.overlay else None
        if kvp != ladder.kvp:
            ladder.to(cast.name, kvp, ladder.mas * factor, cast.note, "rules")
            ladder.path.move(kvp=kvp)
        elif factor != 1 or by_model is not None:
            ladder.change(cast.name, factor, by_model, cast.note)


def _contrast(ladder: Ladder, name: str, note: str, window: tuple[float, float]) -> None:
    """Bring the kVp into a contrast medium's window; the mAs follows. Inside it nothing changes."""
    kvp = min(max(ladder.kvp, window[0]), window[1])
    if kvp == ladder.kvp:
        return
    by_rules, by_model = rules.mas_for_kvp(1.0, ladder.kvp, kvp), ladder.path.move(kvp=kvp)
    ladder.change(name, by_rules, by_model, note, kvp)


def density_step(ladder: Ladder, room: Room, setup: Setup) -> None:
    """An AEC density setting: it trims what the chamber waits for, and so the predicted mAs."""
    if setup.exposure_control != "aec" or not setup.aec_density or room.aec is None:
        return
    factor = density_factor(room.aec.density_step, setup.aec_density)
    ladder.to(
        "Density setting",
        ladder.kvp,
        ladder.mas * factor,
        f"{setup.aec_density:+d} steps of ×{room.aec.density_step:g}: a trim of the chamber.".replace("-", "−"),
        "rules",
    )


def hand_step(ladder: Ladder, setup: Setup) -> None:
    """kVp by hand with mAs following, mAs by hand with kVp following, or both by hand (then the exposure changes)."""
    kvp_before = ladder.kvp
    if setup.kvp is not None:
        within("kvp", setup.kvp, *KVP_RANGE, "kVp")
    if setup.kvp is not None and setup.mas is not None:
        if (setup.kvp, setup.mas) != (ladder.kvp, ladder.mas):
            ladder.to("kVp and mAs by hand", setup.kvp, setup.mas, "Both set by hand: the exposure is no longer held.")
            ladder.path.move(kvp=setup.kvp)
        return
    if setup.kvp is not None and setup.kvp != ladder.kvp:
        by_rules, by_model = rules.mas_for_kvp(1.0, ladder.kvp, setup.kvp), ladder.path.move(kvp=setup.kvp)
        how = FOLLOWS["rules" if by_model is None else ladder.ruling]
        why = f"{kvp_before:.3g} to {setup.kvp:g} kVp; mAs follows by {how}."
        ladder.change("kVp by hand", by_rules, by_model, why, setup.kvp)
    elif setup.mas is not None and setup.mas != ladder.mas:
        kvp = rules.kvp_for_mas(ladder.kvp, ladder.mas, setup.mas)
        school: School = "rules"
        if ladder.ruling == "model" and (found := ladder.path.kvp_for(setup.mas / ladder.mas)) is not None:
            kvp, school = found, "model"
        within("kvp", kvp, *KVP_RANGE, "kVp")
        why = f"{ladder.mas:.3g} to {setup.mas:g} mAs; kVp follows by {FOLLOWS[school]}."
        ladder.to("mAs by hand", kvp, setup.mas, why, school)
        ladder.path.move(kvp=kvp)
    if ladder.kvp == kvp_before or ladder.ruling == "model":
        return
    low, high = rules.FIFTEEN_PERCENT_VALID_KVP
    if abs(rules.fifteen_percent_steps(kvp_before, ladder.kvp)) > rules.FIFTEEN_PERCENT_MOST_STEPS:
        text = f"{kvp_before:.0f} to {ladder.kvp:.0f} kVp is more than two steps of the 15 % rule, which is then unsafe."
        ladder.caution("warning", text, "15 % rule")
    elif min(kvp_before, ladder.kvp) < low or max(kvp_before, ladder.kvp) > high:
        weak = "too weak below 60 kVp" if min(kvp_before, ladder.kvp) < low else "too strong above 100 kVp"
        ladder.caution("note", f"The 15 % rule is {weak}: expect the index to be off.", "15 % rule")


FOLLOWS: dict[School, str] = {"rules": "the 15 % rule", "model": "the beam model"}


def exposure_factor(ladder: Ladder, kvp: float) -> float:
    """The mAs factor that holds the exposure when the kVp goes from the ladder's to another, by the ruling school. Nothing
    moves."""
    if kvp == ladder.kvp:
        return 1.0
    by_model = ladder.path.trial().move(kvp=kvp) if ladder.ruling == "model" else None
    return rules.mas_for_kvp(1.0, ladder.kvp, kvp) if by_model is None else by_model


def station_steps(ladder: Ladder, stationed: Stationed, mas_by_hand: bool) -> None:
    if stationed.kvp != ladder.kvp:
        why = "Nearest kVp station" + ("." if mas_by_hand else f"; mAs follows by {FOLLOWS[ladder.ruling]}.")
        ladder.to("kVp station", stationed.kvp, ladder.mas if mas_by_hand else stationed.mas_at_kvp, why)
        ladder.path.move(kvp=stationed.kvp)
    if not math.isclose(stationed.mas, ladder.mas, rel_tol=1e-9):
        percent = 100 * (stationed.mas / ladder.mas - 1)
        ladder.to(
            "mAs station", stationed.kvp, stationed.mas, f"Nearest mAs station: {percent:+.1f} % exposure.".replace("-", "−")
        )


def _grid_words(ratio: int) -> str:
    return f"{ratio}:1" if ratio else "no grid"
