"""The trunk: spine, ribs, sternum, shoulder girdle, lungs, heart, belly, pelvis and hips of an average adult, then sized.

y is 0 at the iliac crests (between L4 and L5); the middle of the trunk lies about z = 0. After anatomy as taught; the
figures are estimates of ours, chosen so that outlines and bones agree with the body description of `core.anatomy`.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np

from oakbeam.core.practice.bodies.frame import Build, bent_rod, growth_plate, joined, mirrored, shaft, skin
from oakbeam.core.practice.computed_body import Tissue, bone
from oakbeam.core.practice.solids import Solid, ball, box, chain, rod, turn

# name: height in the body, depth of its middle, width, depth and height of the vertebral body
VERTEBRAE = {
    "L5": (-1.9, -4.3, 5.2, 3.5, 2.8),
    "L4": (1.9, -3.6, 5.0, 3.5, 2.8),
    "L3": (5.6, -3.4, 4.8, 3.4, 2.8),
    "L2": (9.2, -3.7, 4.5, 3.3, 2.7),
    "L1": (12.7, -4.3, 4.3, 3.2, 2.6),
    "T12": (15.9, -4.9, 4.1, 3.1, 2.5),
    "T11": (18.8, -5.4, 3.8, 3.0, 2.3),
    "T10": (21.5, -5.8, 3.5, 3.0, 2.2),
    "T9": (24.1, -6.1, 3.3, 2.9, 2.1),
    "T8": (26.6, -6.3, 3.2, 2.8, 2.1),
    "T7": (29.0, -6.4, 3.1, 2.7, 2.0),
    "T6": (31.3, -6.4, 3.0, 2.6, 1.9),
    "T5": (33.5, -6.2, 2.9, 2.4, 1.9),
    "T4": (35.6, -5.9, 2.8, 2.3, 1.8),
    "T3": (37.6, -5.4, 2.8, 2.1, 1.8),
    "T2": (39.5, -4.8, 2.9, 1.9, 1.7),
    "T1": (41.3, -4.1, 3.0, 1.8, 1.6),
}
RIB_WIDTH = (4.6, 7.3, 9.2, 10.6, 11.6, 12.3, 12.8, 13.0, 12.8, 12.1, 10.4, 8.0)
RIB_DEPTH = (3.6, 5.4, 6.6, 7.5, 8.2, 8.7, 9.0, 9.0, 8.7, 8.1, 6.8, 4.8)
RIB_END_DEG = (158, 158, 156, 152, 148, 143, 136, 127, 117, 104, 74, 44)
RIB_DROP = (4.2, 5.6, 7.0, 8.2, 9.2, 9.8, 10.2, 10.2, 9.6, 8.4, 5.5, 3.0)
HIP = np.array([9.0, -13.0, 0.6])
FROG = turn("z", 45) @ turn("x", -45)
"""How a left thigh lies whose hip is bent and that is laid out to its side."""


def trunk(build: Build) -> list[Tissue]:
    """The trunk of a build, from the neck to the middle of the thighs; the outline first."""
    f = build.flesh
    found = [
        *chest_inside(build),
        *belly(build),
        *spine(build),
        *ribs(build),
        *shoulder_girdle(build),
        *pelvis(build),
    ]
    return [skin(outline(build), FAT_LAYER_CM * f**2), *found]


def _thigh(side: int, build: Build) -> Solid:
    f = build.flesh
    end = HIP + 30 * FROG @ np.array([0, -1.0, 0]) if build.frog else np.array([8.8, -42, 0])
    return rod((side * 9.4, -12, 0), end * (side, 1, 1), 9.4 * f, 7.6 * f, 0.9, (0, 0, 1))


def hip_outline(build: Build) -> list[Solid]:
    """The skin with the right leg raised out of the way."""
    return outline(build, legs=(1,))


def hip(build: Build) -> list[Tissue]:
    """The lower trunk and the left leg, the right one raised out of the way."""
    left = [*belly(build), *spine(build), *(one for one in pelvis(build) if one.name != "femur shaft")]
    return [skin(hip_outline(build), FAT_LAYER_CM * build.flesh**2), *left, *_left_shaft(build)]


def _left_shaft(build: Build) -> list[Tissue]:
    return [one for one in _as_the_leg_lies(femur_top(build), build) if one.name == "femur shaft"]


FAT_LAYER_CM, FLAT, SEAM_CM = 1.1, 0.69, 0.02


def outline(build: Build, legs: Sequence[int] = (-1, 1)) -> list[Solid]:
    """The skin of the trunk, arms away from it. legs: those that are not raised out of the way."""
    f = build.flesh
    hips = 1.04 if build.sex == "female" else 1.0
    # height, half width; as deep as FLAT of that everywhere, so that no seam shows
    stations = (
        (-26, 11.5 * hips),
        (-19, 15.6 * hips),
        (-10, 15.9 * hips),
        (-2, 15.3 * hips),
        (6, 14.8),
        (18, 14.8),
        (28, 15.2),
        (35, 14.2),
        (42.5, 9.6),
    )
    found = []
    for (low, wide), (high, wide_high) in itertools.pairwise(stations):
        slope = (wide_high - wide) / (high - low)
        more = SEAM_CM * slope
        found.append(
            rod(
                (0, low - SEAM_CM, 0.2), (0, high + SEAM_CM, 0.2), (wide - more) * f, (wide_high + more) * f, FLAT, (0, 0, 1)
            )
        )
    for side in (-1, 1):
        found += [
            ball((side * 10.6 * f, 27, -1.5), (4.6 * f, 15, 8.4 * f)),
            ball((side * 6.4 * f, 29, 0.2), (7.6 * f, 13, 11.2 * f)),
            *([] if build.arms_up else [ball((side * 14.4 * f, 38.5, -1.5), (5.6 * f, 6.4, 5.8 * f))]),
            ball((side * 10.6 * f, -13, -0.2), (7.4 * f, 12, 9.2 * f)),
            *([_thigh(side, build)] if side in legs else []),
        ]
    return [
        *found,
        ball((0, 41.5, -1.2), ((9.0 if build.arms_up else 15.0) * f, 4.4, 6.4 * f)),
        rod((0, 41, -1.8), (0, 58, -0.6), 6.2 * f, 5.9 * f, 1.02, (0, 0, 1)),
    ]


def vertebra(name: str, build: Build, scale: float = 1.0) -> list[Tissue]:
    """A vertebra: body, and arch with its processes."""
    y, z, width, depth, height = (*VERTEBRAE[name][:2], *(scale * one for one in VERTEBRAE[name][2:]))
    thin = build.bone_share
    thoracic = name[0] == "T"
    half, waist = height / 2, 0.9
    width *= build.differs(0.015)
    body = [
        rod((0, y - half, z), (0, y, z), width / 2, waist * width / 2, depth / width, (0, 0, 1)),
        rod((0, y, z), (0, y + half, z), waist * width / 2, width / 2, depth / width, (0, 0, 1)),
    ]
    back, up = z - depth / 2, 0.18 * height
    tip = (0, y - (1.9 if thoracic else 0.9), back - (3.4 if thoracic else 4.0))
    arch: list[Solid] = [
        rod((0, y - 0.25 * height, back - 1.6), tip, 0.45, 0.4, 2.2 if not thoracic else 1.3, (0, 1, 0)),
    ]
    wide = width / 2 + (2.0 if not thoracic else 1.9)
    for side in (-1, 1):
        root = (side * 0.36 * width, y + up, back + 0.2)
        arch += [
            rod(root, (side * 0.40 * width, y + up, back - 1.1), 0.42, 0.42, 1.7, (0, 1, 0)),
            rod(
                (side * 0.40 * width, y + up, back - 1.0),
                (side * 0.1, y - 0.25 * height, back - 2.0),
                0.4,
                0.4,
                1.6,
                (0, 1, 0),
            ),
            rod(
                (side * 0.42 * width, y + up, back - 0.9),
                (side * wide, y + up + (0.2 if not thoracic else 0.6), back - (0.8 if not thoracic else 1.9)),
                0.42,
                0.3,
            ),
            ball((side * 0.40 * width, y + 0.52 * height, back - 1.2), (0.5, 0.75, 0.5)),
            ball((side * 0.38 * width, y - 0.55 * height, back - 1.5), (0.5, 0.8, 0.5)),
        ]
    return [
        bone(f"{name} body", body, 0.06 * thin, 0.20 * thin),
        bone(f"{name} arch", arch, 0.08 * thin, 0.16 * thin),
    ]


def spine(build: Build) -> list[Tissue]:
    """Lumbar and thoracic spine, sacrum and coccyx."""
    found = [part for name in VERTEBRAE for part in vertebra(name, build)]
    return found + sacrum(build)


def sacrum(build: Build) -> list[Tissue]:
    """Sacrum with its foramina, and the coccyx."""
    thin = build.bone_share
    wide = 5.6 if build.sex == "male" else 5.9
    wedge = [
        rod((0, -4.0, -5.3), (0, -8.4, -8.2), wide, 3.7, 0.42, (0, -0.5, 0.8)),
        rod((0, -8.2, -8.1), (0, -13.2, -8.6), 3.9, 1.5, 0.36, (0, 0, 1)),
        ball((0, -4.1, -5.2), (2.5, 1.2, 1.9)),
    ]
    holes = [
        rod((side * x, y, z - 3), (side * x, y - 0.4, z + 3), 0.42)
        for side in (-1, 1)
        for x, y, z in ((1.9, -5.6, -6.4), (1.75, -7.6, -7.4), (1.55, -9.4, -8.2), (1.35, -11.0, -8.5))
    ]
    tail = [ball((0, -13.9 - 0.9 * i, -8.3 + 0.55 * i), (0.9 - 0.18 * i, 0.5, 0.5)) for i in range(3)]
    return [bone("sacrum", wedge, 0.10 * thin, 0.13 * thin, holes), bone("coccyx", tail, 0.08, 0.13)]


def rib_curve(number: int, build: Build) -> list[tuple[float, float, float]]:
    """Points of a left rib, counted from 1, from its head to where its cartilage begins."""
    i = number - 1
    name = f"T{number}"
    y, z = VERTEBRAE[name][0] + 0.7, VERTEBRAE[name][1] - VERTEBRAE[name][3] / 2
    out = 1 - build.breath
    width, depth = RIB_WIDTH[i] * (1 - 0.03 * out), RIB_DEPTH[i] * (1 - 0.05 * out)
    drop = RIB_DROP[i] * (1 + 0.25 * out)
    middle = z - 1.3 + depth
    points = [(1.7, y, z + 0.4)]
    steps = max(4, int(RIB_END_DEG[i] / 16))
    first = math.degrees(math.asin(min(0.9, 3.4 / width)))
    for deg in np.linspace(first, RIB_END_DEG[i], steps):
        t = math.radians(deg)
        fall = drop * ((1 - math.cos(t)) / 2) ** 0.9
        points.append((width * math.sin(t), y - 0.15 - fall, middle - depth * math.cos(t)))
    return points


def ribs(build: Build) -> list[Tissue]:
    """Twelve pairs of ribs and the sternum."""
    thin = build.bone_share
    found = []
    for number in range(1, 13):
        points = rib_curve(number, build)
        radius = 0.62 if number in (1, 2) else 0.66 if number < 11 else 0.55
        # Flat against the chest wall.
        solids = []
        for a, b in itertools.pairwise(points):
            outward = np.array([a[0] + b[0], 0.0, a[2] + b[2]])
            solids += bent_rod([a, b], radius, 0.5, outward)
        found += [bone(f"rib {number} left", solids, 0.085 * thin, 0.10)]
        found += [one.moved(np.diag([-1.0, 1, 1])) for one in found[-1:]]
    sternum = [
        box((0, 36.6, 5.9), (2.6, 2.1, 0.55), turn("x", 20)),
        box((0, 28.4, 8.5), (1.75, 5.6, 0.5), turn("x", 14)),
        rod((0, 23.0, 9.8), (0, 20.6, 9.9), 0.8, 0.4),
    ]
    return [*found, bone("sternum", sternum, 0.07 * thin, 0.12 * thin)]


def shoulder_girdle(build: Build) -> list[Tissue]:
    """Clavicles and scapulae, shoulders rolled forward as for a chest; both sides."""
    clavicle = chain([(2.3, 38.2, 5.0), (6.0, 39.2, 5.4), (10.5, 40.6, 3.4), (14.2, 41.2, 0.8)], (1.05, 0.62, 0.62, 0.75))
    blade = [
        ball((11.6, 32.8, -7.2), (3.6, 7.2, 0.32), turn("y", -42) @ turn("z", 12)),
    ]
    borders = [
        *bent_rod([(13.6, 36.6, -4.2), (12.6, 31.5, -6.6), (10.9, 26.4, -8.4)], 0.55, 1.0, (0, 0, 1)),
        *bent_rod([(8.6, 37.6, -8.0), (12.4, 38.6, -6.6), (15.6, 40.4, -3.2)], 0.5, 0.7, (0, 0, 1)),
        ball((15.9, 40.6, -1.9), (1.6, 0.6, 2.0)),
        ball((13.5, 37.1, -4.5), (0.7, 1.8, 1.2), turn("y", -40)),
        *bent_rod([(13.9, 39.2, -2.2), (14.4, 39.4, 0.4), (15.0, 38.6, 1.3)], 0.6, 1.0, (0, 0, 1)),
    ]
    left = [
        bone("clavicle", clavicle, 0.17, 0.12),
        bone("scapula blade", blade, 0.09, 0.1),
        bone("scapula borders", borders, 0.13, 0.2),
    ]
    if build.shoulders_back:
        # The blades lie flat on the back, over the outer lung.
        left[1:] = [one.moved(np.eye(3), (-3.4, -1.0, -0.4)) for one in left[1:]]
    return left + mirrored(left)


def chest_inside(build: Build) -> list[Tissue]:
    """Lungs with their vessels, heart and airways; in place of each other as they lie."""
    dome = 12.0 + 3.0 * (1 - build.breath)
    fluid = build.condition == "effusion"
    heart = [
        ball((2.4, 23.2, 2.6), (6.3 * build.differs(0.04), 5.2, 4.8), turn("z", 32)),
        ball((-1.6, 26.2, 1.8), (2.7, 4.6, 3.4)),
    ]
    middle = [
        rod((0, 12, -3.4), (0, 44, -2.6), 2.5, 2.9, 1.6, (0, 0, 1)),
        rod((0.3, 24, 3.5), (0, 38, 2.5), 2.7, 3.0, 1.3, (0, 0, 1)),
        ball((1.9, 34.6, -0.6), (2.5, 2.1, 3.4)),
        rod((2.3, 34, -4.2), (1.0, 14, -4.4), 1.35),
    ]
    under = [
        ball((-7.0, dome - 0.2, 0.8), (8.6, 9.2, 10.6)),
        ball((7.0, dome - 1.6, 0.8), (8.6, 9.2, 10.6)),
    ]
    if fluid:
        under.append(ball((-11.5, dome + 2.6, -1.0), (5.4, 6.0, 9.0)))
    lungs = [
        solid
        for side in (-1, 1)
        for solid in (
            ball((side * 6.3, 26.0, -0.4), (6.0, 13.0, 8.6)),
            ball((side * 7.0, 20.5, -0.9), (5.7, 9.0, 8.5)),
            ball((side * 4.9, 36.2, -2.3), (3.9, 5.6, 4.7)),
        )
    ]
    found = [Tissue("lungs", tuple(lungs), {"lung": 1.0}, "soft", less=(*heart, *middle, *under))]
    cut = (*heart, *middle, *under)
    found += [Tissue("vessels", tuple(branch), {"soft": 1.0}, "lung", less=cut) for branch in vessels(build)]
    airway = [rod((0, 47, -1.4), (0.2, 33.2, -2.2), 0.85, 0.9), rod((0.2, 33.2, -2.2), (-3.4, 30, -2.6), 0.65, 0.5)]
    airway.append(rod((0.2, 33.2, -2.2), (3.9, 29.6, -2.6), 0.6, 0.45))
    found.append(Tissue("airway", tuple(airway), {"air": 1.0}))
    return found


def vessels(build: Build) -> list[list[Solid]]:
    """The lungs' vessels: branches from each hilum outward, thinner with every division."""
    found: list[list[Solid]] = []
    for side, height in ((-1, 29.0), (1, 29.8)):
        root = np.array([side * 3.2, height, -0.8])
        found.append([ball(root + np.array([side * 0.5, -0.3, 0]), (1.5, 1.9, 1.5))])
        for number in range(13):
            angle = math.radians(-75 + 160 * (number + 0.5) / 13) + 0.1 * build.chance.standard_normal()
            rise, reach = math.sin(angle), math.cos(angle)
            long = (5.0 if rise > 0 else 6.0) * build.differs(0.15)
            deep = build.chance.uniform(-3.5, 3.5)
            start = root + np.array([side * reach * 1.6, rise * 1.9, 0.0])
            end = root + np.array([side * reach * long, rise * long, deep * 0.6])
            branch: list[Solid] = [rod(start, end, 0.5, 0.24)]
            for spread in (-0.4, 0.3):
                turned = angle + spread * build.differs(0.3)
                tip = end + np.array([side * math.cos(turned) * long * 0.55, math.sin(turned) * long * 0.6, deep * 0.4])
                branch.append(rod(end, tip, 0.22, 0.08))
            found.append(branch)
    return found


