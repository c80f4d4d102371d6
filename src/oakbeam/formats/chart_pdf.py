"""Printed charts: a wall chart, a booklet and a pocket card, each page with version, approval, date and a QR code.

The QR code is plain text, the chart's id and version, so that a sheet on a wall can be told from the newest one.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from pathlib import Path
from typing import Any, Literal

import reportlab
from reportlab.graphics import renderPDF
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.enums import TA_LEFT, TA_RIGHT
from reportlab.lib.pagesizes import A3, A4, A5, A6, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from oakbeam.core.charts.line import Chart
from oakbeam.core.charts.printed_page import Setting, SheetLine
from oakbeam.core.lengths import LengthUnit, length_figure

Kind = Literal["wall", "booklet", "card"]
Paper = Literal["a3", "a4"]
INK, SOFT, RULE, BAND, MARK = (HexColor(code) for code in ("#201d18", "#5b5449", "#b9ae9b", "#f3ede0", "#8c4a00"))
CARD_LINES = 34
CAUTION = "Starting points under local protocol; the supervising physician and licensed staff decide. Measure the part."
SHORT_CAUTION = "Starting points under local protocol. Measure the part."
REGION_NAMES = {"upper_limb": "Arm", "lower_limb": "Leg"}


@dataclass(frozen=True, slots=True)
class Page:
    """A page's size [pt], its margin, its type size, and the unit of its lengths."""

    size: tuple[float, float]
    margin: float
    points: float
    unit: LengthUnit = "cm"

    def length(self, cm: float) -> str:
        """A length without its unit."""
        return length_figure(cm, self.unit)


def write(
    chart: Chart,
    room_name: str,
    lines: Sequence[SheetLine],
    kind: Kind,
    paper: Paper = "a4",
    across: bool = False,
    unit: LengthUnit = "cm",
) -> bytes:
    """The chart as PDF. paper and across (landscape) are the wall chart's; a booklet is A5, a card A6. unit: of lengths."""
    _fonts()
    base = A3 if paper == "a3" else A4
    pages = {
        "wall": Page(landscape(base) if across else base, 11 * mm, 10.5 if paper == "a3" else 8.2),
        "booklet": Page(A5, 9 * mm, 7.4),
        "card": Page(A6, 6 * mm, 6.4),
    }
    page = replace(pages[kind], unit=unit)
    story = {"wall": _wall, "booklet": _booklet, "card": _card}[kind](lines, page) if lines else []
    if not lines:
        story.append(Paragraph("No line yet.", _style(page)))
    out = io.BytesIO()
    width, height = page.size
    foot = 15 * mm if kind != "card" else 12 * mm
    head = 13 * mm if kind != "card" else 9 * mm
    frame = Frame(
        page.margin, page.margin + foot, width - 2 * page.margin, height - 2 * page.margin - foot - head, 0, 0, 0, 0
    )

    def furnish(canvas: Canvas, document: Any) -> None:
        _head(canvas, page, chart, room_name, kind)
        _foot(canvas, page, chart, foot, document.page)

    document = BaseDocTemplate(
        out, pagesize=page.size, title=f"{room_name}: {chart.name}, version {chart.version}", invariant=1, author="Oakbeam"
    )
    document.addPageTemplates(PageTemplate("page", [frame], onPage=furnish))
    document.build(story)
    return out.getvalue()


def qr_text(chart: Chart) -> str:
    """What the QR code says."""
    return f"oakbeam chart {chart.id} version {chart.version}"


def _fonts() -> None:
    if "Oak" not in pdfmetrics.getRegisteredFontNames():
        folder = Path(reportlab.__file__).parent / "fonts"
        pdfmetrics.registerFont(TTFont("Oak", str(folder / "Vera.ttf")))
        pdfmetrics.registerFont(TTFont("OakBold", str(folder / "VeraBd.ttf")))


