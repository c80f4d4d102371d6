"""DICOM objects as machines write them: an image, a dose report, a reject note. Nobody in them is real."""

from __future__ import annotations

from io import BytesIO

from pydicom.dataset import Dataset, FileMetaDataset
from pydicom.sequence import Sequence
from pydicom.uid import UID, ExplicitVRLittleEndian, generate_uid

DX, DX_RAW, CR = "1.2.840.10008.5.1.4.1.1.1.1", "1.2.840.10008.5.1.4.1.1.1.1.1", "1.2.840.10008.5.1.4.1.1.1"
DOSE_REPORT, REJECT_NOTE = "1.2.840.10008.5.1.4.1.1.88.67", "1.2.840.10008.5.1.4.1.1.88.59"


def an_object(sop_class: str, syntax: str = ExplicitVRLittleEndian, **said: object) -> Dataset:
    """An object of a class with the attributes given; None leaves one out."""
    meta = FileMetaDataset()
    meta.TransferSyntaxUID, meta.MediaStorageSOPClassUID = UID(syntax), UID(sop_class)
    made = Dataset()
    made.file_meta, made.preamble = meta, b"\0" * 128
    made.SOPClassUID, made.SOPInstanceUID = UID(sop_class), generate_uid()
    meta.MediaStorageSOPInstanceUID = made.SOPInstanceUID
    for name, value in said.items():
        if value is not None:
            setattr(made, name, value)
    return made


def image(syntax: str = ExplicitVRLittleEndian, sop_class: str = DX, **said: object) -> Dataset:
    """An image of a lumbar spine, of somebody invented, in Room 1."""
    usual = {
        "StudyInstanceUID": generate_uid(),
        "IrradiationEventUID": generate_uid(),
        "PatientName": "Quagga^Zerlina",
        "PatientID": "REC-7741-93",
        "PatientBirthDate": "19710203",
        "PatientSex": "F",
        "PatientWeight": "71",
        "PatientSize": "1.68",
        "AcquisitionDateTime": "20261110101500+0000",
        "StationName": "Room 1",
        "DeviceSerialNumber": "0815",
        "KVP": "80",
        "ExposureInuAs": "25000",
        "Exposure": "25",
        "ExposureTime": "100",
        "XRayTubeCurrent": "250",
        "DistanceSourceToDetector": "1070",
        "ExposureIndex": "262",
        "TargetExposureIndex": "250",
        "DeviationIndex": "0.2",
        "BodyPartExamined": "LSPINE",
        "ViewPosition": "AP",
        "Grid": ["FOCUSED", "RECIPROCATING"],
        "FilterMaterial": ["ALUMINUM", "COPPER"],
        "FilterThicknessMinimum": ["1.0", "0.1"],
        "FilterThicknessMaximum": ["1.0", "0.1"],
        "ImageAndFluoroscopyAreaDoseProduct": "3.2",
        "EntranceDoseInmGy": "1.9",
        "FocalSpots": "1.2",
        "ExposureControlMode": "MANUAL",
    }
    made = an_object(sop_class, syntax, **{**usual, **said})
    made.Rows = made.Columns = 16
    made.BitsAllocated, made.BitsStored, made.HighBit, made.SamplesPerPixel, made.PixelRepresentation = 16, 12, 11, 1, 0
    made.PhotometricInterpretation = "MONOCHROME2"
    made.PixelData = b"\x07" * 512
    return made


def code(scheme: str, value: str) -> Dataset:
    one = Dataset()
    one.CodingSchemeDesignator, one.CodeValue, one.CodeMeaning = scheme, value, "said otherwise"
    return one


def item(concept: str, **said: object) -> Dataset:
    one = Dataset()
    one.ConceptNameCodeSequence = Sequence([code("DCM", concept)])
    for name, value in said.items():
        setattr(one, name, value)
    return one


def measured(concept: str, value: str, unit: str) -> Dataset:
    number = Dataset()
    number.NumericValue, number.MeasurementUnitsCodeSequence = value, Sequence([code("UCUM", unit)])
    return item(concept, MeasuredValueSequence=Sequence([number]))


def dose_report(event: str, study: str, *more: Dataset, taken: str = "20261110101500+0000", **said: object) -> Dataset:
    """A dose report of one event: a chest from behind, 117 kVp, 2 mAs."""
    inner = [
        item("111526", DateTime=taken),
        item("113769", UID=event),
        item("123014", ConceptCodeSequence=Sequence([code("SRT", "T-D3000")])),
        item("111031", ConceptCodeSequence=Sequence([code("SCT", "399348003")])),
        measured("113733", "117", "kV"),
        measured("113736", "2000", "uA.s"),
        measured("122130", "0.0000021", "Gy.m2"),
        *more,
    ]
    content = [item("113706", ContentSequence=Sequence(inner))]
    usual = {"StudyInstanceUID": study, "StationName": "Room 1", "PatientName": "Quagga^Zerlina", "PatientAge": "055Y"}
    return an_object(DOSE_REPORT, **{**usual, "ContentSequence": Sequence(content), **said})


def reject_note(reason: str, *uids: str) -> Dataset:
    """A note that rejects images; reason: a code of CID 7011."""
    images = []
    for uid in uids:
        one = Dataset()
        one.ReferencedSOPInstanceUID = uid
        images.append(one)
    series, study = Dataset(), Dataset()
    series.ReferencedSOPSequence, study.ReferencedSeriesSequence = Sequence(images), Sequence([series])
    return an_object(
        REJECT_NOTE,
        ConceptNameCodeSequence=Sequence([code("DCM", "113001")]),
        CurrentRequestedProcedureEvidenceSequence=Sequence([study]),
        ContentSequence=Sequence([item("113011", ConceptCodeSequence=Sequence([code("DCM", reason)]))]),
    )


def as_bytes(made: Dataset) -> bytes:
    out = BytesIO()
    made.save_as(out, enforce_file_format=True)
    return out.getvalue()