def belly(build: Build) -> list[Tissue]:
    """Liver, kidneys, psoas with the fat about them, and gas."""
    psoas = [
        solid
        for side in (-1, 1)
        for solid in (
            rod((side * 2.7, 13.5, -4.6), (side * 4.4, 3.0, -3.9), 1.0, 2.3),
            rod((side * 4.4, 3.0, -3.9), (side * 6.6, -7.0, -0.4), 2.3, 2.0),
        )
    ]
    kidneys = [ball((side * 6.4, 10.2 - 0.6 * (side < 0), -5.6), (2.5, 5.3, 1.9), turn("z", -side * 9)) for side in (-1, 1)]
    fat = [one.shrunk(-0.9, ends=False) for one in (*psoas, *kidneys)]
    found = [
        Tissue("fat about psoas and kidneys", tuple(fat), {"adipose": 0.9}, "soft", less=(*psoas, *kidneys)),
        Tissue("psoas", tuple(psoas), {"muscle": 0.9}),
        Tissue("kidneys", tuple(kidneys), {"muscle": 0.9}),
        Tissue("liver", (ball((-6.2, 13.4, 2.0), (7.2, 6.4, 7.4)),), {"muscle": 0.6}),
    ]
    gas: list[Solid] = [ball((5.6, 17.2, 2.4), (2.7, 1.2, 2.0))]
    much = 2.4 if build.condition == "gas" else 1.0
    for _ in range(int(16 * much)):
        along = build.chance.uniform(0, 3)
        # Along the colon: up on the right, across, down on the left.
        if along < 1:
            at = (-10.0, -6 + 14 * along, 1.0)
        elif along < 2:
            at = (-9 + 18 * (along - 1), 7.5 + 1.5 * math.cos(6 * along), 4.5)
        else:
            at = (10.2, 9 - 16 * (along - 2), 0.5)
        size = build.chance.uniform(0.5, 1.15) * math.sqrt(much)
        off = build.chance.normal(0, 0.5, 3)
        found_at = np.array(at) + off
        gas.append(ball(found_at, (size * 1.1, size * build.differs(0.2), size)))
    gas.append(ball((0.6, -10.5, -4.6), (1.6, 1.1, 1.0)))
    return [*found, Tissue("gas", tuple(gas), {"air": 1.0})]


