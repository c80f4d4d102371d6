"""How a technique is worked out: the chart line's own numbers, then one step for each thing that differs.

Each step asks both methods, the rules of thumb and the physics model (`model_state`), the same question: by what factor must
the mAs change to hold the image density? The room's method is taken; the other's answer stands beside it.
"""

from __future__ import annotations

import math
from copy import copy

from oakbeam.core.anatomy.composition import ADULT_FROM
from oakbeam.core.caution import Caution, CautionLevel
from oakbeam.core.charts.line import KVP_RANGE, ChartLine
from oakbeam.core.charts.systems import Banded, Levelled, VariableKvp
from oakbeam.core.equipment.aec import SET_KVP, SET_THICKNESS_CM, chamber_drift, density_factor
from oakbeam.core.equipment.room import Aec, Filter, Method
from oakbeam.core.equipment.room_beam import within_receptor
from oakbeam.core.equipment.settings import GeneratorSetting
from oakbeam.core.errors import Refusal, within
from oakbeam.core.patient.conditions import Modifier, exposure_worth, modified, strongest
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import declared_age
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.physics.rules_of_thumb import GridTable, TextbookGridTable
from oakbeam.core.projection import SUPPORT_NAMES, Projection
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.result import Step
from oakbeam.core.technique.set_up import ResolvedSetup, tube_stays

APART = 0.10
"""Where the methods differ by more than this, the other's answer is shown beside."""
OTHER_METHOD: dict[Method, Method] = {"rules": "model", "model": "rules"}
FOLLOWS: dict[Method, str] = {"rules": "the 15 % rule", "model": "the physics model"}


class RunningTechnique:
    """The running kVp and mAs while steps are added; cautions that a step raises are kept beside them.

    method: the one whose factors are taken. model: the physics model's side, moved along with each step.
    """

    def __init__(self, kvp: float, mas: float, why: str, method: Method, model: ModelState) -> None:
        self.kvp, self.mas = kvp, mas
        self.method, self.model = method, model
        self.cautions: list[Caution] = []
        self.field_di = 0.0
        """What another field than the line's would do to the index were the mAs left [DI], by the model."""
        self.metal_di = 0.0
        """What metal before a share of the field takes off the index [DI]."""
        self.line_di: float | None = None
        """Deviation index of the line's own numbers at its own conditions, by the model alone."""
        self.thickness_mas: float = mas
        self.thickness_wanted: float | None = None
        """mAs after the thickness, and what the model wanted there: where the ways of the two methods begin."""
        self.steps = [Step("Chart line", 1.0, kvp, mas, kvp, mas, method, why)]

    def caution(self, level: CautionLevel, text: str, cites: str) -> None:
        """Keep a caution that a step raises."""
        self.cautions.append(Caution(level, text, cites))

    def to(
        self, name: str, kvp: float, mas: float, why: str, method: Method | None = None, other: float | None = None
    ) -> None:
        """Add a step to a kVp and mAs; other: the mAs factor that the other method would have taken."""
        factor, taken = mas / self.mas, method or self.method
        other_method = None if other is None else OTHER_METHOD[taken]
        apart = other is not None and abs(math.log(other / factor)) > math.log1p(APART)
        self.steps.append(Step(name, factor, self.kvp, self.mas, kvp, mas, taken, why, other_method, other, apart))
        self.kvp, self.mas = kvp, mas

    def marked(self) -> RunningTechnique:
        """A copy that stays where this one stands now."""
        copied = copy(self)
        copied.model = self.model.trial()
        return copied

    def apart_di(self) -> float:
        """By how much the exposure parts from what the model holds, since the thickness [DI]; 0 where it has no answer."""
        start, now = self.thickness_wanted, self.model.wanted()
        if start is None or now is None:
            return 0.0
        return 10 * math.log10(self.mas / self.thickness_mas * start / now)

    def change(self, name: str, by_rules: float, by_model: float | None, why: str, kvp: float | None = None) -> None:
        """Add a step that both methods have a factor for; the rules' is taken where the model has none."""
        taken: Method = "rules" if by_model is None else self.method
        if taken != self.method:
            text = f"{name}: outside what the physics model covers; the rule of thumb was taken."
            self.caution("note", text, "physics model")
        factor, other = (by_rules, by_model) if taken == "rules" else (by_model or by_rules, by_rules)
        self.to(name, self.kvp if kvp is None else kvp, self.mas * factor, why, taken, other)


