"""Printed charts: a wall chart to read from two metres, a booklet, and a pocket card folded from one sheet.

Each page has version, approval, date and a QR code. The code is plain text, the chart's id and version, so that a sheet on a
wall can be told from the newest one.
"""

from __future__ import annotations

import io
from collections.abc import Sequence

from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate, Paragraph

from oakbeam.core.charts.line import Chart
from oakbeam.core.charts.printed_page import SheetLine
from oakbeam.formats.chart_pdf import booklet, card, wall
from oakbeam.formats.chart_pdf.page import (
    Kind,
    Layout,
    Pages,
    Paper,
    Printing,
    Rows,
    fonts,
    layout_of,
    page_foot,
    page_head,
    qr_text,
    style,
)
from oakbeam.formats.chart_pdf.pictures import pictures

__all__ = ["Kind", "Pages", "Paper", "Printing", "Rows", "pictures", "qr_text", "write"]


def write(chart: Chart, room_name: str, lines: Sequence[SheetLine], printing: Printing) -> bytes:
    """The chart as PDF, as `printing` says."""
    fonts()
    layout = layout_of(printing)
    story = {"wall": wall.story, "booklet": booklet.story, "card": card.story}[printing.kind](lines, layout) if lines else []
    if not lines:
        story.append(Paragraph("No line yet.", style(layout)))
    out = io.BytesIO()

    def template(name: str, columns: int) -> PageTemplate:
        return PageTemplate(
            name,
            [Frame(*box, 0, 0, 0, 0) for box in _boxes(layout, columns)],
            onPage=lambda canvas, _: page_head(canvas, layout, chart, room_name),
            onPageEnd=lambda canvas, document: page_foot(canvas, layout, chart, document.page),
        )

    document = BaseDocTemplate(
        out, pagesize=layout.size, title=f"{room_name}: {chart.name}, version {chart.version}", invariant=1, author="Oakbeam"
    )
    document.addPageTemplates([template("page", layout.columns), template("whole", 1)])
    document.build(story)
    return card.folded(out.getvalue()) if printing.kind == "card" else out.getvalue()


def _boxes(layout: Layout, columns: int) -> list[tuple[float, float, float, float]]:
    """The columns of a page: (x, y, width, height) [pt] of each."""
    width, height = layout.size
    tall = height - 2 * layout.margin - layout.foot - layout.head
    wide = (width - 2 * layout.margin - (columns - 1) * layout.gutter) / columns
    return [(layout.margin + i * (wide + layout.gutter), layout.margin + layout.foot, wide, tall) for i in range(columns)]
