"""Renews docs/typical-doses.md: the average adult's dose in Room 1 of the demo beside an example of a reference level.

python -m tools.typical_doses
"""

from __future__ import annotations

from pathlib import Path

from oakbeam import catalogue
from oakbeam.core.charts.receptor_exposure import skin_kerma_mgy
from oakbeam.demo import clinic

TARGET = Path(__file__).parents[1] / "docs" / "typical-doses.md"


def rows() -> list[tuple[str, str, float, float, float, float]]:
    """Projection, support and grid, kVp, mAs, incident air kerma [mGy] and level [mGy] of each line that has a level."""
    room, found = clinic.room_1(), []
    for line in clinic.chart_lines(room):
        projection = catalogue.projection(line.projection)
        average, level = projection.thickness_cm[1], projection.usual_kerma_mgy
        if level is None or not line.range_cm[0] <= average <= line.range_cm[1]:
            continue
        kvp, mas = line.law.at(average)
        grid = f"{line.grid_ratio}:1" if line.grid_ratio else "no grid"
        place = f"{line.support.replace('_', ' ')}, {grid}"
        kerma = skin_kerma_mgy(line, room, average, kvp, mas)
        found.append((f"{projection.exam} {projection.name}", place, kvp, mas, kerma, level))
    return found


def main() -> None:
    """Write the page."""
    table = "\n".join(
        f"| {name} | {place} | {kvp:.0f} | {mas:.3g} | {kerma:.2g} | {level:g} | {kerma / level:.2f} |"
        for name, place, kvp, mas, kerma, level in rows()
    )
    TARGET.write_text(
        f"""# Typical doses

Made by `python -m tools.typical_doses`. The chart of Room 1 of the demo (2.5 µGy at the receptor, 3.2 mm Al, a 12:1 grid in
the table) for the average adult, beside an example of a reference level of the same quantity: incident air kerma, without
backscatter. A level is the third quarter of many departments' means; a typical room lies at 0.65 to 0.7 of it, a good one
lower.

| projection | support | kVp | mAs | mGy | level | ratio |
|---|---|---|---|---|---|---|
{table}

**Outliers.** A knee in a Bucky is 1.2 to 2.4 times its level: levels of knees are mostly of images without a grid, which is
also what the chart offers first. The skull from the front and behind is 1.5 to 2.6 times: the path is 18.5 to 21 cm with
18 mm of bone, and a 12:1 grid costs more than the 8:1 of many departments; we know no better reason and doubt it. The
infant's chest is at 1.3 times, with a receptor exposure for adults. The shoulder and the skull from the side lie at their
level, all others under it.
""",
        encoding="utf-8",
    )


if __name__ == "__main__":
    main()