def thickness_step(line: ChartLine, patient: Patient, method: Method, model: ModelState) -> RunningTechnique:
    """The line's own numbers, and the first step: the patient's thickness by the line's own mAs rule."""
    line_di = model.di_of(line.law.at(line.thickness_cm)[1])
    running = _by_thickness(line, patient, method, model)
    running.line_di, running.thickness_mas, running.thickness_wanted = line_di, running.mas, model.wanted()
    return running


def _by_thickness(line: ChartLine, patient: Patient, method: Method, model: ModelState) -> RunningTechnique:
    kvp, mas = line.at(patient.thickness_cm)
    law, thickness = line.law, patient.thickness_cm
    if isinstance(law, Banded):
        band = law.band(thickness)
        model.move(thickness_cm=thickness, kvp=kvp)
        why = f"Band '{band.name}', {band.min_cm:g} to {band.max_cm:g} cm, holds {thickness:g} cm."
        return RunningTechnique(kvp, mas, why, method, model)
    base_kvp, base_mas = law.at(line.thickness_cm)
    running = RunningTechnique(base_kvp, base_mas, f"The chart's numbers at {line.thickness_cm:g} cm.", method, model)
    if thickness == line.thickness_cm:
        return running
    moved = f"{line.thickness_cm:g} to {thickness:g} cm"
    by_model = model.move(thickness_cm=thickness, kvp=kvp)
    # The chart is the authority on thickness: the model only stands beside it.
    if isinstance(law, Levelled):
        why = f"{moved}: levelled by the physics model when the line was made."
        running.to("Thickness", kvp, mas, why, "model")
    else:
        if isinstance(law, VariableKvp):
            how = f"{law.kvp_per_cm:g} kVp per cm, mAs stays."
        else:
            how = f"mAs doubles every {law.doubling_cm:g} cm, kVp stays."
        running.to("Thickness", kvp, mas, f"{moved}: {how}", "rules", by_model)
    return running


def age_step(running: RunningTechnique, projection: Projection, patient: Patient) -> None:
    """A declared age on a line that was made for whoever is that thick: a child's bone, fat and lung are others than those
    of an adult, however thin. The rules know no factor, so both methods take the model's.

    Of an older adult's lost bone only the forecast tells: the textbooks' factors are for a diagnosed loss, under conditions.
    """
    age = declared_age(projection, patient.age_band)
    # An adult's anatomy is what is taken anyhow, but for a part so thin that only a child has it.
    plain = age is None or (age.band == "adult" and patient.thickness_cm >= ADULT_FROM * projection.thickness_cm[1])
    if age is None or plain:
        return
    by_model = running.model.move(age=age)
    if age.band in ("adult", "older_adult"):
        return
    words = AGE_WORDS[age.band]
    if by_model is None:
        text = f"These are not a child's numbers: the model has no answer for {words} here. Take the children's line."
        running.caution("warning", text, "children")
        return
    running.to("Age", running.kvp, running.mas * by_model, f"The bone, fat and lung of {words} at this thickness.", "model")
    running.caution("note", f"Scaled to {words} by typical anatomy: watch the first image.", "children")


AGE_WORDS: dict[str, str] = {
    "newborn": "a newborn",
    "1y": "a child of 1 month to 3 years",
    "5y": "a child of 4 to 9 years",
    "10y": "a child of 10 to 13 years",
    "15y": "an adolescent of 14 to 17 years",
}


