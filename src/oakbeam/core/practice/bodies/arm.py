"""The arm: hand and wrist, elbow, shoulder of an average adult, then sized.

Hand: x to the thumb, y to the finger tips, z to the back of the hand, 0 at the wrist joint. Elbow: x to the radius' side, y
up the arm, z to the front. Shoulder: in the trunk's frame. The figures are estimates of ours.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.practice.bodies import trunk
from oakbeam.core.practice.bodies.frame import Build, capsules, flare, growth_plate, joined, shaft, skin
from oakbeam.core.practice.bodies.leg import tubular
from oakbeam.core.practice.computed_body import Tissue, bone
from oakbeam.core.practice.solids import Solid, ball, rod, turn

# base and head of each metacarpal, its radius, lengths of the phalanges after it
FINGERS = (
    ((2.0, 2.8, -0.5), (4.0, 6.2, -1.1), 0.62, (3.1, 2.3)),
    ((1.0, 3.05, 0.0), (1.9, 9.4, 0.1), 0.55, (4.0, 2.4, 1.7)),
    ((0.15, 3.15, 0.1), (0.35, 9.5, 0.15), 0.55, (4.4, 2.9, 1.8)),
    ((-0.6, 3.0, 0.05), (-1.1, 8.8, 0.1), 0.48, (4.1, 2.7, 1.8)),
    ((-1.3, 2.85, 0.0), (-2.5, 8.0, 0.0), 0.46, (3.3, 1.9, 1.6)),
)
SPREAD = (1.0, 0.75, 0.5, 0.9, 1.35)
CARPALS = {
    "scaphoid": ((1.0, 0.85, -0.1), (0.62, 1.15, 0.6), -35),
    "lunate": ((0.02, 0.62, 0.0), (0.68, 0.7, 0.75), 0),
    "triquetrum": ((-1.05, 0.95, 0.1), (0.62, 0.68, 0.5), 20),
    "trapezium": ((1.75, 2.15, -0.35), (0.68, 0.68, 0.62), 0),
    "trapezoid": ((0.95, 2.3, 0.1), (0.48, 0.6, 0.6), 0),
    "capitate": ((0.12, 2.0, 0.05), (0.58, 1.05, 0.68), 0),
    "hamate": ((-0.82, 2.1, 0.0), (0.62, 0.85, 0.68), 15),
}


def _finger(number: int, build: Build) -> list[tuple[Array, Array, float]]:
    """(start, end, radius) of metacarpal and phalanges of a finger, from the thumb; fanned out where the build is bent."""
    start, end, radius, lengths = FINGERS[number]
    a, b = np.array(start), np.array(end)
    bones = [(a, b, radius)]
    along = (b - a) / np.linalg.norm(b - a)
    along = along * np.array([SPREAD[number], 1.0, 1.0])
    bend = -build.bend_deg * (0.15 + 0.28 * max(number - 1, 0)) if number else 0.0
    along = turn("x", bend) @ (along / np.linalg.norm(along))
    at, size = b, radius
    for long in lengths:
        size *= 0.84
        gap = 0.08 + 0.14 * (1 - build.grown) + 0.06
        first = at + along * (1.0 * size + gap)
        last = first + along * (long - 1.9 * size)
        bones.append((first, last, size))
        at = last + along * 0.0
    return bones


def hand_outline(build: Build) -> list[Solid]:
    """Forearm's end, palm and fingers."""
    f = build.flesh
    found = [
        *capsules([(0, -16, 0), (0, -3.0, 0)], (4.2 * f, 3.0 * f), 0.70),
        *capsules([(0, -3.0, 0), (0.1, 2.4, 0)], (3.0 * f, 3.1 * f), 0.64),
        *capsules([(0.1, 2.2, 0), (-0.2, 7.2, 0)], (3.1 * f, 3.8 * f), 0.40),
        ball((2.0, 3.8, -0.6), (1.7 * f, 2.8 * f, 1.5 * f)),
    ]
    for number in range(5):
        bones = _finger(number, build)
        fat = (1.15 if number == 0 else 0.98) * f
        for first, last, _ in bones[1 if number else 0 :]:
            found.append(rod(first - 0.35 * (last - first), last + 0.1 * (last - first), fat, 0.93 * fat, 0.92))
            fat *= 0.92
        found.append(ball(bones[-1][1], (0.85 * fat, 1.3 * fat, 0.85 * fat)))
    return found