def _style(page: Page, bold: bool = False, scale: float = 1.0, color: Color = INK, right: bool = False) -> ParagraphStyle:
    size = page.points * scale
    name = f"{'b' if bold else 'n'}{size:.2f}{color.hexval()}{right}"
    return ParagraphStyle(
        name,
        fontName="OakBold" if bold else "Oak",
        fontSize=size,
        leading=size * 1.22,
        textColor=color,
        alignment=TA_RIGHT if right else TA_LEFT,
    )


def _safe(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _wall(lines: Sequence[SheetLine], page: Page) -> list[Flowable]:
    """One table: a row a line, in the regions of the body, for the small, the average and the large patient."""
    width = page.size[0] - 2 * page.margin
    wide = page.size[0] > page.size[1]
    shares = (
        [0.27, 0.255, 0.155, 0.32 / 3, 0.32 / 3, 0.32 / 3] if wide else [0.285, 0.27, 0.0, 0.445 / 3, 0.445 / 3, 0.445 / 3]
    )
    columns = [share * width for share in shares if share]
    small = _style(page, scale=0.88, color=SOFT)
    head = ["Projection", "Set-up", *(["Receptor"] if wide else []), "Small", "Average", "Large"]
    rows: list[list[Any]] = [[Paragraph(text, small) for text in head]]
    styles: list[tuple[Any, ...]] = []
    for region, group in groupby(sorted(lines, key=_region_order(lines)), key=lambda one: one.region):
        styles += [("SPAN", (0, len(rows)), (-1, len(rows))), ("BACKGROUND", (0, len(rows)), (-1, len(rows)), BAND)]
        rows.append([Paragraph(_region(region), _style(page, bold=True, color=MARK)), *[""] * (len(columns) - 1)])
        for one in group:
            conditions = one.conditions if wide else f"{one.conditions}<br/>{_safe(one.receptor)}"
            name = f"<font name='OakBold'>{_safe(one.exam)}</font> {_safe(one.name)}{_reach(one, page)}{_unseen(one)}"
            cells = [Paragraph(name, _style(page)), Paragraph(conditions, small)]
            rows.append([*cells, *([Paragraph(_safe(one.receptor), small)] if wide else []), *_three(one, page)])
    return [_ruled(rows, columns, styles)]


def _reach(one: SheetLine, page: Page) -> str:
    low, high = map(page.length, one.line.range_cm)
    return f" <font color='#5b5449'>{low}–{high} {page.unit}</font>"


def _unseen(one: SheetLine) -> str:
    """Said where no image stands behind a line: whoever takes it from the wall watches the first."""
    return " <font color='#8c4a00'>no image yet</font>" if one.unseen else ""


def _three(one: SheetLine, page: Page) -> list[Paragraph]:
    """The small, average and large patient; an own thickness where the range holds none of them."""
    if len(one.usual) == 3:
        return [_cell(setting, page) for setting in one.usual]
    blank = Paragraph("", _style(page))
    return [blank, *(_cell(setting, page) for setting in one.usual[:2]), *[blank] * (2 - len(one.usual[:2]))]


def _cell(setting: Setting, page: Page) -> Paragraph:
    place = f"<font size='{page.points * 0.8:.1f}' color='#5b5449'>{page.length(setting.thickness_cm)} {page.unit}</font>"
    if setting.mas is None or setting.kvp is None:
        return Paragraph(f"{place}<br/>not to be had", _style(page, scale=0.88))
    rest = f"<font size='{page.points * 0.8:.1f}'>mAs {setting.kvp:g} kVp</font>"
    return Paragraph(f"{place}<br/><font name='OakBold'>{setting.mas:g}</font> {rest}", _style(page))


def _booklet(lines: Sequence[SheetLine], page: Page) -> list[Flowable]:
    """Each line with its settings all along its range."""
    width = page.size[0] - 2 * page.margin
    story: list[Flowable] = []
    for region, group in groupby(sorted(lines, key=_region_order(lines)), key=lambda one: one.region):
        story += [Paragraph(_region(region), _style(page, bold=True, scale=1.25, color=MARK)), Spacer(1, 2 * mm)]
        for one in group:
            name = f"<font name='OakBold'>{_safe(one.exam)}</font> {_safe(one.name)}{_unseen(one)}"
            block: list[Flowable] = [Paragraph(name, _style(page, scale=1.1))]
            block.append(Paragraph(f"{one.conditions}; {_safe(one.receptor)}", _style(page, scale=0.9, color=SOFT)))
            block.append(Spacer(1, 0.8 * mm))
            block += _strips(one, page, width)
            if one.line.note:
                block.append(Paragraph(_safe(one.line.note), _style(page, scale=0.85, color=SOFT)))
            story += [KeepTogether([*block, Spacer(1, 3 * mm)])]
    return story


def _strips(one: SheetLine, page: Page, width: float) -> list[Flowable]:
    """Tables of three rows, cm over kVp over mAs, of eight thicknesses each. Plain cells: there are thousands of them."""
    found: list[Flowable] = []
    small = page.points * 0.88
    styles = [
        ("FONT", (0, 0), (-1, 1), "Oak", page.points),
        ("FONT", (1, 2), (-1, 2), "OakBold", page.points),
        ("FONT", (0, 0), (0, -1), "Oak", small),
        ("FONT", (0, 0), (-1, 0), "Oak", small),
        ("TEXTCOLOR", (0, 0), (0, -1), SOFT),
        ("TEXTCOLOR", (0, 0), (-1, 0), SOFT),
        ("ALIGN", (0, 0), (-1, -1), "RIGHT"),
    ]
    for start in range(0, len(one.along), 8):
        part = one.along[start : start + 8]
        blank = [""] * (8 - len(part))
        rows = [
            [page.unit, *(page.length(setting.thickness_cm) for setting in part), *blank],
            ["kVp", *(_number(setting.kvp) for setting in part), *blank],
            ["mAs", *(_number(setting.mas) for setting in part), *blank],
        ]
        found.append(_ruled(rows, [0.1 * width, *[0.9 * width / 8] * 8], styles, page.points * 1.5, header=False))
    return found


def _card(lines: Sequence[SheetLine], page: Page) -> list[Flowable]:
    """The chart's first lines, one row each, for the average patient and what a larger or smaller one needs."""
    width = page.size[0] - 2 * page.margin
    small = _style(page, scale=0.88, color=SOFT)
    rows: list[list[Any]] = [[Paragraph(text, small) for text in ("", "kVp", "Small", "Average", "Large")]]
    for one in sorted(lines[:CARD_LINES], key=_region_order(lines)):
        middle = one.usual[len(one.usual) // 2]
        mas = [f"{page.length(at.thickness_cm)}: <font name='OakBold'>{_number(at.mas)}</font>" for at in one.usual]
        mas = mas if len(mas) == 3 else ["", *mas[:2], *[""] * (2 - len(mas[:2]))]
        kvps = [setting.kvp for setting in one.usual if setting.kvp is not None]
        steady = len(set(kvps)) == 1
        kvp = _number(middle.kvp) if steady else f"{_number(min(kvps, default=None))}–{_number(max(kvps, default=None))}"
        grid = f" g{one.line.grid_ratio}" if one.line.grid_ratio else ""
        behind = f", {_safe(one.filter)}" if one.filter else ""
        where = f"<font color='#5b5449'>{grid} {page.length(one.line.sid_cm)}{behind}</font>"
        name = f"{_safe(one.exam)} {_safe(one.name)}{where}{_unseen(one)}"
        rows.append([Paragraph(text, _style(page)) for text in (name, kvp, *mas)])
    says = f"mAs by thickness in {page.unit}; g: grid ratio; then SID in {page.unit}, and a tube filter where there is one."
    key = Paragraph(says, small)
    return [_ruled(rows, [0.37 * width, 0.12 * width, *[0.17 * width] * 3], []), key]


def _number(value: float | None) -> str:
    return "none" if value is None else f"{value:g}"


def _region_order(lines: Sequence[SheetLine]) -> Any:
    """Regions, exams and projections in the order in which the chart first has them; a projection's lines together."""
    first: dict[str, int] = {}
    for at, one in enumerate(lines):
        for name in (one.region, one.exam, one.line.projection):
            first.setdefault(name, at)
    return lambda one: (first[one.region], first[one.exam], first[one.line.projection])


def _region(region: str) -> str:
    return REGION_NAMES.get(region, region.replace("_", " ").capitalize())


def _ruled(
    rows: list[list[Any]],
    columns: list[float],
    styles: list[tuple[Any, ...]],
    row_height: float | None = None,
    header: bool = True,
) -> Table:
    style = [
        ("LINEBELOW", (0, 0), (-1, -1), 0.3, RULE),
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.4),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.8),
        ("LEFTPADDING", (0, 0), (-1, -1), 2),
        ("RIGHTPADDING", (0, 0), (-1, -1), 2),
        *styles,
    ]
    return Table(rows, columns, row_height, repeatRows=1 if header else 0, style=TableStyle(style))


