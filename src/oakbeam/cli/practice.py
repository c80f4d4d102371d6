"""`oakbeam practice image`: a computed radiograph from a shell."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from oakbeam import catalogue
from oakbeam.core.errors import Refusal


def add_to(commands: Any) -> None:
    """Add the group to the parser's commands. It needs no database."""
    kinds = commands.add_parser("practice", help="The simulated room: computed radiographs.").add_subparsers(
        required=True, metavar="what"
    )
    text = "Expose a computed body. The PNG holds the receptor's signal in 16 bits, the DICOM file the image as shown."
    image = kinds.add_parser("image", help=text, description=text)
    image.add_argument("--projection", required=True)
    image.add_argument("--thickness", type=float, required=True, metavar="CM")
    image.add_argument("--kvp", type=float, required=True)
    image.add_argument("--mas", type=float, required=True)
    image.add_argument("--grid-ratio", type=int, default=0, choices=(0, 5, 6, 8, 10, 12, 16))
    image.add_argument("--sid", type=float, metavar="CM", help="the projection's usual one where it is not said")
    image.add_argument("--gap", type=float, default=0.0, metavar="CM", help="from the patient to the receptor")
    image.add_argument("--side", choices=("left", "right"), default="left", help="of a limb")
    image.add_argument("--size", type=int, default=256, metavar="PIXELS")
    image.add_argument("--seed", type=int, default=0)
    image.add_argument("--out", type=Path, required=True, metavar="FILE", help="a .png or .dcm")
    image.add_argument("--json", action="store_true", help="print index and dose as JSON")
    image.set_defaults(run=_image)


def _image(given: argparse.Namespace) -> int:
    from oakbeam.core.practice.shown import shown
    from oakbeam.core.practice.simulated_room import Case, Console, take
    from oakbeam.formats import practice_image

    if given.out.suffix not in (".png", ".dcm"):
        raise Refusal("Which kind of file?", "Name a file that ends with .png or .dcm.", [".dcm", ".png"], "out")
    projection = catalogue.projection(given.projection)
    case = Case(projection, given.thickness, seed=given.seed, side=given.side)
    console = Console(given.kvp, given.mas, given.sid or projection.sid_cm, given.grid_ratio, given.gap)
    taken = take(case, console, pixels=given.size, seed=given.seed)
    if given.out.suffix == ".png":
        given.out.write_bytes(practice_image.as_png(taken))
    else:
        given.out.write_bytes(practice_image.as_dicom(taken, shown(taken.radiograph, taken.body), case, console))
    figures = {
        "ei": round(taken.index.ei, 2),
        "di": round(taken.di, 3),
        "incident_air_kerma_mgy": round(taken.radiograph.incident_air_kerma_mgy, 6),
    }
    if given.json:
        print(json.dumps(figures))
    else:
        kerma = f"{figures['incident_air_kerma_mgy']:.3g} mGy at the skin"
        print(f"{given.out.name}: EI {figures['ei']:.0f}, DI {figures['di']:+.1f}, {kerma}.")
    return 0
