"""The department's worklist, asked over the network (DICOM Modality Worklist, C-FIND): requests without who they are for.

Names, record numbers and free texts are let go of at once: a key, an age band, a side, a body's size and words of the field
stay.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime

from pydicom.dataset import Dataset
from pydicom.sequence import Sequence
from pynetdicom import AE

from oakbeam.catalogue.image_words import view_said
from oakbeam.core.exam.waiting import Waiting
from oakbeam.core.log.facts import age_band_of
from oakbeam.formats.image_header import first_text, items, number, rather, taken_at
from oakbeam.formats.one_way import OneWay

FIND_WORKLIST = "1.2.840.10008.5.1.4.31"
MOST_REQUESTS = 200
MOST_ANSWERS, MOST_ANSWERING_S = 2000, 15.0
"""After so many answers, or so long, a server that goes on is broken off."""
PATIENCE_S = 4.0
MODALITIES = ("DX", "CR", "RG", "")
logging.getLogger("pynetdicom").disabled = True


@dataclass(frozen=True, slots=True)
class WorklistServer:
    """Where the worklist is asked for: host, port, the title it is called by and the title we call with."""

    host: str
    port: int
    title: str
    own_title: str = "OAKBEAM"


class Silent(Exception):
    """The server did not answer, or not as it should; the text says so in our words."""


def ask(server: WorklistServer, keys: OneWay, exams: Mapping[str, str]) -> list[Waiting]:
    """Today's requests, in the order they are scheduled. exams: the exam of a procedure, by its one-way key. Raises
    Silent."""
    entity = AE(ae_title=server.own_title)
    entity.connection_timeout = entity.acse_timeout = entity.dimse_timeout = entity.network_timeout = PATIENCE_S
    entity.add_requested_context(FIND_WORKLIST)
    try:
        link = entity.associate(server.host, server.port, ae_title=server.title)
    except (OSError, ValueError):  # of a name that leads nowhere, or that is none
        raise Silent("The worklist server's name leads nowhere.") from None
    if not link.is_established:
        raise Silent("The worklist server does not answer, or does not take us.")
    found, until = list[Waiting](), time.monotonic() + MOST_ANSWERING_S
    try:
        for count, (status, item) in enumerate(link.send_c_find(_question(), FIND_WORKLIST)):
            if count >= MOST_ANSWERS or time.monotonic() > until:
                link.abort()
                raise Silent("The worklist server answers without an end.")
            if not status:
                raise Silent("The worklist server broke off.")
            if status.Status in (0xFF00, 0xFF01) and item is not None and len(found) < MOST_REQUESTS:
                request = _request(item, keys, exams)
                if request is not None:
                    found.append(request)
            elif status.Status not in (0x0000, 0xFF00, 0xFF01):
                raise Silent("The worklist server refuses the question.")
    finally:
        if link.is_established:
            link.release()
    return sorted(found, key=lambda one: (one.scheduled_at, one.study_key))


def _question() -> Dataset:
    asked, step = Dataset(), Dataset()
    for name in ("StudyInstanceUID", "AccessionNumber", "RequestedProcedureID", "RequestedProcedureDescription"):
        setattr(asked, name, "")
    for name in ("PatientBirthDate", "PatientSex", "PatientWeight", "PatientSize"):
        setattr(asked, name, None if name in ("PatientWeight", "PatientSize") else "")
    asked.RequestedProcedureCodeSequence = Sequence([Dataset()])
    step.Modality, step.ScheduledProcedureStepStartTime = "", ""
    step.ScheduledProcedureStepStartDate = date.today().strftime("%Y%m%d")
    step.ScheduledProcedureStepDescription = ""
    asked.ScheduledProcedureStepSequence = Sequence([step])
    return asked


def _request(item: Dataset, keys: OneWay, exams: Mapping[str, str]) -> Waiting | None:
    """A request; None for one of another modality, or that names no study."""
    step = next(iter(items(item, "ScheduledProcedureStepSequence")), Dataset())
    study = first_text(item, "StudyInstanceUID")
    if not study or first_text(step, "Modality").upper() not in MODALITIES:
        return None
    code = next((first_text(one, "CodeValue", "LongCodeValue") for one in items(item, "RequestedProcedureCodeSequence")), "")
    texts = [first_text(item, "RequestedProcedureDescription"), first_text(step, "ScheduledProcedureStepDescription")]
    said = view_said((), texts)
    procedure = keys.key("procedure", code or " ".join(texts).lower())
    born = first_text(item, "PatientBirthDate")
    weight, height = (number(first_text(item, name)) for name in ("PatientWeight", "PatientSize"))
    return Waiting(
        study_key=keys.key("study", study),
        exam=exams.get(procedure, ""),
        side=said.side,
        age_band=age_band_of(years) if (years := _years(born)) is not None else None,
        weight_kg=rather(weight if weight and 0.3 <= weight <= 350 else None, 5.0),
        height_cm=rather(100 * height if height and 0.2 <= height <= 2.5 else None, 5.0),
        sex={"F": "female", "M": "male"}.get(first_text(item, "PatientSex").upper()[:1]),  # type: ignore[arg-type]
        procedure=procedure,
        words=said.words,
        scheduled_at=_scheduled(step),
    )


def _scheduled(step: Dataset) -> str:
    said = first_text(step, "ScheduledProcedureStepStartDate") + first_text(step, "ScheduledProcedureStepStartTime")
    return taken_at(said, step)


def _years(born: str) -> float | None:
    try:
        days = (datetime.now(UTC).date() - datetime.strptime(born, "%Y%m%d").date()).days
    except ValueError:
        return None
    return days / 365.25 if 0 <= days < 125 * 366 else None
