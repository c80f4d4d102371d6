"""A stand-in for a department's worklist server: it answers a Modality Worklist question with a few invented requests."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from datetime import date

from pydicom.dataset import Dataset
from pydicom.sequence import Sequence
from pydicom.uid import generate_uid
from pynetdicom import AE, evt
from pynetdicom.transport import ThreadedAssociationServer

FIND_WORKLIST, VERIFICATION = "1.2.840.10008.5.1.4.31", "1.2.840.10008.1.1"
PENDING = 0xFF00
logging.getLogger("pynetdicom").disabled = True
INVENTED = (
    ("080000", "Quill^Aster", "19710203", "F", "71", "1.68", "XCH2", "Chest 2 views", "DX"),
    ("081500", "Fennel^Orrin", "20180611", "M", "22", "1.15", "XHAND", "Hand left 3 views", "DX"),
    ("083000", "Sorrel^Ilka", "19440930", "F", "58", "1.60", "XLSP3", "Lumbar spine 3 views", "DX"),
    ("090000", "Tansy^Bram", "19890115", "M", "90", "1.85", "XKNEE4", "Knee right 4 views", "CR"),
    ("091500", "Yarrow^Wim", "19650505", "M", "80", "1.75", "CTHEAD", "CT of the head", "CT"),
)
"""Time, name, birth date, sex, kg, m, code, description, modality: nobody's."""


def requests() -> list[Dataset]:
    """The invented requests of today; the same study keys for as long as the process lives."""
    made = []
    for time, name, born, sex, kg, metres, code, text, modality in INVENTED:
        one, step, procedure = Dataset(), Dataset(), Dataset()
        one.PatientName, one.PatientID, one.PatientBirthDate, one.PatientSex = name, f"D-{code}", born, sex
        one.PatientWeight, one.PatientSize, one.StudyInstanceUID = kg, metres, generate_uid(entropy_srcs=[code, time])
        one.AccessionNumber, one.RequestedProcedureID, one.RequestedProcedureDescription = f"A{time}", code, text
        procedure.CodeValue, procedure.CodingSchemeDesignator, procedure.CodeMeaning = code, "99DEMO", text
        one.RequestedProcedureCodeSequence = Sequence([procedure])
        step.Modality, step.ScheduledProcedureStepStartTime = modality, time
        step.ScheduledProcedureStepStartDate = date.today().strftime("%Y%m%d")
        one.ScheduledProcedureStepSequence = Sequence([step])
        made.append(one)
    return made


class WorklistStandIn:
    """Answers on a port of the loopback from the moment it is made until it is closed. port 0: any that is free."""

    def __init__(self, port: int = 0, title: str = "WORKLIST") -> None:
        self.title, self._requests = title, requests()
        self.entity = AE(ae_title=title)
        self.entity.add_supported_context(FIND_WORKLIST)
        self.entity.add_supported_context(VERIFICATION)
        server = self.entity.start_server(("127.0.0.1", port), block=False, evt_handlers=[(evt.EVT_C_FIND, self._find)])
        assert isinstance(server, ThreadedAssociationServer)
        assert server.socket is not None
        self.port = int(server.socket.getsockname()[1])

    def close(self) -> None:
        """Answer no more."""
        self.entity.shutdown()

    def _find(self, event: evt.Event) -> Iterator[tuple[int, Dataset | None]]:
        asked = event.identifier
        step = next(iter(asked.get("ScheduledProcedureStepSequence", [])), Dataset())
        for one in self._requests:
            own = one.ScheduledProcedureStepSequence[0]
            if all(
                not step.get(name) or step.get(name) == own.get(name)
                for name in ("Modality", "ScheduledProcedureStepStartDate")
            ):
                yield PENDING, one
