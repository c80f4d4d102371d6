"""The report of an accepted calibration as PDF: readings, what they say of tube and receptors, what that moves, by whom.

It is made of the audit row that the acceptance wrote, whose number and link stand at its foot: a report can be held against
the database that it came from.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

from oakbeam.core.dates import day_of
from oakbeam.formats.chart_pdf.page import INK, fonts, safe
from oakbeam.formats.report_pdf import HEAD, NOTE, TEXT, document, figure, minus, percent, table

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
    title = f"Calibration of {one.room}, {day_of(one.at)}"
    said = [*_about(one), *_readings(one), *_found(one), *_signed(one)]
    return document(title, said, f"Oakbeam; audit row {one.number}, link {one.link or 'none'}")


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
    found += table(
        "Output readings",
        ("kVp", "mA", "mAs", "Distance, cm", "Air kerma, µGy"),
        [
            [*(figure(row[name]) for name in ("kvp", "ma", "mas", "distance_cm")), figure(row["kerma_ugy"])]
            for row in told.get("outputs", ())
        ],
    )
    found += table(
        "Half-value layers",
        ("kVp", "HVL, mm Al"),
        [[figure(row["kvp"]), figure(row["hvl_mm_al"])] for row in told.get("hvls", ())],
    )
    found += table(
        "Index readings",
        ("Receptor", "Kerma, µGy", "Index shown"),
        [
            [
                safe(one.names.get(row["receptor"], row["receptor"])),
                figure(row["kerma_ugy"]),
                figure(row.get("shown_index") or row.get("ei")),
            ]
            for row in told.get("indices", ())
        ],
    )
    return found


def _found(one: Accepted) -> list[Flowable]:
    said = one.found
    if not said:
        return [Paragraph("What was found of these readings was not kept at that time.", NOTE)]
    shown: list[Flowable] = table(
        "Output at 100 cm",
        ("kVp", "Readings", "µGy/mAs", "Model, µGy/mAs", "Residual", "Since the last"),
        [
            [
                figure(row["kvp"]),
                str(row["readings"]),
                figure(row["output_ugy_per_mas"]),
                figure(row["fitted_ugy_per_mas"]),
                percent(row["residual_percent"]),
                "not read there" if row["change_percent"] is None else percent(row["change_percent"]),
            ]
            for row in said["outputs"]
        ],
    )
    shown += table(
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
    shown += table(
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
    shown += table(
        "What it moves of the charts, the furthest first",
        ("View", "Support", "Index", "Skin kerma"),
        [
            [
                safe(one.names.get(row["projection"], row["projection"])),
                safe(row["support"].replace("_", " ")),
                minus(f"DI {row['di_change']:+.2f}"),
                percent(row["kerma_change_percent"]),
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
