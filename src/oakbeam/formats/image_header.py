"""What DX and CR images, dose reports and reject notes say of exposures: DICOM headers read from memory, without identity.

Units differ from attribute to attribute and are converted, never guessed: a number whose unit is not said, or that
contradicts another one, is left out and named. Names, birth dates and record numbers are looked at for nothing but an age;
identifiers leave as one-way keys; of texts only words of the field remain (`catalogue.image_words`). Pixels are not read.

After DICOM PS3.3 (attributes and their units), PS3.16 (TID 10001 to 10003, CID 4009, 4010, 7011) and PS3.6, from memory, the
code lists as pydicom carries them.
"""

from __future__ import annotations

import logging
import math
import re
import warnings
import zlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta, timezone
from functools import cache
from io import BytesIO
from typing import Any

import pydicom
from pydicom.dataset import Dataset
from pydicom.errors import InvalidDicomError
from pydicom.uid import DeflatedExplicitVRLittleEndian

from oakbeam.catalogue.image_words import view_said
from oakbeam.core.anatomy.body import Sex
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, SID_RANGE_CM
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.image_review import EI_RANGE
from oakbeam.core.log.facts import RATHER_CM, RATHER_KG, FactsKind, Found, ImageFacts, RejectNote, age_band_of
from oakbeam.formats.one_way import OneWay

# Warnings of a reader quote what it read: nothing of that may reach a log.
pydicom.config.settings.reading_validation_mode = pydicom.config.IGNORE
logging.getLogger("pydicom").disabled = True
warnings.filterwarnings("ignore", module=r"pydicom(\.|$)")

IMAGES = {
    "1.2.840.10008.5.1.4.1.1.1": "CR",
    "1.2.840.10008.5.1.4.1.1.1.1": "DX for presentation",
    "1.2.840.10008.5.1.4.1.1.1.1.1": "DX for processing",
}
DOSE_REPORT = "1.2.840.10008.5.1.4.1.1.88.67"
REJECT_NOTE = "1.2.840.10008.5.1.4.1.1.88.59"
STORED_CLASSES = (*IMAGES, DOSE_REPORT, REJECT_NOTE)
MOST_HEADER = 8 * 1024 * 1024
"""Bytes that are looked at of an object, unpacked where it is packed: no header reaches so far."""
MOST_ITEMS, MOST_READS = 100_000, 300_000
"""Items of sequences, and looks into the file: more than twice what the largest dose report takes (MOST_EVENTS)."""
MOST_EVENTS = 500
OLDEST = datetime(1990, 1, 1, tzinfo=UTC)

_TAGS = [
    *("SOPClassUID", "SOPInstanceUID", "StudyInstanceUID", "IrradiationEventUID", "TimezoneOffsetFromUTC"),
    *("AcquisitionDateTime", "AcquisitionDate", "AcquisitionTime", "ContentDate", "ContentTime", "StudyDate"),
    *("DeviceSerialNumber", "StationName", "ManufacturerModelName"),
    *("KVP", "Exposure", "ExposureInuAs", "ExposureInmAs", "ExposureTime", "ExposureTimeInuS", "ExposureTimeInms"),
    *("XRayTubeCurrent", "XRayTubeCurrentInuA", "XRayTubeCurrentInmA", "DistanceSourceToDetector", "Grid", "FocalSpots"),
    *("FilterMaterial", "FilterThicknessMinimum", "FilterThicknessMaximum", "ExposureControlMode"),
    *("ExposureIndex", "TargetExposureIndex", "DeviationIndex", "RelativeXRayExposure"),
    *("BodyPartExamined", "ViewPosition", "Laterality", "ImageLaterality", "AnatomicRegionSequence", "ViewCodeSequence"),
    *("ProtocolName", "SeriesDescription", "AcquisitionDeviceProcessingDescription", "PerformedProcedureStepDescription"),
    *("PatientAge", "PatientBirthDate", "PatientSex", "PatientSize", "PatientWeight"),
    *("EntranceDoseInmGy", "EntranceDose", "ImageAndFluoroscopyAreaDoseProduct"),
    *("ConceptNameCodeSequence", "ContentSequence", "CurrentRequestedProcedureEvidenceSequence"),
]
_TEXTS = ("ProtocolName", "SeriesDescription", "AcquisitionDeviceProcessingDescription", "PerformedProcedureStepDescription")


