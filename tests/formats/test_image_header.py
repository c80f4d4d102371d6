"""What images and dose reports say: every attribute in its unit, nothing guessed, nobody named, and no file that crashes."""

from __future__ import annotations

import dataclasses
import random
import zlib

import pytest
from pydicom.sequence import Sequence
from pydicom.uid import (
    DeflatedExplicitVRLittleEndian,
    ExplicitVRBigEndian,
    ImplicitVRLittleEndian,
    JPEG2000Lossless,
    JPEGLSLossless,
    RLELossless,
    generate_uid,
)
from tests.conftest import proofs
from tests.objects import CR, DX_RAW, an_object, as_bytes, code, dose_report, image, measured, reject_note

from oakbeam.formats import image_header
from oakbeam.formats.image_header import Unreadable, read
from oakbeam.formats.one_way import OneWay

KEYS = OneWay("a department's own", (("room-1", "Room 1"), ("portable", "Portable unit")))


def facts(made):
    (found,) = read(as_bytes(made), KEYS).facts
    return found


@pytest.mark.parametrize(
    ("said", "expected"),
    [
        ({}, {"kvp": 80, "mas": 25, "ma": 250, "time_ms": 100, "sid_cm": 107, "focal_spot_mm": 1.2, "room": "room-1"}),
        ({}, {"ei": 262, "target_ei": 250, "di": 0.2, "with_grid": True, "filter_mm_al": 1, "filter_mm_cu": 0.1}),
        # dGy·cm² and mGy; the older entrance dose is in dGy.
        ({}, {"reported_kap_mgycm2": 320, "reported_kerma_mgy": 1.9, "exposure_control": "manual"}),
        ({"EntranceDoseInmGy": None, "EntranceDose": 2}, {"reported_kerma_mgy": 200}),
        # 55 years on the day; a body's size is kept to 5 kg and 5 cm.
        ({}, {"age_band": "adult", "sex": "female", "weight_kg": 70, "height_cm": 170}),
        ({"PatientAge": "018M"}, {"age_band": "1y"}),
        ({"PatientAge": "005Y"}, {"age_band": "5y"}),
        ({"PatientAge": "009D"}, {"age_band": "newborn"}),
        ({"PatientAge": "077Y", "PatientSex": "M"}, {"age_band": "older_adult", "sex": "male"}),
        ({"PatientBirthDate": None}, {"age_band": None}),
        # mAs by whichever attribute, the finest first, and worked out where none says it.
        ({"Exposure": "3", "ExposureInuAs": "3150", "ExposureTime": None}, {"mas": 3.15}),
        ({"ExposureInuAs": None}, {"mas": 25}),
        ({"ExposureInuAs": None, "Exposure": None}, {"mas": 25}),
        ({"ExposureInuAs": None, "Exposure": None, "ExposureInmAs": 25.5}, {"mas": 25.5}),
        ({"ExposureTime": None, "ExposureTimeInuS": 99500.0, "XRayTubeCurrent": None, "XRayTubeCurrentInuA": 251000.0},
         {"time_ms": 99.5, "ma": 251}),
        # A maker that writes mAs where µAs belong: current times time tells which is meant.
        ({"ExposureInuAs": "25"}, {"mas": 25, "odd": ("mAs said twice, differently",)}),
        ({"Grid": ["NONE"]}, {"with_grid": False}),
        ({"Grid": None}, {"with_grid": None}),
        ({"Grid": "SOMETHING"}, {"with_grid": None}),
        ({"ExposureControlMode": "AUTOMATIC"}, {"exposure_control": "aec"}),
        ({"DistanceSourceToDetector": "107"}, {"sid_cm": None, "odd": ("SID outside 40 to 400",)}),
        ({"FilterThicknessMaximum": ["1.0"]}, {"filter_mm_al": None, "filter_mm_cu": None}),
        ({"DeviceSerialNumber": None, "StationName": "PORTABLE-UNIT"}, {"room": "portable"}),
        ({"StationName": "DXS0044"}, {"room": ""}),
        # Times: of the zone that is said, and from the parts where the whole is missing.
        ({}, {"taken_at": "2026-11-10T10:15:00.000+00:00"}),
        ({"AcquisitionDateTime": "20261110101500.25-0500"}, {"taken_at": "2026-11-10T15:15:00.250+00:00"}),
        ({"AcquisitionDateTime": None, "AcquisitionDate": "20261110", "AcquisitionTime": "101500",
          "TimezoneOffsetFromUTC": "+0200"}, {"taken_at": "2026-11-10T08:15:00.000+00:00"}),
        ({"AcquisitionDateTime": "2026", "ContentDate": "20261110", "ContentTime": "0915", "TimezoneOffsetFromUTC": "+0000"},
         {"taken_at": "2026-11-10T09:15:00.000+00:00"}),
        # Values that break the rules lose themselves, not the image.
        ({"ExposureIndex": ["262", "262"]}, {"ei": 262}),
        ({"ExposureIndex": ["262", "190"]}, {"ei": None, "odd": ("ExposureIndex: several values",)}),
        ({"ExposureIndex": "0"}, {"ei": None, "odd": ()}),
        ({"PatientWeight": "7100"}, {"weight_kg": None, "odd": ("weight outside 0.3 to 350",)}),
        ({"PatientAge": "ABOUT FIFTY"}, {"age_band": "adult", "odd": ("age not as the standard writes it",)}),
    ],
)  # fmt: skip
def test_every_attribute_in_its_unit(said, expected):
    found = facts(image(**said))
    for name, value in expected.items():
        assert getattr(found, name) == (pytest.approx(value) if isinstance(value, int | float) else value), name


