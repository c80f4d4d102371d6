"""How the part lies under the tube for each projection of the catalogue, and what positioning wrongly does to that."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.practice.bodies import arm, head, leg, trunk
from oakbeam.core.practice.positioning import Anatomy, Outline, Pose
from oakbeam.core.practice.solids import turn


@dataclass(frozen=True)
class Region:
    """A part of the body that can be computed: its outline and its inside; follows: how its bones follow its thickness."""

    outline: Outline
    anatomy: Anatomy
    follows: float = 0.35


REGIONS: Mapping[str, Region] = {
    "trunk": Region(trunk.outline, trunk.trunk),
    "shoulder": Region(arm.shoulder_outline, arm.shoulder),
    "neck": Region(head.outline, head.neck),
    "raised shoulder": Region(arm.raised_outline, arm.raised_shoulder),
    "hip": Region(trunk.hip_outline, trunk.hip),
    "swimmer": Region(head.swimmer_outline, head.swimmer),
    "head": Region(head.head_outline, head.whole_head, 1.0),
    "hand": Region(arm.hand_outline, arm.hand, 0.8),
    "elbow": Region(arm.elbow_outline, arm.elbow),
    "forearm": Region(arm.forearm_outline, arm.forearm),
    "knee": Region(leg.knee_outline, leg.knee),
    "lower leg": Region(leg.lower_leg_outline, leg.lower_leg),
    "foot": Region(leg.foot_outline, leg.foot, 0.6),
}


@dataclass(frozen=True, slots=True)
class Lie:
    """What is wrong with how the patient lies: turned too far [deg], off the middle [cm], joint bent otherwise [deg], tube
    angled otherwise [deg]; exposed after breathing out; shoulders not rolled forward; the upper end leant toward the tube
    [deg]; not level along its length [deg]; feet turned out [deg]."""

    turned_deg: float = 0.0
    off_cm: tuple[float, float] = (0.0, 0.0)
    bend_deg: float = 0.0
    angle_deg: float = 0.0
    breathed_out: bool = False
    shoulders_back: bool = False
    lean_deg: float = 0.0
    tilted_deg: float = 0.0
    legs_out_deg: float = 0.0


@dataclass(frozen=True)
class View:
    """A projection of a computed part. seen: from where, one of `SEEN`, then turned about the body's own length by
    turned_deg, leant by lean_deg and spun in the image by spun_deg; centre: the anatomical point under the central ray;
    angle_deg: the tube's, toward the head positive; bend_deg: of the joint; arms_up: out of the way of a view from the
    side; tilted_deg: about the way from back to front, as a thigh that lies flat tilts the knee's joint; frog: hips
    bent and thighs laid out."""

    region: str
    seen: str
    centre: tuple[float, float, float]
    turned_deg: float = 0.0
    angle_deg: float = 0.0
    bend_deg: float = 0.0
    lean_deg: float = 0.0
    arms_up: bool = False
    spun_deg: float = 0.0
    tilted_deg: float = 0.0
    frog: bool = False

    def pose(self, lie: Lie) -> Pose:
        """How it lies, with what is wrong about it."""
        how = turn("z", self.spun_deg) @ turn("x", self.lean_deg + lie.lean_deg) @ SEEN[self.seen]
        # Along its length means along the leg; what is seen from above is a foot, which rolls about its own.
        rolled, turned_deg = (lie.turned_deg, 0.0) if self.seen == "above" else (0.0, lie.turned_deg)
        how = how @ turn("z", self.tilted_deg + lie.tilted_deg + rolled) @ turn("y", self.turned_deg + turned_deg)
        beside = np.linalg.inv(how) @ np.array([*lie.off_cm, 0.0])
        x, y, z = np.asarray(self.centre) + beside
        return Pose(how, (float(x), float(y), float(z)), self.angle_deg + lie.angle_deg)


ARMPIT = math.radians(20)
SEEN: Mapping[str, Array] = {
    "front": np.eye(3),
    # Shown as from the front, as images are hung; the back is to the tube.
    "back": np.diag([1.0, 1.0, -1.0]),
    "left": turn("y", -90),
    # A leg that lies on its outer side.
    "medial": turn("y", 90),
    "above": turn("z", 180) @ turn("x", 90),
    "below": turn("x", -90),
    # From the other groin outward and up, square to the neck of the femur; what is in front is shown above.
    "groin": np.array([[1, -1, 0], [0, 0, math.sqrt(2)], [-1, -1, 0]]) / math.sqrt(2),
    # Into the armpit from beside the chest; what is in front is shown above.
    "armpit": np.array([[math.cos(ARMPIT), math.sin(ARMPIT), 0], [0, 0, 1], [math.sin(ARMPIT), -math.cos(ARMPIT), 0]]),
    # Along the thigh toward the bent knee, in front of it.
    "thigh": np.diag([1.0, -1.0, 1.0]) @ turn("x", 90),
}

KNEE, ANKLE = (0.0, 0.0, 0.0), (0.0, 0.3, 0.0)
VIEWS: Mapping[str, View] = {
    "finger-pa": View("hand", "front", (0.5, 13.5, 0.1)),
    "finger-oblique": View("hand", "front", (0.5, 13.5, 0.1), 45),
    "finger-lateral": View("hand", "front", (0.5, 13.5, 0.1), 90, bend_deg=30),
    "thumb-ap": View("hand", "front", (4.3, 6.6, -1.1), 110),
    "thumb-oblique": View("hand", "front", (4.3, 6.6, -1.1)),
    "thumb-lateral": View("hand", "front", (4.3, 6.6, -1.1), 40),
    "hand-pa": View("hand", "front", (0.3, 9.2, 0.1)),
    "hand-oblique": View("hand", "front", (0.3, 9.2, 0.1), 45),
    "hand-lateral": View("hand", "front", (0.3, 8.0, 0.1), 90, bend_deg=35),
    "wrist-pa": View("hand", "front", (0.2, 1.0, 0.0)),
    "wrist-oblique": View("hand", "front", (0.2, 1.0, 0.0), 45),
    "wrist-lateral": View("hand", "front", (0.2, 1.0, 0.0), 90),
    "wrist-scaphoid": View("hand", "front", (0.9, 1.0, 0.0), angle_deg=-15),
    "forearm-ap": View("forearm", "front", (0.1, -11.5, 0.0)),
    "forearm-lateral": View("forearm", "left", (0.1, 0.3, 11.5), bend_deg=90, spun_deg=90),
    "elbow-ap": View("elbow", "front", KNEE),
    "elbow-ap-partial-flexion": View("elbow", "front", (0, 1.0, 0), bend_deg=45),
    "elbow-oblique-external": View("elbow", "front", KNEE, -45),
    "elbow-oblique-internal": View("elbow", "front", KNEE, 45),
    "elbow-lateral": View("elbow", "left", KNEE, bend_deg=90),
    "humerus-ap": View("shoulder", "front", (18.6, 24.0, -1.5), bend_deg=30),
    "humerus-lateral": View("shoulder", "front", (18.6, 24.0, -1.5), bend_deg=-60),
    "shoulder-ap-external": View("shoulder", "front", (15.5, 36.0, -2.0), bend_deg=25),
    "shoulder-ap-internal": View("shoulder", "front", (15.5, 36.0, -2.0), bend_deg=-70),
    "shoulder-ap-neutral": View("shoulder", "front", (15.5, 36.0, -2.0), bend_deg=-20),
    "shoulder-grashey": View("shoulder", "front", (15.2, 36.8, -3.2), 40),
    "shoulder-scapular-y": View("shoulder", "back", (13.5, 35.0, -4.5), -48),
    "shoulder-axial": View("raised shoulder", "armpit", (15.6, 37.0, -2.2)),
    "shoulder-transthoracic-lateral": View("shoulder", "left", (17.0, 34.0, -2.0), bend_deg=-20, arms_up=True),
    "clavicle-ap": View("shoulder", "front", (8.5, 39.5, 3.0)),
    "clavicle-ap-axial": View("shoulder", "front", (8.5, 39.5, 3.0), angle_deg=20),
    "scapula-ap": View("shoulder", "front", (12.0, 33.5, -5.0)),
    "acj-ap": View("shoulder", "front", (15.0, 40.4, -1.5)),
    "toe-ap": View("foot", "above", (-0.8, -5.6, 15.5), bend_deg=68, angle_deg=-12),
    "toe-oblique": View("foot", "above", (-0.8, -5.6, 15.5), bend_deg=68, tilted_deg=35),
    "toe-lateral": View("foot", "medial", (-1.5, -5.7, 15.5)),
    "foot-ap": View("foot", "above", (0.2, -4.4, 7.6), bend_deg=68, angle_deg=-10),
    "foot-oblique": View("foot", "above", (0.2, -4.4, 7.6), bend_deg=68, tilted_deg=35),
    "foot-lateral": View("foot", "medial", (0.0, -4.2, 5.0)),
    "calcaneus-axial": View("foot", "front", (0.3, -3.8, -2.5), angle_deg=40, lean_deg=0),
    "calcaneus-lateral": View("foot", "medial", (0.2, -3.4, -2.4)),
    "ankle-ap": View("foot", "front", ANKLE),
    "ankle-mortise": View("foot", "front", ANKLE, -17),
    "ankle-oblique-45": View("foot", "front", ANKLE, -45),
    "ankle-lateral": View("foot", "medial", (0.0, -0.6, 0.2)),
    "tibfib-ap": View("lower leg", "front", (0.4, -19.0, -0.3)),
    "tibfib-lateral": View("lower leg", "medial", (0.4, -19.0, -0.3)),
    "knee-ap": View("knee", "front", KNEE),
    "knee-oblique-medial": View("knee", "front", KNEE, -45),
    "knee-oblique-lateral": View("knee", "front", KNEE, 45),
    "knee-lateral": View("knee", "medial", (0, 0.3, 0.4), bend_deg=25, angle_deg=6, tilted_deg=6),
    "knee-lateral-crosstable": View("knee", "medial", (0, 0.3, 0.4), bend_deg=5),
    "knee-ap-wb": View("knee", "front", KNEE),
    "knee-pa-flexion-wb": View("knee", "back", (0, 0.2, -0.5), bend_deg=45, lean_deg=0, angle_deg=-10),
    "knee-tunnel-holmblad": View("knee", "back", (0, 0.6, -1.5), bend_deg=70, lean_deg=70),
    "knee-tunnel-beclere": View("knee", "front", (0, 0.6, -1.5), bend_deg=60, lean_deg=-18, angle_deg=42),
    "knee-tunnel-camp-coventry": View("knee", "back", (0, 0.6, -1.5), bend_deg=45, angle_deg=-42),
    "patella-pa": View("knee", "back", (0.2, 3.2, 3.0)),
    "patella-tangential-inferosuperior": View("knee", "thigh", (0.1, 3.2, 3.0), bend_deg=45, lean_deg=20),
    "patella-tangential-settegast": View("knee", "thigh", (0.1, 3.2, 3.0), bend_deg=100, lean_deg=20),
    "patella-tangential-hughston": View("knee", "thigh", (0.1, 3.2, 3.0), bend_deg=55, lean_deg=20),
    "patella-lateral": View("knee", "medial", (0.2, 3.0, 3.4), bend_deg=8),
    "femur-ap-distal": View("knee", "front", (0.1, 15.0, 0.2)),
    "femur-ap-proximal": View("trunk", "front", (11.6, -24.0, 0.3)),
    "femur-lateral-distal": View("knee", "medial", (0.1, 13.0, 0.2), bend_deg=40),
    "pelvis-ap": View("trunk", "front", (0.0, -9.6, 0.0)),
    "pelvis-frog": View("trunk", "front", (0.0, -11.5, 0.0), frog=True),
    "hip-ap": View("trunk", "front", (9.8, -14.0, 0.3)),
    "hip-lateral-frog": View("trunk", "front", (9.8, -14.0, 0.3), 20, frog=True),
    "hip-lateral-crosstable": View("hip", "groin", (10.6, -14.2, 0.4)),
    "sij-ap-axial": View("trunk", "front", (0.0, -6.5, -5.5), angle_deg=32),
    "sij-oblique": View("trunk", "front", (5.5, -6.0, -5.5), 27),
    "sacrum-ap-axial": View("trunk", "front", (0.0, -8.0, -6.5), angle_deg=15),
    "sacrum-lateral": View("trunk", "left", (0.0, -8.0, -7.0), arms_up=True),
    "coccyx-ap-axial": View("trunk", "front", (0.0, -14.0, -7.5), angle_deg=-10),
    "coccyx-lateral": View("trunk", "left", (0.0, -13.5, -7.8), arms_up=True),
    "cspine-ap-axial": View("neck", "front", (0.0, 47.0, -1.5), angle_deg=17),
    "cspine-lateral": View("neck", "left", (0.0, 47.9, -2.0)),
    "cspine-lateral-crosstable": View("neck", "left", (0.0, 47.9, -2.0)),
    "cspine-odontoid": View("neck", "front", (0.0, 52.4, -1.8), bend_deg=34),
    "swimmers-upright": View("swimmer", "left", (0.0, 43.0, -3.2)),
    "swimmers-crosstable": View("swimmer", "left", (0.0, 43.0, -3.2)),
    "cspine-oblique": View("neck", "back", (0.0, 47.5, -2.0), 45, angle_deg=-16),
    "tspine-ap": View("trunk", "front", (0.0, 29.0, 0.0)),
    "tspine-pa": View("trunk", "back", (0.0, 29.0, 0.0)),
    "tspine-lateral": View("trunk", "left", (0.0, 28.5, -4.5), arms_up=True),
    "tspine-lateral-crosstable": View("trunk", "left", (0.0, 28.5, -4.5), arms_up=True),
    "lspine-ap": View("trunk", "front", (0.0, 2.6, 0.0)),
    "lspine-oblique": View("trunk", "front", (1.5, 4.5, -2.0), 45),
    "lspine-lateral": View("trunk", "left", (0.0, 2.6, -4.0), arms_up=True),
    "lspine-l5s1": View("trunk", "left", (0.0, -3.6, -4.8), arms_up=True),
    "lspine-l5s1-ap": View("trunk", "front", (0.0, -3.6, -3.0), angle_deg=32),
    "lspine-lateral-crosstable": View("trunk", "left", (0.0, 2.6, -4.0), arms_up=True),
    "chest-pa": View("trunk", "back", (0.0, 27.0, 0.0)),
    "chest-lateral": View("trunk", "left", (0.0, 27.0, 0.0), arms_up=True),
    "chest-ap-stretcher": View("trunk", "front", (0.0, 28.0, 0.0), angle_deg=-4),
    "chest-ap-mobile": View("trunk", "front", (0.0, 28.0, 0.0), angle_deg=-4),
    "chest-lateral-stretcher": View("trunk", "left", (0.0, 27.0, 0.0), arms_up=True),
    "chest-decubitus": View("trunk", "front", (0.0, 27.0, 0.0)),
    "chest-lordotic": View("trunk", "front", (0.0, 30.0, 0.0), lean_deg=-30),
    "ribs-upper-ap": View("trunk", "front", (0.0, 30.0, 0.0)),
    "ribs-lower-ap": View("trunk", "front", (0.0, 19.0, 0.0)),
    "ribs-oblique": View("trunk", "front", (5.0, 28.0, 0.0), 45),
    "ribs-oblique-lower": View("trunk", "front", (5.0, 19.0, 0.0), 45),
    "sternum-rao": View("trunk", "back", (1.5, 29.0, 7.0), -17),
    "sternum-lpo": View("trunk", "front", (1.5, 29.0, 7.0), 17),
    "sternum-lateral": View("trunk", "left", (0.0, 29.5, 7.0), arms_up=True),
    "abdomen-supine": View("trunk", "front", (0.0, 0.0, 0.0)),
    "abdomen-upright": View("trunk", "front", (0.0, 5.0, 0.0)),
    "abdomen-decubitus": View("trunk", "front", (0.0, 5.0, 0.0)),
    "skull-pa-axial": View("head", "back", (0.0, 60.5, 0.0), angle_deg=-15),
    "skull-ap-axial": View("head", "front", (0.0, 60.5, 0.0), angle_deg=-30),
    "skull-lateral": View("head", "left", (0.0, 60.8, 0.0)),
    "sinus-waters": View("head", "back", (0.0, 57.5, 4.0), lean_deg=37),
    "sinus-caldwell": View("head", "back", (0.0, 59.0, 4.0), angle_deg=-15),
    "sinus-lateral": View("head", "left", (0.0, 58.0, 5.0)),
    "face-waters": View("head", "back", (0.0, 57.5, 4.0), lean_deg=37),
    "face-caldwell": View("head", "back", (0.0, 58.5, 4.0), angle_deg=-15),
    "nasal-lateral": View("head", "left", (0.0, 58.9, 9.4)),
    "face-lateral": View("head", "left", (0.0, 56.5, 4.0)),
    "scoliosis-pa": View("trunk", "back", (0.0, 20.0, 0.0)),
    "scoliosis-lateral": View("trunk", "left", (0.0, 20.0, -3.0), arms_up=True),
    "peds-chest-pa-child": View("trunk", "back", (0.0, 27.0, 0.0)),
    "peds-chest-lateral": View("trunk", "left", (0.0, 27.0, 0.0), arms_up=True),
    "peds-chest-ap-infant": View("trunk", "front", (0.0, 27.0, 0.0)),
    "peds-chest-ap-neonate": View("trunk", "front", (0.0, 27.0, 0.0)),
    "peds-abdomen-supine": View("trunk", "front", (0.0, 0.0, 0.0)),
    "peds-abdomen-upright": View("trunk", "front", (0.0, 5.0, 0.0)),
}
"""What cannot be computed yet, for want of a second leg beside the first, is not offered: both kneecaps at once, whole
legs."""


ONE_SIDED = {"hand", "forearm", "elbow", "shoulder", "raised shoulder", "hip", "knee", "lower leg", "foot"}
ONE_SIDED_VIEWS = {"hip-ap", "hip-lateral-frog", "femur-ap-proximal"}


def one_sided(projection_id: str) -> bool:
    """Whether a view is of one side, and its image that of the other side as in a mirror."""
    return VIEWS[projection_id].region in ONE_SIDED or projection_id in ONE_SIDED_VIEWS


def beside_the_middle(projection_id: str) -> bool:
    """Whether a view is of the left side of a trunk, by where its central ray goes."""
    return VIEWS[projection_id].centre[0] > BESIDE_CM


BESIDE_CM = 3.0
