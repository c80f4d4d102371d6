"""The pocket card: pages of A7, eight on a sheet of A4 that is folded three times."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import pypdfium2 as pdfium
from reportlab.lib.pagesizes import A4, landscape
from reportlab.platypus import Flowable, Paragraph

from oakbeam.core.charts.printed_page import SheetLine
from oakbeam.formats.chart_pdf.page import (
    SOFT,
    Layout,
    by_region,
    marks,
    region_name,
    ruled,
    safe,
    style,
    three_sizes,
    two_numbers,
)

ACROSS, DOWN = 4, 2
"""Pages of A7 on a sheet of A4 laid across."""


def story(lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """A row a line, for the small, the average and the large patient, kVp over mAs."""
    width = layout.column_width
    each = 0.185 * width
    small = style(layout, scale=0.85, color=SOFT, right=True)
    found: list[Flowable] = []
    for region, group in by_region(lines):
        title = Paragraph(region_name(region), style(layout, bold=True))
        rows: list[list[Any]] = [[title, *(Paragraph(text, small) for text in ("small", "average", "large"))]]
        for one in group:
            where = "; ".join(safe(part) for part in (one.conditions, one.control) if part)
            name = (
                f"<font name='OakBold'>{safe(one.exam)} {safe(one.name)}</font>{marks(one)}"
                f"<br/><font size='{0.84 * layout.points:.1f}'>{where}</font>"
            )
            rows.append(
                [Paragraph(name, style(layout)), *(two_numbers(setting, layout, each) for setting in three_sizes(one))]
            )
        found.append(ruled(rows, [width - 3 * each, each, each, each]))
    return found


def folded(pages: bytes) -> bytes:
    """Pages of A7 laid on sheets of A4, the upper row head down: folded lengthwise, then twice across, each page stands
    upright as the card is turned over."""
    source, sheets = pdfium.PdfDocument(pages), pdfium.PdfDocument.new()
    width, height = landscape(A4)
    wide, tall = width / ACROSS, height / DOWN
    for first in range(0, len(source), ACROSS * DOWN):
        sheet = sheets.new_page(width, height)
        for at in range(first, min(first + ACROSS * DOWN, len(source))):
            place = at - first
            column, upper = place % ACROSS, place >= ACROSS
            own = source[at].get_size()
            matrix = pdfium.PdfMatrix().scale(wide / own[0], tall / own[1])
            if upper:
                matrix = matrix.rotate(180).translate(wide * (ACROSS - column), 2 * tall)
            else:
                matrix = matrix.translate(wide * column, 0)
            drawn = source.page_as_xobject(at, sheets).as_pageobject()
            drawn.set_matrix(matrix)
            sheet.insert_obj(drawn)
        sheet.gen_content()
    out = io.BytesIO()
    sheets.save(out)
    return out.getvalue()