def sid_step(running: RunningTechnique, charted: ResolvedSetup, setup: ResolvedSetup) -> None:
    """Another SID than the chart's: measured, usual at another support, or under an unmoved tube by the receptor's place."""
    if setup.sid_cm == charted.sid_cm:
        return
    by_rules = rules_of_thumb.maintain_exposure(1.0, charted.sid_cm, setup.sid_cm)
    if setup.sid_measured:
        why = f"{charted.sid_cm:g} to {setup.sid_cm:g} cm: mAs goes with the square of the SID."
    elif not tube_stays(charted.support.id, setup.support.id):
        place = SUPPORT_NAMES[setup.support.id]
        why = f"{charted.sid_cm:g} to {setup.sid_cm:g} cm, as usual at the {place}: mAs goes with the square of the SID."
    else:
        nearer = "nearer to" if setup.sid_cm < charted.sid_cm else "further from"
        gap = abs(setup.support.gap_cm - charted.support.gap_cm)
        why = (
            f"{charted.sid_cm:g} to {setup.sid_cm:g} cm: under an unmoved tube the {SUPPORT_NAMES[setup.support.id]} is "
            f"{gap:g} cm {nearer} the focus than the {SUPPORT_NAMES[charted.support.id]}."
        )
        running.caution(
            "note",
            f"SID taken as {setup.sid_cm:g} cm: the tube has not moved, the receptor has. Measure it, or move the tube to "
            f"{charted.sid_cm:g} cm.",
            "two distance references",
        )
    running.change("SID", by_rules, running.model.move(sid_cm=setup.sid_cm), why)


def grid_step(running: RunningTechnique, charted: ResolvedSetup, setup: ResolvedSetup, table: GridTable) -> None:
    """The grid, and with it the table top or front that comes with another support."""
    support, place = setup.support, {"support": setup.support, "gap_cm": setup.support.gap_cm}
    if setup.grid_ratio == charted.grid_ratio:
        # The rules have no factor for a table top; it is only a step where the model is taken and sees one.
        moved = running.model.move(**place)
        if support.id != charted.support.id and running.method == "model" and moved is not None:
            why = f"{SUPPORT_NAMES[support.id]}: its own top and distance behind the patient."
            running.change("Support", 1.0, moved, why)
        return
    where = f" on the {SUPPORT_NAMES[support.id]}" if support.id != charted.support.id else ""
    change = f"{_grid_words(charted.grid_ratio)} to {_grid_words(setup.grid_ratio)}{where}"
    by_model = running.model.move(**place, grid_ratio=setup.grid_ratio)
    textbook: TextbookGridTable = "average" if table == "computed" else table
    gcf_from = rules_of_thumb.grid_factor(charted.grid_ratio, running.kvp, textbook)
    gcf_to = rules_of_thumb.grid_factor(setup.grid_ratio, running.kvp, textbook)
    by_rules = rules_of_thumb.convert_grid(1.0, charted.grid_ratio, setup.grid_ratio, running.kvp, textbook)
    if table == "computed" and by_model is not None:
        # Under both methods: a grid's worth is a matter of the part's scatter, for which one textbook number stands badly.
        why = f"{change}: computed for this part and beam; the textbook average is {gcf_from:.3g} to {gcf_to:.3g}."
        running.to("Grid", running.kvp, running.mas * by_model, why, "model", by_rules)
        return
    how = "textbook average" if textbook == "average" else f"table at {running.kvp:.0f} kVp"
    running.change("Grid", by_rules, by_model, f"{change}: factor {gcf_from:.3g} to {gcf_to:.3g} ({how}).")
    low, high = rules_of_thumb.GRID_FACTORS_KVP[0], rules_of_thumb.GRID_FACTORS_KVP[-1]
    if table == "by_kvp" and not low <= running.kvp <= high:
        text = f"Grid factors are tabulated from {low:g} to {high:g} kVp; the end value was taken."
        running.caution("note", text, "grid table")


def alignment_step(running: RunningTechnique, setup: ResolvedSetup) -> None:
    """A grid off its centre line or off level: primary lost, which more mAs makes up for in density but not in contrast."""
    if not setup.misaligned:
        return
    before = running.model.grid_loss()
    by_model = running.model.move(grid_offset_cm=setup.grid_offset_cm, grid_tilt_deg=setup.grid_tilt_deg)
    lost = running.model.grid_loss()
    parts = [f"{abs(setup.grid_offset_cm):g} cm off its centre line"] if setup.grid_offset_cm else []
    parts += [f"{abs(setup.grid_tilt_deg):g}° off level"] if setup.grid_tilt_deg else []
    where = " and ".join(parts)
    why = f"Grid {where}: {100 * lost:.0f} % of the primary lost."
    running.change("Grid alignment", (1 - before) / (1 - lost), by_model, why)
    if lost >= geometry.CUTOFF_WARNING:
        running.caution(
            "warning",
            f"Grid {where}: {100 * lost:.0f} % of the primary is cut off. Align it: more mAs restores the index, not the "
            "contrast.",
            "grid cut-off",
        )