@pytest.mark.parametrize(
    ("said", "view", "side"),
    [
        ({"BodyPartExamined": "CHEST", "ViewPosition": "PA"}, "chest pa", ""),
        ({"BodyPartExamined": "CHEST", "ViewPosition": "LL"}, "chest lateral", ""),
        ({"BodyPartExamined": "HAND", "ViewPosition": "PA", "ImageLaterality": "L"}, "hand pa", "left"),
        ({"BodyPartExamined": "KNEE", "ViewPosition": "AP", "Laterality": "R"}, "knee ap", "right"),
        ({"BodyPartExamined": "EXTREMITY", "ViewPosition": None, "ProtocolName": "Knee lat. rt"}, "knee lateral", "right"),
        ({"BodyPartExamined": None, "ViewPosition": None, "SeriesDescription": "C-Spine, open mouth, Mrs Quagga"},
         "cervical spine odontoid", ""),
        ({"BodyPartExamined": None, "ViewPosition": None, "SeriesDescription": "Zerlina Quagga 03.02.71"}, "", ""),
        # By codes of the list now and of the one before; a text does not move what a code said.
        ({"AnatomicRegionSequence": Sequence([code("SCT", "85562004")]), "BodyPartExamined": None, "ViewPosition": None,
          "ViewCodeSequence": Sequence([code("SCT", "399348003")]), "SeriesDescription": "Wrist"}, "hand ap", ""),
        ({"AnatomicRegionSequence": Sequence([code("SRT", "T-D3000")]), "BodyPartExamined": None, "ViewPosition": "PA"},
         "chest pa", ""),
        ({"AnatomicRegionSequence": Sequence([code("99OWN", "QUAGGA")]), "BodyPartExamined": None}, "ap", ""),
    ],
)  # fmt: skip
def test_the_view_by_codes_terms_and_words_of_the_field_alone(said, view, side):
    found = facts(image(**said))
    assert (found.view, found.side) == (view, side)


@pytest.mark.parametrize(
    ("made", "why"),
    [
        (lambda: image(KVP=None), "kVp"),
        (lambda: image(KVP=["80", "90"]), "kVp"),
        (lambda: image(ExposureInuAs=None, Exposure=None, ExposureTime=None), "mAs"),
        (lambda: image(ExposureInuAs="25", ExposureTime=None), "mAs"),
        (lambda: image(AcquisitionDateTime=None), "when"),
        (lambda: image(AcquisitionDateTime="20991110101500"), "future"),
        (lambda: image(AcquisitionDateTime="18951110101500"), "1990"),
        (lambda: an_object("1.2.840.10008.5.1.4.1.1.2", KVP="120"), "Another kind"),
        (lambda: dose_report(generate_uid(), generate_uid(), ContentSequence=Sequence([])), "without an irradiation event"),
        (lambda: reject_note("111210"), "names no image"),
    ],
)  # fmt: skip
def test_what_tells_of_no_exposure_is_refused_and_says_why(made, why):
    with pytest.raises(Unreadable, match=why):
        read(as_bytes(made()), KEYS)


