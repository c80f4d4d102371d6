"""How the patient lies, sits or stands on a support, and where the beam then points."""

from __future__ import annotations

from collections.abc import Mapping

from oakbeam.core.projection import Beam, Posture, Projection, SupportId

POSTURES: Mapping[Posture, str] = {
    "supine": "on the back",
    "prone": "face down",
    "side_lying": "on the side",
    "seated": "seated beside the table",
    "sitting": "sitting on the stretcher",
    "standing": "standing",
    "kneeling": "kneeling",
}


def stance(projection: Projection, support: SupportId) -> tuple[Posture, Beam]:
    """Posture and beam on a support: who would stand lies on the table, who would lie stands at the upright Bucky."""
    if support in ("tabletop", "table_bucky") and projection.posture == "standing":
        return "supine", "vertical"
    if (
        support == "upright_bucky"
        and projection.posture in ("supine", "prone", "side_lying")
        and projection.beam == "vertical"
    ):
        return "standing", "horizontal"
    return projection.posture, projection.beam