def gap_step(running: RunningTechnique, setup: ResolvedSetup) -> None:
    """Another receptor gap than the support's own: a matter of scatter, for which the rules have no factor."""
    if setup.gap_cm == setup.support.gap_cm:
        return
    gaps = f"{setup.support.gap_cm:g} to {setup.gap_cm:g} cm"
    why = f"{gaps} behind the patient: less scatter arrives. The rules know no factor."
    running.change("Air gap", 1.0, running.model.move(gap_cm=setup.gap_cm), why)


def filter_step(running: RunningTechnique, charted: ResolvedSetup, setup: ResolvedSetup) -> None:
    """Another tube filter than the line's: a matter of the spectrum, for which the rules have no factor."""
    before, added = charted.filter, setup.filter
    if added == before:
        return
    by_model = running.model.move(filter=added)
    change = f"{_filter_words(before)} to {_filter_words(added)}"
    if by_model is None:
        text = f"{change}: outside what the physics model covers, and no rule of thumb knows it: the mAs was left."
        running.caution("warning", text, "filter")
        return
    running.to("Filter", running.kvp, running.mas * by_model, f"{change}: what the part and receptor see of it.", "model")


def receptor_step(running: RunningTechnique, charted: ResolvedSetup, setup: ResolvedSetup) -> None:
    """Another receptor than the line's: its speed class and its target index."""
    before, receptor = charted.receptor, setup.receptor
    if receptor.id == before.id:
        return
    speed_from, speed_to = before.speed_class(charted.target_ei), receptor.speed_class(setup.target_ei)
    running.change(
        "Receptor",
        rules_of_thumb.convert_speed(1.0, speed_from, speed_to),
        running.model.move(
            receptor=receptor,
            target_ei=setup.target_ei,
            field_cm=within_receptor(running.model.field_cm, receptor),
        ),
        f"{before.name} to {receptor.name}: speed class {speed_from:.0f} to {speed_to:.0f}.",
    )


def field_step(running: RunningTechnique, line: ChartLine, patient: Patient, setup: ResolvedSetup) -> None:
    """Another field than the line's: the textbooks have a factor for thick parts, the model for all."""
    before = running.model.field_cm
    if setup.field_cm == before:
        return
    thick = patient.thickness_cm >= rules_of_thumb.COLLIMATION_FROM_THICKNESS_CM and line.field_cm is not None
    old, new = (rules_of_thumb.collimation_factor(w * h) for w, h in (before, setup.field_cm))
    by_rules = new / old if thick else 1.0
    by_model = running.model.move(field_cm=setup.field_cm)
    if by_model is not None:
        running.field_di = -10 * math.log10(by_model)
    if by_rules == 1 and (running.method == "rules" or by_model is None):
        return
    running.change(
        "Collimation",
        by_rules,
        by_model,
        f"{before[0]:g} x {before[1]:g} to {setup.field_cm[0]:g} x {setup.field_cm[1]:g} cm: another amount of scatter "
        "(the textbook factor is usually overstated).",
    )


def patient_steps(running: RunningTechnique, projection: Projection, patient: Patient, setup: ResolvedSetup) -> None:
    """A condition, a contrast medium, a cast, metal: each once, and only where in the body it counts."""
    metal = patient.hardware
    said = (*patient.conditions, *((metal,) if metal else ()))
    counting = tuple(one for one in patient.conditions if one.counts_in(projection.region))
    if elsewhere := [one.name for one in said if not one.counts_in(projection.region)]:
        running.caution("note", f"{' and '.join(elsewhere)}: changes nothing in this part of the body.", "one condition")
    if condition := strongest(counting, running.kvp):
        if setup.exposure_control == "aec":
            # The chamber holds the exposure at the kVp that is set: what it will take follows, and with it back-up and dose.
            factor, kvp = exposure_worth(condition, running.kvp), running.kvp
            why = f"The AEC ends the exposure for it at {kvp:g} kVp: ×{factor:.2f} by what the condition is worth."
        else:
            factor, kvp = modified(condition, running.kvp)
            why = condition.note
        running.to(condition.name, kvp, running.mas * factor, why, "rules")
        running.model.move(kvp=kvp)
        if len(counting) > 1:
            running.caution(
                "warning",
                f"Conditions are not stacked: only {condition.name.lower()}, the strongest, was applied.",
                "one condition",
            )
    if (medium := patient.contrast) and medium.kvp_window:
        _contrast(running, medium.name, medium.note, medium.kvp_window)
    if cast := patient.cast:
        factor, kvp = modified(cast, running.kvp)
        by_model = running.model.move(overlay=(cast.overlay,)) if cast.overlay else None
        if kvp != running.kvp:
            running.to(cast.name, kvp, running.mas * factor, cast.note, "rules")
            running.model.move(kvp=kvp)
        elif factor != 1 or by_model is not None:
            running.change(cast.name, factor, by_model, cast.note)
    if metal and metal.counts_in(projection.region):
        _metal(running, metal, setup)


