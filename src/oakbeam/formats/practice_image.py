"""A computed radiograph as a file: PNG of 16 bits, and DICOM (Digital X-Ray Image Storage, For Presentation)."""

from __future__ import annotations

import hashlib
import io

import numpy as np
from PIL import Image
from pydicom.dataset import Dataset, FileDataset, FileMetaDataset
from pydicom.sequence import Sequence
from pydicom.uid import UID, ExplicitVRLittleEndian

from oakbeam.core.practice.shown import Shown
from oakbeam.core.practice.simulated_room import Case, Console, Taken, marker_of
from oakbeam.core.practice.views import VIEWS, one_sided

COUNTS_PER_UGY = 1000
"""Of the PNG: proportional to the receptor signal, before any display processing; 65 535 is as much as it holds."""
DIGITAL_X_RAY = UID("1.2.840.10008.5.1.4.1.1.1.1")
MADE_UP = "20000101"
"""A day that is nobody's: the same image is the same bytes, whenever it is made."""


def as_png(taken: Taken) -> bytes:
    """The signal as a PNG of 16 bits."""
    counts = np.clip(np.rint(taken.radiograph.signal * COUNTS_PER_UGY), 0, 65535).astype(np.uint16)
    out = io.BytesIO()
    Image.fromarray(counts).save(out, "PNG")
    return out.getvalue()


def as_dicom(taken: Taken, shown: Shown, case: Case, console: Console) -> bytes:
    """The image as it is shown, with how it was exposed. The patient is no one."""
    made = Dataset()
    name = f"{case.projection.id} {case.thickness_cm} {case.seed} {console}".encode()
    digest = hashlib.sha256(name + taken.radiograph.signal.tobytes()).hexdigest()

    def uid(kind: str) -> UID:
        return UID(f"2.25.{int(hashlib.sha256((digest + kind).encode()).hexdigest()[:30], 16)}")

    made.SpecificCharacterSet = "ISO_IR 192"
    made.ImageType = ["DERIVED", "PRIMARY", ""]
    made.SOPClassUID, made.SOPInstanceUID = DIGITAL_X_RAY, uid("image")
    made.StudyDate = made.ContentDate = made.AcquisitionDate = made.SeriesDate = MADE_UP
    made.StudyTime = made.ContentTime = made.AcquisitionTime = made.SeriesTime = "000000"
    made.AccessionNumber, made.Modality, made.PresentationIntentType = "", "DX", "FOR PRESENTATION"
    made.Manufacturer, made.ManufacturerModelName = "Oakbeam", "Practice"
    made.DeviceSerialNumber, made.SoftwareVersions = "0", "1"
    made.ReferringPhysicianName, made.StudyDescription = "", "Computed, for practice"
    made.PatientName, made.PatientID = "Computed^Body", "PRACTICE"
    made.PatientBirthDate, made.PatientSex = "", {"male": "M", "female": "F"}[case.sex]
    made.BodyPartThickness, made.KVP = f"{10 * case.thickness_cm:.1f}", f"{console.kvp:g}"
    made.DistanceSourceToDetector = f"{10 * console.sid_cm:.1f}"
    made.ExposureInuAs = round(1000 * taken.mas)
    made.Exposure = round(taken.mas)
    made.ExposureIndex, made.TargetExposureIndex = f"{taken.index.ei:.1f}", "250"
    made.DeviationIndex = f"{taken.di:.1f}"
    made.EntranceDoseInmGy = f"{taken.radiograph.incident_air_kerma_mgy:.5g}"
    made.ImageAndFluoroscopyAreaDoseProduct = f"{taken.radiograph.kap_mgycm2 / 100:.5g}"
    made.StudyInstanceUID, made.SeriesInstanceUID = uid("study"), uid("series")
    made.StudyID, made.SeriesNumber, made.InstanceNumber = "1", 1, 1
    made.PatientOrientation = [_to_the_right(case), "F"]
    made.ImageLaterality = marker_of(case)[-1] if one_sided(case.projection.id) else "U"
    made.BodyPartExamined = ""
    made.AnatomicRegionSequence = Sequence([_code("38266002", "Entire body")])
    made.SeriesDescription = f"{case.projection.exam} {case.projection.name}"[:64]
    lateral = case.projection.direction == "lateral"
    seen = _code("399067008", "lateral") if lateral else _code("399348003", "antero-posterior")
    made.ViewCodeSequence, made.PositionerType = Sequence([seen]), "NONE"
    pitch = f"{10 * taken.radiograph.screen.pixel_cm:.6f}"
    made.ImagerPixelSpacing = [pitch, pitch]
    made.DetectorType, made.DetectorID, made.DetectorConfiguration = "SCINTILLATOR", "PRACTICE", "AREA"
    made.DetectorActiveShape, made.FieldOfViewShape = "RECTANGLE", "RECTANGLE"
    made.FieldOfViewOrigin, made.FieldOfViewRotation, made.FieldOfViewHorizontalFlip = ["0", "0"], "0", "NO"
    made.SamplesPerPixel, made.PhotometricInterpretation = 1, "MONOCHROME1"
    made.Rows, made.Columns = shown.levels.shape
    made.BitsAllocated, made.BitsStored, made.HighBit, made.PixelRepresentation = 16, 16, 15, 0
    made.PixelIntensityRelationship, made.PixelIntensityRelationshipSign = "LOG", 1
    made.RescaleIntercept, made.RescaleSlope, made.RescaleType = "0", "1", "US"
    made.PresentationLUTShape, made.LossyImageCompression, made.BurnedInAnnotation = "INVERSE", "00", "NO"
    made.WindowCenter = f"{(shown.dark + shown.light) / 2:g}"
    made.WindowWidth = f"{max(shown.dark - shown.light, 1):g}"
    made.AcquisitionContextSequence = Sequence([])
    made.PixelData = shown.levels.astype("<u2").tobytes()
    meta = FileMetaDataset()
    meta.MediaStorageSOPClassUID, meta.MediaStorageSOPInstanceUID = made.SOPClassUID, made.SOPInstanceUID
    meta.TransferSyntaxUID, meta.ImplementationClassUID = ExplicitVRLittleEndian, UID("2.25.3")
    out = io.BytesIO()
    FileDataset(out, made, file_meta=meta, preamble=b"\0" * 128).save_as(out, enforce_file_format=True)
    return out.getvalue()


def _to_the_right(case: Case) -> str:
    """What of the patient the rows of the image run toward: the left, the front or the back."""
    toward = {"left": "P", "medial": "A"}.get(VIEWS[case.projection.id].seen, "L")
    mirrored = case.side == "right" and one_sided(case.projection.id)
    return {"P": "A", "A": "P"}.get(toward, toward) if mirrored else toward


def _code(value: str, meaning: str) -> Dataset:
    code = Dataset()
    code.CodeValue, code.CodingSchemeDesignator, code.CodeMeaning = value, "SCT", meaning
    return code
