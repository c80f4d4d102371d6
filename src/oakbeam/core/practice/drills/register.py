"""All drills, in the order of the work."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from oakbeam.core.practice.drills import by_hand, on_images
from oakbeam.core.practice.drills.question import Drill, Track

TRACKS: tuple[Track, ...] = get_args(Track)
DRILLS: Mapping[str, Drill] = {
    one.id: one for track in TRACKS for one in (*by_hand.DRILLS, *on_images.DRILLS) if one.track == track
}