METAL = "metal"
"""What the cautions of metal cite: with one of them the index does not speak for the part."""


def _metal(running: RunningTechnique, metal: Modifier, setup: ResolvedSetup) -> None:
    """Metal before a share of the field: by hand nothing changes, but the index reads low; a chamber behind it waits."""
    kept = running.model.behind_metal(metal)
    if kept is None:
        running.caution("note", f"{metal.name}: outside what the physics model covers; {metal.note}", METAL)
        return
    low_di = 10 * math.log10(kept)
    if setup.exposure_control == "aec":
        why = f"Where the chamber sees as much metal as the field, it waits ×{1 / kept:.2f} for it."
        running.to(metal.name, running.kvp, running.mas / kept, why, "model")
        text = f"{metal.name} over a chamber: the rest is over-exposed ×{1 / kept:.2f} or more. Another chamber, or manual."
        running.caution("warning", text, METAL)
        return
    running.metal_di = low_di
    text = f"{metal.name}: the index reads about {-low_di:.1f} DI lower by the metal alone. Judge the bone beside it."
    running.caution("note", f"{text} {metal.note}", METAL)


def _contrast(running: RunningTechnique, name: str, note: str, window: tuple[float, float]) -> None:
    """Bring the kVp into a contrast medium's window; the mAs follows. Inside it nothing changes."""
    kvp = min(max(running.kvp, window[0]), window[1])
    if kvp == running.kvp:
        return
    by_rules, by_model = rules_of_thumb.mas_for_kvp(1.0, running.kvp, kvp), running.model.move(kvp=kvp)
    running.change(name, by_rules, by_model, note, kvp)


def density_step(running: RunningTechnique, aec: Aec | None, setup: ResolvedSetup) -> None:
    """An AEC density setting: it trims what the chamber waits for, and so the predicted mAs."""
    if setup.exposure_control != "aec" or not setup.aec_density or aec is None:
        return
    factor = density_factor(aec.density_step, setup.aec_density)
    why = f"{setup.aec_density:+d} steps of ×{aec.density_step:g}: a trim of the chamber.".replace("-", "−")
    running.to("Density setting", running.kvp, running.mas * factor, why, "rules")


def chamber_step(running: RunningTechnique, aec: Aec | None, setup: ResolvedSetup) -> None:
    """An AEC chamber without a curve of its own ends the exposure by kerma, of which the receptor makes more or less."""
    if setup.exposure_control != "aec" or aec is None or aec.holds == "index" or setup.mas is not None:
        return
    try:
        factor = chamber_drift(running.model.setup(), running.model.beam()[0])
    except Refusal:
        text = "What the chamber makes of this beam is outside what the physics model covers: watch the index."
        running.caution("note", text, "AEC")
        return
    why = f"The chamber holds the kerma it was set for at {SET_KVP:g} kVp and {SET_THICKNESS_CM:g} cm, not the index."
    running.to("Chamber", running.kvp, running.mas * factor, why, "model")


