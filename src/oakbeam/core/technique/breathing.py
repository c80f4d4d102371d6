"""A breathing technique solves itself: the kVp at which its mAs takes the seconds that blur ribs and lung.

The still part stays sharp while what moves is smeared over 2 to 4 s, 1 s at least. That needs an mAs large enough for the
lowest mA; so the kVp goes down within the view's usual ones until it has it.
"""

from __future__ import annotations

import math
from dataclasses import replace

from oakbeam.core.equipment.generator import (
    BREATHING_ACCEPTED_MS,
    BREATHING_WANTED_MS,
    SpotName,
    choose_loading,
    nearest_setting,
)
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import Projection
from oakbeam.core.technique.set_up import ResolvedSetup
from oakbeam.core.technique.steps import RunningTechnique, exposure_factor


def breathing_step(
    running: RunningTechnique, room: Room, projection: Projection, patient: Patient, setup: ResolvedSetup, chosen: bool
) -> ResolvedSetup:
    """The kVp at which a breathing technique has its time: the highest of the usual ones, not above where it stands, that
    gives 2 to 4 s, else 1 to 4 s; a higher one where the mAs is too much. Nothing where kVp or mAs are set by hand.

    Where no usual kVp has such a time: raises Refusal, with the one thing to set instead, if breathing was chosen; where
    only the line is made so, the set-up with the breath held, and a note of what would allow it.
    """
    if setup.exposure_control != "breathing":
        return setup
    try:
        if patient.cannot_keep_still and not chosen:
            raise Refusal("No breathing technique here", "The patient cannot keep still.", None, "exposure_control")
        _solve(running, room, projection, patient, setup)
    except Refusal as refused:
        if chosen:
            raise
        running.caution("note", f"Breath held, not the line's breathing technique: {refused.detail}", "breathing")
        return replace(setup, exposure_control="manual")
    return setup


def _solve(running: RunningTechnique, room: Room, projection: Projection, patient: Patient, setup: ResolvedSetup) -> None:
    """Move to the kVp at which it has its time; by hand it stays. Raises Refusal where there is none."""
    if setup.kvp is not None or setup.mas is not None:
        if _breathing_time_ms(running, room, projection, patient, running.kvp, setup.focal_spot) is None:
            raise _no_breathing(running, room, running.kvp, setup)
        return
    low, high = projection.kvp_usual(setup.support.id)
    usual = [kvp for kvp in room.generator.kvp if low <= kvp <= high]
    here = nearest_setting("kvp", running.kvp, room.generator.kvp, "kVp")
    order = [here, *(kvp for kvp in reversed(usual) if kvp < here), *(kvp for kvp in usual if kvp > here)]
    spot = setup.focal_spot
    times = {kvp: time for kvp in order if (time := _breathing_time_ms(running, room, projection, patient, kvp, spot))}
    long_enough = [kvp for kvp, time in times.items() if time >= BREATHING_WANTED_MS[0]]
    found = next(iter(long_enough or times), None)
    if found is None:
        raise _no_breathing(running, room, usual[0] if usual else here, setup)
    if found != here:
        way = "lower" if found < here else "higher"
        why = f"{here:g} to {found:g} kVp: at a {way} kVp the mAs has {times[found] / 1000:.1f} s at a low mA."
        by_rules = rules_of_thumb.mas_for_kvp(1.0, running.kvp, found)
        running.change("Breathing", by_rules, running.model.move(kvp=found), why, found)


def _breathing_time_ms(
    running: RunningTechnique, room: Room, projection: Projection, patient: Patient, kvp: float, spot: SpotName | None
) -> float | None:
    """The time that a breathing technique would have at a kVp; None where the generator has no pair for it."""
    generator = room.generator
    try:
        mas = nearest_setting("mas", running.mas * exposure_factor(running, kvp), generator.mas, "mAs")
        ceiling = patient.time_share * projection.time_ceiling_ms
        return choose_loading(generator, kvp, mas, projection.focal_spot, ceiling, "breathing", spot).time_ms
    except Refusal:
        return None


def _no_breathing(running: RunningTechnique, room: Room, kvp: float, setup: ResolvedSetup) -> Refusal:
    """Why there is none, and what to set: a longer SID where that makes up for a thin part, else a held breath."""
    mas, needed = running.mas * exposure_factor(running, kvp), room.generator.ma[0] * BREATHING_ACCEPTED_MS[0] / 1000
    said = f"At {kvp:g} kVp, the lowest usual, it takes {mas:.2g} mAs; 1 s at the lowest mA ({room.generator.ma[0]:g}) is "
    said += f"{needed:g} mAs. "
    wanted = setup.sid_cm * math.sqrt(needed / mas)
    grid = room.grid(setup.support, setup.grid_ratio) if setup.grid_ratio else None
    low, high = grid.range_cm if grid else setup.support.tube_travel_cm
    further = [sid for sid in room.detents_cm(setup.support) if max(wanted, low) <= sid <= high] if mas < needed else []
    said += f"Set the SID to {min(further):g} cm." if further else "Expose with the breath held: manual."
    return Refusal("No breathing technique here", said, ["manual", "aec"], "exposure_control")
