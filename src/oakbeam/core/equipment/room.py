"""A room: generator, tube, supports with their distance references, grids, receptors, AEC, and how it was calibrated."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.equipment.generator import AEC_BACKUP_FACTOR, AEC_MINIMUM_RESPONSE_MS, Generator
from oakbeam.core.equipment.index_scale import IndexScale
from oakbeam.core.errors import OutOfRange, Refusal, WholeDocument, unknown, within
from oakbeam.core.image_review import EI_RANGE
from oakbeam.core.lengths import LengthUnit, to_cm
from oakbeam.core.physics.beam.grid import GridStrips, Interspace
from oakbeam.core.physics.beam.receptor import ReceptorKind
from oakbeam.core.projection import SupportId

DIGITAL: tuple[ReceptorKind, ...] = ("dr_csi", "dr_gos", "cr")
Method = Literal["rules", "model"]
NO_FILTER = "none"
"""What a set-up names to take the line's filter out."""
METHODS: tuple[Method, ...] = ("rules", "model")

USUAL_DETENTS: Mapping[LengthUnit, tuple[float, ...]] = {
    "cm": (100.0, 110.0, 115.0, 120.0, 150.0, 180.0),
    "in": (40.0, 44.0, 48.0, 60.0, 72.0),
}
"""Where a tube usually clicks into place, in the unit written on it; taken where nobody said."""


@dataclass(frozen=True, slots=True)
class Output(WholeDocument):
    """A measured tube output: air kerma [µGy/mAs] in air at 100 cm, at one kVp."""

    kvp: float
    kerma_ugy_per_mas: float


@dataclass(frozen=True, slots=True)
class Tube(WholeDocument):
    """Total filtration [mm Al, and added mm Cu] and anode angle [degrees] of the tube. cathode_at: where its cathode end is
    over the table, in the department's words ("head end"); empty where nobody said."""

    filtration_mm_al: float = 3.0
    filtration_mm_cu: float = 0.0
    anode_angle_deg: float = 12.0
    cathode_at: str = ""


@dataclass(frozen=True, slots=True)
class Filter(WholeDocument):
    """A filter that can be put before the tube in addition to its own: mm Al and mm Cu."""

    id: str
    name: str
    mm_al: float = 0.0
    mm_cu: float = 0.0


@dataclass(frozen=True, slots=True)
class Grid(WholeDocument):
    """A focused linear grid; range_cm is the SID range its maker states for it. Strips as in `GridStrips`."""

    ratio: int
    lines_per_cm: float
    focal_cm: float
    range_cm: tuple[float, float]
    lead_mm: float = 0.04
    interspace: Interspace = "aluminium"
    cover_mm_al: float = 0.3

    @property
    def strips(self) -> GridStrips:
        return GridStrips(float(self.ratio), self.lines_per_cm, self.lead_mm, self.interspace, self.cover_mm_al)


@dataclass(frozen=True, slots=True)
class Support(WholeDocument):
    """Where the receptor sits. gap_cm: from the surface the patient touches to the receptor. grid: the one built in.
    attenuation_mm_al: aluminium equivalent of the table top or front. sid_range_cm: how near and far the tube travels from a
    receptor there, None where nobody said. sid_detents: where the tube clicks into place for it, rising, in the unit that is
    written on the room's machine; empty where nobody said."""

    id: SupportId
    gap_cm: float
    grid: Grid | None
    attenuation_mm_al: float = 0.0
    sid_range_cm: tuple[float, float] | None = None
    sid_detents: tuple[float, ...] = ()

    @property
    def tube_travel_cm(self) -> tuple[float, float]:
        """The SIDs that the tube reaches here: as said, or as usual for the place."""
        return self.sid_range_cm or USUAL_TRAVEL_CM[self.id]


USUAL_TRAVEL_CM: Mapping[SupportId, tuple[float, float]] = {
    "tabletop": (80.0, 125.0),
    "table_bucky": (80.0, 130.0),
    "upright_bucky": (100.0, 200.0),
    "detector": (80.0, 180.0),
}
"""SIDs [cm] that a tube usually reaches: over a table hardly more than 1.3 m, towards a wall across the room."""


@dataclass(frozen=True, slots=True)
class Receptor(WholeDocument):
    """A receptor. Digital kinds have a target exposure index, film-screen a speed class; size in cm, width x height.

    region_targets: target index by region of the body where it is not target_ei. ei_scale: index shown over index that the
    kerma at an RQA5-like beam calls for (IEC 62494-1), as measured; 1 where not measured. index_scale: what the console
    shows in place of the exposure index; None where it shows that index. All else here is in exposure index.
    """

    id: str
    name: str
    kind: ReceptorKind
    size_cm: tuple[float, float]
    target_ei: float | None
    speed: float | None
    region_targets: tuple[tuple[str, float], ...] = ()
    ei_scale: float = 1.0
    index_scale: IndexScale | None = None

    @property
    def digital(self) -> bool:
        return self.kind in DIGITAL

    def target_for(self, region: str, own: float | None = None) -> float | None:
        """The target exposure index for a region of the body; own: a line's, which goes before it. None for film."""
        if not self.digital:
            return None
        return own or dict(self.region_targets).get(region, self.target_ei)

    def ei_read(self, ei: float | None, shown_index: float | None) -> float | None:
        """The exposure index that was read: typed as such, or as the console shows it; None where neither was."""
        if ei is not None and shown_index is not None:
            raise Refusal("One index", "Give the exposure index or what the console shows, not both.", None, "shown_index")
        if shown_index is None:
            return ei
        if self.index_scale is None:
            return within("shown_index", shown_index, *EI_RANGE, "")
        return self.index_scale.ei(shown_index)

    def shown(self, ei: float) -> float:
        """What the console shows for an exposure index."""
        return self.index_scale.shown(ei) if self.index_scale else ei

    def speed_class(self, target_ei: float | None = None) -> float:
        """Speed class S = 1000 / K [µGy]; for a digital receptor K = EI_T / 100 (IEC 62494-1), so S = 1e5 / EI_T."""
        if not self.digital:
            assert self.speed is not None
            return self.speed
        wanted = target_ei or self.target_ei
        assert wanted is not None
        return 1e5 / wanted


