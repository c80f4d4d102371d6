"""Receptors whose console shows another number than the exposure index of IEC 62494-1, and the way there and back.

EI = 100 K for a kerma K [µGy] at the receptor in an RQA5-like beam (IEC 62494-1). Older scales are functions of the same K:
one falls as the kerma rises (a sensitivity number, like a speed class), one goes by its logarithm, one rises with it by
another constant (after AAPM TG-116, from memory). The deviation index is always that of EI: 10 log10(EI / target).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.errors import OutOfRange, Refusal, WholeDocument, positive, within
from oakbeam.core.image_review import EI_RANGE

IndexForm = Literal["inverse", "logarithmic", "proportional"]
KERMA_RANGE_UGY = (EI_RANGE[0] / 100, EI_RANGE[1] / 100)
"""The kermas that an exposure index of an image stands for."""
CONSTANT_RANGE = (1e-6, 1e9)
LOGARITHMIC_CONSTANT_RANGE = (-1e6, 1e6)
PER_DECADE_RANGE = (0.01, 1e5)
NAME_LENGTH = 40


@dataclass(frozen=True, slots=True)
class IndexScale(WholeDocument):
    """What a console shows for a kerma K [µGy] at the receptor.

    inverse: constant / K. proportional: constant * K. logarithmic: constant + per_decade * log10(K); a per_decade below 0
    falls as the kerma rises. per_decade is 0 for the others.
    """

    name: str
    form: IndexForm
    constant: float
    per_decade: float = 0.0

    @property
    def falls(self) -> bool:
        """More exposure shows a smaller number."""
        return self.form == "inverse" or self.per_decade < 0

    def shown(self, ei: float) -> float:
        """What the console shows for an exposure index."""
        kerma_ugy = positive("ei", ei) / 100
        if self.form == "inverse":
            return self.constant / kerma_ugy
        if self.form == "proportional":
            return self.constant * kerma_ugy
        return self.constant + self.per_decade * math.log10(kerma_ugy)

    def ei(self, shown: float) -> float:
        """The exposure index that a number on the console stands for. OutOfRange where no image shows such a number."""
        ends = sorted(self.shown(ei) for ei in EI_RANGE)
        if not ends[0] * (1 - 1e-9) - 1e-9 <= shown <= ends[1] * (1 + 1e-9) + 1e-9:
            low, high = float(f"{ends[0]:.4g}"), float(f"{ends[1]:.4g}")
            raise OutOfRange(
                "Index out of range",
                f"{self.name} {shown:g} stands for no kerma that an image is made with: {low:g} to {high:g} are possible.",
                {"min": low, "max": high, "unit": ""},
                "shown_index",
            )
        if self.form == "inverse":
            return 100 * self.constant / shown
        if self.form == "proportional":
            return 100 * shown / self.constant
        return 100 * 10 ** ((shown - self.constant) / self.per_decade)


@dataclass(frozen=True, slots=True)
class ScaleReading:
    """What a console showed for a kerma [µGy] at the receptor in an RQA5-like beam (70 kV, 21 mm Al added)."""

    kerma_ugy: float
    shown: float


@dataclass(frozen=True, slots=True)
class ScaleFit:
    """A scale through readings, and how far the worst of them lies from it [DI]; None where the readings just fix it."""

    scale: IndexScale
    largest_residual_di: float | None


def check_scale(scale: IndexScale) -> IndexScale:
    """The scale, or a Refusal or OutOfRange that says what is allowed."""
    if not scale.name.strip() or len(scale.name) > NAME_LENGTH:
        raise Refusal("Name needed", f"An index scale needs a name of 1 to {NAME_LENGTH} characters.", None, "index_scale")
    if scale.form == "logarithmic":
        within("index scale, constant", scale.constant, *LOGARITHMIC_CONSTANT_RANGE, "")
        within("index scale, change for ten times the kerma", abs(scale.per_decade), *PER_DECADE_RANGE, "")
    else:
        within("index scale, constant", scale.constant, *CONSTANT_RANGE, "")
        if scale.per_decade:
            raise Refusal("No logarithm", "Only a logarithmic scale has a change per decade.", ["0"], "index_scale")
    return scale


def fit_scale(name: str, form: IndexForm, readings: Sequence[ScaleReading]) -> ScaleFit:
    """The scale of a form through readings. One fixes an inverse or proportional scale, a logarithmic one needs two kermas.

    The constant is the geometric mean of each reading's own; the logarithmic line is that of least squares.
    """
    if not readings:
        raise Refusal("No readings", "Give at least one kerma with the number shown for it.", None, "readings")
    for one in readings:
        within("kerma_ugy", one.kerma_ugy, *KERMA_RANGE_UGY, "µGy")
        if form != "logarithmic":
            positive("shown", one.shown)
    decades = [math.log10(one.kerma_ugy) for one in readings]
    count = len(readings)
    if form == "logarithmic":
        middle, mean = sum(decades) / count, sum(one.shown for one in readings) / count
        spread = sum((x - middle) ** 2 for x in decades)
        if spread < 1e-6:
            raise Refusal("Two kermas needed", "A logarithmic scale needs readings at two kermas.", None, "readings")
        slope = sum((x - middle) * (one.shown - mean) for x, one in zip(decades, readings, strict=True)) / spread
        scale = IndexScale(name, form, mean - slope * middle, slope)
        free = 2
    else:
        sign = 1 if form == "inverse" else -1
        logs = [math.log10(one.shown) + sign * x for x, one in zip(decades, readings, strict=True)]
        scale = IndexScale(name, form, 10 ** (sum(logs) / count))
        free = 1
    check_scale(scale)
    residuals = (abs(10 * math.log10(scale.ei(one.shown) / (100 * one.kerma_ugy))) for one in readings)
    return ScaleFit(scale, max(residuals) if count > free else None)
