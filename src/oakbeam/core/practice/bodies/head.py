"""Neck and head: cervical spine with the odontoid, jaw, airway, skull; in the trunk's frame. The figures are estimates of
ours."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from oakbeam.core.practice.bodies import trunk
from oakbeam.core.practice.bodies.frame import Build, bent_rod, capsules, joined, shaft, skin
from oakbeam.core.practice.computed_body import Tissue, bone
from oakbeam.core.practice.solids import Solid, ball, box, chain, rod, turn

# name: height, depth of its middle, width, depth and height of the body
CERVICAL = {
    "C7": (43.0, -3.4, 2.4, 1.7, 1.4),
    "C6": (44.7, -2.7, 2.2, 1.65, 1.25),
    "C5": (46.3, -2.1, 2.1, 1.6, 1.2),
    "C4": (47.9, -1.8, 2.0, 1.55, 1.2),
    "C3": (49.5, -1.7, 1.95, 1.5, 1.25),
    "C2": (51.3, -1.8, 1.95, 1.5, 1.5),
}


def outline(build: Build) -> list[Solid]:
    """Head, neck and shoulders."""
    f = build.flesh
    head = [
        ball((0, 63.2, -0.2), (7.7, 8.6, 9.6)),
        ball((0, 58.0, 4.4), (6.2, 6.6, 5.0)),
        rod((0, 51.5, 5.0), (0, 57, 4.4), 4.0, 5.4, 0.95, (0, 0, 1)),
        *capsules([(0, 57.2, 9.6), (0, 60.6, 7.9)], (1.75, 1.55)),
    ]
    return [
        *trunk.outline(build),
        rod((0, 40, -2.4), (0, 56, -1.0), 6.0 * f, 5.7 * f, 1.05, (0, 0, 1)),
        *head,
    ]


def head_outline(build: Build) -> list[Solid]:
    """Head and neck alone."""
    return outline(replace(build, flesh=1.0))[-7:]


def whole_head(build: Build) -> list[Tissue]:
    """Skull and upper neck, for views of the head."""
    return [skin(head_outline(build), 0.0), throat(), *cervical(build), *skull(build)]


NOD, JAW = np.array([0.0, 55.5, -1.5]), np.array([0.0, 57.2, 0.4])


def open_mouth(tissues: Sequence[Tissue], deg: float) -> list[Tissue]:
    """A skull with its chin raised by 12° and the jaw let down: the upper teeth clear the dens, the lower ones too."""
    chin, down = turn("x", -12), turn("x", deg)
    raised = [one.moved(chin, NOD - chin @ NOD) for one in tissues]
    jaw = chin @ JAW + NOD - chin @ NOD
    return [one.moved(down, jaw - down @ jaw) if one.name in ("jaw", "lower teeth") else one for one in raised]


def throat() -> Tissue:
    """The air of the throat."""
    return Tissue(
        "throat",
        (rod((0, 55.2, 1.4), (0, 49.0, 0.9), 1.1, 0.8), rod((0, 49.2, 0.9), (0, 44, -0.6), 0.8, 0.85)),
        {"air": 1.0},
    )


def cervical(build: Build) -> list[Tissue]:
    """C1 to C7."""
    thin = build.bone_share
    found = []
    for name, (y, z, wide, deep, high) in CERVICAL.items():
        body = [rod((0, y - high / 2, z), (0, y + high / 2, z), wide / 2, wide / 2 * 0.95, deep / wide, (0, 0, 1))]
        if name == "C2":
            body += [rod((0, y + 0.5, z + 0.1), (0, y + 2.4, z + 0.15), 0.62, 0.42), ball((0, y + 2.4, z + 0.15), 0.45)]
        back = z - deep / 2
        long = {"C2": 2.6, "C7": 3.4}.get(name, 2.2)
        arch: list[Solid] = [rod((0, y - 0.3, back - 1.7), (0, y - 0.9, back - 1.7 - long), 0.38, 0.42, 1.5, (0, 1, 0))]
        for side in (-1, 1):
            pillar = (side * 1.95, y + 0.05, back - 0.5)
            arch += [
                rod((side * 1.95, y - 0.75, back - 0.75), (side * 1.95, y + 0.75, back - 0.35), 0.62, 0.62, 1.1),
                rod((side * 0.8, y, back + 0.3), pillar, 0.38, 0.4),
                rod(pillar, (side * 0.1, y - 0.2, back - 1.9), 0.3, 0.32, 1.8, (0, 1, 0)),
                rod((side * 1.2, y, z - 0.1), (side * 2.6, y - 0.1, z - 0.5), 0.3, 0.28),
            ]
        found += [bone(f"{name} body", body, 0.08 * thin, 0.27 * thin), bone(f"{name} arch", arch, 0.12 * thin, 0.25 * thin)]
    ring = [
        solid
        for side in (-1, 1)
        for solid in (
            ball((side * 1.75, 53.1, -1.9), (0.78, 0.75, 0.85)),
            *chain([(side * 1.6, 53.2, -1.4), (side * 0.9, 53.3, -0.75), (0, 53.3, -0.6)], 0.28),
            *chain([(side * 1.8, 53.2, -2.4), (side * 1.3, 53.3, -4.2), (0, 53.3, -5.0)], 0.3),
            rod((side * 2.0, 53.1, -2.0), (side * 3.6, 53.0, -2.2), 0.42, 0.3),
        )
    ]
    return [*found, bone("C1", ring, 0.12, 0.25)]


def skull(build: Build) -> list[Tissue]:
    """Vault, base, face and jaw."""
    grown = 0.5 + 0.5 * build.grown
    vault, brain = ball((0, 62.8, -0.6), (7.0, 7.7, 9.0)), ball((0, 62.8, -0.6), (6.45, 7.15, 8.4))
    base = [
        solid
        for side in (-1, 1)
        for solid in (
            rod((side * 6.0, 58.3, -2.4), (side * 1.8, 58.2, 0.2), 1.25, 0.8),
            ball((side * 5.9, 56.7, -2.6), (1.0, 1.5, 1.1)),
            rod((side * 6.0, 59.3, 6.2), (side * 1.4, 59.4, 2.2), 0.4, 0.35),
            *bent_rod([(side * 6.3, 57.8, 0.4), (side * 6.4, 57.2, 4.0), (side * 4.6, 56.6, 6.4)], 0.42, 1.6, (0, 1, 0)),
        )
    ]
    base += [box((0, 57.6, -0.2), (1.6, 0.55, 2.2), turn("x", -25)), ball((0, 57.0, -5.2), (3.0, 0.7, 2.6))]
    face: list[Solid] = []
    for side in (-1, 1):
        rim = [
            (side * (2.95 + 2.0 * math.cos(a)), 59.2 + 1.75 * math.sin(a), 6.9 - 0.55 * math.cos(a))
            for a in np.linspace(0, 2 * math.pi, 11)
        ]
        face += bent_rod(rim, 0.33, 1.0, (0, 0, 1))
        face += [rod((side * 2.7, 57.2, 6.3), (side * 1.9, 53.9, 6.9), 1.5, 0.6, 0.35, (0, 0, 1))]
    face += [rod((0, 60.2, 8.0), (0, 57.8, 9.0), 0.7, 0.45, 0.5, (0, 0, 1)), box((0, 57.0, 4.6), (0.12, 1.8, 2.6))]
    upper, lower = (
        [
            box((2.35 * math.sin(a), y, 5.0 + 2.9 * math.cos(a)), (0.3, 0.75, 0.35), turn("y", math.degrees(a)))
            for a in np.linspace(-1.7, 1.7, 14)
        ]
        for y in (53.3, 51.7)
    )
    jaw = [
        solid
        for side in (-1, 1)
        for solid in bent_rod(
            [
                (side * 5.0, 57.2, 0.4),
                (side * 4.8, 52.0, 1.2),
                (side * 3.4, 50.4, 4.8),
                (side * 1.2, 49.9, 7.9),
                (0, 49.9, 8.1),
            ],
            (0.5, 0.8, 0.85, 0.95, 0.95),
            0.55,
            (side * 1.0, 0, 0.6),
        )
    ]
    air = [
        *(ball((side * 2.75, 56.3, 5.4), (1.35, 1.6, 1.5)) for side in (-1, 1)),
        ball((1.0, 61.8, 7.5), (0.9, 0.9, 0.45)),
        ball((-0.9, 61.9, 7.5), (0.9, 1.1, 0.45)),
        ball((0, 58.3, 2.0), (1.0, 0.8, 1.0)),
        ball((0, 57.9, 5.4), (0.8, 1.1, 1.9)),
        rod((0, 55.4, 2.0), (0, 55.6, 6.8), 0.9, 0.8),
    ]
    return [
        Tissue("vault", (vault,), {"bone": 0.72 * grown}, less=(brain,)),
        bone("base of the skull", base, 0.3 * grown, 0.45 * grown, ()),
        bone("face", face, 0.15 * grown, 0.15 * grown),
        bone("jaw", jaw, 0.22 * grown, 0.2 * grown),
        Tissue("upper teeth", tuple(upper), {"bone": 1.1}),
        Tissue("lower teeth", tuple(lower), {"bone": 1.1}),
        Tissue("air of the face", tuple(air), {"air": 0.92}),
    ]


def swimmer_outline(build: Build) -> list[Solid]:
    """Neck and shoulders with the left arm raised beside the head and the right shoulder let down."""
    f = build.flesh
    return [
        *outline(replace(build, arms_up=True)),
        *capsules([(13.5, 38.5, -1.0), (13.0, 50, 1.0), (12.5, 64, 4.0)], (5.6 * f, 4.8 * f, 4.0 * f)),
        ball((-14.0 * f, 34.5, -1.5), (5.4 * f, 6.4, 5.6 * f)),
    ]


def swimmer(build: Build) -> list[Tissue]:
    """The neck from the side for a swimmer's view: one arm up, the other shoulder down."""
    thin = build.bone_share
    raised = [ball((13.6, 39.5, -1.0), 2.35), joined((13.6, 40.5, -0.8), (13.1, 46, 0.2), 1.9, 1.25)]
    lowered = [ball((-14.2, 33.4, -1.8), 2.35), joined((-14.5, 32.4, -1.7), (-14.9, 27.5, -1.4), 1.9, 1.3)]
    return [
        skin(swimmer_outline(build), 0.0),
        *trunk.chest_inside(build),
        throat(),
        *trunk.spine(build),
        *trunk.ribs(build),
        *cervical(build),
        *skull(build),
        bone("raised humerus", raised, 0.11 * thin, 0.15 * thin),
        *shaft("raised shaft", ((13.1, 46, 0.2), (12.6, 62, 3.4)), (1.25, 1.1), 0.42, thin, raised[1:]),
        bone("lowered humerus", lowered, 0.11 * thin, 0.15 * thin),
        *shaft("lowered shaft", ((-14.9, 27.5, -1.4), (-15.6, 12, -1.0)), (1.3, 1.15), 0.42, thin, lowered[1:]),
    ]


def neck(build: Build) -> list[Tissue]:
    """Head, neck and upper chest."""
    bones = [
        *trunk.chest_inside(build),
        throat(),
        *trunk.spine(build),
        *trunk.ribs(build),
        *trunk.shoulder_girdle(build),
        *cervical(build),
        *(open_mouth(skull(build), build.bend_deg) if build.bend_deg else skull(build)),
    ]
    return [
        skin(outline(build), 0.0),
        *bones,
    ]