class Unreadable(Exception):
    """An object that tells of no exposure; the text says why, in our words alone."""


def read(data: bytes, one_way: OneWay) -> Found:
    """What an object says. Raises Unreadable where it is none of those that tell of an exposure."""
    return said_by(parsed(data), one_way)


def said_by(header: Dataset, one_way: OneWay) -> Found:
    """What a header says, however it came. Raises Unreadable."""
    try:
        return _said_by(header, one_way)
    except (Unreadable, MemoryError):
        raise
    except Exception as error:
        # A header is anything that somebody put on a disk: whatever a reader stumbles over is a refusal, never a crash. Its
        # message may quote the header.
        raise Unreadable(f"Its header contradicts the standard ({type(error).__name__}).") from None


def parsed(data: bytes) -> Dataset:
    """The attributes that count of a file's header. Raises Unreadable."""
    data = data[:MOST_HEADER]
    source = _Watched(data)
    try:
        header = _parse(source, data)
    except (MemoryError, Unreadable):
        raise
    except (InvalidDicomError, _NotDicom):
        raise Unreadable("Not a DICOM file.") from None
    except Exception as error:
        if source.cut_off:
            raise Unreadable(CUT_OFF) from None
        raise Unreadable(f"Its header contradicts the standard ({type(error).__name__}).") from None
    # What is not wanted is skipped, over the end too.
    if source.cut_off or source.tell() > len(data):
        raise Unreadable(CUT_OFF)
    return header


CUT_OFF = "The file is cut off within its header."


TOO_MANY_PARTS = "Its header has more parts than one of an exposure can have."
_ITEMS = (b"\xfe\xff\x00\xe0", b"\xff\xfe\xe0\x00")
"""How an item begins, in either order of bytes."""


def _refuse_many_items(data: bytes) -> None:
    # Each becomes a structure of its own, however empty it is: counted before one is made. Pixels hold the mark by chance
    # once in a few gigabytes.
    if max(data.count(mark) for mark in _ITEMS) > MOST_ITEMS:
        raise Unreadable(TOO_MANY_PARTS)


class _NotDicom(Exception):
    pass


class _Watched(BytesIO):
    """Bytes that remember whether more was asked for than there is: a reader goes on with what it has."""

    cut_off, reads = False, 0

    def read(self, size: int | None = -1, /) -> bytes:
        self.reads += 1
        if self.reads > MOST_READS:
            raise Unreadable(TOO_MANY_PARTS)
        found = super().read(size)
        # Eight bytes are asked for where the next element may begin, and at the end there is none.
        if size is not None and size > 0 and len(found) < size and (found or size != 8):
            self.cut_off = True
        return found


def _parse(source: _Watched, data: bytes) -> Dataset:
    _refuse_many_items(data)
    if data[128:132] != b"DICM":
        # Without preamble only what begins as a header does: group 2 or 8.
        if data[:2] not in (b"\x02\x00", b"\x08\x00"):
            raise _NotDicom
        return pydicom.dcmread(source, stop_before_pixels=True, specific_tags=[_tag(name) for name in _TAGS], force=True)
    # Group 2 says its own length, which ends where the data set begins.
    begins = 144 + int.from_bytes(data[140:144], "little")
    if DeflatedExplicitVRLittleEndian.encode() in data[144:begins]:
        return _inflated(data[begins:])
    return pydicom.dcmread(source, stop_before_pixels=True, specific_tags=[_tag(name) for name in _TAGS])


