"""The leg: knee, lower leg, ankle and foot of an average adult's left leg, then sized.

In the knee's frame y is 0 at the joint, in the foot's at the ankle's, toes toward z. After anatomy as taught; the figures
are estimates of ours.
"""

from __future__ import annotations

import numpy as np

from oakbeam.core.practice.bodies.frame import Build, capsules, flare, growth_plate, joined, shaft, skin
from oakbeam.core.practice.computed_body import Tissue, bone
from oakbeam.core.practice.solids import Solid, Vector, ball, box, rod, turn

KNEE_PIVOT = np.array([0.0, 1.4, -0.8])


def _bent(tissues: list[Tissue], build: Build) -> list[Tissue]:
    """The lower leg of a bent knee."""
    how = turn("x", build.bend_deg)
    return [one.moved(how, KNEE_PIVOT - how @ KNEE_PIVOT) for one in tissues]


def knee_outline(build: Build) -> list[Solid]:
    """Thigh and lower leg about the knee."""
    f = build.flesh
    above = [
        *capsules([(0, 42, -0.6), (0, 20, -0.4), (0, 8, 0.1), (0, 1.0, 0.3)], (8.6 * f, 7.4 * f, 6.0 * f, 5.5 * f)),
        ball((0.1, 3.4, 1.4 * f), (4.0 * f, 5.0 * f, 4.9 * f)),
    ]
    below = Tissue(
        "below",
        tuple(
            capsules(
                [(0, 0.4, -0.4), (0, -6.0, -0.9), (0, -13.4, -1.5), (0, -27, -0.9), (0, -39, -0.4)],
                (5.5 * f, 5.3 * f, 5.8 * f, 4.2 * f, 3.4 * f),
            )
        ),
        {},
    )
    return [*above, *_bent([below], build)[0].solids]


def lower_leg_outline(build: Build) -> list[Solid]:
    """Lower leg with knee and foot."""
    return [*knee_outline(build), *(one.moved(np.eye(3), TO_ANKLE) for one in foot_outline(build))]


def lower_leg(build: Build) -> list[Tissue]:
    """Knee, lower leg and foot of a left leg."""
    below = [one.moved(np.eye(3), TO_ANKLE) for one in foot(build)[1:]]
    return [skin(lower_leg_outline(build), 0.4), *knee(build, shaft_to=TO_ANKLE[1] + 20)[1:], *below]


TO_ANKLE = (0.0, -39.6, 0.0)


def knee(build: Build, shaft_to: float = -36.0) -> list[Tissue]:
    """A left leg from the middle of the thigh down, the knee bent as the build says; its shafts end at a height."""
    thin = build.bone_share
    open_cm = 0.26 * (0.25 if build.condition == "effusion" else 1.0) + 0.22 * (2.4 - 1.4 * build.grown)
    notch = [
        rod((0, 0.4, -5.0), (0, 1.0, 0.4), 1.0, 0.75, 1.5, (0, 1, 0)),
        ball((0, 1.6, -3.3), (1.0, 1.4, 1.6)),
    ]
    femur = [
        *flare((0, 12.0, 0.35), (0, 2.9, -0.3), 1.5, 4.15, 0.74),
        ball((-2.1, 2.15, -0.75), (2.05, 2.2, 3.1)),
        ball((2.15, 2.15, -0.6), (2.0, 2.12, 3.1)),
        ball((-1.1, 2.5, -0.6), (2.0, 1.5, 2.8)),
        ball((1.2, 2.5, -0.6), (2.0, 1.5, 2.8)),
        # The two lips of the groove that the kneecap runs in, the outer one higher.
        ball((-1.55, 2.7, 1.15), (1.55, 1.7, 1.55)),
        ball((1.75, 2.7, 1.35), (1.6, 1.8, 1.8)),
    ]
    if build.condition == "prosthesis":
        metal = [one.shrunk(-0.12) for one in femur[1:]]
        tray = [box((0, -0.75, -0.4), (3.5, 0.22, 2.4)), rod((0, -0.8, -0.4), (0, -5.0, -0.4), 0.9, 0.6)]
        upper = [bone("distal femur", femur[:1], 0.1, 0.165)]
        upper.append(Tissue("prosthesis", tuple(metal), {"titanium": 0.9}, less=tuple(notch)))
    else:
        metal, tray = [], []
        cut = [*notch, *growth_plate(build, (0, 3.4, -0.4), (0, 1, 0), 5.5)]
        upper = [bone("distal femur", femur, 0.10 * thin, 0.165 * thin, cut)]
    upper += [
        *shaft("femur shaft", ((0.4, 42, 0.6), (0, 12.0, 0.35)), (1.42, 1.5), 0.6, thin, into=femur[:1]),
        bone(
            "patella", [ball((0.25, 3.4, 4.35), (2.1, 2.0, 1.0)), ball((0.2, 2.5, 4.3), (1.4, 1.9, 0.8))], 0.08, 0.16 * thin
        ),
    ]
    plateau = [
        *flare((0.1, -10.5, 0.2), (0, -open_cm - 0.04, -0.45), 1.5, 3.75, 0.72),
        rod((-0.45, -open_cm - 0.2, -0.6), (-0.4, -open_cm + 0.55, -0.6), 0.55, 0.12),
        rod((0.5, -open_cm - 0.2, -0.8), (0.45, -open_cm + 0.45, -0.8), 0.5, 0.12),
        ball((0.3, -4.2, 1.35), (0.8, 1.5, 0.9)),
    ]
    fibula = [
        ball((3.75, -2.7, -1.9), (0.95, 1.15, 1.0)),
        joined((3.72, -2.9, -1.9), (3.6, -4.6, -1.85), 0.85, 0.66),
    ]
    lower = [
        bone(
            "tibia top",
            plateau,
            0.11 * thin,
            0.165 * thin,
            [*tray, *growth_plate(build, (0, -2.0, -0.4), (0, 1, 0.1), 5.0)],
        ),
        *shaft("tibia shaft", ((0.1, -10.5, 0.2), (-0.3, shaft_to, 0.0)), (1.5, 1.15), 0.5, thin, plateau[:1]),
        bone(
            "fibula's head",
            fibula,
            0.09 * thin,
            0.14 * thin,
            growth_plate(build, (3.7, -3.5, -1.9), (0, 1, 0), 1.2),
        ),
        *shaft("fibula", ((3.6, -4.6, -1.85), (2.8, shaft_to, -0.9)), (0.66, 0.6), 0.24, thin, fibula[1:]),
    ]
    if tray:
        lower.append(Tissue("tray", tuple(tray), {"titanium": 0.9}))
    if build.condition == "effusion":
        upper.append(Tissue("effusion", (ball((0, 6.4, 3.0), (2.6, 2.8, 1.0)),), {"muscle": 0.9}))
    else:
        upper.append(Tissue("fat above the patella", (ball((0, 6.4, 3.0), (2.2, 2.2, 0.7)),), {"adipose": 0.9}))
    pad = Tissue("fat pad", (ball((0, 0.6, 3.0), (1.8, 1.4, 1.0)),), {"adipose": 0.9})
    bones = [*upper, pad, *_bent(lower, build)]
    return [
        skin(knee_outline(build), 0.45 * build.flesh**2),
        *bones,
    ]


