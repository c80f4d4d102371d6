"""A room as a workbook: every template and every room of the demo comes back as it was; what is none is named."""

from __future__ import annotations

import io
import math
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook
from pydantic import TypeAdapter

from oakbeam.api.rooms import room_of_workbook
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.templates import room_templates
from oakbeam.core.equipment.validation import check_room
from oakbeam.core.errors import Refusal
from oakbeam.demo import clinic
from oakbeam.formats import room_xlsx
from oakbeam.formats.chart_csv import BadFile

ROOM = TypeAdapter(Room)
TARGETED = replace(
    clinic.room_1(),
    receptors=tuple(
        replace(one, region_targets=(("spine", 300.0), ("chest", 200.0))) if one.digital else one
        for one in clinic.room_1().receptors
    ),
)
ROOMS = [
    TARGETED,
    clinic.room_2(),
    clinic.portable(),
    *(replace(one.room, id=name, name=one.name) for name, one in room_templates().items()),
]


@pytest.mark.parametrize("room", ROOMS, ids=lambda room: room.id)
def test_a_room_comes_back_as_it_was(room):
    back = ROOM.validate_python(room_xlsx.read(room_xlsx.write(ROOM.dump_python(room, mode="json"))))
    assert back == replace(room, calibration=None, revision=1)


def test_a_workbook_that_people_filled_in_is_read_as_it_stands():
    book = load_workbook(io.BytesIO(room_xlsx.write(ROOM.dump_python(clinic.room_1(), mode="json"))))
    first = {row[0].value: row[1] for row in book["Room"].iter_rows(min_row=2)}
    first["generator.mas"].value = "1 2  4 8,5"
    first["tube.filtration_mm_al"].value = "2,7"
    first["name"].value = 12
    spots = book["generator.focal_spots"]
    power = next(cell.column for cell in spots[1] if cell.value == "power")
    spots.cell(2, power).value = "10:30 1000:20"
    out = io.BytesIO()
    book.save(out)
    read = room_xlsx.read(out.getvalue())
    assert read["generator"]["mas"] == [1, 2, 4, 8.5] and read["tube"]["filtration_mm_al"] == 2.7 and read["name"] == "12"
    assert read["generator"]["focal_spots"][0]["power"] == [
        {"time_ms": 10, "power_kw": 30},
        {"time_ms": 1000, "power_kw": 20},
    ]


def test_what_is_no_such_workbook_is_said():
    book = Workbook()
    out = io.BytesIO()
    book.save(out)
    for content in (b"no workbook", out.getvalue()):
        with pytest.raises(BadFile):
            room_xlsx.read(content)
    for sheet, column in (("generator.focal_spots", "power"), ("receptors", "region_targets")):
        broken = load_workbook(io.BytesIO(room_xlsx.write(ROOM.dump_python(TARGETED, mode="json"))))
        head = [cell.value for cell in broken[sheet][1]]
        broken[sheet].cell(2, head.index(column) + 1).value = "10 30"
        out = io.BytesIO()
        broken.save(out)
        with pytest.raises(BadFile) as found:
            room_xlsx.read(out.getvalue())
        assert (found.value.faults[0].row, found.value.faults[0].column) == (2, column)


ODD = ["", "nan", "inf", "-1", "1e400", "x", "none", "True", "0", "1 2 3", "10:5 x", "1..5", "=1+1", "\ud7ff", "9" * 400]


@settings(max_examples=15, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_any_cell_that_is_something_else_is_taken_or_refused_with_a_sentence(data):
    book = load_workbook(io.BytesIO(room_xlsx.write(ROOM.dump_python(TARGETED, mode="json"))))
    for _ in range(data.draw(st.integers(1, 3))):
        sheet = data.draw(st.sampled_from(book.worksheets))
        row, column = data.draw(st.integers(1, sheet.max_row)), data.draw(st.integers(1, max(1, sheet.max_column)))
        cell = sheet.cell(row, column, data.draw(st.sampled_from(ODD)))
        cell.data_type = "s"
    out = io.BytesIO()
    book.save(out)
    try:
        room = check_room(room_of_workbook(out.getvalue()))
    except Refusal as refused:
        assert refused.detail
    else:
        assert not any(math.isnan(one.kerma_ugy_per_mas) for one in room.outputs)