def _inflated(packed: bytes) -> Dataset:
    """A data set that is packed: unpacked here, so that a few bytes cannot become any number of them."""
    unpacking = zlib.decompressobj(-zlib.MAX_WBITS)
    unpacked = unpacking.decompress(packed, MOST_HEADER)
    _refuse_many_items(unpacked)
    source = _Watched(unpacked)
    header = pydicom.filereader.read_dataset(
        source,
        is_implicit_VR=False,
        is_little_endian=True,
        stop_when=lambda tag, *_: tag >= 0x7FE00008,
        specific_tags=[_tag(name) for name in _TAGS],
    )
    if source.cut_off or not (unpacking.eof or len(unpacked) == MOST_HEADER):
        raise Unreadable(CUT_OFF)
    return header


def _said_by(header: Dataset, one_way: OneWay) -> Found:
    of_class = str(_one(header, "SOPClassUID") or "")
    if of_class in IMAGES:
        return Found(facts=(_image(header, one_way),))
    if of_class == DOSE_REPORT:
        return Found(facts=tuple(_dose_report(header, one_way)))
    if of_class == REJECT_NOTE:
        return Found(rejects=(_reject_note(header, one_way),))
    if not of_class:
        raise Unreadable("It does not say what kind of object it is.")
    raise Unreadable("Another kind of object: DX and CR images, X-ray dose reports and reject notes are read.")


# --- images -----------------------------------------------------------------------------------------------------------


def _image(header: Dataset, one_way: OneWay) -> ImageFacts:
    odd: list[str] = []
    numbers = _Numbers(header, odd)
    taken = _taken(header)
    kvp = numbers.within("KVP", 1.0, *KVP_RANGE, "kVp")
    mas, ma, time_ms = _tube_load(numbers, odd)
    if kvp is None or mas is None:
        raise Unreadable(f"It does not say its {'kVp' if kvp is None else 'mAs'} in a way that can be relied on.")
    if not MAS_RANGE[0] <= mas <= MAS_RANGE[1]:
        raise Unreadable(f"Its mAs are outside {MAS_RANGE[0]:g} to {MAS_RANGE[1]:g}.")
    said = view_said(_view_terms(header), _texts(header), first_text(header, "ImageLaterality", "Laterality"))
    al, cu = _filters(header, numbers, odd)
    event = first_text(header, "IrradiationEventUID")
    kerma = numbers.within("EntranceDoseInmGy", 1.0, 1e-6, 1000.0, "entrance dose")
    if kerma is None:
        kerma = numbers.within("EntranceDose", 100.0, 1e-6, 1000.0, "entrance dose")
    return ImageFacts(
        key=one_way.key("object", first_text(header, "SOPInstanceUID") or _missing("instance UID")),
        kind="image",
        device=_device(one_way, *(first_text(header, name) for name in _DEVICE)),
        taken_at=taken,
        kvp=kvp,
        mas=mas,
        room=one_way.room(first_text(header, "StationName")),
        view=said.words,
        side=said.side,
        study_key=one_way.key("study", study) if (study := first_text(header, "StudyInstanceUID")) else "",
        event_key=one_way.key("event", event) if event else None,
        ma=ma,
        time_ms=time_ms,
        sid_cm=numbers.within("DistanceSourceToDetector", 0.1, *SID_RANGE_CM, "SID"),
        with_grid=_with_grid(header),
        filter_mm_al=al,
        filter_mm_cu=cu,
        focal_spot_mm=numbers.within("FocalSpots", 1.0, 0.05, 3.0, "focal spot"),
        exposure_control=_control(first_text(header, "ExposureControlMode")),
        ei=numbers.within("ExposureIndex", 1.0, *EI_RANGE, "exposure index"),
        target_ei=numbers.within("TargetExposureIndex", 1.0, *EI_RANGE, "target index"),
        di=numbers.within("DeviationIndex", 1.0, -40.0, 40.0, "deviation index"),
        index_of_its_own=numbers.within("RelativeXRayExposure", 1.0, -1e6, 1e6, "relative exposure"),
        reported_kerma_mgy=kerma,
        reported_kap_mgycm2=numbers.within("ImageAndFluoroscopyAreaDoseProduct", 100.0, 1e-3, 1e6, "kerma-area product"),
        **_body(header, numbers, taken, odd),
        odd=tuple(dict.fromkeys(odd)),
    )


