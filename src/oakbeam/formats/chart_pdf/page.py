"""What every printed page has: its size and type, its head and foot, and how text and tables are set."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from operator import attrgetter
from pathlib import Path
from typing import Any, Literal

import reportlab
from reportlab.graphics import renderPDF
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.enums import TA_LEFT, TA_RIGHT
from reportlab.lib.pagesizes import A3, A4, A5, A7, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph, Table, TableStyle

from oakbeam.core.charts.line import Chart
from oakbeam.core.charts.printed_page import Setting, SheetLine
from oakbeam.core.dates import day_of
from oakbeam.core.lengths import LengthUnit, length_figure

Kind = Literal["wall", "booklet", "card"]
Paper = Literal["a3", "a4"]
Rows = Literal["sizes", "steps"]
"""For the small, the average and the large patient, or for every step of thickness."""
Pages = Literal["few", "region"]
"""As few pages as fit, or a new page for each region of the body."""

# Nothing is told by its colour alone: every page reads the same in black and white.
INK, SOFT, RULE, BAND = (HexColor(code) for code in ("#000000", "#3d3d3d", "#9a9a9a", "#e8e8e8"))
CAUTION = "Starting points under local protocol; the supervising physician and licensed staff decide. Measure the part."
SHORT_CAUTION = "Starting points under local protocol. Measure the part."
REGION_ORDER = ("skull", "spine", "chest", "shoulder", "upper_limb", "abdomen", "pelvis", "lower_limb")
"""The order of the body in which departments hang their charts, from the head down."""
REGION_NAMES = {"upper_limb": "Arm", "lower_limb": "Leg"}
NUMBERS_PT = {"a3": 14.0, "a4": 11.0}
"""The size of kVp and mAs on a wall chart: read from two metres."""


@dataclass(frozen=True, slots=True)
class Printing:
    """How a chart is printed. paper, across, rows and pages are the wall chart's. printed: the day of printing in words, ""
    where it is not told."""

    kind: Kind = "wall"
    paper: Paper = "a4"
    across: bool = False
    rows: Rows = "sizes"
    pages: Pages = "few"
    unit: LengthUnit = "cm"
    printed: str = ""


@dataclass(frozen=True, slots=True)
class Layout:
    """A page as it is set: sizes [pt], its columns of text, and the size of type of names (points) and numbers (numbers)."""

    printing: Printing
    size: tuple[float, float]
    margin: float
    head: float
    foot: float
    points: float
    numbers: float
    columns: int = 1
    gutter: float = 5 * mm

    @property
    def column_width(self) -> float:
        """The width of one column of text [pt]."""
        return (self.size[0] - 2 * self.margin - (self.columns - 1) * self.gutter) / self.columns

    def length(self, cm: float) -> str:
        """A length without its unit."""
        return length_figure(cm, self.printing.unit)


def layout_of(printing: Printing) -> Layout:
    """The page of a kind of print."""
    base = A3 if printing.paper == "a3" else A4
    size = landscape(base) if printing.across else base
    numbers = NUMBERS_PT[printing.paper]
    columns = max(1, round(size[0] / (28 * numbers)))
    wall = Layout(printing, size, 10 * mm, 12 * mm, 20 * mm, 0.72 * numbers, numbers, columns)
    return {
        "wall": replace(wall, columns=max(1, columns // 2)) if printing.rows == "steps" else wall,
        "booklet": Layout(printing, A5, 9 * mm, 13 * mm, 18 * mm, 7.4, 8.4),
        "card": Layout(printing, A7, 3.5 * mm, 6 * mm, 13 * mm, 6.2, 7.4),
    }[printing.kind]


def fonts() -> None:
    """Register the type that reportlab ships."""
    if "Oak" not in pdfmetrics.getRegisteredFontNames():
        folder = Path(reportlab.__file__).parent / "fonts"
        pdfmetrics.registerFont(TTFont("Oak", str(folder / "Vera.ttf")))
        pdfmetrics.registerFont(TTFont("OakBold", str(folder / "VeraBd.ttf")))


def style(layout: Layout, bold: bool = False, scale: float = 1.0, color: Color = INK, right: bool = False) -> ParagraphStyle:
    """Type of the page's size times a scale."""
    size = layout.points * scale
    name = f"{'b' if bold else 'n'}{size:.2f}{color.hexval()}{right}"
    return ParagraphStyle(
        name,
        fontName="OakBold" if bold else "Oak",
        fontSize=size,
        leading=size * 1.16,
        textColor=color,
        alignment=TA_RIGHT if right else TA_LEFT,
    )


