"""The job's rules and computation: pure, with no web, database, file or clock.

What others need is named here; the rooms behind it are laid out in docs/how-it-works.md. Lengths are cm, tube potential
kVp, tube load mAs, kerma as each name says. Whatever cannot be is refused with `Refusal` (or `OutOfRange`), which says what
is allowed.

A chart line applied to a patient who measures 24 cm, at an SID of 110 cm without the grid:

>>> from oakbeam import catalogue
>>> from oakbeam.core import ChartLine, FixedKvp, Patient, Setup, derive
>>> from oakbeam.demo import clinic
>>> room, projection = clinic.room_1(), catalogue.projection("lspine-ap")
>>> line = ChartLine("lspine-ap", "panel-43", "table_bucky", 12, 107, (13, 36), FixedKvp(21, 80, 40))
>>> found = derive(line, room, projection, Patient(24), Setup(sid_cm=110, grid_ratio=0))
>>> found.technique.kvp, found.technique.mas
(80.0, 12.5)
>>> [(step.name, round(step.factor, 2)) for step in found.steps]
[('Chart line', 1.0), ('Thickness', 1.59), ('SID', 1.06), ('Grid', 0.2), ('mAs setting', 0.93)]
"""

from oakbeam.core.chart_check.level import Levelling, level_it
from oakbeam.core.chart_check.register import CHECKS, Check, Finding
from oakbeam.core.chart_check.run import check_chart
from oakbeam.core.chart_making.from_exposure import AcceptedExposure, line_from_exposure
from oakbeam.core.chart_making.from_test_exposures import Built, TestExposure, build
from oakbeam.core.charts.line import Chart, ChartLine, Link
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.image_review import Evaluation, deviation_index, evaluate
from oakbeam.core.patient.patient import Patient
from oakbeam.core.projection import Projection
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived, Forecast, Step, Technique
from oakbeam.core.technique.set_up import ResolvedSetup, Setup, resolve

__all__ = [
    "CHECKS",
    "AcceptedExposure",
    "Band",
    "Banded",
    "Built",
    "Chart",
    "ChartLine",
    "Check",
    "Derived",
    "Evaluation",
    "Finding",
    "FixedKvp",
    "Forecast",
    "Levelled",
    "Levelling",
    "Link",
    "MasRule",
    "OutOfRange",
    "Patient",
    "Point",
    "Projection",
    "Refusal",
    "ResolvedSetup",
    "Room",
    "Setup",
    "Step",
    "Technique",
    "TestExposure",
    "VariableKvp",
    "build",
    "check_chart",
    "check_line",
    "check_room",
    "derive",
    "deviation_index",
    "evaluate",
    "level_it",
    "line_from_exposure",
    "resolve",
]
