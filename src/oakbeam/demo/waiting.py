"""A stand-in for the department's worklist: a few invented requests that identify nobody."""

from __future__ import annotations

from oakbeam.core.exam.waiting import Waiting


def waiting() -> tuple[Waiting, ...]:
    """The requests, in the order they came."""
    return (
        Waiting("S-1041", "chest", "", "adult", "Cough for three weeks", "walking"),
        Waiting("S-1042", "spine-trauma", "", "adult", "Fall from 3 m, collar on", "stretcher"),
        Waiting("S-1043", "knee-4", "right", "adult", "Pain on the inner side", "walking"),
        Waiting("S-1044", "abdomen", "", "adult", "Suspected obstruction", "walking"),
        Waiting("S-1045", "child-chest", "", "5y", "Fever, crackles on the left", "carried"),
        Waiting("S-1046", "thoracic-spine", "", "older_adult", "Back pain, osteoporosis known", "wheelchair"),
        Waiting("S-1047", "hand", "left", "15y", "Ball injury of the ring finger", "walking"),
        Waiting("S-1048", "acute-abdomen-lying", "", "older_adult", "Rigid abdomen, free air?", "stretcher"),
        Waiting("S-1049", "forearm", "right", "10y", "Fracture set yesterday, in plaster", "walking", cast="plaster-dry"),
        Waiting("S-1050", "chest-stretcher", "", "older_adult", "Cannot stand, short of breath", "stretcher"),
        Waiting("S-1051", "lumbar-spine", "", "adult", "Low back pain for months", "walking", weight_kg=140),
        Waiting("S-1052", "finger", "right", "adult", "Caught in a door", "walking", digit="4"),
    )