_DEVICE = ("DeviceSerialNumber", "StationName", "ManufacturerModelName")


def _tube_load(numbers: _Numbers, odd: list[str]) -> tuple[float | None, float | None, float | None]:
    """(mAs, mA, ms). The attributes differ in unit and in how they round; those that contradict each other are not used."""
    ma, time, mas = (numbers.agreed(what, attributes) for what, attributes in _TUBE_LOAD.items())
    worked_out = ma * time / 1000 if ma and time else None
    if mas is None:
        said = [value for _, value in numbers.said(_TUBE_LOAD["mAs"])]
        # Current times time tells which of two that contradict each other is meant.
        fitting = [value for value in said if worked_out and math.isclose(value, worked_out, rel_tol=0.1, abs_tol=0.1)]
        mas = fitting[0] if fitting else (worked_out if not said else None)
    elif worked_out and not math.isclose(mas, worked_out, rel_tol=0.25, abs_tol=0.6):
        odd.append("mA times time gives another mAs")
    return mas or None, ma, time


_TUBE_LOAD: Mapping[str, tuple[tuple[str, float, float], ...]] = {
    "tube current": (("XRayTubeCurrent", 1.0, 0.5), ("XRayTubeCurrentInuA", 1e-3, 0.0), ("XRayTubeCurrentInmA", 1.0, 0.0)),
    "exposure time": (("ExposureTime", 1.0, 0.5), ("ExposureTimeInuS", 1e-3, 0.0), ("ExposureTimeInms", 1.0, 0.0)),
    "mAs": (("Exposure", 1.0, 0.5), ("ExposureInuAs", 1e-3, 0.0), ("ExposureInmAs", 1.0, 0.0)),
}
"""One quantity that several attributes may give: (name, factor to our unit, how coarsely it is rounded)."""


class _Numbers:
    """The numbers of a header: one value each, finite; several that differ are none."""

    def __init__(self, header: Dataset, odd: list[str]) -> None:
        self.header, self.odd = header, odd

    def value(self, name: str) -> float | None:
        found = [value for one in _all(self.header, name) if (value := number(one)) is not None]
        if len(set(found)) > 1:
            self.odd.append(f"{name}: several values")
            return None
        return found[0] if found else None

    def within(self, name: str, per: float, low: float, high: float, what: str) -> float | None:
        value = self.value(name)
        # Zero is how a machine says that it does not know.
        if value is None or (value == 0 and low >= 0):
            return None
        if not low <= value * per <= high:
            self.odd.append(f"{what} outside {low:g} to {high:g}")
            return None
        return value * per

    def said(self, attributes: Iterable[tuple[str, float, float]]) -> list[tuple[float, float]]:
        """(how coarsely it is rounded, value in our unit) of each attribute that gives one, the finest first."""
        found = [(rounded, value * per) for name, per, rounded in attributes if (value := self.value(name)) and value > 0]
        return sorted(found)

    def agreed(self, what: str, attributes: Iterable[tuple[str, float, float]]) -> float | None:
        """The finest of what the attributes give; None where they contradict each other."""
        said = self.said(attributes)
        if not said:
            return None
        finest = said[0][1]
        if any(abs(value - finest) > max(rounded, 0.02 * finest) + 1e-9 for rounded, value in said):
            self.odd.append(f"{what} said twice, differently")
            return None
        return finest


def _body(header: Dataset, numbers: _Numbers, taken_at: str, odd: list[str]) -> dict[str, Any]:
    years = _age_years(header, taken_at, odd)
    weight = numbers.within("PatientWeight", 1.0, 0.3, 350.0, "weight")
    height = numbers.within("PatientSize", 100.0, 20.0, 250.0, "height")
    sexes: Mapping[str, Sex] = {"F": "female", "M": "male"}
    return {
        "age_band": age_band_of(years) if years is not None else None,
        "sex": sexes.get(first_text(header, "PatientSex").upper()[:1]),
        "weight_kg": rather(weight, RATHER_KG),
        "height_cm": rather(height, RATHER_CM),
    }