def test_text_in_a_number_loses_the_number_alone():
    for written in (b"many", b"2,62", b"\0\0\0\0", b"1E+9"):
        (found,) = read(as_bytes(image(ExposureIndex="2620")).replace(b"2620", written), KEYS).facts
        assert found.ei in (None, 2.62) and found.mas == 25


@pytest.mark.parametrize(
    "junk", [b"", b"\0" * 200, b"GIF89a" * 50, b"\0" * 128 + b"DICM", b"\0" * 128 + b"DICM" + b"\xff" * 900]
)
def test_what_is_no_object_is_refused(junk):
    with pytest.raises(Unreadable):
        read(junk, KEYS)


def test_every_transfer_syntax_says_the_same():
    plain = facts(image())
    same = {"key", "study_key", "event_key"}
    for syntax in (ImplicitVRLittleEndian, ExplicitVRBigEndian, DeflatedExplicitVRLittleEndian):
        found = facts(image(syntax, sop_class=CR))
        assert dataclasses.replace(found, **{name: getattr(plain, name) for name in same}) == plain
    for syntax in (JPEG2000Lossless, JPEGLSLossless, RLELossless):
        made = image(syntax, sop_class=DX_RAW)
        # Pixels as items of no declared length, which nobody reads.
        made.PixelData = b"\xfe\xff\x00\xe0\x00\x00\x00\x00\xfe\xff\x00\xe0\x04\x00\x00\x00\xff\xd8\xff\xd9"
        made["PixelData"].is_undefined_length = True
        assert facts(made).mas == 25
    without_preamble = as_bytes(image())[132:]
    assert read(without_preamble, KEYS).facts[0].kvp == 80


def test_a_dose_report_says_its_events_in_units_that_are_said():
    event, study = generate_uid(), generate_uid()
    more = (measured("113750", "1800", "mm"), measured("113845", "310", "1"), measured("113738", "0.00012", "Gy"))
    found = facts(dose_report(event, study, *more))
    assert (found.kvp, found.mas, found.sid_cm, found.ei, found.view) == (117, 2, 180, 310, "chest ap")
    assert (found.reported_kap_mgycm2, found.reported_kerma_mgy) == (pytest.approx(21), pytest.approx(0.12))
    assert (found.kind, found.age_band) == ("dose report", "adult")
    # The keys are those of the image of the same event and study.
    of_image = facts(image(IrradiationEventUID=event, StudyInstanceUID=study))
    assert (found.event_key, found.study_key) == (of_image.event_key, of_image.study_key)
    odd = facts(dose_report(event, study, measured("113750", "1800", "[in_i]")))
    assert odd.sid_cm is None and odd.odd == ("SID in a unit that is not known",)


def test_keys_are_one_way_and_a_departments_own():
    made = image()
    ours, theirs = facts(made), read(as_bytes(made), OneWay("another's")).facts[0]
    assert ours == facts(made)
    assert not {ours.key, ours.study_key, ours.event_key, ours.device} & {theirs.key, theirs.study_key, theirs.event_key}
    (note,) = read(as_bytes(reject_note("111210", made.SOPInstanceUID)), KEYS).rejects
    assert (note.keys, note.reason) == ((ours.key,), "MotionBlur")


