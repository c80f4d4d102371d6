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
    """Posture and beam on a support: who would stand lies on the table, who would lie stands at the upright Bucky, where the
    beam is horizontal for all."""
    if support in ("tabletop", "table_bucky") and projection.posture == "standing":
        return projection.lying, "vertical"
    if support == "upright_bucky" and projection.beam == "vertical":
        lay = projection.posture in ("supine", "prone", "side_lying")
        return "standing" if lay else projection.posture, "horizontal"
    return projection.posture, projection.beam