def rather(value: float | None, step: float) -> float | None:
    """A value no finer than a step."""
    return None if value is None else max(step, step * round(value / step))


def _age_years(header: Dataset, taken_at: str, odd: list[str]) -> float | None:
    said = first_text(header, "PatientAge").upper()
    if match := re.fullmatch(r"(\d{1,3})([DWMY])", said):
        return int(match[1]) / {"D": 365.25, "W": 52.18, "M": 12.0, "Y": 1.0}[match[2]]
    if said:
        odd.append("age not as the standard writes it")
    born = _date(first_text(header, "PatientBirthDate"))
    if born is None:
        return None
    years = (date.fromisoformat(taken_at[:10]) - born).days / 365.25
    return years if 0 <= years < 125 else None


def _filters(header: Dataset, numbers: _Numbers, odd: list[str]) -> tuple[float | None, float | None]:
    """(mm Al, mm Cu) of the added filters: of each material the mean of the least and most thickness [mm]."""
    materials = [str(one).strip().upper() for one in _all(header, "FilterMaterial")]
    least, most = ([number(one) for one in _all(header, f"FilterThickness{end}imum")] for end in ("Min", "Max"))
    if not materials:
        return None, None
    found = {"ALUMINUM": 0.0, "COPPER": 0.0}
    if len(least) not in (0, len(materials)) or len(most) not in (0, len(materials)):
        odd.append("filters and their thicknesses do not go together")
        return None, None
    for at, material in enumerate(materials):
        ends = [one[at] for one in (least, most) if one]
        known = [one for one in ends if one is not None]
        if material in ("", "NONE"):
            continue
        if material not in found or not known:
            odd.append("a filter of another material, or without thickness")
            return None, None
        found[material] += sum(known) / len(known)
    return found["ALUMINUM"], found["COPPER"]


def _with_grid(header: Dataset) -> bool | None:
    said = {str(one).strip().upper() for one in _all(header, "Grid")} - {""}
    if not said or said - {"NONE", "FIXED", "FOCUSED", "RECIPROCATING", "PARALLEL", "CROSSED", "ASSYMMETRIC", "ASYMMETRIC"}:
        return None
    return said != {"NONE"}


def _control(said: str) -> ExposureControl | None:
    known: Mapping[str, ExposureControl] = {"MANUAL": "manual", "AUTOMATIC": "aec"}
    return known.get(said.upper())


def _view_terms(header: Dataset) -> Iterator[str]:
    for name in ("AnatomicRegionSequence", "ViewCodeSequence"):
        for item in items(header, name):
            yield from _keyword(item)
            for modifier in ("ViewModifierCodeSequence", "AnatomicRegionModifierSequence"):
                for inner in items(item, modifier):
                    yield from _keyword(inner)
    for name in ("BodyPartExamined", "ViewPosition"):
        yield re.sub(r"[^A-Z0-9]", "", first_text(header, name).upper())


def _texts(header: Dataset) -> Iterator[str]:
    for name in _TEXTS:
        yield first_text(header, name)


# --- dose reports -----------------------------------------------------------------------------------------------------