def _head(canvas: Canvas, page: Page, chart: Chart, room_name: str, kind: Kind) -> None:
    width, height = page.size
    top = height - page.margin
    size = page.points * (1.7 if kind == "wall" else 1.45)
    canvas.setFillColor(INK)
    canvas.setFont("OakBold", size)
    canvas.drawString(page.margin, top - size, _clipped(f"{room_name}: {chart.name}", "OakBold", size, width * 0.74))
    canvas.setFont("Oak", page.points)
    canvas.setFillColor(SOFT)
    canvas.drawRightString(width - page.margin, top - size, f"version {chart.version}")
    canvas.setStrokeColor(MARK)
    canvas.setLineWidth(1)
    canvas.line(page.margin, top - size * 1.5, width - page.margin, top - size * 1.5)
    if chart.status != "approved":
        canvas.saveState()
        canvas.translate(width / 2, height / 2)
        canvas.rotate(54)
        canvas.setFillColor(Color(0.55, 0.29, 0, alpha=0.10))
        word = {"draft": "DRAFT", "proposed": "PROPOSED", "superseded": "SUPERSEDED"}[chart.status]
        canvas.setFont("OakBold", min(width, height) / (0.75 * len(word)))
        canvas.drawCentredString(0, 0, word)
        canvas.restoreState()


