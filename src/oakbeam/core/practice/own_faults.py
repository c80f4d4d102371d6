"""What a projection's own faults do to a computed body: which way it is turned, bent, leant, angled or centred too far.

Keyed by the fault's words as the catalogue has them. What is not here cannot be pictured by a computed body alone, and is
not: no picture is better than one of something else. Turned: positive turns the left side, or a limb's outer side, away
from the tube; on a hand it raises the thumb's side.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.practice.views import Lie

Exposure = Literal["noise", "burned"]


@dataclass(frozen=True, slots=True)
class Centred:
    """Centred beside by so much of the field's width and height, to the right of the image and up it."""

    right: float = 0.0
    up: float = 0.0


Cause = Lie | Centred | Exposure


def turned(deg: float) -> Lie:
    """Turned too far about the body's length."""
    return Lie(turned_deg=deg)


def bent(deg: float) -> Lie:
    """The joint bent too far."""
    return Lie(bend_deg=deg)


def angled(deg: float) -> Lie:
    """The tube too far toward the head."""
    return Lie(angle_deg=deg)


def leant(deg: float) -> Lie:
    """The upper end too far toward the tube."""
    return Lie(lean_deg=deg)


def tilted(deg: float) -> Lie:
    """Not level along its length."""
    return Lie(tilted_deg=deg)