@dataclass(frozen=True, slots=True)
class Aec(WholeDocument):
    """Automatic exposure control: the cells there are, the exposure ratio of one density step, its shortest response [ms],
    and the back-up over the prediction. The room's mAs ceiling is the generator's.

    holds: "index", where its curve was matched to the receptor for every kVp and thickness; "kerma", where it ends at the
    same chamber kerma always, as set once (see `aec.chamber_drift`).
    """

    cells: tuple[str, ...] = ("L", "C", "R")
    density_step: float = 1.25
    minimum_response_ms: float = AEC_MINIMUM_RESPONSE_MS
    backup_factor: float = AEC_BACKUP_FACTOR
    holds: Literal["index", "kerma"] = "index"


@dataclass(frozen=True, slots=True)
class Calibration(WholeDocument):
    """When and by whom the outputs and indices were last accepted, and how well they fitted. instrument: what they were read
    with; read_on and due_on: the days they were read and are next due (ISO), empty where nobody said."""

    at: str
    by: str
    output_points: int
    largest_residual_percent: float
    note: str = ""
    instrument: str = ""
    read_on: str = ""
    due_on: str = ""


@dataclass(frozen=True, slots=True)
class Room(WholeDocument):
    """A room and its equipment. outputs: at least two points, kVp rising. school: the method it calculates by.
    aec None: the room has none. filters: those that can be selected, besides none. revision grows with each change.
    length_unit: what stands on its machine. typical_output: nobody read the outputs, they are those of usual tubes; dose
    figures are then estimates."""

    id: str
    name: str
    generator: Generator
    outputs: tuple[Output, ...]
    supports: tuple[Support, ...]
    receptors: tuple[Receptor, ...]
    loose_grids: tuple[Grid, ...] = ()
    tube: Tube = Tube()
    aec: Aec | None = Aec()
    school: Method = "model"
    calibration: Calibration | None = None
    revision: int = 1
    filters: tuple[Filter, ...] = ()
    length_unit: LengthUnit = "cm"
    typical_output: bool = False

    @property
    def mobile(self) -> bool:
        """A unit that is wheeled to the patient: it has no Bucky."""
        return not any(support.id in ("table_bucky", "upright_bucky") for support in self.supports)

    def detents_cm(self, support: Support) -> tuple[float, ...]:
        """Where the tube clicks into place for a support [cm], as said or as usual."""
        return tuple(to_cm(one, self.length_unit) for one in support.sid_detents or USUAL_DETENTS[self.length_unit])

    def sid_near_cm(self, wanted_cm: float, support: Support, grid: Grid | None) -> float:
        """The SID nearest to a wanted one [cm] that the grid takes: a detent where the room's are known or in inches, else
        the wanted one too; the grid's own focus where none is in its range."""
        known = support.sid_detents or self.length_unit == "in"
        found = (*(() if known else (wanted_cm,)), *self.detents_cm(support))
        taken = [sid for sid in found if grid is None or grid.range_cm[0] <= sid <= grid.range_cm[1]]
        return min(taken, key=lambda sid: abs(sid - wanted_cm)) if taken else grid.focal_cm if grid else wanted_cm

    def filter(self, filter_id: str | None) -> Filter | None:
        """The selectable filter of that id; None for none. Refusal with the room's list otherwise."""
        if filter_id is None:
            return None
        for one in self.filters:
            if one.id == filter_id:
                return one
        raise unknown("filter", filter_id, [one.id for one in self.filters])

    def support(self, support_id: str) -> Support:
        """The support of that id; Refusal with the room's list otherwise."""
        for support in self.supports:
            if support.id == support_id:
                return support
        raise unknown("support", support_id, [support.id for support in self.supports])

    def receptor(self, receptor_id: str) -> Receptor:
        """The receptor of that id; Refusal with the room's list otherwise."""
        for receptor in self.receptors:
            if receptor.id == receptor_id:
                return receptor
        raise unknown("receptor", receptor_id, [receptor.id for receptor in self.receptors])

    def grid(self, support: Support, ratio: int) -> Grid | None:
        """The room's grid of that ratio: the one built into the support, else a loose one; None where it has none."""
        if support.grid and support.grid.ratio == ratio:
            return support.grid
        return next((grid for grid in self.loose_grids if grid.ratio == ratio), None)

    def output_ugy_per_mas(self, kvp: float) -> float:
        """Tube output [µGy/mAs at 100 cm] at a kVp: log-log interpolation of the measured points, refused outside them."""
        points = self.outputs
        if not points[0].kvp <= kvp <= points[-1].kvp:
            raise OutOfRange(
                "No measured output",
                f"The tube output was measured from {points[0].kvp:g} to {points[-1].kvp:g} kVp, not at {kvp:g}.",
                {"min": points[0].kvp, "max": points[-1].kvp, "unit": "kVp"},
                "kvp",
            )
        place = 1
        while points[place].kvp < kvp:
            place += 1
        a, b = points[place - 1], points[place]
        share = math.log(kvp / a.kvp) / math.log(b.kvp / a.kvp)
        return a.kerma_ugy_per_mas * math.pow(b.kerma_ugy_per_mas / a.kerma_ugy_per_mas, share)