def hand(build: Build) -> list[Tissue]:
    """A hand with its wrist."""
    thin, grown = build.bone_share, build.grown
    gap = 0.35 * (1 - grown)
    radius = [
        *flare((0.95, -4.6, 0), (0.75, -0.2 - gap, 0), 0.76, 1.5, 0.75),
        rod((1.7, -0.9 - gap, 0), (1.95, 0.2 - gap, 0), 0.55, 0.3),
    ]
    ulna = [
        joined((-1.2, -3.2, 0), (-1.3, -1.4 - gap, 0), 0.6, 0.68),
        ball((-1.35, -1.05 - gap, 0), (0.85, 0.65, 0.75)),
        rod((-1.9, -0.9 - gap, 0.2), (-2.0, 0.0 - gap, 0.2), 0.28, 0.15),
    ]
    found = [
        bone("radius", radius, 0.12 * thin, 0.17 * thin, growth_plate(build, (0.8, -1.25 - gap, 0), (0, 1, 0), 1.9)),
        bone("ulna", ulna, 0.12 * thin, 0.16 * thin, growth_plate(build, (-1.3, -1.45 - gap, 0), (0, 1, 0), 1.1)),
        *shaft("radius shaft", ((1.1, -18, 0), (0.95, -4.6, 0)), (0.72, 0.76), 0.24, thin, into=radius[:1]),
        *shaft("ulna shaft", ((-0.9, -18, 0), (-1.2, -3.2, 0)), (0.68, 0.6), 0.22, thin, into=ulna[:1]),
    ]
    if grown > 0.1:
        shrink = 0.45 + 0.55 * grown
        for name, (centre, sizes, lean) in CARPALS.items():
            found.append(bone(name, [ball(centre, np.array(sizes) * shrink, turn("z", lean))], 0.07 * thin, 0.26 * thin))
        found.append(bone("pisiform", [ball((-1.1, 0.95, -0.85), 0.42 * shrink)], 0.05, 0.24))
    for number in range(5):
        for order, (first, last, size) in enumerate(_finger(number, build)):
            name = "metacarpal" if order == 0 else "phalanx"
            # Fingers grow at their bases, metacarpals but the thumb's at their heads.
            along = (last - first) / np.linalg.norm(last - first)
            at = last - along * 0.35 * size if order == 0 and number else first + along * 0.45 * size
            found.append(
                bone(
                    f"{name} {number + 1}",
                    tubular(first, last, size),
                    0.15 * thin * (0.5 + 0.5 * grown),
                    0.12 * thin,
                    growth_plate(build, at, along, 1.6 * size),
                )
            )
    return [
        skin(hand_outline(build), 0.0),
        *found,
    ]


ELBOW_PIVOT = np.array([0.0, 0.0, 0.3])


def _forearm(tissues: list[Tissue], build: Build) -> list[Tissue]:
    how = turn("x", -build.bend_deg)
    return [one.moved(how, ELBOW_PIVOT - how @ ELBOW_PIVOT) for one in tissues]


def elbow_outline(build: Build) -> list[Solid]:
    """Arm and forearm about the elbow."""
    f = build.flesh
    below = Tissue(
        "below",
        tuple(
            capsules(
                [(0, 0, 0.0), (0.1, -7, 0.2), (0.1, -25, 0.1), (0.1, -32, 0.1)], (4.2 * f, 4.3 * f, 2.9 * f, 3.2 * f), 0.86
            )
        ),
        {},
    )
    return [
        *capsules([(0, 24, 0), (0, 9, 0.1), (0, 0, 0)], (4.9 * f, 4.5 * f, 4.2 * f), 0.94),
        *_forearm([below], build)[0].solids,
    ]


