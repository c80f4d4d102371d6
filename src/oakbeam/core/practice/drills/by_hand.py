"""Drills that are worked out in the head: measuring, arithmetic, stations, positioning numbers. Right answers are those of
the rules that the Desk uses; no other number stands here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.equipment.generator import nearest_setting, renard_r10
from oakbeam.core.image_review import corrected_mas
from oakbeam.core.patient.thickness import ADULT_CM, usual_child_cm
from oakbeam.core.patient.tube_angle import Facts, tube_angle
from oakbeam.core.physics import geometry
from oakbeam.core.physics import rules_of_thumb as rules
from oakbeam.core.practice.drills.question import Answer, Asked, Chance, Drill, Projections, Question, Scene, number
from oakbeam.core.practice.simulated_room import Case, usual_console

STATIONS = renard_r10(0.5, 500)


def _mas(right: float, tolerance: float = 0.06) -> Asked:
    return Asked("mas", "mAs", right, "mAs", tolerance)


def _made_of(case: Case, right_mas: float) -> Callable[[Answer], Scene | None]:
    """What an answered mAs would have made of a patient: as far over or under as the answer is over or under the right
    one."""

    def after(answer: Answer) -> Scene | None:
        mas = answer.get("mas")
        if not isinstance(mas, (int, float)) or not mas > 0:
            return None
        usual = usual_console(case)
        return Scene(case, replace(usual, mas=min(max(usual.mas * mas / right_mas, 0.05), 1000.0)))

    return after


def mat_counted_in(chance: Chance, projections: Projections) -> Question:
    read, mat = chance.pick(22, 23.5, 25, 27, 21.5), chance.pick(1.5, 2, 2.5, 3)
    return Question(
        f"The calipers read {number(read)} cm at the lumbar spine; one jaw lies under the {number(mat)} cm mat.",
        (Asked("cm", "Thickness", read - mat, "cm", 0.05, True),),
        f"The mat is not the patient: {number(read)} − {number(mat)} = {number(read - mat)} cm. It would have "
        "cost a patient nearly "
        f"{number(100 * (2 ** (mat / 4.5) - 1))} % more exposure.",
        "Which of the centimetres between the jaws is patient?",
    )


def outer_edge(chance: Chance, projections: Projections) -> Question:
    read, jaw = chance.pick(12, 13.5, 14, 11.5), chance.pick(0.5, 1.0)
    return Question(
        f"Somebody reads the knee at the outer edge of the sliding jaw: {number(read)} cm. The jaw is "
        f"{number(jaw)} cm wide.",
        (Asked("cm", "Thickness", read - jaw, "cm", 0.05, True),),
        f"The scale is read where the jaw touches the skin: {number(read)} − {number(jaw)} = {number(read - jaw)} cm.",
        "Where does the jaw touch?",
    )


def inches(chance: Chance, projections: Projections) -> Question:
    inch = chance.pick(4.5, 5, 7.5, 8.25, 9.5)
    return Question(
        f"The calipers show {number(inch)} inches, the chart is in centimetres.",
        (Asked("cm", "Thickness", 2.54 * inch, "cm", 0.15, True),),
        f"One inch is 2.54 cm: {number(inch)} × 2.54 = {number(2.54 * inch)} cm.",
        "How many centimetres is an inch?",
    )


def along_the_ray(chance: Chance, projections: Projections) -> Question:
    kind = chance.of("lspine-oblique", "lspine-lateral", "chest-lateral", "knee-lateral")
    view = projections[kind]
    options = {
        "ray": "Along the central ray, as the patient lies for it",
        "ap": "From front to back",
        "wide": "At the widest place",
    }
    return Question(
        f"{view.exam} {view.name}: where do the calipers go?",
        (Asked("where", "Calipers", "ray", options=options),),
        f"The beam goes through what lies along its ray. {view.measure}",
        "Through which way does the beam go?",
    )


def who_was_measured(chance: Chance, projections: Projections) -> Question:
    options = {
        "again": "Measure again, lying as for the exposure",
        "same": "Take the standing figure",
        "chart": "Take the average",
    }
    cm = chance.pick(24, 26, 28)
    return Question(
        f"An abdomen was measured standing: {number(cm)} cm. The exposure is made lying on the back.",
        (Asked("what", "What now?", "again", options=options),),
        "A belly is some 2 cm thinner lying than standing: about 40 % in exposure. Measure as the patient lies.",
        "Does a belly keep its shape when its owner lies down?",
    )


def square_law(chance: Chance, projections: Projections) -> Question:
    mas, a = chance.pick(4, 5, 8, 10, 12.5, 16), chance.pick(100, 110, 115)
    b = chance.pick(90, 130, 150, 180)
    right = rules.maintain_exposure(mas, a, b)
    after = _made_of(Case(projections["knee-ap"], 12.5, seed=7), right)
    return Question(
        f"{number(mas)} mAs is right at {number(a)} cm SID. The tube stands at {number(b)} cm. Same kVp: which mAs?",
        (_mas(right),),
        f"{number(mas)} × ({number(b)} ÷ {number(a)})² = {number(right)} mAs.",
        "mAs goes with the square of the distance.",
        after=after,
    )


def at_the_skin(chance: Chance, projections: Projections) -> Question:
    kerma, a, b = chance.pick(50, 80, 100, 120), 100.0, chance.pick(75, 80, 85, 130)
    right = rules.inverse_square(kerma, a, b)
    return Question(
        f"The tube gives {number(kerma)} µGy at 100 cm. How much at {number(b)} cm from the focus?",
        (Asked("kerma", "Air kerma", right, "µGy", 0.04),),
        f"{number(kerma)} × (100 ÷ {number(b)})² = {number(right)} µGy: nearer is more.",
        "Kerma falls with the square of the distance.",
    )


def grid_put_in(chance: Chance, projections: Projections) -> Question:
    mas, ratio = chance.pick(5, 6.3, 8, 10), int(chance.pick(6, 8, 10, 12))
    right = rules.convert_grid(mas, 0, ratio, 80)
    return Question(
        f"{number(mas)} mAs without a grid at 80 kVp. A {ratio}:1 grid goes in (factor "
        f"{number(rules.grid_factor(ratio, 80))}). Which mAs?",
        (_mas(right),),
        f"{number(mas)} × {number(rules.grid_factor(ratio, 80))} ÷ 1 = {number(right)} mAs.",
        "The new factor over the old one.",
        after=_made_of(Case(projections["lspine-ap"], 21, seed=7), right),
    )


def grid_changed(chance: Chance, projections: Projections) -> Question:
    mas, a, b = chance.pick(16, 20, 25, 32), int(chance.pick(12, 10)), int(chance.pick(6, 8))
    f, g = rules.grid_factor(a, 80), rules.grid_factor(b, 80)
    right = rules.convert_grid(mas, a, b, 80)
    return Question(
        f"{number(mas)} mAs with a {a}:1 grid (factor {number(f)}). Only the {b}:1 grid (factor {number(g)}) "
        "is there. Which mAs?",
        (_mas(right),),
        f"{number(mas)} × {number(g)} ÷ {number(f)} = {number(right)} mAs.",
        "New factor over old factor.",
    )


def fifteen_up(chance: Chance, projections: Projections) -> Question:
    kvp, mas = chance.pick(60, 66, 70, 80), chance.pick(8, 10, 16, 20)
    up = chance.random() < 0.5
    new = round(kvp * (1.15 if up else 0.85))
    right = rules.mas_for_kvp(mas, kvp, kvp * 1.15) if up else rules.mas_for_kvp(mas, kvp * 1.15, kvp)
    way, factor = ("up", "half") if up else ("down", "twice")
    return Question(
        f"{number(kvp)} kVp, {number(mas)} mAs. The kVp goes {way} by 15 %, to {new}. Which mAs keeps the "
        "index, by the rule?",
        (_mas(right, 0.08),),
        f"15 % {way} is {factor} the mAs: {number(right)} mAs. The rule is about right from 60 to 100 kVp and "
        "one step at a time.",
        "Fifteen per cent of kVp is worth a factor of two.",
    )


def thicker(chance: Chance, projections: Projections) -> Question:
    mas, cm, more, doubling = (
        chance.pick(10, 16, 20),
        chance.pick(18, 20, 21),
        chance.pick(2, 4, 5, -3),
        chance.pick(4, 5),
    )
    right = rules.mas_for_thickness(mas, cm, cm + more, doubling)
    return Question(
        f"{number(mas)} mAs is right for {number(cm)} cm. The chart doubles every {number(doubling)} cm at "
        "this kVp. The patient has "
        f"{number(cm + more)} cm. Which mAs?",
        (_mas(right, 0.08),),
        f"{number(more)} cm ÷ {number(doubling)} cm is {number(more / doubling)} doublings: {number(mas)} × "
        f"2^{number(more / doubling)} = "
        f"{number(right)} mAs.",
        "How many doublings is the difference?",
        after=_made_of(Case(projections["lspine-ap"], cm + more, seed=7), right),
    )


def kvp_by_thickness(chance: Chance, projections: Projections) -> Question:
    kvp, cm, more = chance.pick(60, 62, 66), chance.pick(10, 11, 12), chance.pick(2, 3, -2)
    right = rules.kvp_for_thickness(kvp, cm, cm + more)
    return Question(
        f"A variable kVp chart has {number(kvp)} kVp at {number(cm)} cm and 2 kVp per cm. The part has "
        f"{number(cm + more)} cm. Which kVp?",
        (Asked("kvp", "kVp", right, "kVp", 0.5, True),),
        f"{number(kvp)} + 2 × {number(more)} = {number(right)} kVp.",
        "Two for every centimetre, up or down.",
    )


def speed_class(chance: Chance, projections: Projections) -> Question:
    mas, a, b = chance.pick(5, 8, 10), 400.0, chance.pick(100, 200, 800)
    right = rules.convert_speed(mas, a, b)
    return Question(
        f"{number(mas)} mAs with screens of speed class 400. The cassette at hand is of class {number(b)}. Which mAs?",
        (_mas(right),),
        f"{number(mas)} × 400 ÷ {number(b)} = {number(right)} mAs: a slower one wants more.",
        "Old class over new class.",
    )


def current_and_time(chance: Chance, projections: Projections) -> Question:
    ma, mas = chance.pick(100, 160, 200, 320), chance.pick(5, 8, 10, 16, 20)
    return Question(
        f"{number(mas)} mAs at {number(ma)} mA. How long is the exposure?",
        (Asked("ms", "Time", 1000 * mas / ma, "ms", 0.03),),
        f"{number(mas)} ÷ {number(ma)} = {number(mas / ma)} s = {number(1000 * mas / ma)} ms.",
        "mAs is mA times seconds.",
    )


def from_the_index(chance: Chance, projections: Projections) -> Question:
    mas, di = chance.pick(5, 8, 12.5, 20), chance.pick(-3, -2, 2, 3)
    right = corrected_mas(mas, di)
    sign = number(di) if di < 0 else f"+{number(di)}"
    return Question(
        f"{number(mas)} mAs gave a DI of {sign}. Penetration is good. Which mAs would have been on target?",
        (_mas(right, 0.08),),
        f"A DI of 3 is a factor of two: {number(mas)} × 10^(−DI ÷ 10) = {number(right)} mAs.",
        "Three units of DI are a factor of two.",
    )


def two_at_once(chance: Chance, projections: Projections) -> Question:
    mas, b, ratio = chance.pick(4, 5, 6.3), chance.pick(120, 130, 150), int(chance.pick(6, 8, 10))
    right = rules.convert_grid(rules.maintain_exposure(mas, 100, b), 0, ratio, 80)
    return Question(
        f"{number(mas)} mAs at 100 cm without a grid. Now {number(b)} cm and a {ratio}:1 grid (factor "
        f"{number(rules.grid_factor(ratio, 80))}). Which mAs?",
        (_mas(right, 0.08),),
        f"Distance first: × ({number(b)} ÷ 100)²; then the grid: × {number(rules.grid_factor(ratio, 80))}. "
        f"Together {number(right)} mAs.",
        "One after the other: the factors multiply.",
    )


def station(chance: Chance, projections: Projections) -> Question:
    value = float(10 ** chance.uniform(0.2, 2.2))
    value = float(f"{value:.3g}")
    right = nearest_setting("mas", value, STATIONS, "mAs")
    place = STATIONS.index(right)
    near = STATIONS[max(0, place - 2) : place + 3]
    options = {number(one): f"{number(one)} mAs" for one in near}
    return Question(
        f"It works out as {number(value)} mAs. Which station?",
        (Asked("station", "Station", number(right), options=options),),
        f"The nearest by factor, not by difference, is {number(right)} mAs; a tie goes down.",
        "By which factor is each station away?",
    )


def short_enough(chance: Chance, projections: Projections) -> Question:
    mas, ceiling = chance.pick(5, 8, 10, 12.5), chance.pick(20, 40, 50, 100)
    stations = (50.0, 100.0, 160.0, 200.0, 320.0, 400.0, 500.0, 630.0, 800.0)
    right = next(one for one in stations if 1000 * mas / one <= ceiling)
    options = {number(one): f"{number(one)} mA" for one in stations}
    return Question(
        f"{number(mas)} mAs, and the patient holds still for {number(ceiling)} ms. Which is the lowest mA "
        "that is short enough?",
        (Asked("ma", "mA", number(right), options=options),),
        f"{number(mas)} mAs ÷ {number(ceiling / 1000)} s = {number(1000 * mas / ceiling)} mA at least: {number(right)} mA.",
        "mA is mAs over seconds.",
    )


def back_up(chance: Chance, projections: Projections) -> Question:
    expected = chance.pick(5, 8, 10, 16, 20)
    return Question(
        f"The chart expects {number(expected)} mAs with the chambers. Which back-up, by the usual factor of 1.5 to 2?",
        (Asked("mas", "Back-up", 1.75 * expected, "mAs", 0.145, fixed=True),),
        f"1.5 to 2 times what is expected: {number(1.5 * expected)} to {number(2 * expected)} mAs. Lower cuts "
        "off a good exposure, higher "
        "lets a wrong chamber run.",
        "Half as much again to twice.",
    )


def from_the_chart(chance: Chance, projections: Projections) -> Question:
    low, mas = chance.pick(16, 18, 20), chance.pick(10, 12.5, 16)
    cm = low + chance.pick(0, 1, 2, 3.5, 5)
    bands = [(low, low + 2, mas), (low + 2, low + 4, mas * 1.6), (low + 4, low + 6, mas * 2.5)]
    right = next(value for a, b, value in bands if a <= cm < b or (b == low + 6 and cm <= b))
    rows = "; ".join(f"{number(a)} to under {number(b)} cm: {number(value)} mAs" for a, b, value in bands)
    return Question(
        f"A banded chart says {rows}. The patient has {number(cm)} cm. What is set?",
        (_mas(right, 0.02),),
        f"{number(cm)} cm stands in the band of {number(right)} mAs; the edge belongs to the band above.",
        "In which row does the thickness stand?",
    )


def edge_of_the_chart(chance: Chance, projections: Projections) -> Question:
    high = chance.pick(26, 28, 30)
    cm = high + chance.pick(2, 4, 6)
    options = {
        "ask": "Say that the chart ends there, and ask the chart keeper or physicist for a technique",
        "last": "Set the last row",
        "guess": "Double the last row and see",
    }
    return Question(
        f"The chart's line ends at {number(high)} cm. The patient measures {number(cm)} cm.",
        (Asked("what", "What now?", "ask", options=options),),
        "A number outside the line was never tried in this room. The last row is too little, a guess is a guess: ask.",
        "What does a line's end mean?",
    )


def knee_angle(chance: Chance, projections: Projections) -> Question:
    asis = chance.pick(17, 21.5, 26)
    right = tube_angle(projections["knee-ap"], Facts(pelvis_cm=asis, pelvis_pad_cm=0.0)).deg
    options = {"-5": "5° caudal", "0": "0°", "5": "5° cephalad"}
    return Question(
        f"Knee AP on the table. From the ASIS to the tabletop are {number(asis)} cm. Which tube angle, by the usual rule?",
        (Asked("angle", "Angle", f"{right:g}", options=options),),
        "Under 19 cm 5° caudal, 19 to 24 cm none, over 24 cm 5° cephalad: a thick pelvis tilts the femur.",
        "How does the femur slope with a thick pelvis?",
    )


def receptor_shift(chance: Chance, projections: Projections) -> Question:
    height, angle = chance.pick(12, 15, 20, 25), chance.pick(10, 15, 20, 30)
    right = geometry.receptor_shift_cm(height, angle)
    return Question(
        f"The tube is angled {number(angle)}°. From the point of entry to the receptor are {number(height)} "
        "cm. How far is the receptor moved?",
        (Asked("cm", "Shift", right, "cm", 0.4, True),),
        f"{number(height)} × tan {number(angle)}° = {number(right)} cm, the way the ray goes.",
        "Height times the tangent of the angle.",
    )


def along_an_angle(chance: Chance, projections: Projections) -> Question:
    height, angle = 100.0, chance.pick(15, 20, 25, 30)
    right = geometry.sid_along_ray_cm(height, angle)
    return Question(
        f"The tube stands 100 cm above the receptor and is angled {number(angle)}°. What is the SID along the central ray?",
        (Asked("cm", "SID", right, "cm", 1.0, True),),
        f"100 ÷ cos {number(angle)}° = {number(right)} cm: the detent no longer tells the SID.",
        "The ray is longer than the height.",
    )


def tabletop_to_bucky(chance: Chance, projections: Projections) -> Question:
    gap, mas = chance.pick(6, 8, 10), chance.pick(5, 8, 10)
    sid = geometry.sid_when_support_changes_cm(100, gap, 0)
    right = rules.maintain_exposure(mas, 100, sid)
    return Question(
        f"The tube clicks at 100 cm to the Bucky, which lies {number(gap)} cm under the tabletop. "
        f"{number(mas)} mAs is right at 100 cm without a "
        "grid. The receptor lies on the tabletop and the tube stays. Which SID, which mAs?",
        (Asked("cm", "SID", sid, "cm", 0.5, True), _mas(right)),
        f"100 − {number(gap)} = {number(sid)} cm; {number(mas)} × ({number(sid)} ÷ 100)² = {number(right)} mAs.",
        "How far is the focus from where the receptor lies now?",
    )


def magnified(chance: Chance, projections: Projections) -> Question:
    sid, oid = chance.pick(100, 115, 180), chance.pick(5, 10, 15)
    right = 100 * (geometry.magnification(sid, oid) - 1)
    return Question(
        f"A structure lies {number(oid)} cm from the receptor at {number(sid)} cm SID. By how many per cent is it enlarged?",
        (Asked("percent", "Enlarged by", right, "%", 0.6, True),),
        f"{number(sid)} ÷ ({number(sid)} − {number(oid)}) = {number(1 + right / 100)}: {number(right)} %.",
        "SID over SOD.",
    )


def si_joints(chance: Chance, projections: Projections) -> Question:
    sex: Sex = "male" if chance.random() < 0.5 else "female"
    right = tube_angle(projections["sij-ap-axial"], Facts(sex=sex)).deg
    options = {"25": "25° cephalad", "30": "30° cephalad", "35": "35° cephalad", "-10": "10° caudal"}
    return Question(
        f"Sacroiliac joints AP axial of a {'man' if sex == 'male' else 'woman'}. Which angle, by the usual rule?",
        (Asked("angle", "Angle", f"{right:g}", options=options),),
        "30° for a man, 35° for a woman, whose sacrum leans more.",
        "Whose sacrum leans more?",
    )


def field_at_skin(chance: Chance, projections: Projections) -> Question:
    sid, ssd, side = chance.pick(100, 115), chance.pick(75, 78, 82), chance.pick(24, 30, 35)
    right = side * ssd / sid
    return Question(
        f"The field is {number(side)} cm wide at the receptor, {number(sid)} cm from the focus. How wide is "
        f"the light on the skin, at {number(ssd)} cm?",
        (Asked("cm", "At the skin", right, "cm", 0.4, True),),
        f"{number(side)} × {number(ssd)} ÷ {number(sid)} = {number(right)} cm: the light on the skin is "
        "smaller than the field.",
        "Sides go with the distance.",
    )


def childs_thickness(chance: Chance, projections: Projections) -> Question:
    ages: dict[AgeBand, str] = {"1y": "one year", "5y": "five years", "10y": "ten years"}
    age = list(ages)[int(chance.integers(3))]
    chest = "peds-chest-ap-infant" if age == "1y" else "peds-chest-pa-child"
    view = projections[chance.of("knee-ap", "elbow-ap", chest)]
    usual, words = usual_child_cm(view, age), ages[age]
    assert usual is not None  # each of these views is for the age
    adult = ADULT_CM["chest_ap"] if view.for_children else view.thickness_cm[1]
    near = sorted({round(usual * one * 2) / 2 for one in (0.6, 1.0, 1.5, 2.2)})
    options = {number(one): f"about {number(one)} cm" for one in near}
    right = min(near, key=lambda one: abs(one - usual))
    return Question(
        f"Before you measure: what do you expect at the {view.exam.lower()} ({view.name}) of a child of {words}?",
        (Asked("cm", "Thickness", number(right), options=options),),
        f"About {number(usual)} cm, against an adult's {number(adult)} cm. Measured counts; what is far from this was "
        "misread.",
        "What share of an adult's is it?",
    )


def childs_grid(chance: Chance, projections: Projections) -> Question:
    cm = chance.pick(6, 7, 8, 14, 16)
    options = {"no": "No grid", "yes": "Grid"}
    over_cm = projections["peds-abdomen-supine"].grid_over_cm or 12.0
    right = "yes" if cm > over_cm else "no"
    return Question(
        f"Abdomen of a child, {number(cm)} cm. Grid or not, by the usual rule?",
        (Asked("grid", "Grid", right, options=options),),
        "A thin part scatters little: a grid under about 10 to 12 cm costs dose and gives nothing that is needed.",
        "From which thickness does scatter matter?",
    )


def childs_time(chance: Chance, projections: Projections) -> Question:
    mas, ma = chance.pick(1, 1.6, 2), 200.0
    options = {
        "short": "The highest mA that the tube takes, for the shortest time",
        "low": "The lowest mA",
        "any": "Any: mAs is mAs",
    }
    return Question(
        f"Chest of a crying child of a year, {number(mas)} mAs. {number(ma)} mA or more can be had. What do you set?",
        (Asked("what", "mA", "short", options=options),),
        f"It will not hold still: {number(1000 * mas / 500)} ms at 500 mA against {number(1000 * mas / 50)} "
        "ms at 50 mA. The mAs is the same.",
        "What blurs a child's chest?",
    )


def first_in_trauma(chance: Chance, projections: Projections) -> Question:
    views = {
        "cspine-lateral-crosstable": "Cervical spine lateral, horizontal beam",
        "cspine-ap-axial": "Cervical spine AP",
        "cspine-oblique": "Cervical spine obliques",
        "lspine-lateral-crosstable": "Lumbar spine lateral, horizontal beam",
    }
    how = chance.of("After a fall from a roof", "After a crash", "After a dive into shallow water")
    return Question(
        f"{how}: a patient with a collar on a stretcher, the whole spine asked for by radiographs. Which is made first?",
        (Asked("first", "First", "cspine-lateral-crosstable", options=views),),
        "The neck from the side across the table, without moving the patient; nobody takes the collar off or "
        "turns the patient before "
        "whoever is responsible has looked and said so.",
        "Which one needs no movement and decides most?",
    )


def who_clears(chance: Chance, projections: Projections) -> Question:
    who = chance.of("the nurse at the stretcher", "a friend of the patient", "the patient")
    options = {
        "wait": "Wait for the responsible physician's word, and record whose it was",
        "go": "Take the collar off and go on",
    }
    return Question(
        f"The first image of a neck looks good to you, and {who} asks to take the collar off for the AP.",
        (Asked("what", "What now?", "wait", options=options),),
        "A technologist does not clear a spine: the responsible physician does, by name and time.",
        "Who may clear a spine?",
    )


def cannot_turn(chance: Chance, projections: Projections) -> Question:
    exam = chance.of("knee", "hip", "lumbar spine")
    options = {
        "beam": "Leave the patient and bring the beam in from the side",
        "turn": "Turn the patient gently",
        "leave": "Leave the lateral out",
    }
    return Question(
        f"Fall from a ladder; the {exam} hurts and a fracture is asked about. The lateral?",
        (Asked("what", "Lateral", "beam", options=options),),
        "Two views at right angles without moving what may be broken: a horizontal beam.",
        "What moves, the patient or the tube?",
    )


def doubling_from_two(chance: Chance, projections: Projections) -> Question:
    a, more, doubling = chance.pick(14, 16, 18), chance.pick(6, 8), chance.pick(3.5, 4, 4.5, 5)
    first = chance.pick(5, 8, 10)
    second = rules.mas_for_thickness(first, a, a + more, doubling)
    return Question(
        f"Two test exposures on target at one kVp: {number(first)} mAs at {number(a)} cm, {number(second)} "
        f"mAs at {number(a + more)} cm. After how many "
        "centimetres does the mAs double?",
        (Asked("cm", "Doubling thickness", doubling, "cm", 0.2, True),),
        f"{number(second)} ÷ {number(first)} = {number(second / first)}, that is {number(more / doubling)} "
        f"doublings in {number(more)} cm: {number(doubling)} cm.",
        "How many doublings is the ratio of the two?",
    )


def level_of_a_line(chance: Chance, projections: Projections) -> Question:
    mas, di = chance.pick(10, 12.5, 16), chance.pick(-1.5, -2, 1.5, 2)
    images = int(chance.pick(14, 20, 40))
    right = corrected_mas(mas, di)
    sign = number(di) if di < 0 else f"+{number(di)}"
    return Question(
        f"{images} good images of a line lie at a mean DI of {sign}, thin and thick patients alike. The line "
        f"says {number(mas)} mAs at the average. What "
        "should it say?",
        (_mas(right, 0.08),),
        f"Its level is off, not its slope: {number(mas)} × 10^(−DI ÷ 10) = {number(right)} mAs, everywhere on the line.",
        "What is wrong alike for all is the level.",
    )


def slope_of_a_line(chance: Chance, projections: Projections) -> Question:
    thick = chance.of("over", "under")
    options = {
        "longer": "A longer doubling thickness: mAs rise more slowly",
        "shorter": "A shorter doubling thickness: mAs rise faster",
        "level": "Another level for all",
    }
    return Question(
        f"Average patients of a line are on target, thick ones {thick} by 2 DI, thin ones the other way. What is changed?",
        (Asked("what", "Change", "longer" if thick == "over" else "shorter", options=options),),
        "Right in the middle and wrong at the ends is the slope. Thick ones over: the mAs rise too fast.",
        "Is the middle wrong, or the ends?",
    )


def few_images(chance: Chance, projections: Projections) -> Question:
    n = int(chance.pick(2, 3, 4))
    options = {"wait": "Wait for more, and look at these", "change": "Change the line by the mean", "kvp": "Change the kVp"}
    return Question(
        f"{n} images of a line lie at DI +1, +0.2 and the like. What do you do with the line?",
        (Asked("what", "The line", "wait", options=options),),
        f"Patients of one thickness differ by about ±0.8 DI: {n} images say nothing surely. Ten do.",
        "How far apart do two patients lie anyway?",
    )


DRILLS = (
    Drill("mat", "measure", "The mat between the jaws", "Read what is patient.", mat_counted_in),
    Drill("jaw", "measure", "The edge of the jaw", "Read the scale where it touches.", outer_edge),
    Drill("inches", "measure", "Inches", "From inches to centimetres.", inches),
    Drill("ray", "measure", "Which way through", "Calipers along the central ray.", along_the_ray),
    Drill("lying", "measure", "Standing and lying", "Measure as it is exposed.", who_was_measured),
    Drill("square-law", "arithmetic", "Another SID", "mAs by the square of the distance.", square_law),
    Drill("inverse-square", "arithmetic", "Nearer to the skin", "Kerma by the inverse square.", at_the_skin),
    Drill("grid-in", "arithmetic", "A grid goes in", "mAs by the grid's factor.", grid_put_in),
    Drill("grid-change", "arithmetic", "Another grid", "From one factor to the other.", grid_changed),
    Drill("fifteen", "arithmetic", "Fifteen per cent", "kVp for mAs by the 15 % rule.", fifteen_up),
    Drill("thickness", "arithmetic", "Thicker, thinner", "mAs by the doubling thickness.", thicker),
    Drill("kvp-per-cm", "arithmetic", "kVp per centimetre", "A variable kVp chart in the head.", kvp_by_thickness),
    Drill("speed", "arithmetic", "Another cassette", "mAs by the speed class.", speed_class),
    Drill("time", "arithmetic", "How long", "Time from mA and mAs.", current_and_time),
    Drill("from-di", "arithmetic", "From the index back", "mAs that would have been right.", from_the_index),
    Drill("two-steps", "arithmetic", "Distance and grid", "Two factors, one after the other.", two_at_once),
    Drill("station", "set", "The nearest station", "By factor, and down at a tie.", station),
    Drill("short", "set", "Short enough", "mA by the time that can be held.", short_enough),
    Drill("band", "set", "Which row", "A banded chart read right.", from_the_chart),
    Drill("edge", "set", "Where the chart ends", "What is outside was never tried.", edge_of_the_chart),
    Drill("knee-angle", "position numbers", "The knee and the pelvis", "Tube angle by the ASIS.", knee_angle),
    Drill("shift", "position numbers", "Where the ray lands", "Receptor shift for an angled tube.", receptor_shift),
    Drill("angled-sid", "position numbers", "SID of an angled tube", "What the detent does not tell.", along_an_angle),
    Drill(
        "tabletop",
        "position numbers",
        "Tabletop in place of Bucky",
        "SID and mAs when the receptor moves.",
        tabletop_to_bucky,
    ),
    Drill("magnification", "position numbers", "Enlarged", "OID and SID.", magnified),
    Drill("si-angle", "position numbers", "Sacroiliac joints", "Tube angle by sex.", si_joints),
    Drill("skin-field", "position numbers", "Light on the skin", "Field at skin and receptor.", field_at_skin),
    Drill("back-up", "AEC", "The back-up", "What ends an exposure that should have ended.", back_up),
    Drill("first", "trauma order", "What comes first", "The order of a trauma spine.", first_in_trauma),
    Drill("clearance", "trauma order", "Who clears", "What a technologist does not decide.", who_clears),
    Drill("horizontal", "trauma order", "What moves", "The lateral of somebody who must not move.", cannot_turn),
    Drill("child-cm", "children", "Expected of a child", "A measure that cannot be is misread.", childs_thickness),
    Drill("child-grid", "children", "Grid for a child", "From which thickness.", childs_grid),
    Drill("child-time", "children", "Short for a child", "mA, not mAs.", childs_time),
    Drill("doubling", "chart building", "Doubling thickness", "From two test exposures.", doubling_from_two),
    Drill("level", "chart building", "Level of a line", "What many images say.", level_of_a_line),
    Drill("slope", "chart building", "Slope of a line", "Right in the middle, wrong at the ends.", slope_of_a_line),
    Drill("few", "chart building", "Few images", "What they do not say.", few_images),
)
