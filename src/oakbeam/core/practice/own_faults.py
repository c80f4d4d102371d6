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

Kind = Literal["noise", "burned", "flat", "motion", "grid", "breath", "scapulae"]
"""What is got wrong otherwise than by how the part lies: by exposure, grid, motion or breath."""


@dataclass(frozen=True, slots=True)
class Centred:
    """Centred beside by so much of the field's width and height, to the right of the image and up it."""

    right: float = 0.0
    up: float = 0.0


Cause = Lie | Centred | Kind


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
    "finger-oblique": {"Looks like the PA": turned(-16), "Condyles almost as one": turned(28)},
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
    "wrist-oblique": {"Bases as separate as in the PA": turned(-16), "Metacarpals 3 to 5 heaped": turned(25)},
    "wrist-lateral": {"Radius and scaphoid toward the palm": turned(-20), "Radius and scaphoid toward the back": turned(20)},
    "wrist-scaphoid": {"Still short": angled(15), "Stretched, radius over its upper end": angled(-18)},
    "forearm-ap": {"Radial head free of the ulna": turned(-22)},
    "forearm-lateral": {"Epicondyles apart": turned(16)},
    "elbow-ap": {"Radial head free": turned(-25), "Half of it or more covered": turned(25), "Joint closed": bent(30)},
    "elbow-oblique-external": {"Ulna over the radial head": turned(25), "Tuberosity turned away": turned(-16)},
    "elbow-oblique-internal": {"Coronoid still over the ulna": turned(-25), "Medial epicondyle lost": turned(20)},
    "elbow-lateral": {"Fat pads hidden": bent(-35)},
    "humerus-ap": {"Greater tubercle not in profile": bent(-60)},
    "humerus-lateral": {"Epicondyles apart": bent(35)},
    "shoulder-ap-external": {"Tubercle over the head": bent(-70), "Clavicle short": turned(20)},
    "shoulder-ap-internal": {"Lesser tubercle not in profile": bent(60), "More of the glenoid covered": turned(-20)},
    "shoulder-grashey": {"Closed, clavicle very short": turned(16), "Closed, clavicle long": turned(-22)},
    "shoulder-scapular-y": {
        "Thin medial border toward the ribs": turned(16),
        "Thick lateral border toward the ribs": turned(-16),
    },
    "shoulder-axial": {"Joint closed": leant(18)},
    "clavicle-ap": {"Medial end over the spine": turned(-16), "Lateral end black": "burned"},
    "clavicle-ap-axial": {"Still on the ribs": angled(-14), "Bowed, far above the first rib": angled(15)},
    "scapula-ap": {"Blade blurred with the ribs": "motion"},
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
    "ankle-ap": {"Lateral space open too": turned(-16), "Fibula largely covered": turned(16)},
    "ankle-mortise": {"Lateral space closed": turned(17), "Medial space closed, lateral open": turned(-18)},
    "ankle-oblique-45": {"That joint closed": turned(22)},
    "ankle-lateral": {
        "Fibula too far back": HEEL_HIGH,
        "Fibula too far forward": HEEL_LOW,
        "Domes apart up and down": LEG_NOT_LEVEL,
    },
    "tibfib-ap": {"Fibular head free": turned(-18), "Ankle end black": "burned"},
    "tibfib-lateral": {"Fibula's shaft mostly under the tibia": turned(-14), "Fibular head free": turned(14)},
    "knee-ap": {
        "Fibular head free": turned(-18),
        "Front rim above the back one": angled(14),
        "Flat and grey over 12 cm": "flat",
    },
    "knee-oblique-medial": {"Fibula still under the tibia": turned(25), "Joint closed": angled(-12)},
    "knee-oblique-lateral": {"Fibula at the edge of the tibia": turned(-25), "Joint closed": angled(-12)},
    "knee-lateral": {
        "Medial condyle lower": angled(-14),
        "Medial condyle in front, fibular head free": turned(12),
        "Medial condyle behind, fibula hidden": turned(-12),
    },
    "knee-lateral-crosstable": {"Pouch cut off": Centred(up=-0.36), "Condyles apart": angled(12)},
    "knee-ap-wb": {"One fibula free": turned(-18), "Both too light": "noise"},
    "knee-pa-flexion-wb": {"Plateau as an oval": angled(16)},
    # The lower leg stays on the table: it is the thigh that stands otherwise.
    "knee-tunnel-holmblad": {
        "Patella in the notch": Lie(bend_deg=20, lean_deg=20),
        "Notch shallow": Lie(bend_deg=-28, lean_deg=-28),
        "Notch lopsided": turned(14),
    },
    "knee-tunnel-camp-coventry": {"Plateau closed": angled(14), "Notch lopsided": turned(14)},
    "knee-tunnel-beclere": {"Plateau closed": angled(-14), "Tibia over the notch": bent(16), "Unsharp": "motion"},
    "patella-lateral": {"Medial condyle in front": turned(12), "Joint tight": bent(22)},
    "patella-tangential-inferosuperior": {"Patella on the femur": leant(-10), "Tilted sideways": turned(14)},
    "patella-tangential-settegast": {"Leg leans sideways": turned(14)},
    "patella-tangential-hughston": {"Patella on the femur": leant(-10), "Groove lopsided": turned(14)},
    "femur-ap-distal": {"Patella to the lateral side": turned(14), "Knee missing": Centred(up=0.36)},
    "femur-ap-proximal": {"Lesser trochanter large": LEGS_OUT, "Hip end too light": "noise"},
    "femur-lateral-distal": {"Medial condyle in front": turned(12)},
    "pelvis-ap": {"One wing wider, its hole narrower": turned(-16), "Lesser trochanters large": LEGS_OUT},
    "hip-ap": {"Neck short, lesser trochanter large": LEGS_OUT, "Obturator hole narrow": turned(16)},
    "hip-lateral-frog": {"Pelvis tilted": turned(-18)},
    "hip-lateral-crosstable": {"Neck short": turned(20), "One side lost": "grid"},
    "sij-ap-axial": {
        "Sacrum short, L5–S1 closed": angled(-14),
        "Symphysis over the sacrum": angled(14),
        "One side wider": turned(-16),
    },
    "sij-oblique": {"Raised wing still broad, joint double": turned(-16), "Wing nearly edge-on": turned(14)},
    "sacrum-ap-axial": {"Symphysis right of the spine": turned(-12), "Sacrum short": angled(-14)},
    "sacrum-lateral": {"Larger femoral head in front": turned(-12), "L5–S1 closed": tilted(9)},
    "coccyx-ap-axial": {"Symphysis over the coccyx": angled(14), "Symphysis to one side": turned(-12)},
    "coccyx-lateral": {
        "Tip cut or black": Centred(right=-0.42),
        "Heads apart": turned(-12),
        "Joint with the sacrum closed": tilted(9),
    },
    "cspine-ap-axial": {"Discs closed": angled(-17), "Spinous processes off to the right": turned(16)},
    "cspine-odontoid": {"Gaps beside the dens unequal": turned(10)},
    "cspine-lateral": {"Back edges doubled": turned(12)},
    "cspine-oblique": {
        "Foramina narrow, joints opening": turned(16),
        "Foramina narrow, body as from the front": turned(-16),
        "Discs closed": angled(32),
    },
    "cspine-lateral-crosstable": {"Edges doubled": turned(12), "Cut at the front or back": Centred(right=0.36)},
    "swimmers-upright": {"Too light": "noise"},
    "swimmers-crosstable": {"Low or back part cut": Centred(right=-0.3, up=0.3)},
    "tspine-ap": {"Spinous processes nearer the right pedicles": turned(16), "Discs closed": leant(10)},
    "tspine-pa": {"Spinous processes nearer the left pedicles": turned(-16)},
    "tspine-lateral": {
        "Lower discs closed": tilted(9),
        "Ribs of the upper side further back": turned(14),
        "Too light, stopped early": "noise",
    },
    "tspine-lateral-crosstable": {
        "Spinous processes cut": Centred(right=-0.36),
        "End plates doubled": angled(9),
        "Noise": "noise",
    },
    "lspine-ap": {
        "Discs closed": leant(12),
        "Spinous processes nearer the right pedicles": turned(16),
        "Flat contrast": "flat",
    },
    "lspine-oblique": {
        "Pedicle near the front edge of the body": turned(-16),
        "Pedicle near the back edge": turned(16),
        "Light at L5": "noise",
    },
    "lspine-lateral": {
        "Discs closed": tilted(9),
        "Back edges doubled": turned(12),
        "Spinous processes cut": Centred(right=-0.36),
        "Noise at L5 and S1": "noise",
    },
    "lspine-l5s1": {"Disc closed, crests apart": tilted(9), "Too light": "noise"},
    "lspine-l5s1-ap": {
        "Disc closed, sacrum short": angled(-14),
        "Symphysis over the disc": angled(14),
        "One SI joint wider": turned(-16),
    },
    "lspine-lateral-crosstable": {"Back of the spine cut": Centred(right=-0.36), "Too light": "noise"},
    "scoliosis-pa": {"Crests cut": Centred(up=0.36)},
    "scoliosis-lateral": {"Femoral heads apart": turned(-12), "L5 white": "noise"},
    "chest-pa": {
        "Shoulder blades in the lung": "scapulae",
        "Gap wider on the right": turned(-16),
        "Tops short, ribs flat": leant(16),
        "Fewer than nine ribs": "breath",
    },
    "chest-lateral": {"Ribs further apart, the larger ones behind": turned(12), "Angles cut": Centred(up=0.36)},
    "chest-lordotic": {
        "Clavicles over the tops": angled(-14),
        "Shoulder blades in the lung": "scapulae",
        "One end of a clavicle further off": turned(14),
    },
    "chest-ap-stretcher": {
        "Clavicles above the tops, ribs flat": leant(-16),
        "Clavicles steep, tops long": angled(-14),
        "Angles cut": Centred(up=0.36),
    },
    "chest-lateral-stretcher": {"Back cut": Centred(right=-0.36), "Ribs far apart": turned(12)},
    "chest-ap-mobile": {
        "One whole side lighter": "grid",
        "Tops short, ribs flat": leant(-16),
        "Ventilated, small lung": "breath",
    },
    "chest-decubitus": {"Rolled": turned(-16)},
    "ribs-upper-ap": {"Ribs 8 and 9 under the dome": "breath", "Lost in dark lung": "burned"},
    "ribs-lower-ap": {"All too light": "noise"},
    "ribs-oblique": {"Bend at the armpit still folded": turned(-32), "Lowest of them white under the dome": "breath"},
    "ribs-oblique-lower": {"Bend in the flank still folded": turned(-32)},
    "sternum-rao": {"Edge over the spine": turned(16), "Far out, narrow": turned(-16)},
    "sternum-lpo": {"Edge over the spine": turned(-16), "Far out, narrow": turned(16), "Blurred and large": "motion"},
    "sternum-lateral": {"Ribs across": turned(12), "Stopped early, too light": "noise"},
    "abdomen-supine": {"Symphysis cut": Centred(up=0.36), "Right wing wider": turned(-16), "Psoas lost, noisy": "noise"},
    "abdomen-upright": {"Domes cut": Centred(up=-0.36), "Lower part too light": "noise"},
    "abdomen-decubitus": {"Rolled": turned(-16)},
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
    "face-lateral": {"Roofs apart": ROOFS_APART, "Jaws one before the other": JAWS_APART},
    "nasal-lateral": {"Burned out": "burned", "Two edges": turned(12)},
    "peds-chest-ap-neonate": {"Clavicles high, ribs flat": leant(-16), "Rib lengths unequal": turned(14)},
    "peds-chest-ap-infant": {"Taken breathing out": "breath", "Rotated": turned(14)},
    "peds-chest-pa-child": {"Gap wider on the right": turned(-16), "Six ribs": "breath", "Noise or grid lines": "noise"},
    "peds-chest-lateral": {"Ribs apart": turned(12)},
    "peds-abdomen-supine": {"Blurred": "motion", "Pelvis rotated": turned(-16), "Flat from 15 cm on": "flat"},
    "peds-abdomen-upright": {"Domes cut": Centred(up=-0.36)},
}