def elbow(build: Build) -> list[Tissue]:
    """An elbow with the halves of arm and forearm, bent as the build says."""
    thin = build.bone_share
    fossa = [ball((-0.3, 2.0, -1.1), (1.15, 1.0, 0.85)), ball((-0.2, 1.9, 1.0), (0.9, 0.7, 0.62))]
    humerus = [
        *flare((0, 8.5, 0), (-0.1, 1.0, 0.1), 1.15, 2.75, 0.36),
        rod((-1.9, 0.15, 0.3), (-0.95, 0.1, 0.3), 1.25, 0.85),
        rod((-0.95, 0.1, 0.3), (0.15, 0.1, 0.3), 0.85, 1.1),
        ball((1.2, 0.1, 0.5), (1.05, 1.05, 1.05)),
        *capsules([(-1.3, 3.6, 0), (-2.75, 1.55, -0.1)], (0.8, 0.62)),
        *capsules([(1.3, 3.4, 0), (2.3, 1.5, 0)], (0.7, 0.5)),
    ]
    notch = [rod((-2.4, 0.12, 0.3), (0.6, 0.12, 0.3), 1.35)]
    ulna = [
        ball((-0.8, 0.75, -1.25), (1.15, 1.75, 1.1)),
        joined((-0.8, 0.6, -1.3), (-0.85, -3.0, -0.7), 1.15, 1.0),
        ball((-0.75, -1.25, 0.55), (0.95, 0.75, 0.85)),
        joined((-0.85, -2.6, -0.6), (-0.95, -5.4, -0.5), 1.05, 0.78),
    ]
    ulna_head = [joined((-1.05, -22.6, 0), (-1.1, -24.2, 0), 0.6, 0.72), ball((-1.1, -24.4, 0), (0.85, 0.7, 0.75))]
    radius = [
        rod((1.25, -1.1, 0.45), (1.25, -1.95, 0.4), 1.08, 1.0),
        joined((1.25, -1.85, 0.4), (1.15, -3.9, 0.3), 0.8, 0.72),
        ball((0.75, -4.2, 0.2), (0.6, 0.9, 0.6)),
    ]
    radius_end = flare((1.2, -20.8, 0), (1.2, -25.2, 0), 0.78, 1.5, 0.75)
    pads = [
        Tissue("front fat pad", (ball((0, 2.4, 1.5), (1.4, 1.5, 0.4)),), {"adipose": 0.9}),
    ]
    upper = [
        bone("distal humerus", humerus, 0.12 * thin, 0.18 * thin, fossa),
        *shaft("humerus shaft", ((0, 26, 0), (0, 8.5, 0)), (1.15, 1.15), 0.45, thin, into=humerus[:1]),
        *pads,
    ]
    lower = [
        bone("ulna", ulna, 0.13 * thin, 0.18 * thin, notch),
        bone("ulna's head", ulna_head, 0.1 * thin, 0.16 * thin),
        bone("proximal radius", radius, 0.13 * thin, 0.16 * thin),
        bone("distal radius", radius_end, 0.12 * thin, 0.16 * thin, growth_plate(build, (1.2, -24.2, 0), (0, 1, 0), 1.9)),
        *shaft("ulna shaft", ((-0.95, -5.4, -0.5), (-1.05, -22.6, 0)), (0.78, 0.6), 0.24, thin, ulna[3:], ulna_head[:1]),
        *shaft("radius shaft", ((1.15, -3.9, 0.3), (1.2, -20.8, 0)), (0.72, 0.78), 0.24, thin, radius[1:2], radius_end[:1]),
    ]
    return [
        skin(elbow_outline(build), 0.35),
        *upper,
        *_forearm(lower, build),
    ]


HAND_UP, TO_WRIST = np.diag([1.0, -1.0, -1.0]), np.array([0.45, -25.4, 0.0])
"""A hand with its palm up, at the end of a forearm."""


def forearm_outline(build: Build) -> list[Solid]:
    """Arm, forearm and hand."""
    below = Tissue("hand", tuple(hand_outline(replace(build, bend_deg=0.0))), {})
    return [*elbow_outline(build), *_forearm([below.moved(HAND_UP, TO_WRIST)], build)[0].solids]


