"""The picture sheets of docs/practice.md: parts in their main views, small to large, right and five kinds of wrong.

python -m tools.practice_sheet
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from oakbeam import catalogue
from oakbeam.core.practice.own_faults import Cause, Kind, turned
from oakbeam.core.practice.pictured import Pictured, average, pictured_own
from oakbeam.core.practice.shown import shown
from oakbeam.core.practice.simulated_room import Case, Mishap, take, usual_console
from oakbeam.core.practice.views import Lie

TARGET = Path(__file__).parents[1] / "docs" / "practice"
SHEETS = {
    "arm": ("hand-pa", "wrist-lateral", "forearm-ap", "elbow-ap", "elbow-lateral", "humerus-ap"),
    "shoulder": (
        "shoulder-ap-external",
        "shoulder-grashey",
        "shoulder-scapular-y",
        "shoulder-axial",
        "clavicle-ap",
        "acj-ap",
    ),
    "leg": ("foot-ap", "foot-oblique", "calcaneus-lateral", "ankle-mortise", "ankle-lateral", "tibfib-ap"),
    "knee-and-hip": (
        "knee-ap",
        "knee-lateral",
        "patella-tangential-inferosuperior",
        "femur-ap-distal",
        "hip-ap",
        "hip-lateral-crosstable",
        "pelvis-ap",
    ),
    "trunk": ("chest-pa", "chest-lateral", "ribs-oblique", "sternum-lateral", "abdomen-supine", "sij-ap-axial"),
    "spine": ("tspine-ap", "tspine-lateral", "lspine-ap", "lspine-oblique", "lspine-lateral", "sacrum-lateral"),
    "neck-and-head": (
        "cspine-ap-axial",
        "cspine-lateral",
        "cspine-odontoid",
        "swimmers-upright",
        "skull-pa-axial",
        "skull-lateral",
        "sinus-waters",
    ),
}
KINDS: tuple[Kind, ...] = ("noise", "burned", "flat", "motion")
WRONG: Mapping[str, Cause] = {**{one: one for one in KINDS}, "turned": turned(16)}
CELL, HEAD, PIXELS, BENDS = 176, 14, 256, 5.0


def grey(one: Pictured) -> Image.Image:
    """An image as its system shows it, by the viewer's own curve."""
    taken = take(one.case, one.console, one.lie, one.mishap, PIXELS, 1)
    image = shown(taken.radiograph, taken.body)
    share = (image.levels.astype(float) - image.light) / max(image.dark - image.light, 1)
    ends = 1 / (1 + np.exp(BENDS / 2))
    bent = (1 / (1 + np.exp(-BENDS * (share - 0.5))) - ends) / (1 - 2 * ends)
    return Image.fromarray((255 * (1 - np.clip(bent, 0, 1))).astype(np.uint8))


def row(projection_id: str) -> list[tuple[str, Image.Image]]:
    """The images of a view with what each is."""
    view = catalogue.projection(projection_id)
    found = []
    for name, cm in zip(("small", "average", "large"), view.thickness_cm, strict=True):
        case = Case(view, float(cm), seed=average(view).seed)
        found.append((f"{name}, {cm:g} cm", grey(Pictured(name, "", case, usual_console(case), Lie(), Mishap()))))
    return found + [(name, grey(pictured_own(view, cause, name, ""))) for name, cause in WRONG.items()]


def main() -> None:
    """Write every sheet."""
    TARGET.mkdir(exist_ok=True)
    for name, views in SHEETS.items():
        sheet = Image.new("L", (CELL * 8, (CELL + HEAD) * len(views)), 255)
        for down, projection_id in enumerate(views):
            for across, (said, image) in enumerate(row(projection_id)):
                image.thumbnail((CELL - 6, CELL - 6))
                top = down * (CELL + HEAD)
                ImageDraw.Draw(sheet).text((across * CELL, top), f"{projection_id} {said}"[:34], fill=0)
                sheet.paste(image, (across * CELL, top + HEAD))
        sheet.save(TARGET / f"{name}.png", optimize=True)
        print(name)


if __name__ == "__main__":
    main()