_KAP = {"Gy.m2": 1e7, "cGy.cm2": 10.0, "dGy.cm2": 100.0, "mGy.cm2": 1.0, "Gy.cm2": 1000.0, "uGy.m2": 10.0}
_KERMA = {"Gy": 1000.0, "dGy": 100.0, "cGy": 10.0, "mGy": 1.0, "uGy": 1e-3}
_CHARGE = {"uA.s": 1e-3, "mA.s": 1.0, "A.s": 1000.0}
_TIME, _CURRENT, _LENGTH = (
    {"ms": 1.0, "s": 1000.0, "us": 1e-3},
    {"mA": 1.0, "uA": 1e-3, "A": 1000.0},
    {"mm": 0.1, "cm": 1.0, "m": 100.0},
)
_PURE = {"1": 1.0, "{ratio}": 1.0, "[arb'U]": 1.0, "{no units}": 1.0, "no units": 1.0}
_EVENT = "113706"
_SAID_BY_CODE: Mapping[str, tuple[str, Mapping[str, float], float, float, str]] = {
    "113733": ("kvp", {"kV": 1.0, "V": 1e-3}, *KVP_RANGE, "kVp"),
    "113736": ("mas", _CHARGE, *MAS_RANGE, "mAs"),
    "113824": ("time_ms", _TIME, 0.05, 20_000.0, "exposure time"),
    "113734": ("ma", _CURRENT, 0.1, 3000.0, "tube current"),
    "113750": ("sid_cm", _LENGTH, *SID_RANGE_CM, "SID"),
    "113766": ("focal_spot_mm", {"mm": 1.0}, 0.05, 3.0, "focal spot"),
    "113845": ("ei", _PURE, *EI_RANGE, "exposure index"),
    "113846": ("target_ei", _PURE, *EI_RANGE, "target index"),
    "113847": ("di", _PURE, -40.0, 40.0, "deviation index"),
    "122130": ("reported_kap_mgycm2", _KAP, 1e-3, 1e6, "kerma-area product"),
    "113738": ("reported_kerma_mgy", _KERMA, 1e-6, 1000.0, "reference point kerma"),
}
"""Numbers of an irradiation event (TID 10003): code, field, units with the factor to ours, and what can be."""


def _dose_report(header: Dataset, one_way: OneWay) -> Iterator[ImageFacts]:
    events = [item for item in items(header, "ContentSequence") if _code(item, "ConceptNameCodeSequence")[1] == _EVENT]
    if not events:
        raise Unreadable("A dose report without an irradiation event.")
    if len(events) > MOST_EVENTS:
        raise Unreadable(f"A dose report of more than {MOST_EVENTS} events.")
    object_uid = first_text(header, "SOPInstanceUID") or _missing("instance UID")
    study = first_text(header, "StudyInstanceUID")
    device = _device(one_way, *(first_text(header, name) for name in _DEVICE))
    told = 0
    for at, event in enumerate(events):
        facts = _event(event, header)
        if facts is None:
            continue
        told += 1
        yield replace(
            facts,
            key=one_way.key("object", f"{object_uid} {at}"),
            device=device,
            room=one_way.room(first_text(header, "StationName")),
            study_key=one_way.key("study", study) if study else "",
            event_key=one_way.key("event", facts.event_key) if facts.event_key else None,
        )
    if not told:
        raise Unreadable("A dose report whose events do not say time, kVp and mAs.")


def _event(event: Dataset, header: Dataset) -> ImageFacts | None:
    """One event, its keys still open; None where it does not say time, kVp and mAs."""
    odd: list[str] = []
    found: dict[str, Any] = {}
    terms: list[str] = []
    texts: list[str] = []
    taken, uid, side = "", None, ""
    for item in items(event, "ContentSequence"):
        _, code = _code(item, "ConceptNameCodeSequence")
        if code in _SAID_BY_CODE:
            name, units, low, high, what = _SAID_BY_CODE[code]
            value = _measured(item, units, low, high, what, odd)
            if value is not None and found.setdefault(name, value) != value:
                odd.append(f"{what} said twice, differently")
        elif code == "111526":
            taken = taken_at(first_text(item, "DateTime"), header)
        elif code == "113769":
            uid = first_text(item, "UID") or None
        elif code in ("123014", "111031"):
            terms += [word for one in items(item, "ConceptCodeSequence") for word in _keyword(one)]
            for inner in items(item, "ContentSequence"):
                said = [word for one in items(inner, "ConceptCodeSequence") for word in _keyword(one)]
                side = next((one for one in said if one in _LATERALITY), side)
                terms += said
        elif code == "125203":
            texts.append(first_text(item, "TextValue"))
        elif code == "111635":
            grids = [_code_of(one)[1] for one in items(item, "ConceptCodeSequence")]
            found["with_grid"] = None if not grids else "111646" not in grids
    if "mas" not in found and {"ma", "time_ms"} <= set(found):
        found["mas"] = found["ma"] * found["time_ms"] / 1000
    if not taken or "kvp" not in found or "mas" not in found:
        return None
    said_view = view_said(terms, texts, _LATERALITY.get(side, ""))
    body = _body(header, _Numbers(header, odd), taken, odd)
    kind: FactsKind = "dose report"
    return ImageFacts(
        **{**body, **found},
        key="",
        kind=kind,
        device="",
        taken_at=taken,
        view=said_view.words,
        side=said_view.side,
        event_key=uid,
        odd=tuple(dict.fromkeys(odd)),
    )