def pelvis(build: Build) -> list[Tissue]:
    """Hip bones and the upper ends of the femora."""
    thin = build.bone_share
    wide = 1.05 if build.sex == "female" else 1.0
    hip = HIP
    wing = [
        ball((8.9, -5.2, -1.8), (0.55, 6.4, 7.6), turn("z", -24) @ turn("y", 40)),
        *bent_rod(
            [
                (5.0, -4.8, -8.0),
                (7.4, -0.7, -6.8),
                (10.6, 0.6, -3.4),
                (12.9, -0.5, 0.6),
                (13.2, -2.4, 3.4),
                (12.2, -4.6, 4.6),
            ],
            0.55,
            1.0,
            (0, 0, 1),
        ),
        *bent_rod([(12.2, -4.4, 4.6), (10.9, -7.6, 4.0), (10.2, -10.2, 3.0)], (0.65, 0.6, 0.9), 1.0, (0, 0, 1)),
        *bent_rod(
            [(5.0, -4.8, -8.0), (5.4, -8.0, -7.0), (7.0, -10.6, -4.4), (8.4, -12.0, -2.2)],
            (0.6, 0.9, 1.2, 1.4),
            1.0,
            (0, 0, 1),
        ),
        rod((8.2, -8.0, -2.2), (hip[0] - 0.3, hip[1] + 2.2, hip[2] - 0.4), 1.3, 2.4, 0.8, (0, 0, 1)),
    ]
    socket = [ball(hip, 3.3).cut((0.78, -0.55, 0.25), hip + np.array([0.5, -0.35, 0.15]))]
    front = [
        *bent_rod([(7.2, -12.6, 1.8), (4.2, -14.3, 4.0), (1.5, -15.9, 4.9)], (1.25, 0.85, 0.95), 0.8, (0, 0, 1)),
        ball((1.35, -17.0, 4.8), (0.95, 2.1, 0.85)),
        *bent_rod([(1.6, -18.4, 4.5), (3.7, -19.8, 1.8), (5.6, -20.4, -1.6)], (0.75, 0.65, 1.0), 0.8, (0, 0, 1)),
    ]
    seat = [
        *bent_rod([(7.4, -14.6, -1.6), (6.9, -17.5, -2.6), (5.9, -20.0, -2.4)], (1.7, 1.35, 1.5), 1.0, (0, 0, 1)),
        ball((5.9, -20.0, -2.4), (1.5, 1.5, 1.6)),
    ]
    left = [
        bone("ilium", wing, 0.12 * thin, 0.2 * thin, [ball(hip, 2.75)]),
        bone("socket", socket, 0.18 * thin, 0.2 * thin, [ball(hip, 2.75), *wing]),
        bone("pubis", front, 0.13 * thin, 0.13 * thin, [ball(hip, 2.75), *socket]),
        bone("ischium", seat, 0.14 * thin, 0.14 * thin, [ball(hip, 2.75), *socket, *front]),
        *_as_the_leg_lies(femur_top(build), build),
    ]
    left = [one.moved(np.diag([wide, 1.0, 1.0])) for one in left]
    return left + mirrored(left)


