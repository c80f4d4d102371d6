"""The wall chart: numbers to read from two metres, in the order of the body, children on a sheet of their own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from reportlab.platypus import Flowable, KeepTogether, NextPageTemplate, PageBreak, Paragraph, Spacer

from oakbeam.core.charts.printed_page import AGE_WORDS, SheetLine
from oakbeam.core.patient.dose_levels import WEIGHT_AT_AGE_KG
from oakbeam.formats.chart_pdf.page import (
    BAND,
    SOFT,
    Layout,
    by_region,
    marks,
    region_name,
    ruled,
    safe,
    set_up,
    style,
    three_sizes,
    two_numbers,
)


def story(lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """The adults' lines, then the children's by weight and age."""
    adults, children = [one for one in lines if not one.at_ages], [one for one in lines if one.at_ages]
    found: list[Flowable] = []
    for region, group in by_region(adults):
        if found and layout.printing.pages == "region":
            found.append(PageBreak())
        found += _steps(region, group, layout) if layout.printing.rows == "steps" else _sizes(region, group, layout)
    if children:
        found += [NextPageTemplate("whole"), *([PageBreak()] if found else []), *_children(children, layout)]
    return found


def name_of(one: SheetLine, layout: Layout) -> Paragraph:
    """The view, its range, what to know of it, and under it how it is exposed."""
    low, high = map(layout.length, one.line.range_cm)
    text = (
        f"<font name='OakBold'>{safe(one.exam)} {safe(one.name)}</font>{marks(one)}"
        f"<br/><font size='{0.82 * layout.points:.1f}' color='{SOFT.hexval().replace('0x', '#')}'>"
        f"{low}–{high} {layout.printing.unit}; {set_up(one)}</font>"
    )
    return Paragraph(text, style(layout))


def _sizes(region: str, lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """One table a region: a row a line, for the small, the average and the large patient."""
    width = layout.column_width
    each = max(0.17 * width, 4.3 * layout.numbers)
    columns = [width - 3 * each, each, each, each]
    small = style(layout, scale=0.8, color=SOFT, right=True)
    title = Paragraph(region_name(region), style(layout, bold=True, scale=1.1))
    rows: list[list[Any]] = [[title, *(Paragraph(text, small) for text in ("small", "average", "large"))]]
    rows += [[name_of(one, layout), *(two_numbers(setting, layout, each) for setting in three_sizes(one))] for one in lines]
    return [ruled(rows, columns, [("BACKGROUND", (0, 0), (-1, 0), BAND)])]


def _steps(region: str, lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """Every step of thickness of each line: cm over kVp over mAs."""
    found: list[Flowable] = []
    for at, one in enumerate(lines):
        title = [Paragraph(region_name(region), style(layout, bold=True, scale=1.4)), Spacer(1, 3)] if at == 0 else []
        block = [*title, name_of(one, layout), Spacer(1, 1.5), *strips(one, layout, layout.column_width), Spacer(1, 5)]
        found.append(KeepTogether(block))
    return found


def strips(one: SheetLine, layout: Layout, width: float) -> list[Flowable]:
    """Tables of three rows, cm over kVp over mAs. Plain cells: there are thousands of them."""
    size = layout.numbers
    label = 2.6 * size
    each = max(1, int((width - label) / (3.25 * size)))
    styles = [
        ("FONT", (0, 0), (-1, 0), "Oak", 0.75 * size),
        ("FONT", (0, 1), (-1, 1), "Oak", size),
        ("FONT", (0, 2), (-1, 2), "OakBold", size),
        ("FONT", (0, 0), (0, -1), "Oak", 0.7 * size),
        ("ALIGN", (0, 0), (-1, -1), "RIGHT"),
        ("BACKGROUND", (0, 0), (-1, 0), BAND),
    ]
    found: list[Flowable] = []
    for start in range(0, len(one.along), each):
        part = one.along[start : start + each]
        blank = [""] * (each - len(part))
        rows = [
            [layout.printing.unit, *(layout.length(setting.thickness_cm) for setting in part), *blank],
            ["kVp", *("–" if setting.kvp is None else f"{setting.kvp:g}" for setting in part), *blank],
            ["mAs", *("–" if setting.mas is None else f"{setting.mas:g}" for setting in part), *blank],
        ]
        found.append(ruled(rows, [label, *[(width - label) / each] * each], styles, size * 1.45, heads=0))
    return found


def _children(lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """The children's lines: a column an age, with its usual weight and the thickness usual for it."""
    width = layout.size[0] - 2 * layout.margin
    each = max(4.3 * layout.numbers, 0.13 * width)
    columns = [width - 5 * each, *[each] * 5]
    small = style(layout, scale=0.8, color=SOFT, right=True)
    heads = [f"{words}<br/>{WEIGHT_AT_AGE_KG[age]:g} kg" for age, words in AGE_WORDS.items()]
    title = Paragraph("Children, by age and usual weight", style(layout, bold=True, scale=1.1))
    rows: list[list[Any]] = [[title, *(Paragraph(text, small) for text in heads)]]
    for _, group in by_region(lines):
        for one in group:
            at = {found.age: found.setting for found in one.at_ages}
            rows.append([name_of(one, layout), *(two_numbers(at.get(age), layout, each) for age in AGE_WORDS)])
    says = "Measure the child: the thickness is the usual one of the age, and the technique goes by what the calipers read."
    return [ruled(rows, columns, [("BACKGROUND", (0, 0), (-1, 0), BAND)]), Spacer(1, 4), Paragraph(says, style(layout))]
