"""The booklet: every line with its settings all along its range, on A5."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepTogether, Paragraph, Spacer

from oakbeam.core.charts.printed_page import SheetLine
from oakbeam.formats.chart_pdf.page import SOFT, Layout, by_region, region_name, safe, style
from oakbeam.formats.chart_pdf.wall import name_of, strips


def story(lines: Sequence[SheetLine], layout: Layout) -> list[Flowable]:
    """Each line with its settings all along its range."""
    found: list[Flowable] = []
    for region, group in by_region(lines):
        found += [Paragraph(region_name(region), style(layout, bold=True, scale=1.25)), Spacer(1, 2 * mm)]
        for one in group:
            block: list[Flowable] = [name_of(one, layout), Spacer(1, 0.8 * mm), *strips(one, layout, layout.column_width)]
            if one.line.note:
                block.append(Paragraph(safe(one.line.note), style(layout, scale=0.85, color=SOFT)))
            found.append(KeepTogether([*block, Spacer(1, 3 * mm)]))
    return found