def test_a_file_cut_anywhere_is_refused_or_says_less_and_nothing_else():
    whole = as_bytes(image())
    said = facts(image())
    chance = random.Random(5)
    partly = 0
    for at in chance.sample(range(len(whole) - 540), proofs(120, len(whole) - 540)):
        try:
            (found,) = read(whole[:at], KEYS).facts
        except Unreadable:
            continue
        partly += 1
        for one in dataclasses.fields(found):
            if one.name == "view":
                assert said.view.startswith(found.view)
            elif one.name not in ("key", "study_key", "event_key", "odd"):
                assert getattr(found, one.name) in (getattr(said, one.name), None, "", (), "manual"), (at, one.name)
    # Only a cut between two attributes cannot be told from a header that ends there.
    assert partly < 0.05 * proofs(120, len(whole)) + 3


NAMES = (b"Quagga", b"Zerlina", b"REC-7741", b"19710203")


def test_a_file_changed_at_random_never_crashes_and_is_never_quoted(capfd):
    chance = random.Random(11)
    made = [as_bytes(one) for one in (image(), image(ImplicitVRLittleEndian), dose_report(generate_uid(), generate_uid()))]
    made.append(as_bytes(reject_note("111210", generate_uid())))
    read_whole = 0
    for _ in range(proofs(400, 10_000)):
        data = bytearray(chance.choice(made))
        for _ in range(chance.choice((1, 1, 2, 5, 20))):
            at = chance.randrange(len(data))
            kind = chance.random()
            if kind < 0.6:
                data[at] = chance.randrange(256)
            elif kind < 0.75:
                del data[at : at + chance.randrange(1, 60)]
            elif kind < 0.9:
                data[at:at] = chance.randbytes(chance.randrange(1, 40))
            else:
                data[at : at + 4] = b"\xff\xff\xff\xff"
            if len(data) < 2:
                break
        try:
            found = read(bytes(data), KEYS)
        except Unreadable as why:
            text = str(why).encode()
        else:
            read_whole += 1
            text = repr(found).encode()
        assert not any(name in text for name in NAMES), text
    assert read_whole > 40
    told = capfd.readouterr()
    assert not any(name.decode() in told.out + told.err for name in NAMES)


def _head(syntax: bytes) -> bytes:
    meta = b"\x02\x00\x10\x00UI" + len(syntax).to_bytes(2, "little") + syntax
    return b"\0" * 128 + b"DICM\x02\x00\x00\x00UL\x04\x00" + len(meta).to_bytes(4, "little") + meta


ITEM, ELEMENT = b"\xfe\xff\x00\xe0\0\0\0\0", b"\x11\x00\x00\x10LO\x00\x00"


def _sequence(items: bytes) -> bytes:
    return b"\x40\x00\x30\xa7SQ\0\0" + len(items).to_bytes(4, "little") + items


def _packed(body: bytes) -> bytes:
    packing = zlib.compressobj(9, zlib.DEFLATED, -15)
    return _head(DeflatedExplicitVRLittleEndian.encode()) + packing.compress(body) + packing.flush()


@pytest.mark.parametrize(
    "made",
    [
        lambda: _packed(ELEMENT * 4_000_000),
        lambda: _packed(_sequence(ITEM * 4_000_000)),
        lambda: _head(b"1.2.840.10008.1.2.1\0") + _sequence(ITEM * 1_000_000),
        lambda: _head(b"1.2.840.10008.1.2.1\0") + ELEMENT * 4_000_000,
    ],
    ids=("packed elements", "packed items", "items", "elements"),
)
def test_a_header_of_endless_parts_is_refused_before_it_is_read(made, monkeypatch):
    data, looked = made(), 0
    within = image_header._Watched.read

    def counted(self, size=-1, /):
        nonlocal looked
        looked += 1
        return within(self, size)

    monkeypatch.setattr(image_header._Watched, "read", counted)
    with pytest.raises(Unreadable, match="more parts than"):
        read(data, KEYS)
    assert looked <= image_header.MOST_READS + 1


def test_a_dose_report_of_as_many_events_as_are_taken_is_read():
    many = [one for at in range(image_header.MOST_EVENTS) for one in dose_report(f"1.2.3.{at}", "1.2.4").ContentSequence]
    found = read(as_bytes(dose_report("1", "1.2.4", ContentSequence=Sequence(many))), KEYS)
    assert len(found.facts) == image_header.MOST_EVENTS