_LATERALITY = {"Right": "R", "Left": "L", "Bilateral": "B"}


def _measured(item: Dataset, units: Mapping[str, float], low: float, high: float, what: str, odd: list[str]) -> float | None:
    for one in items(item, "MeasuredValueSequence"):
        value = number(next(iter(_all(one, "NumericValue")), None))
        unit = next((_code_of(code)[1] for code in items(one, "MeasurementUnitsCodeSequence")), "")
        if value is None:
            continue
        if unit not in units:
            odd.append(f"{what} in a unit that is not known")
        elif not low <= value * units[unit] <= high:
            odd.append(f"{what} outside {low:g} to {high:g}")
        else:
            return value * units[unit]
    return None


# --- reject notes -----------------------------------------------------------------------------------------------------


def _reject_note(header: Dataset, one_way: OneWay) -> RejectNote:
    if _code(header, "ConceptNameCodeSequence")[1] not in ("113001", "113037"):
        raise Unreadable("A selection of images that rejects none.")
    uids = [
        first_text(image, "ReferencedSOPInstanceUID")
        for study in items(header, "CurrentRequestedProcedureEvidenceSequence")
        for series in items(study, "ReferencedSeriesSequence")
        for image in items(series, "ReferencedSOPSequence")
    ]
    keys = tuple(one_way.key("object", uid) for uid in uids if uid)
    if not keys:
        raise Unreadable("A reject note that names no image.")
    why = [
        word
        for item in items(header, "ContentSequence")
        if _code(item, "ConceptNameCodeSequence")[1] == "113011"
        for one in items(item, "ConceptCodeSequence")
        for word in _keyword(one)
    ]
    return RejectNote(keys, next(iter(why), ""))


# --- codes, dates, values ---------------------------------------------------------------------------------------------


OLDER = ("ThoracicStructure", "AbdominalStructure", "PelvicStructure")
"""Regions that the lists name by another code now, and that machines still send."""


@cache
def _keywords() -> Mapping[tuple[str, str], str]:
    """(scheme, value) of the standard's lists of regions, views, sides and reject reasons: their keyword; of the scheme that
    was used before, too."""
    from pydicom.sr import _cid_dict, _concepts_dict, _snomed_dict

    found: dict[tuple[str, str], str] = {}
    for cid in (4009, 4031, 4010, 4011, 244, 7011):
        for scheme, names in _cid_dict.cid_concepts.get(cid, {}).items():
            concepts: Any = _concepts_dict.concepts[scheme]
            found |= {(scheme, value): name for name in names for value in concepts[name]}
    older: Any = _concepts_dict.concepts["SCT"]
    found |= {("SCT", value): name for name in OLDER for value in older[name]}
    for old, new in _snomed_dict.mapping.get("SRT", {}).items():
        if ("SCT", new) in found:
            found["SRT", old] = found["SNM3", old] = found["SCT", new]
    return found


def _keyword(item: Dataset) -> Iterator[str]:
    if (found := _keywords().get(_code_of(item))) is not None:
        yield found


def _code(item: Dataset, name: str) -> tuple[str, str]:
    return next((_code_of(one) for one in items(item, name)), ("", ""))


def _code_of(item: Dataset) -> tuple[str, str]:
    return first_text(item, "CodingSchemeDesignator"), first_text(item, "CodeValue", "LongCodeValue")


def _device(one_way: OneWay, *said: str) -> str:
    return one_way.key("device", "\0".join(said)) if any(said) else ""