def _as_the_leg_lies(tissues: list[Tissue], build: Build) -> list[Tissue]:
    """A left femur about its head: the foot turned out, or the thigh laid out as a frog's."""
    how = FROG if build.frog else turn("y", build.legs_out_deg)
    return [one.moved(how, HIP - how @ HIP) for one in tissues]


def femur_top(build: Build) -> list[Tissue]:
    """The upper half of a left femur, toes turned in so that its neck lies level."""
    thin = build.bone_share
    hip = HIP
    if build.condition == "prosthesis":
        stem = [
            ball(hip, 1.6),
            rod(hip, hip + np.array([3.4, -2.6, -0.2]), 0.65, 0.8),
            rod(hip + np.array([3.2, -2.4, -0.2]), hip + np.array([3.9, -14, 0.1]), 0.85, 0.45),
        ]
        left = [rod((12.9, -17.0, 0.3), (11.6, -42, 0.6), 1.7, 1.4)]
        return [
            bone("femur", left, 0.5, 0.02, stem),
            Tissue("prosthesis", tuple(stem), {"titanium": 1.0}),
            Tissue("cup", (ball(hip, 2.6).cut((0.7, -0.7, 0.1), hip),), {"titanium": 0.35}, less=(ball(hip, 2.2),)),
        ]
    head = [
        ball(hip, 2.42),
        rod(hip + np.array([1.2, -0.9, 0]), hip + np.array([4.3, -3.1, -0.3]), 1.5, 1.75),
        ball(hip + np.array([4.9, -2.0, -0.9]), (1.5, 2.3, 1.7), turn("z", 15)),
        ball(hip + np.array([2.6, -5.7, -1.2]), (0.9, 1.2, 0.9)),
        joined(hip + np.array([4.2, -2.6, -0.3]), hip + np.array([3.8, -7.5, -0.2]), 1.9, 1.6),
    ]
    below = (hip + np.array([3.8, -7.5, -0.2]), (11.6, -42, 0.4))
    return [
        bone(
            "femur top",
            head,
            0.15 * thin,
            0.19 * thin,
            growth_plate(build, hip + np.array([1.15, -0.85, 0]), (1, -0.75, 0), 2.6),
        ),
        *shaft("femur shaft", below, (1.6, 1.35), 0.58, thin, head[4:]),
    ]
