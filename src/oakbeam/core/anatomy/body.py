"""What a body is described by: age, build, sex."""

from __future__ import annotations

from typing import Literal

AgeBand = Literal["newborn", "1y", "5y", "10y", "15y", "adult", "older_adult"]

Habitus = Literal["asthenic", "hyposthenic", "sthenic", "hypersthenic"]

Sex = Literal["female", "male"]