def _missing(what: str) -> str:
    raise Unreadable(f"It has no {what}.")


def _taken(header: Dataset) -> str:
    for names in (("AcquisitionDateTime",), ("AcquisitionDate", "AcquisitionTime"), ("ContentDate", "ContentTime")):
        if found := taken_at("".join(first_text(header, name) for name in names), header):
            return found
    raise Unreadable("It does not say when it was taken.")


def taken_at(text: str, header: Dataset) -> str:
    """A DT, or a DA and a TM run together, as ISO 8601 in UTC; "" where it is none."""
    return _utc(_datetime(text), header)


def _datetime(text: str) -> datetime | None:
    """A DT, or a DA and a TM run together: with a time of day, or None."""
    match = re.fullmatch(r"(\d{8})(\d{2})(\d{2})?(\d{2})?(?:\.(\d{1,6}))?\s*([+-]\d{4})?", text.replace(":", "").strip())
    if match is None:
        return None
    day, hour, minute, second, fraction, zone = match.groups()
    try:
        found = datetime.strptime(f"{day}{hour}{minute or '00'}{min(int(second or 0), 59):02}", "%Y%m%d%H%M%S")
    except ValueError:
        return None
    found = found.replace(microsecond=int((fraction or "0").ljust(6, "0")))
    return found.replace(tzinfo=_zone(zone)) if zone else found


def _zone(text: str) -> timezone | None:
    if not re.fullmatch(r"[+-]\d{4}", text) or int(text[1:3]) > 14 or int(text[3:]) > 59:
        return None
    return timezone((-1 if text[0] == "-" else 1) * timedelta(hours=int(text[1:3]), minutes=int(text[3:])))


def _utc(when: datetime | None, header: Dataset) -> str:
    """ISO 8601 in UTC. A time without a zone is of the zone the header names, else of this server's."""
    if when is None:
        return ""
    if when.tzinfo is None:
        when = when.replace(tzinfo=_zone(first_text(header, "TimezoneOffsetFromUTC")))
    try:
        found = when.astimezone(UTC)
    except (OverflowError, OSError, ValueError):
        return ""
    if not OLDEST <= found <= datetime.now(UTC) + timedelta(days=1):
        raise Unreadable("Its time is before 1990 or in the future.")
    return found.isoformat(timespec="milliseconds")


def _date(text: str) -> date | None:
    try:
        return datetime.strptime(text, "%Y%m%d").date()
    except ValueError:
        return None


def first_text(header: Dataset, *names: str) -> str:
    """The first attribute of some that says anything, as text."""
    for name in names:
        if (found := _one(header, name)) not in (None, ""):
            return str(found).replace("\0", "").strip()
    return ""


def _one(header: Dataset, name: str) -> object:
    return next(iter(_all(header, name)), None)


def _all(header: Dataset, name: str) -> list[object]:
    """The values of an attribute; empty where it is missing, empty or no value of its kind."""
    value = _value(header, name)
    if value is None or value == "":
        return []
    several = isinstance(value, pydicom.multival.MultiValue | list | tuple)
    return [one for one in value if one is not None] if several else [value]


def items(header: Dataset, name: str) -> list[Dataset]:
    """The items of a sequence; none where it is missing or no sequence."""
    value = _value(header, name)
    return [one for one in value if isinstance(one, Dataset)] if isinstance(value, pydicom.Sequence) else []


def _value(header: Dataset, name: str) -> Any:
    """A value, or None where it cannot be understood as what it claims to be: one bad attribute does not lose the others."""
    tag = _tag(name)
    try:
        return header[tag].value if tag in header else None
    except (ValueError, TypeError, KeyError, NotImplementedError, AttributeError, OverflowError):
        return None


@cache
def _tag(name: str) -> pydicom.tag.BaseTag:
    return pydicom.tag.Tag(name)


def number(value: object) -> float | None:
    """A finite number, or None."""
    if isinstance(value, bytes):
        return None
    try:
        found = float(str(value).replace(",", ".")) if isinstance(value, str) else float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        return None
    return found if math.isfinite(found) else None
