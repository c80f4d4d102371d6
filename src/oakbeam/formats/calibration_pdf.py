"""The report of an accepted calibration as PDF: readings, what they say of tube and receptors, what that moves, by whom.

It is made of the audit row that the acceptance wrote, whose number and link stand at its foot: a report can be held against
the database that it came from.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from oakbeam.core.dates import day_of
from oakbeam.formats.chart_pdf.page import BAND, INK, RULE, SOFT, fonts, safe

TEXT = ParagraphStyle("text", fontName="Oak", fontSize=9, leading=12, textColor=INK)
NOTE = ParagraphStyle("note", parent=TEXT, fontSize=7.5, leading=10, textColor=SOFT)
HEAD = ParagraphStyle("head", parent=TEXT, fontName="OakBold", fontSize=10.5, leading=14, spaceBefore=9, spaceAfter=3)
TITLE = ParagraphStyle("title", parent=TEXT, fontName="OakBold", fontSize=15, leading=20)
MARGIN = 18 * mm
MOST_MOVED = 40
"""Lines that are named one by one; of the others the report says how many and how far at most."""


@dataclass(frozen=True, slots=True)
class Accepted:
    """A calibration as it was accepted. readings, found: as the audit row holds them; found is empty for one from before the
    findings were kept. number, link: of that row. names: of receptors and of views, by id."""

    room: str
    at: str
    by: str
    readings: Mapping[str, Any]
    found: Mapping[str, Any]
    number: int
    link: str
    names: Mapping[str, str]


def write(one: Accepted) -> bytes:
    """The report as PDF."""
    fonts()
    out = io.BytesIO()
    title = f"Calibration of {one.room}, {day_of(one.at)}"
    document = SimpleDocTemplate(
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
        canvas.drawString(MARGIN, MARGIN, f"Oakbeam; audit row {one.number}, link {one.link or 'none'}")
        canvas.drawRightString(A4[0] - MARGIN, MARGIN, f"page {page.page}")

    document.build([Paragraph(safe(title), TITLE), *_about(one), *_readings(one), *_found(one), *_signed(one)], foot, foot)
    return out.getvalue()


def _about(one: Accepted) -> list[Flowable]:
    said = [
        ("Instrument", one.readings.get("instrument")),
        ("Read on", one.readings.get("read_on") and day_of(one.readings["read_on"])),
        ("Next due", one.readings.get("due_on") and day_of(one.readings["due_on"])),
        ("Note", one.readings.get("note")),
    ]
    lines = [f"{name}: {safe(str(value))}" for name, value in said if value]
    return [Paragraph("<br/>".join(lines) or "Nothing was noted of instrument and days.", TEXT)]


def _readings(one: Accepted) -> list[Flowable]:
    told = one.readings
    found: list[Flowable] = []
    found += _table(
        "Output readings",
        ("kVp", "mA", "mAs", "Distance, cm", "Air kerma, µGy"),
        [
            [*(_figure(row[name]) for name in ("kvp", "ma", "mas", "distance_cm")), _figure(row["kerma_ugy"])]
            for row in told.get("outputs", ())
        ],
    )
    found += _table(
        "Half-value layers",
        ("kVp", "HVL, mm Al"),
        [[_figure(row["kvp"]), _figure(row["hvl_mm_al"])] for row in told.get("hvls", ())],
    )
    found += _table(
        "Index readings",
        ("Receptor", "Kerma, µGy", "Index shown"),
        [
            [
                safe(one.names.get(row["receptor"], row["receptor"])),
                _figure(row["kerma_ugy"]),
                _figure(row.get("shown_index") or row.get("ei")),
            ]
            for row in told.get("indices", ())
        ],
    )
    return found


def _found(one: Accepted) -> list[Flowable]:
    said = one.found
    if not said:
        return [Paragraph("What was found of these readings was not kept at that time.", NOTE)]
    shown: list[Flowable] = _table(
        "Output at 100 cm",
        ("kVp", "Readings", "µGy/mAs", "Model, µGy/mAs", "Residual", "Since the last"),
        [
            [
                _figure(row["kvp"]),
                str(row["readings"]),
                _figure(row["output_ugy_per_mas"]),
                _figure(row["fitted_ugy_per_mas"]),
                _percent(row["residual_percent"]),
                "not read there" if row["change_percent"] is None else _percent(row["change_percent"]),
            ]
            for row in said["outputs"]
        ],
    )
    shown += _table(
        "Reproducibility and linearity",
        ("Check", "Where", "Found", "Usual limit", ""),
        [
            [
                safe(row["name"]),
                safe(row["where"]),
                f"{row['value_percent']:.1f} %",
                f"{row['limit_percent']:g} %",
                "kept" if row["kept"] else "NOT KEPT",
            ]
            for row in said["checks"]
        ],
    )
    if said["filtration_mm_al"] is not None:
        text = f"Total filtration that fits the half-value layers: {said['filtration_mm_al']:.2f} mm Al"
        text += (
            f", largest residual {said['hvl_residual_percent']:.1f} %." if said["hvl_residual_percent"] is not None else "."
        )
        shown += [Paragraph("Filtration", HEAD), Paragraph(text, TEXT)]
    shown += _table(
        "Index shown over called for",
        ("Receptor", "Readings", "Scale", "Largest residual"),
        [
            [
                safe(one.names.get(row["receptor"], row["receptor"])),
                str(row["readings"]),
                f"×{row['ei_scale']:.3f}",
                f"{row['residual_percent']:.1f} %",
            ]
            for row in said["indices"]
        ],
    )
    if said["notices"]:
        shown += [Paragraph("To look at", HEAD), *(Paragraph(safe(text), TEXT) for text in said["notices"])]
    moved = sorted(said["effects"], key=lambda row: -abs(row["di_change"]))
    shown += _table(
        "What it moves of the charts, the furthest first",
        ("View", "Support", "Index", "Skin kerma"),
        [
            [
                safe(one.names.get(row["projection"], row["projection"])),
                safe(row["support"].replace("_", " ")),
                _minus(f"DI {row['di_change']:+.2f}"),
                _percent(row["kerma_change_percent"]),
            ]
            for row in moved[:MOST_MOVED]
        ],
        first=2.5,
    )
    if rest := moved[MOST_MOVED:]:
        most = max(abs(row["di_change"]) for row in rest)
        shown.append(Paragraph(f"and {len(rest)} more lines, none by more than DI {most:.2f}.", NOTE))
    return shown


def _signed(one: Accepted) -> list[Flowable]:
    line = Table([["", ""]], [90 * mm, 60 * mm], [11 * mm])
    line.setStyle(TableStyle([("LINEBELOW", (0, 0), (0, 0), 0.5, INK)]))
    return [
        Paragraph("Accepted", HEAD),
        Paragraph(f"by {safe(one.by)} on {day_of(one.at)}, {one.at[11:16]} UTC, signed in under that name.", TEXT),
        Spacer(1, 4 * mm),
        line,
        Paragraph("Signature, where your department wants one by hand", NOTE),
        Spacer(1, 4 * mm),
        Paragraph(
            "Limits shown are usual ones, to be replaced by local codes. Local protocol and licensed staff decide.", NOTE
        ),
    ]


def _table(title: str, heads: Sequence[str], rows: Sequence[Sequence[str]], first: float = 1.0) -> list[Flowable]:
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


def _figure(value: float | None) -> str:
    return "" if value is None else f"{value:.4g}"


def _percent(value: float) -> str:
    return _minus(f"{value:+.1f} %")


def _minus(text: str) -> str:
    return text.replace("-", "−")
