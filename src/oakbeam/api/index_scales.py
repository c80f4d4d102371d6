"""Index scales of receptors: from constants or readings, and what the console then shows."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from oakbeam.api.resource import resource
from oakbeam.api.types import Ei, Number, RequestBody
from oakbeam.core.equipment.index_scale import (
    NAME_LENGTH,
    IndexForm,
    IndexScale,
    ScaleReading,
    check_scale,
    fit_scale,
)
from oakbeam.core.errors import Refusal

router = resource("rooms")

SHOWN_AT_DI = (-3, 0, 3)


class ScaleReadingIn(RequestBody):
    """What the console showed for a kerma at the receptor in an RQA5-like beam."""

    kerma_ugy: Number
    shown: Number


class ScaleIn(RequestBody):
    """An index scale, by its constant (and change per decade) or by readings; target_ei: where to show what it says."""

    name: Annotated[str, Field(min_length=1, max_length=NAME_LENGTH)]
    form: IndexForm
    constant: Number | None = None
    per_decade: Number = 0
    readings: Annotated[list[ScaleReadingIn], Field(max_length=50)] = Field(default_factory=list)
    target_ei: Ei = 250


class ShownAt(BaseModel):
    """What the console shows for an exposure index, which stands for a kerma at the receptor."""

    di: float
    ei: float
    kerma_ugy: float
    shown: float


class ScaleOut(BaseModel):
    """The scale, how far the worst reading lies from it [DI], and what it shows at DI -3, 0 and +3 from the target."""

    scale: IndexScale
    largest_residual_di: float | None
    falls: bool
    shown: list[ShownAt]


def scale_from(asked: ScaleIn) -> ScaleOut:
    """The scale that is meant, and examples of it."""
    if (asked.constant is None) == (not asked.readings):
        raise Refusal("Constant or readings", "Give the scale's constant, or readings that fix it.", None, "constant")
    if asked.constant is not None:
        scale, residual = check_scale(IndexScale(asked.name, asked.form, asked.constant, asked.per_decade)), None
    else:
        found = fit_scale(asked.name, asked.form, [ScaleReading(one.kerma_ugy, one.shown) for one in asked.readings])
        scale, residual = found.scale, found.largest_residual_di
    at = [(di, asked.target_ei * 10 ** (di / 10)) for di in SHOWN_AT_DI]
    shown = [ShownAt(di=di, ei=ei, kerma_ugy=ei / 100, shown=scale.shown(ei)) for di, ei in at]
    return ScaleOut(scale=scale, largest_residual_di=residual, falls=scale.falls, shown=shown)


@router.post("/index-scales")
def post_index_scale(asked: ScaleIn) -> ScaleOut:
    """An index scale from its constants or from readings, and what the console then shows. Nothing is kept."""
    return scale_from(asked)