def hand_step(running: RunningTechnique, setup: ResolvedSetup) -> None:
    """kVp by hand with mAs following, mAs by hand with kVp following, or both by hand (then the exposure changes)."""
    kvp_before = running.kvp
    if setup.kvp is not None and setup.mas is not None:
        if (setup.kvp, setup.mas) != (running.kvp, running.mas):
            why = "Both set by hand: the exposure is no longer held."
            running.to("kVp and mAs by hand", setup.kvp, setup.mas, why)
            running.model.move(kvp=setup.kvp)
        return
    if setup.kvp is not None and setup.kvp != running.kvp:
        by_rules = rules_of_thumb.mas_for_kvp(1.0, running.kvp, setup.kvp)
        by_model = running.model.move(kvp=setup.kvp)
        how = FOLLOWS["rules" if by_model is None else running.method]
        why = f"{kvp_before:.3g} to {setup.kvp:g} kVp; mAs follows by {how}."
        running.change("kVp by hand", by_rules, by_model, why, setup.kvp)
    elif setup.mas is not None and setup.mas != running.mas:
        kvp = rules_of_thumb.kvp_for_mas(running.kvp, running.mas, setup.mas)
        method: Method = "rules"
        if running.method == "model" and (found := running.model.kvp_for(setup.mas / running.mas)) is not None:
            kvp, method = found, "model"
        within("kvp", kvp, *KVP_RANGE, "kVp")
        why = f"{running.mas:.3g} to {setup.mas:g} mAs; kVp follows by {FOLLOWS[method]}."
        running.to("mAs by hand", kvp, setup.mas, why, method)
        running.model.move(kvp=kvp)
    if running.kvp == kvp_before or running.method == "model":
        return
    _fifteen_percent_holds(running, kvp_before)


def _fifteen_percent_holds(running: RunningTechnique, kvp_before: float) -> None:
    """Say where the 15 % rule parts from the beam in this part; without a model's answer, where textbooks say it ends."""
    steps = rules_of_thumb.fifteen_percent_steps(kvp_before, running.kvp)
    by_rule = rules_of_thumb.mas_for_kvp(1.0, kvp_before, running.kvp)
    by_model = running.model.trial(kvp=kvp_before).move(kvp=running.kvp)
    if abs(steps) > rules_of_thumb.FIFTEEN_PERCENT_MOST_STEPS:
        text = f"{kvp_before:.0f} to {running.kvp:.0f} kVp is more than two steps of the 15 % rule, which is then unsafe."
        running.caution("warning", text, "15 % rule")
    elif by_model is not None:
        off_di = 10 * math.log10(by_rule / by_model)
        if abs(off_di) >= FIFTEEN_PERCENT_OFF_DI:
            text = f"15 % rule: mAs ×{by_rule:.2g}; the beam in this part needs ×{by_model:.2g} ({off_di:+.1f} DI)."
            running.caution("note", text.replace("-", "−"), "15 % rule")
    else:
        low, high = rules_of_thumb.FIFTEEN_PERCENT_VALID_KVP
        if min(kvp_before, running.kvp) < low or max(kvp_before, running.kvp) > high:
            weak = "too weak below 60 kVp" if min(kvp_before, running.kvp) < low else "too strong above 100 kVp"
            running.caution("note", f"The 15 % rule is {weak}: expect the index to be off.", "15 % rule")


FIFTEEN_PERCENT_OFF_DI = 0.5
"""Where the 15 % rule misses the beam in the part at hand by this much, it is said [DI]."""


def exposure_factor(running: RunningTechnique, kvp: float) -> float:
    """The mAs factor that holds the exposure when the kVp goes to another, by the method taken. Nothing moves."""
    if kvp == running.kvp:
        return 1.0
    by_model = running.model.trial().move(kvp=kvp) if running.method == "model" else None
    return rules_of_thumb.mas_for_kvp(1.0, running.kvp, kvp) if by_model is None else by_model


def setting_steps(running: RunningTechnique, setting: GeneratorSetting, mas_by_hand: bool) -> None:
    """The last steps: onto the room's generator settings."""
    if setting.kvp != running.kvp:
        why = "Nearest kVp setting" + ("." if mas_by_hand else f"; mAs follows by {FOLLOWS[running.method]}.")
        running.to("kVp setting", setting.kvp, running.mas if mas_by_hand else setting.mas_at_kvp, why)
        running.model.move(kvp=setting.kvp)
    if not math.isclose(setting.mas, running.mas, rel_tol=1e-9):
        percent = 100 * (setting.mas / running.mas - 1)
        why = f"Nearest mAs setting: {percent:+.1f} % exposure.".replace("-", "−")
        running.to("mAs setting", setting.kvp, setting.mas, why)


def _filter_words(added: Filter | None) -> str:
    return added.name if added else "no added filter"


def _grid_words(ratio: int) -> str:
    return f"{ratio}:1" if ratio else "no grid"
