"""The two themes: words and the borders of fields stand out from every ground (WCAG 2.2, 1.4.3 and 1.4.11)."""

import re
from pathlib import Path

import pytest

CSS = (Path(__file__).parents[1] / "web" / "src" / "styles.css").read_text(encoding="utf-8")


def colours(theme: str) -> dict[str, str]:
    """The colours of a theme by their names, as written in its block."""
    block = CSS.split(f'[data-theme="{theme}"] {{', 1)[1].split("}", 1)[0]
    return dict(re.findall(r"--([a-z0-9-]+): (#[0-9a-f]{6});", block))


def luminance(colour: str) -> float:
    """Relative luminance after WCAG 2.2."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    dark, light = sorted((luminance(one), luminance(other)))
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("theme", ["night", "day"])
@pytest.mark.parametrize(
    ("name", "least"),
    [("rule-strong", 3), ("ink", 4.5), ("ink-2", 4.5), ("ink-3", 4.5), ("warn", 4.5), ("bad", 4.5), ("good", 4.5)],
)
def test_it_stands_out_from_every_ground(theme, name, least):
    assert contrast("#ffffff", "#000000") == pytest.approx(21)
    known = colours(theme)
    for ground in ("ground", "raised", "sunken"):
        assert contrast(known[name], known[ground]) >= least, ground