LEGS_OUT = Lie(legs_out_deg=35)
HEEL_HIGH, HEEL_LOW, LEG_NOT_LEVEL = turned(12), turned(-12), tilted(9)
ROOFS_APART, JAWS_APART = tilted(8), turned(9)
OWN: Mapping[str, Mapping[str, Cause]] = {
    "finger-pa": {"One side hollower": turned(22), "Joints closed, bones short": bent(40)},
    "finger-oblique": {"Condyles almost as one": turned(28)},
    "finger-lateral": {"Two lines of condyles": turned(-22)},
    "thumb-ap": {"Hollower on the palm's side": turned(-25)},
    "thumb-lateral": {"Nail seen from above": turned(-22), "Nail past edge-on": turned(22)},
    "hand-pa": {"Heads of metacarpals 3 to 5 overlap": turned(32), "Joints closed": bent(40)},
    "hand-oblique": {
        "Shafts 3 to 5 overlap": turned(20),
        "Gaps as even as in the PA": turned(-28),
        "Joints closed": bent(40),
    },
    "hand-lateral": {
        "Second metacarpal toward the palm": turned(-20),
        "Second metacarpal toward the back": turned(20),
        "Fingers overlap": bent(-35),
    },
    "wrist-oblique": {"Metacarpals 3 to 5 heaped": turned(25)},
    "wrist-lateral": {
        "Radius and scaphoid toward the palm": turned(-20),
        "Radius and scaphoid toward the back": turned(20),
    },
    "wrist-scaphoid": {"Stretched, radius over its upper end": angled(-18), "Still short": angled(15)},
    "forearm-ap": {"Radial head free of the ulna": turned(-22)},
    "forearm-lateral": {"Epicondyles apart": turned(16)},
    "elbow-ap": {"Radial head free": turned(-25), "Half of it or more covered": turned(25), "Joint closed": bent(30)},
    "elbow-oblique-external": {"Ulna over the radial head": turned(25)},
    "elbow-oblique-internal": {
        "Coronoid still over the ulna": turned(-25),
        "Medial epicondyle lost": turned(20),
    },
    "elbow-lateral": {"Fat pads hidden": bent(-35)},
    "humerus-ap": {"Greater tubercle not in profile": bent(-60)},
    "humerus-lateral": {"Epicondyles apart": bent(35)},
    "shoulder-ap-external": {"Tubercle over the head": bent(-70), "Clavicle short": turned(20)},
    "shoulder-ap-internal": {"Lesser tubercle not in profile": bent(60), "More of the glenoid covered": turned(-20)},
    "shoulder-grashey": {"Closed, clavicle long": turned(-22)},
    "shoulder-axial": {"Joint closed": leant(18)},
    "clavicle-ap": {"Lateral end black": "burned", "Medial end over the spine": turned(-16)},
    "clavicle-ap-axial": {"Bowed, far above the first rib": angled(15)},
    "toe-ap": {"Joints closed": angled(14), "One side hollower": tilted(24)},
    "toe-oblique": {"Like the AP": tilted(-30)},
    "toe-lateral": {"Two lines of condyles": turned(22)},
    "foot-ap": {"Lateral bases free, as in the oblique": tilted(24), "Tarsal joints closed": angled(14)},
    "foot-oblique": {"Joints of the cuboid closed": tilted(-24), "Shafts 4 and 5 overlap": tilted(24)},
    "foot-lateral": {
        "Fibula too far back": HEEL_HIGH,
        "Fibula too far forward": HEEL_LOW,
        "Domes apart up and down": LEG_NOT_LEVEL,
    },
    "calcaneus-axial": {"Heel short, joint closed": angled(-16)},
    "calcaneus-lateral": {"Fibula too far back": HEEL_HIGH, "Domes apart up and down": LEG_NOT_LEVEL},
    "ankle-mortise": {"Lateral space closed": turned(17), "Medial space closed, lateral open": turned(-18)},
    "ankle-oblique-45": {"That joint closed": turned(22)},
    "ankle-lateral": {
        "Fibula too far back": HEEL_HIGH,
        "Fibula too far forward": HEEL_LOW,
        "Domes apart up and down": LEG_NOT_LEVEL,
    },
    "tibfib-ap": {"Fibular head free": turned(-18), "Ankle end black": "burned"},
    "tibfib-lateral": {"Fibula's shaft mostly under the tibia": turned(-14), "Fibular head free": turned(14)},
    "knee-ap": {"Fibular head free": turned(-18)},
    "knee-oblique-medial": {"Fibula still under the tibia": turned(25), "Joint closed": angled(-12)},
    "knee-oblique-lateral": {"Fibula at the edge of the tibia": turned(-25), "Joint closed": angled(-12)},
    "knee-lateral": {
        "Medial condyle in front, fibular head free": turned(12),
        "Medial condyle behind, fibula hidden": turned(-12),
    },
    "knee-lateral-crosstable": {"Condyles apart": angled(12)},
    "knee-ap-wb": {"One fibula free": turned(-18)},
    "knee-pa-flexion-wb": {"Plateau as an oval": angled(16)},
    "knee-tunnel-holmblad": {
        # The lower leg stays on the table: it is the thigh that stands otherwise.
        "Patella in the notch": Lie(bend_deg=20, lean_deg=20),
        "Notch shallow": Lie(bend_deg=-28, lean_deg=-28),
        "Notch lopsided": turned(14),
    },
    "knee-tunnel-beclere": {"Plateau closed": angled(-14), "Tibia over the notch": bent(16)},
    "knee-tunnel-camp-coventry": {"Plateau closed": angled(14), "Notch lopsided": turned(14)},
    "patella-tangential-inferosuperior": {"Patella on the femur": leant(-10), "Tilted sideways": turned(14)},
    "patella-tangential-settegast": {"Leg leans sideways": turned(14)},
    "patella-tangential-hughston": {"Patella on the femur": leant(-10), "Groove lopsided": turned(14)},
    "patella-lateral": {"Medial condyle in front": turned(12), "Joint tight": bent(22)},
    "femur-ap-distal": {"Patella to the lateral side": turned(14)},
    "femur-ap-proximal": {"Lesser trochanter large": LEGS_OUT, "Hip end too light": "noise"},
    "femur-lateral-distal": {"Medial condyle in front": turned(12)},
    "pelvis-ap": {"Lesser trochanters large": LEGS_OUT},
    "hip-ap": {"Neck short, lesser trochanter large": LEGS_OUT, "Obturator hole narrow": turned(16)},
    "hip-lateral-frog": {"Pelvis tilted": turned(-18)},
    "hip-lateral-crosstable": {"Neck short": turned(20)},
    "sij-ap-axial": {"Symphysis over the sacrum": angled(14)},
    "sij-oblique": {"Wing nearly edge-on": turned(14)},
    "sacrum-ap-axial": {"Symphysis right of the spine": turned(-12)},
    "sacrum-lateral": {"Larger femoral head in front": turned(-12), "L5–S1 closed": tilted(9)},
    "coccyx-ap-axial": {"Symphysis to one side": turned(-12)},
    "coccyx-lateral": {
        "Tip cut or black": Centred(right=-0.42),
        "Heads apart": turned(-12),
        "Joint with the sacrum closed": tilted(9),
    },
    "cspine-ap-axial": {"Discs closed": angled(-17)},
    "cspine-lateral": {"Back edges doubled": turned(12)},
    "cspine-lateral-crosstable": {"Edges doubled": turned(12), "Cut at the front or back": Centred(right=0.36)},
    "cspine-odontoid": {"Gaps beside the dens unequal": turned(10)},
    "swimmers-upright": {"Too light": "noise"},
    "swimmers-crosstable": {"Low or back part cut": Centred(right=-0.3, up=0.3)},
    "cspine-oblique": {"Discs closed": angled(32)},
    "tspine-ap": {"Discs closed": leant(10)},
    "tspine-lateral": {
        "Ribs of the upper side further back": turned(14),
        "Lower discs closed": tilted(9),
        "Too light, stopped early": "noise",
    },
    "tspine-lateral-crosstable": {"Spinous processes cut": Centred(right=-0.36), "End plates doubled": angled(9)},
    "lspine-ap": {"Discs closed": leant(12)},
    "lspine-oblique": {"Light at L5": "noise"},
    "lspine-lateral": {
        "Discs closed": tilted(9),
        "Back edges doubled": turned(12),
        "Spinous processes cut": Centred(right=-0.36),
    },
    "lspine-l5s1": {"Disc closed, crests apart": tilted(9), "Too light": "noise"},
    "lspine-l5s1-ap": {"Symphysis over the disc": angled(14)},
    "lspine-lateral-crosstable": {"Back of the spine cut": Centred(right=-0.36), "Too light": "noise"},
    "chest-pa": {"Tops short, ribs flat": leant(16)},
    "chest-lateral": {"Ribs further apart, the larger ones behind": turned(12)},
    "chest-ap-stretcher": {"Clavicles above the tops, ribs flat": leant(-16)},
    "chest-ap-mobile": {"Tops short, ribs flat": leant(-16)},
    "chest-lateral-stretcher": {"Back cut": Centred(right=-0.36), "Ribs far apart": turned(12)},
    "chest-lordotic": {"One end of a clavicle further off": turned(14)},
    "ribs-upper-ap": {"Lost in dark lung": "burned"},
    "ribs-oblique": {"Bend at the armpit still folded": turned(-32)},
    "ribs-oblique-lower": {"Bend in the flank still folded": turned(-32)},
    "sternum-lateral": {"Ribs across": turned(12), "Stopped early, too light": "noise"},
    "abdomen-upright": {"Lower part too light": "noise"},
    "skull-pa-axial": {
        "Ridges high in the orbits": angled(11),
        "Ridges below the orbits": angled(-11),
        "One gap wider": turned(11),
    },
    "skull-ap-axial": {
        "Dorsum above the foramen": angled(10),
        "Arch of C1 in the foramen": angled(-10),
        "Sides unequal": turned(11),
    },
    "skull-lateral": {
        "Roofs one above the other": ROOFS_APART,
        "Jaws one before the other": JAWS_APART,
        "Forehead or back cut": Centred(right=0.3),
    },
    "sinus-waters": {"Ridges over the sinuses": leant(-14), "Ridges far below, sinuses short": leant(14)},
    "sinus-caldwell": {"Ridges too high": angled(11), "Ridges too low": angled(-11), "One side wider": turned(11)},
    "sinus-lateral": {"Roofs apart": ROOFS_APART, "Jaws one before the other": JAWS_APART},
    "face-waters": {"Ridges over the maxilla": leant(-14), "One orbit wider": turned(11)},
    "face-caldwell": {"Ridges high in the orbits": angled(11), "One side wider": turned(11)},
    "nasal-lateral": {"Two edges": turned(12)},
    "face-lateral": {"Roofs apart": ROOFS_APART, "Jaws one before the other": JAWS_APART},
    "scoliosis-lateral": {"Femoral heads apart": turned(-12), "L5 white": "noise"},
    "peds-chest-lateral": {"Ribs apart": turned(12)},
    "peds-chest-ap-infant": {"Rotated": turned(14)},
    "peds-chest-ap-neonate": {"Clavicles high, ribs flat": leant(-16), "Rib lengths unequal": turned(14)},
}