def foot_outline(build: Build) -> list[Solid]:
    """Ankle and foot."""
    f = build.flesh
    toes = [
        rod((x - 0.5, -5.7, z), (x - 0.5 + lean, -5.9, z + long), 0.95 * f * thick, 0.8 * f * thick, 0.9, (0, 1, 0))
        for x, z, lean, long, thick in (
            (-2.2, 13.0, 0.5, 6.0, 1.45),
            (-0.4, 13.6, 0.2, 5.2, 0.95),
            (1.3, 13.2, 0.0, 4.4, 0.95),
            (2.8, 12.4, -0.1, 3.8, 0.95),
            (4.2, 11.4, -0.3, 3.4, 0.95),
        )
    ]
    leg = Tissue(
        "leg",
        tuple(capsules([(0, 34, -0.8), (0, 20, -0.8), (0, 8, -0.4), (0, 0.2, -0.2)], [f * r for r in (5.6, 5.0, 3.5, 3.5)])),
        {},
    )
    return [
        *_leaning([leg], build)[0].solids,
        ball((0.1, -0.6, -0.2), (3.6 * f, 3.4 * f, 4.5 * f)),
        ball((0.2, -3.7, -3.9), (3.1 * f, 3.3 * f, 2.9 * f)),
        rod((0, -3.4, -3.5), (-0.1, -3.9, 5.2), 3.1 * f, 3.7 * f, 0.98, (0, 1, 0)),
        rod((-0.1, -3.7, 4.6), (0.2, -4.9, 9.6), 3.8 * f, 4.4 * f, 0.62, (0, 1, 0)),
        rod((0.2, -4.9, 9.2), (0.5, -5.7, 14.0), 4.4 * f, 4.7 * f, 0.42, (0, 1, 0)),
        *toes,
    ]


def _leaning(tissues: list[Tissue], build: Build) -> list[Tissue]:
    """The lower leg over a foot that lies flat: back as far as the ankle is bent."""
    how = turn("x", -build.bend_deg)
    return [one.moved(how, ANKLE - how @ ANKLE) for one in tissues]


ANKLE = np.array([0.0, -1.6, 0.0])