def safe(text: str) -> str:
    """Text as reportlab's paragraphs take it."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


CHANGED, UNSEEN, PROVEN = "*", "°", "•"
"""Marks beside a name; the foot of each page says what they mean."""


def marks(one: SheetLine) -> str:
    """What whoever takes a line from the paper must know of it: that it changed, and what stands behind it."""
    behind = {"proven": PROVEN, "supported": "", "model": UNSEEN}[one.trust]
    # A blank that does not break: a mark never stands alone on a line.
    return f"\u00a0{CHANGED if one.changed else ''}{behind}" if one.changed or behind else ""


def set_up(one: SheetLine) -> str:
    """How a line is exposed, in words: where, with what, and what its index is to be."""
    return "; ".join(safe(part) for part in (one.conditions, one.control, one.receptor, one.target) if part)


def by_region(lines: Sequence[SheetLine]) -> list[tuple[str, list[SheetLine]]]:
    """The lines in the regions of the body from the head down; within one, exams and views in the chart's order."""
    first: dict[str, int] = {}
    for at, one in enumerate(lines):
        for name in (one.exam, one.line.projection):
            first.setdefault(name, at)

    def place(one: SheetLine) -> tuple[int, int, int]:
        region = REGION_ORDER.index(one.region) if one.region in REGION_ORDER else len(REGION_ORDER)
        return region, first[one.exam], first[one.line.projection]

    return [(region, list(group)) for region, group in groupby(sorted(lines, key=place), attrgetter("region"))]


def region_name(region: str) -> str:
    """A region in words."""
    return REGION_NAMES.get(region, region.replace("_", " ").capitalize())


def ruled(
    rows: list[list[Any]],
    columns: list[float],
    styles: Sequence[tuple[Any, ...]] = (),
    row_height: float | None = None,
    heads: int = 1,
) -> Table:
    """A table with a rule under each row; its first `heads` rows again on each page."""
    found = [
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE),
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.8),
        ("LEFTPADDING", (0, 0), (-1, -1), 2),
        ("RIGHTPADDING", (0, 0), (-1, -1), 2),
        *styles,
    ]
    return Table(rows, columns, row_height, repeatRows=heads, style=TableStyle(found))


def three_sizes(one: SheetLine) -> list[Setting | None]:
    """The small, average and large patient; an own thickness where the range holds none of them."""
    if len(one.usual) == 3:
        return [*one.usual]
    some = [*one.usual[:2]]
    return [None, *some, *[None] * (2 - len(some))]


def two_numbers(setting: Setting | None, layout: Layout, width: float) -> Paragraph | str:
    """kVp over mAs (bold), the thickness small beside them. width: of the cell [pt]: what is too long is set smaller."""
    if setting is None:
        return ""
    small = 0.55 * layout.numbers
    where = layout.length(setting.thickness_cm)
    if setting.mas is None or setting.kvp is None:
        return Paragraph(f"<font size='{small:.1f}'>{where}</font><br/>not to be had", style(layout, right=True, scale=0.8))
    size = layout.numbers
    longest = pdfmetrics.stringWidth(f"{where} ", "Oak", small) + pdfmetrics.stringWidth(f"{setting.kvp:g}", "Oak", size)
    longest = max(longest, pdfmetrics.stringWidth(f"{setting.mas:g}", "OakBold", size)) + 4
    size *= min(1.0, width / longest)
    text = (
        f"<font size='{small:.1f}'>{where}</font> <font size='{size:.1f}'>{setting.kvp:g}</font><br/>"
        f"<font name='OakBold' size='{size:.1f}'>{setting.mas:g}</font>"
    )
    return Paragraph(text, _spaced(style(layout, right=True), 1.1 * layout.numbers))


def _spaced(base: ParagraphStyle, leading: float) -> ParagraphStyle:
    """A style with another distance of its lines [pt]."""
    return ParagraphStyle(f"{base.name}{leading:.1f}", base, leading=leading)


