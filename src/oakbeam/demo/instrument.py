"""A stand-in for a physicist's instruments: what they would read in a room that is in order, with real readings' scatter."""

from __future__ import annotations

import random
from collections.abc import Callable

from oakbeam.core.equipment.calibration_slips import least_hvl_mm_al
from oakbeam.core.equipment.constancy import ConstancyTest
from oakbeam.core.equipment.room import Room

SCATTER = 0.012
"""One standard deviation of a reading, relative."""
KVPS = (60.0, 80.0, 100.0, 120.0)


def sheet(room: Room, test: ConstancyTest, seed: int) -> list[dict[str, float]]:
    """A whole entry sheet of a test; the same for the same seed."""
    draw = random.Random(seed)

    def about(value: float, spread: float = SCATTER) -> float:
        return float(f"{value * draw.gauss(1, spread):.4g}")

    kerma = 20 * room.output_ugy_per_mas(80)
    mas = [value for value in room.generator.mas if value >= 4][:4]
    rows: dict[str, Callable[[], list[dict[str, float]]]] = {
        "output": lambda: [{"kerma_ugy": about(kerma)} for _ in range(3)],
        "linearity": lambda: [{"ma": ma, "mas": 20, "kerma_ugy": about(kerma)} for ma in room.generator.ma[-3:]],
        "kvp": lambda: [{"kvp": kvp, "measured_kvp": about(kvp)} for kvp in KVPS],
        "timer": lambda: [{"time_ms": ms, "measured_ms": about(ms)} for ms in (100.0, 200.0, 500.0)],
        "hvl": lambda: [{"kvp": kvp, "hvl_mm_al": about(1.12 * least_hvl_mm_al(kvp), 0.01)} for kvp in (80.0, 100.0)],
        "focus": lambda: [{"mas": 20, "kerma_ugy": about(kerma)} for _ in range(2)],
        "index": lambda: [{"kerma_ugy": ugy, "ei": about(100 * ugy, 0.04)} for ugy in (1.0, 2.5, 10.0)],
        "uniformity": lambda: [{"value": about(1200)} for _ in range(5)],
        "aec-thickness": lambda: [{"thickness_cm": cm, "ei": about(260, 0.04)} for cm in (10.0, 20.0, 30.0)],
        "aec-kvp": lambda: [{"kvp": kvp, "ei": about(260, 0.04)} for kvp in KVPS],
        "aec-chambers": lambda: [{"chamber": n, "mas": about(20)} for n in (1.0, 2.0, 3.0)],
        "aec-steps": lambda: [{"step": n, "mas": about(20 * 1.25**n)} for n in (1.0, 2.0, 3.0, 4.0)],
        "aec-backup": lambda: [{"backup_mas": value, "ended_mas": about(value)} for value in mas],
        "aec-response": lambda: [{"measured_ms": about(3.2, 0.03)} for _ in range(3)],
        "grid": lambda: [{"kerma_without_ugy": about(80), "kerma_with_ugy": about(18)} for _ in range(3)],
        "light-field": lambda: [{"sid_cm": 100, "off_cm": round(abs(draw.gauss(0, 0.5)), 1)} for _ in range(4)],
        "distance": lambda: [{"sid_cm": cm, "shown_cm": round(cm + draw.gauss(0, 0.4), 1)} for cm in (100.0, 115.0)],
    }
    return rows[test.id]()
