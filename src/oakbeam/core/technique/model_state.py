"""Where a set-up stands for the physics model, and by what factor each change moves the mAs needed."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core.anatomy.body import Habitus
from oakbeam.core.anatomy.composition import Age, PatientPart, beam_and_spread, signal_per_mas
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Filter, Receptor, Room, Support
from oakbeam.core.equipment.room_beam import beam_setup, wanted_rqa5_ugy
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.conditions import Modifier
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM, Patient
from oakbeam.core.physics.beam.model import KVP_RANGE, Beam, BeamSetup
from oakbeam.core.projection import Projection
from oakbeam.core.technique.set_up import ResolvedSetup


@dataclass
class ModelState:
    """The physics model's side of a technique being worked out: where the set-up stands now, and what each change does to
    the mAs needed.

    `move` changes some of it and gives the mAs factor that keeps the image density, receptor targets counted in.
    """

    room: Room
    projection: Projection
    thickness_cm: float
    kvp: float
    sid_cm: float
    support: Support
    grid_ratio: int
    receptor: Receptor
    target_ei: float | None
    field_cm: tuple[float, float]
    gap_cm: float
    filter: Filter | None = None
    grid_offset_cm: float = 0.0
    grid_tilt_deg: float = 0.0
    habitus: Habitus | None = None
    age: Age | None = None
    overlay: tuple[tuple[str, float], ...] = ()
    thickness_spread_cm: float = CALIPER_SPREAD_CM
    wanted_mas: float | None = None
    """What `mas_on_target` last said for this state; None where it has not been asked."""

    @classmethod
    def charted(
        cls, line: ChartLine, room: Room, projection: Projection, charted: ResolvedSetup, patient: Patient
    ) -> ModelState:
        """At the conditions of a chart line, for the build of a patient."""
        kvp, _ = line.law.at(line.thickness_cm)
        return cls(
            room,
            projection,
            line.thickness_cm,
            kvp,
            charted.sid_cm,
            charted.support,
            charted.grid_ratio,
            charted.receptor,
            charted.target_ei,
            charted.field_cm,
            charted.gap_cm,
            charted.filter,
            habitus=patient.habitus,
            thickness_spread_cm=patient.thickness_spread_cm,
        )

    def beam(self) -> tuple[Beam, float, dict[str, float]]:
        """The beam where the set-up stands now (its first entry), and its spreads: see `beam_and_spread`."""
        return beam_and_spread(self.setup(), self._patient(self.thickness_spread_cm))

    def _patient(self, spread_cm: float = CALIPER_SPREAD_CM) -> PatientPart:
        average_cm = self.projection.thickness_cm[1]
        return PatientPart(
            self.projection.composition, average_cm, self.thickness_cm, self.habitus, self.overlay, spread_cm, self.age
        )

    def setup(self) -> BeamSetup:
        """The set-up as the model takes it."""
        return beam_setup(
            self.room,
            self.kvp,
            self.sid_cm,
            self.support,
            self.grid_ratio,
            self.receptor,
            self.field_cm,
            self.gap_cm,
            self.grid_offset_cm,
            self.grid_tilt_deg,
            self.filter,
        )

    def grid_loss(self) -> float:
        """Share of the primary that the grid, as it stands now, takes away beyond what it should."""
        return self.setup().primary_loss

    def mas_on_target(self) -> float:
        """mAs that gives the receptor what it wants, by the model alone."""
        return wanted_rqa5_ugy(self.receptor, self.target_ei) / signal_per_mas(self.setup(), self._patient())

    def di_of(self, mas: float) -> float | None:
        """Deviation index that a mAs gives here, by the model alone; None where it has no answer."""
        wanted = self.wanted()
        return None if wanted is None else 10 * math.log10(mas / wanted)

    def behind_metal(self, metal: Modifier) -> float | None:
        """The share of the signal that is left, averaged over the field, where metal lies before a part of it; None where
        the model has no answer."""
        assert metal.overlay is not None
        bare, behind = self.wanted(), self.trial(overlay=(*self.overlay, metal.overlay)).wanted()
        return None if bare is None or behind is None else 1 - metal.shadows * (1 - bare / behind)

    def trial(self, **changes: object) -> ModelState:
        """The set-up with some of it changed; this one stays where it is."""
        other = object.__new__(ModelState)
        other.__dict__.update(self.__dict__, **changes)
        if changes:
            other.wanted_mas = None
        return other

    def move(self, **changes: object) -> float | None:
        """Change the set-up and give the mAs factor of the change; None where the model has no answer before or after it."""
        before = self.wanted()
        for name, value in changes.items():
            setattr(self, name, value)
        self.wanted_mas = None
        after = self.wanted()
        return None if before is None or after is None else after / before

    def kvp_for(self, factor: float) -> float | None:
        """The kVp at which `factor` times the mAs gives the same exposure, to 0.01 kV; None where there is none."""
        low, high = KVP_RANGE

        def needed(kvp: float) -> float | None:
            return self.trial().move(kvp=kvp)

        least, most = needed(high), needed(low)
        if least is None or most is None or not least <= factor <= most:
            return None
        while high - low > 0.01:
            middle = (low + high) / 2
            at = needed(middle)
            if at is None:
                return None
            low, high = (middle, high) if at > factor else (low, middle)
        return (low + high) / 2

    def wanted(self) -> float | None:
        """`mas_on_target`, kept until something moves; None where the model has no answer."""
        if self.wanted_mas is None:
            try:
                self.wanted_mas = self.mas_on_target()
            except Refusal:
                return None
        return self.wanted_mas
