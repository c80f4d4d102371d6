"""The report of a month of the log, for the quality meeting: as PDF and as a workbook, of the same facts."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from openpyxl import Workbook
from openpyxl.styles import Font
from reportlab.graphics.shapes import Circle, Drawing, Line, PolyLine, String
from reportlab.platypus import Flowable, KeepTogether, Paragraph

from oakbeam.core.log.board import Board
from oakbeam.core.log.control_chart import ControlChart
from oakbeam.core.log.shares import Quartiles, Share
from oakbeam.formats.cells import guarded
from oakbeam.formats.chart_pdf.page import INK, RULE, SOFT, fonts, safe
from oakbeam.formats.report_pdf import HEAD, NOTE, TEXT, WIDTH, document, figure, minus, table

MOST_VIEWS, MOST_ROWS = 40, 30


@dataclass(frozen=True, slots=True)
class SeriesOfReport:
    """A series with its control chart: its name, and the day (since any fixed one) and DI of each image."""

    name: str
    days: Sequence[float]
    di: Sequence[float]
    chart: ControlChart
    ticks: Sequence[tuple[float, str]] = ()
    """Days with what stands under them."""


@dataclass(frozen=True, slots=True)
class MonthOfLog:
    """What a month was like. where: the room or the department; views and reasons: names by id; levels: of skin kerma [mGy]
    by view; repeats: what rejected images cost, in words; alerts, incidents, tuned: rows of text."""

    where: str
    month: str
    since: str
    until: str
    board: Board
    views: Mapping[str, str]
    reasons: Mapping[str, str]
    levels: Mapping[str, float]
    repeats: Sequence[str] = ()
    series: Sequence[SeriesOfReport] = ()
    alerts: Sequence[tuple[str, str]] = ()
    incidents: Sequence[tuple[str, str, str]] = ()
    tuned: Sequence[tuple[str, str]] = ()
    days: Sequence[tuple[str, int, int | None, float | None]] = field(default_factory=tuple)
    """Day, exposures, rejected (None: not known), mean DI."""


def as_pdf(month: MonthOfLog) -> bytes:
    """The report as PDF, in black and white."""
    fonts()
    said: list[Flowable] = [
        Paragraph(f"{month.since} to {month.until}. In brackets: 95 in 100 sure; of medians the quartiles.", NOTE),
        *_in_all(month),
        *_rejects(month),
        *_views(month),
        *_charts(month),
        *_told("What moved", "Nothing moved that is more than chance.", month.alerts),
        *_told("Chart lines tuned", "No line was tuned this month.", month.tuned),
        *_incidents(month),
        Paragraph("Levels are examples until the department sets its own. Local protocol and licensed staff decide.", NOTE),
    ]
    return document(f"The log of {month.where}, {month.month}", said, f"Oakbeam; the log of {month.where}, {month.month}")


def _in_all(month: MonthOfLog) -> list[Flowable]:
    board = month.board
    rejects = _share(board.rejects) if board.rejects else "not known"
    text = f"{board.exposures} exposures; rejected: {rejects}; within ±1 DI: {_share(board.within)}."
    return [Paragraph(text, TEXT), *([Paragraph(board.said, TEXT)] if board.said and board.rejects else [])]


def _rejects(month: MonthOfLog) -> list[Flowable]:
    """The reasons as bars, the commonest first, with what they make together: a pareto chart."""
    reasons = month.board.by_reason[:10]
    if not reasons:
        return []
    row, most, total = 13.0, max(n for _, n in reasons), sum(n for _, n in month.board.by_reason)
    drawing, so_far = Drawing(WIDTH, row * len(reasons) + 4), 0
    for at, (code, n) in enumerate(reasons):
        y = row * (len(reasons) - at - 1) + 3
        so_far += n
        drawing.add(String(0, y, month.reasons.get(code, code), fontName="Oak", fontSize=8.5, fillColor=INK))
        drawing.add(Line(165, y + 3, 165 + 180 * n / most, y + 3, strokeColor=SOFT, strokeWidth=8))
        said = f"{n}; together {100 * so_far / total:.0f} %"
        drawing.add(String(170 + 180 * n / most, y, said, fontName="Oak", fontSize=8, fillColor=INK))
    cost = [Paragraph(safe(one), TEXT) for one in month.repeats]
    return [KeepTogether([Paragraph("Why rejected", HEAD), drawing, *cost])]


def _views(month: MonthOfLog) -> list[Flowable]:
    rows = []
    for one in month.board.views[:MOST_VIEWS]:
        level = month.levels.get(one.projection)
        kerma = _middle(one.kerma_mgy) + (f"; level {figure(level)}" if level else "")
        if level and one.kerma_mgy and one.kerma_mgy.median > level:
            kerma += ", OVER"
        rows.append(
            [
                safe(month.views.get(one.projection, one.projection)),
                str(one.made),
                _middle(one.di, signed=True),
                _share(one.within),
                _share(one.rejects) if one.rejects else "not known",
                kerma,
            ]
        )
    heads = ("View, furthest off first", "Exposures", "Median DI", "Within ±1", "Rejected", "Skin kerma, mGy")
    return table("View by view", heads, rows, first=1.3)


def _charts(month: MonthOfLog) -> list[Flowable]:
    return [KeepTogether([Paragraph(safe(one.name), HEAD), _control(one)]) for one in month.series]


def _control(one: SeriesOfReport) -> Drawing:
    """A control chart in black and white: images as dots, the mean of each stretch with its limits, upright where it
    moved."""
    height, left = 92.0, 24.0
    drawing = Drawing(WIDTH, height + 14)
    first, last = one.days[0], max(one.days[-1], one.days[0] + 1)
    reach = min(5.0, max(2.0, *(abs(value) for value in one.di)))

    def x(day: float) -> float:
        return left + (WIDTH - left) * (day - first) / (last - first)

    def y(di: float) -> float:
        return 12 + height * (max(-reach, min(reach, di)) + reach) / (2 * reach)

    for level in (-1, 0, 1):
        drawing.add(Line(left, y(level), WIDTH, y(level), strokeColor=RULE, strokeWidth=0.8 if level == 0 else 0.4))
        drawing.add(
            String(0, y(level) - 3, minus(f"{level:+d}") if level else "0", fontName="Oak", fontSize=7.5, fillColor=SOFT)
        )
    for day, said in one.ticks:
        if first <= day <= last:
            drawing.add(String(x(day), 0, said, fontName="Oak", fontSize=7.5, fillColor=SOFT))
    for day, di in zip(one.days, one.di, strict=True):
        drawing.add(Circle(x(day), y(di), 0.9, fillColor=SOFT, strokeColor=None))
    bounds = [0, *(shift.begins for shift in one.chart.shifts), len(one.di)]
    for begin, end in pairwise(bounds):
        if end <= begin:
            continue
        centre, a, b = one.chart.centre[begin], x(one.days[begin]), x(one.days[end - 1])
        drawing.add(Line(a, y(centre), b, y(centre), strokeColor=INK, strokeWidth=1.2))
        for limit in (-one.chart.ewma_limit, one.chart.ewma_limit):
            at = y(one.chart.about[begin] + limit)
            drawing.add(Line(a, at, b, at, strokeColor=INK, strokeWidth=0.5, strokeDashArray=(2, 2)))
    points: list[float] = []
    for day, value in zip(one.days, one.chart.ewma, strict=True):
        if value is None:
            _line(drawing, points)
            points = []
        else:
            points += [x(day), y(value)]
    _line(drawing, points)
    for shift in one.chart.shifts:
        at = x(one.days[shift.begins])
        drawing.add(Line(at, 12, at, 12 + height, strokeColor=INK, strokeWidth=0.8, strokeDashArray=(5, 2)))
        said = minus(f"{shift.size:+.1f} DI")
        drawing.add(String(min(at + 2, WIDTH - 34), 14, said, fontName="OakBold", fontSize=8, fillColor=INK))
    return drawing


def _line(drawing: Drawing, points: list[float]) -> None:
    if len(points) >= 4:
        drawing.add(PolyLine(points, strokeColor=INK, strokeWidth=1.6))


def _told(title: str, nothing: str, rows: Sequence[tuple[str, str]]) -> list[Flowable]:
    said = [f'<font name="OakBold">{safe(a)}</font> {safe(b)}' for a, b in rows[:MOST_ROWS]] or [nothing]
    return [Paragraph(title, HEAD), *(Paragraph(one, TEXT) for one in said)]


def _incidents(month: MonthOfLog) -> list[Flowable]:
    rows = [[safe(when), safe(what), safe(note)] for when, what, note in month.incidents[:MOST_ROWS]]
    return table("Exposures far over", ("When", "What", "What happened, and what came of it"), rows)


def _share(one: Share | None) -> str:
    if one is None:
        return "–"
    if one.of < 5:
        return f"{one.part} of {one.of}"
    return f"{100 * one.share:.0f} % ({100 * one.low:.0f} to {100 * one.high:.0f})"


def _middle(one: Quartiles | None, signed: bool = False) -> str:
    if one is None or (signed and one.n < 5):
        return f"{one.n} only" if one else "–"
    said = [f"{value:+.1f}" if signed else figure(float(f"{value:.2g}")) for value in (one.median, one.low, one.high)]
    return minus(f"{said[0]} ({said[1]} to {said[2]})".replace("-0.0", "0.0").replace("+0.0", "0.0"))


def as_xlsx(month: MonthOfLog) -> bytes:
    """The same as a workbook: a sheet for each part, figures as numbers."""
    book = Workbook()
    first = book.active
    assert first is not None
    first.title = "In all"
    board = month.board
    share = ("share", "from", "to", "of")
    rejects, within = _numbers(board.rejects), _numbers(board.within)
    for row in (
        ["The log of", month.where],
        ["Month", month.month],
        ["Exposures", board.exposures],
        ["", *share],
        ["Rejected", *rejects],
        ["Within ±1 DI", *within],
        ["", board.said],
    ):
        first.append([_cell(one) for one in row])
    quartile = ("median", "lower quartile", "upper quartile")
    heads = ["view", "exposures", *(f"DI, {one}" for one in quartile), *(f"within ±1, {one}" for one in share)]
    heads += [*(f"rejected, {one}" for one in share), *(f"skin kerma mGy, {one}" for one in quartile), "level mGy"]
    heads += [f"KAP mGy·cm², {one}" for one in quartile]
    _sheet(
        book,
        "Views",
        heads,
        [
            [
                month.views.get(one.projection, one.projection),
                one.made,
                *_three(one.di),
                *_numbers(one.within),
                *_numbers(one.rejects),
                *_three(one.kerma_mgy),
                month.levels.get(one.projection),
                *_three(one.kap_mgycm2),
            ]
            for one in board.views
        ],
    )
    _sheet(book, "Rejects", ["reason", "rejected"], [[month.reasons.get(c, c), n] for c, n in board.by_reason])
    _sheet(book, "Repeats", ["what rejected images cost"], [[one] for one in month.repeats])
    _sheet(book, "Days", ["day", "exposures", "rejected", "mean DI"], [list(one) for one in month.days])
    _sheet(book, "Moved", ["what", "note"], [list(one) for one in month.alerts])
    _sheet(book, "Tuned", ["line", "evidence"], [list(one) for one in month.tuned])
    _sheet(book, "Far over", ["when", "what", "note"], [list(one) for one in month.incidents])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _sheet(book: Workbook, name: str, heads: Sequence[str], rows: Sequence[Sequence[object]]) -> None:
    sheet = book.create_sheet(name)
    sheet.append(list(heads))
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for row in rows:
        sheet.append([_cell(one) for one in row])


def _cell(value: object) -> object:
    return guarded(value) if isinstance(value, str) else value


def _numbers(one: Share | None) -> list[float | int | None]:
    return [None] * 4 if one is None else [one.share, one.low, one.high, one.of]


def _three(one: Quartiles | None) -> list[float | None]:
    return [None] * 3 if one is None else [one.median, one.low, one.high]