def _foot(canvas: Canvas, page: Page, chart: Chart, foot: float, number: int) -> None:
    width, _ = page.size
    side = foot - 2 * mm
    _qr(canvas, qr_text(chart), width - page.margin - side, page.margin - 1 * mm, side)
    room = width - 2 * page.margin - side - 4 * mm
    size = page.points * 0.86
    canvas.setFont("OakBold", size)
    canvas.setFillColor(INK)
    canvas.drawString(page.margin, page.margin + size * 3.0, _clipped(_standing(chart), "OakBold", size, room))
    canvas.setFont("Oak", size)
    canvas.setFillColor(SOFT)
    caution = CAUTION if pdfmetrics.stringWidth(CAUTION, "Oak", size) <= room else SHORT_CAUTION
    canvas.drawString(page.margin, page.margin + size * 1.6, _clipped(caution, "Oak", size, room))
    canvas.drawString(page.margin, page.margin + size * 0.2, f"Chart {chart.id}, version {chart.version}, page {number}")


def _standing(chart: Chart) -> str:
    """Version, approval and date in words."""
    if chart.status == "approved":
        return f"Approved by {chart.approver} on {chart.approved_at[:10]}; made by {chart.author}"
    if chart.status == "superseded":
        return f"SUPERSEDED: a newer version is in use. Approved by {chart.approver} on {chart.approved_at[:10]}"
    return f"{chart.status.upper()}, not approved: not for use. Made by {chart.author} on {chart.created_at[:10]}"


def _clipped(text: str, font: str, size: float, room: float) -> str:
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
