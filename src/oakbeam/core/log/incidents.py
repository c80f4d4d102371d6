"""Which exposures want an incident note: an index or a dose far over what it should have been."""

from __future__ import annotations

FAR_OVER_DI, FAR_OVER_TIMES = 3.0, 3.0
"""DI over which (AAPM TG-116 calls it excessive), and how many times its level of dose; examples for the local rule."""


def far_over(di: float | None, reliable: bool, kerma_mgy: float | None, level_mgy: float | None) -> str:
    """Why an exposure is far over, in words; "" where it is not. level_mgy: of the usual patient, None where there is
    none."""
    if di is not None and reliable and di > FAR_OVER_DI:
        return f"DI {di:+.1f}, over +{FAR_OVER_DI:g}"
    if kerma_mgy is not None and level_mgy and kerma_mgy > FAR_OVER_TIMES * level_mgy:
        return f"{kerma_mgy:.2g} mGy, {kerma_mgy / level_mgy:.1f} times its level"
    return ""
