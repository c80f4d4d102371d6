"""The pages of a PDF as pictures, to look at before they are printed."""

from __future__ import annotations

import io
from dataclasses import dataclass

import pypdfium2 as pdfium

MOST_PAGES = 12


@dataclass(frozen=True, slots=True)
class Picture:
    """A page as PNG, with its width and height [mm]."""

    width_mm: float
    height_mm: float
    png: bytes


def pictures(pdf: bytes, pixels: int = 1400) -> tuple[int, tuple[Picture, ...]]:
    """(how many pages there are, the first MOST_PAGES of them, `pixels` along their longer side)."""
    document = pdfium.PdfDocument(pdf)
    found = []
    for at in range(min(len(document), MOST_PAGES)):
        page = document[at]
        width, height = page.get_size()
        out = io.BytesIO()
        page.render(scale=pixels / max(width, height), grayscale=True).to_pil().save(out, "PNG")
        found.append(Picture(width / 72 * 25.4, height / 72 * 25.4, out.getvalue()))
    return len(document), tuple(found)