def page_head(canvas: Canvas, layout: Layout, chart: Chart, room_name: str) -> None:
    """The chart's name and version; across the page, that it is not in use."""
    width, height = layout.size
    top = height - layout.margin
    size = min(layout.head * 0.52, layout.numbers * 1.5)
    canvas.setFillColor(INK)
    canvas.setFont("OakBold", size)
    canvas.drawString(layout.margin, top - size, clipped(f"{room_name}: {chart.name}", "OakBold", size, width * 0.7))
    canvas.setFont("Oak", size * 0.8)
    canvas.drawRightString(width - layout.margin, top - size, f"version {chart.version}")
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(1)
    canvas.line(layout.margin, top - size * 1.4, width - layout.margin, top - size * 1.4)
    if chart.status != "approved":
        canvas.saveState()
        canvas.translate(width / 2, height / 2)
        canvas.rotate(54)
        canvas.setFillColor(Color(0, 0, 0, alpha=0.10))
        word = {"draft": "DRAFT", "proposed": "PROPOSED", "superseded": "SUPERSEDED"}[chart.status]
        canvas.setFont("OakBold", min(width, height) / (0.75 * len(word)))
        canvas.drawCentredString(0, 0, word)
        canvas.restoreState()


def page_foot(canvas: Canvas, layout: Layout, chart: Chart, page: int) -> None:
    """Approval, until when the sheet is good, the caution, and the QR code."""
    width, _ = layout.size
    side = layout.foot - 2 * mm
    _qr(canvas, qr_text(chart), width - layout.margin - side, layout.margin - 1 * mm, side)
    room = width - 2 * layout.margin - side - 4 * mm
    small = layout.printing.kind == "card"
    size = 4.6 if small else min(8.5, max(6.4, layout.points * 0.86))
    caution = CAUTION if pdfmetrics.stringWidth(CAUTION, "Oak", size) <= room else SHORT_CAUTION
    lines = [
        ("OakBold", _standing(chart)),
        *(("OakBold", text) for text in _good_until(chart, layout.printing.printed)),
        ("Oak", caution),
        ("Oak", f"{CHANGED} changed   {UNSEEN} no image yet   {PROVEN} proven by images"),
        ("Oak", f"Chart {chart.id}, version {chart.version}, page {page}; kVp above, mAs below in bold"),
    ]
    canvas.setFillColor(INK)
    for at, (font, text) in enumerate(reversed(lines)):
        canvas.setFont(font, size)
        canvas.drawString(layout.margin, layout.margin + size * (0.1 + 1.25 * at), clipped(text, font, size, room))


def qr_text(chart: Chart) -> str:
    """What the QR code says."""
    return f"oakbeam chart {chart.id} version {chart.version}"


def _standing(chart: Chart) -> str:
    """Version, approval and date in words."""
    if chart.status == "approved":
        return f"Approved by {chart.approver} on {day_of(chart.approved_at)}; made by {chart.author}"
    if chart.status == "superseded":
        return f"SUPERSEDED: a newer version is in use. Approved by {chart.approver} on {day_of(chart.approved_at)}"
    return f"{chart.status.upper()}, not approved: not for use. Made by {chart.author} on {day_of(chart.created_at)}"


def _good_until(chart: Chart, printed: str) -> list[str]:
    """When it was printed, and what to look at before it is used."""
    until = f", good until {day_of(chart.review_by)}" if chart.review_by and chart.status == "approved" else ""
    on = [f"Printed {printed}{until}"] if printed else []
    return [*on, f"Check the date: is version {chart.version} still in use?"]


def clipped(text: str, font: str, size: float, room: float) -> str:
    """The text, with an ellipsis where it is longer than the room for it [pt]."""
    if pdfmetrics.stringWidth(text, font, size) <= room:
        return text
    while text and pdfmetrics.stringWidth(text + "…", font, size) > room:
        text = text[:-1]
    return text + "…"


def _qr(canvas: Canvas, text: str, x: float, y: float, side: float) -> None:
    code = QrCodeWidget(text, barLevel="M")
    left, low, right, high = code.getBounds()
    drawing = Drawing(side, side, transform=[side / (right - left), 0, 0, side / (high - low), 0, 0])
    drawing.add(code)
    renderPDF.draw(drawing, canvas, x, y)