def forearm(build: Build) -> list[Tissue]:
    """A forearm with elbow, wrist and hand."""
    own = ("radius", "ulna", "radius shaft", "ulna shaft")
    below = [one.moved(HAND_UP, TO_WRIST) for one in hand(replace(build, bend_deg=0.0))[1:] if one.name not in own]
    return [skin(forearm_outline(build), 0.35), *elbow(build)[1:], *_forearm(below, build)]


SHOULDER, ELBOW = np.array([16.4, 37.0, -2.2]), np.array([21.2, 6.0, -1.2])
PALM_UP_DEG = 30.0
"""How far a humerus is turned out whose epicondyles lie level."""


def shoulder_outline(build: Build) -> list[Solid]:
    """The trunk with the left arm beside it."""
    f = build.flesh
    return [
        *trunk.outline(build),
        rod((SHOULDER[0], 38, -1.8), (19.6, 24, -1.4), 5.5 * f, 4.9 * f, 1.05),
        ball((19.6, 24, -1.4), 4.9 * f),
        rod((19.6, 24.4, -1.4), ELBOW, 4.9 * f, 4.2 * f, 1.0),
        *(one.moved(np.eye(3), ELBOW) for one in elbow_outline(replace(build, bend_deg=0.0))[-7:]),
    ]


def raised_outline(build: Build) -> list[Solid]:
    """The trunk with the left arm held out from it."""
    f = build.flesh
    return [
        *trunk.outline(build),
        rod((SHOULDER[0] - 1, 37.4, -2.2), (42, 35.6, -2.2), 5.6 * f, 4.4 * f, 1.0),
    ]


def raised_shoulder(build: Build) -> list[Tissue]:
    """The left shoulder with the arm held out from the body."""
    held_out = turn("z", 86)
    arm = [one.moved(held_out, SHOULDER - held_out @ SHOULDER) for one in _arm(build)]
    return [skin(raised_outline(build), 0.6 * build.flesh), *_about_the_shoulder(build), *arm]


def shoulder(build: Build) -> list[Tissue]:
    """The left shoulder with chest wall and arm; the humerus turned out as far as the build is bent (negative: in)."""
    return [skin(shoulder_outline(build), 0.8 * build.flesh), *_about_the_shoulder(build), *_arm(build)]


def _about_the_shoulder(build: Build) -> list[Tissue]:
    """Chest, spine and shoulder girdle with the socket, which looks outward and forward, as the blade lies."""
    socket = [ball(SHOULDER - 3.1 * np.array([0.77, 0.0, 0.64]), (0.5, 1.8, 1.35), turn("y", -40))]
    return [
        *trunk.chest_inside(build),
        *trunk.spine(build),
        *trunk.ribs(build),
        *trunk.shoulder_girdle(build),
        bone("socket of the shoulder", socket, 0.12, 0.25),
    ]


def _arm(build: Build) -> list[Tissue]:
    """The left humerus with its elbow, the arm stretched."""
    thin = build.bone_share
    out, below = turn("y", build.bend_deg), turn("y", build.bend_deg - PALM_UP_DEG)

    def about(point: tuple[float, float, float]) -> Array:
        return np.asarray(SHOULDER + out @ np.array(point))

    # Turned out the greater tubercle stands in profile, the lesser toward the front.
    top = [
        ball(SHOULDER, 2.35),
        ball(about((2.0, -0.3, 0.4)), (1.1, 1.7, 1.3), out),
        ball(about((0.5, -0.6, 1.9)), (0.75, 1.0, 0.7), out),
        joined(SHOULDER + np.array([0.6, -1.2, 0]), SHOULDER + np.array([1.3, -6.0, 0.1]), 2.0, 1.3),
    ]
    plate = growth_plate(build, SHOULDER + np.array([0.9, -1.5, 0]), (0.25, -1, 0), 3.4)
    distal = [one.moved(below, ELBOW) for one in elbow(replace(build, bend_deg=0.0))[1:] if one.name != "humerus shaft"]
    points = (SHOULDER + np.array([1.3, -6.0, 0.1]), ELBOW + below @ np.array([0.0, 8.5, 0.0]))
    return [
        bone("humerus top", top, 0.11 * thin, 0.15 * thin, plate),
        *shaft("humerus shaft", points, (1.3, 1.15), 0.42, thin, top[3:], distal[0].solids[:1]),
        *distal,
    ]
