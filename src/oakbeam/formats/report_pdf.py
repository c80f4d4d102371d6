"""What printed reports share: their page, their type, and how a table is set. Readable in black and white."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Table, TableStyle

from oakbeam.formats.chart_pdf.page import BAND, INK, RULE, SOFT, safe

TEXT = ParagraphStyle("text", fontName="Oak", fontSize=9, leading=12, textColor=INK)
NOTE = ParagraphStyle("note", parent=TEXT, fontSize=7.5, leading=10, textColor=SOFT)
HEAD = ParagraphStyle("head", parent=TEXT, fontName="OakBold", fontSize=10.5, leading=14, spaceBefore=9, spaceAfter=3)
TITLE = ParagraphStyle("title", parent=TEXT, fontName="OakBold", fontSize=15, leading=20)
MARGIN = 18 * mm
WIDTH = A4[0] - 2 * MARGIN


def document(title: str, said: Sequence[Flowable], foot_said: str) -> bytes:
    """A report as PDF: its title, what it says, and a foot on each page. The fonts are there already."""
    out = io.BytesIO()
    made = SimpleDocTemplate(
        out,
        pagesize=A4,
        title=title,
        author="Oakbeam",
        invariant=1,
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN + 6 * mm,
    )

    def foot(canvas: Canvas, page: Any) -> None:
        canvas.setFont("Oak", 7)
        canvas.setFillColor(SOFT)
        canvas.drawString(MARGIN, MARGIN, foot_said)
        canvas.drawRightString(A4[0] - MARGIN, MARGIN, f"page {page.page}")

    made.build([Paragraph(safe(title), TITLE), *said], foot, foot)
    return out.getvalue()


def table(title: str, heads: Sequence[str], rows: Sequence[Sequence[str]], first: float = 1.0) -> list[Flowable]:
    """A table under its title; nothing without rows. first: how many times as wide as the others the first column is."""
    if not rows:
        return []
    body = [[Paragraph(text, NOTE) for text in heads], *([Paragraph(text, TEXT) for text in row] for row in rows)]
    unit = (A4[0] - 2 * MARGIN) / (first + len(heads) - 1)
    table = Table(body, [first * unit, *[unit] * (len(heads) - 1)], repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("BACKGROUND", (0, 0), (-1, 0), BAND),
                ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2.5),
                ("LEFTPADDING", (0, 0), (-1, -1), 3),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ]
        )
    )
    return [Paragraph(title, HEAD), table]


def figure(value: float | None) -> str:
    """A number in four figures; nothing for none."""
    return "" if value is None else f"{value:.4g}"


def percent(value: float) -> str:
    """A signed percentage."""
    return minus(f"{value:+.1f} %")


def minus(text: str) -> str:
    """A text with real minus signs."""
    return text.replace("-", "−")