def foot(build: Build) -> list[Tissue]:
    """A left ankle and foot, square to the leg but for how far the ankle is bent."""
    thin, grown = build.bone_share, build.grown
    tib = flare((-0.3, 6.2, 0), (-0.2, 0.3, 0), 1.2, 2.2, 0.95)
    medial = [rod((-1.75, 1.6, 0.1), (-2.05, -1.0, 0.2), 0.85, 0.5, 1.3)]
    fibula = [
        # Behind the talus' outer edge: beside it only once the leg is turned in.
        joined((2.38, 4.0, -1.3), (2.32, 1.6, -1.4), 0.66, 0.8),
        ball((2.28, 0.2, -1.45), (0.78, 2.3, 0.9)),
    ]
    talus = [
        rod((-1.42, -2.0, 0.1), (1.48, -2.0, 0.1), 1.98).cut((0, -1, 0), (0, -2.3, 0)),
        ball((0.05, -2.0, -0.4), (1.5, 1.1, 2.2)),
        rod((-0.2, -1.9, 1.2), (-0.8, -2.4, 3.2), 1.25, 1.2, 0.9, (0, 1, 0)),
        ball((-0.85, -2.45, 3.2), (1.35, 1.15, 1.0)),
    ]
    heel = [
        ball((0.3, -4.9, -4.1), (1.45, 2.0, 1.7)),
        rod((0.3, -4.7, -4.2), (0.7, -4.5, 2.6), 1.5, 1.15, 1.15, (0, 1, 0)),
        ball((0.3, -3.5, -0.6), (1.35, 0.75, 1.6)),
        ball((-1.2, -3.5, 0.6), (0.8, 0.45, 0.9)),
    ]
    tarsals = {
        "navicular": [ball((-1.3, -2.9, 4.7), (1.75, 1.15, 0.62))],
        "cuboid": [ball((1.6, -4.2, 4.4), (1.2, 1.05, 1.6))],
        "medial cuneiform": [ball((-2.15, -3.5, 6.15), (0.8, 1.1, 0.85))],
        "middle cuneiform": [ball((-0.8, -3.0, 6.05), (0.62, 0.85, 0.7))],
        "lateral cuneiform": [ball((0.35, -3.2, 6.1), (0.65, 0.9, 0.8))],
    }
    rays = (
        ((-2.2, -3.8, 7.2), (-2.7, -5.5, 13.0), 0.82, (2.9, 2.2)),
        ((-0.85, -3.2, 6.95), (-1.0, -5.5, 13.8), 0.5, (2.3, 1.1, 0.9)),
        ((0.35, -3.4, 7.05), (0.75, -5.6, 13.3), 0.48, (2.1, 0.9, 0.9)),
        ((1.55, -3.9, 6.3), (2.3, -5.7, 12.5), 0.47, (1.9, 0.7, 0.8)),
        ((2.6, -4.5, 6.1), (3.75, -5.8, 11.5), 0.5, (1.7, 0.6, 0.8)),
    )
    found = [
        *_leaning(
            [
                bone("tibia", tib, 0.12 * thin, 0.17 * thin, growth_plate(build, (-0.2, 1.45, 0), (0, 1, 0), 3.0)),
                *shaft("tibia shaft", ((-0.3, 20, 0), (-0.3, 6.2, 0)), (1.15, 1.2), 0.42, thin, into=tib[:1]),
                bone("medial malleolus", medial, 0.12 * thin, 0.17 * thin, tib),
                bone("fibula", fibula, 0.13 * thin, 0.16 * thin, growth_plate(build, (2.3, 0.5, -1.4), (0, 1, 0), 1.3)),
                *shaft("fibula shaft", ((2.6, 20, -1.0), (2.38, 4.0, -1.3)), (0.6, 0.66), 0.24, thin, into=fibula[:1]),
            ],
            build,
        ),
        bone("talus", talus, 0.11 * thin, 0.28 * thin),
        bone("calcaneus", heel, 0.1 * thin, 0.18 * thin, talus),
        *(bone(name, solids, 0.09 * thin, 0.22 * thin) for name, solids in tarsals.items()),
    ]
    for start, end, radius, lengths in rays:
        a, b = np.array(start), np.array(end)
        found.append(bone("metatarsal", tubular(a, b, radius), 0.16 * thin, 0.1 * thin))
        along = (b - a) / np.linalg.norm(b - a)
        along = np.array([along[0] * 0.4, -0.05, 1.0]) / np.linalg.norm([along[0] * 0.4, -0.05, 1.0])
        at, size = b + along * (0.85 * radius + 0.05), radius
        for long in lengths:
            end_at = at + along * long
            size = 0.82 * size
            found.append(
                bone(
                    "phalanx",
                    tubular(at + along * size * 0.4, end_at - along * size * 0.6, size),
                    0.12,
                    0.1 * thin,
                    growth_plate(build, at + along * size * 0.9, along, 1.6 * size),
                )
            )
            at = end_at + along * 0.22 * (2.0 - grown)
    return [
        skin(foot_outline(build), 0.3),
        *found,
    ]


def tubular(start: Vector, end: Vector, radius: float) -> list[Solid]:
    """A short bone: wide at its base, narrow in its shaft, with a rounded head."""
    a, b = np.asarray(start, float), np.asarray(end, float)
    middle = a + 0.5 * (b - a)
    return [
        joined(a, middle, 1.05 * radius, 0.62 * radius),
        joined(middle, b, 0.62 * radius, 0.85 * radius),
        ball(b, 0.95 * radius),
        ball(a, 1.05 * radius),
    ]
