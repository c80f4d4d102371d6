"""What the documents name is there."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_every_test_that_a_hazard_names_exists():
    told = (ROOT / "docs" / "hazards.md").read_text(encoding="utf-8")
    ours = "".join(file.read_text(encoding="utf-8") for file in (ROOT / "tests").rglob("test_*.py"))
    theirs = "".join(file.read_text(encoding="utf-8") for file in (ROOT / "web" / "src").rglob("*.test.ts*"))
    rows = [row for row in told.splitlines() if re.match(r"\| \d+ \|", row)]
    assert [int(row.split("|")[1]) for row in rows] == list(range(1, len(rows) + 1))
    for row in rows:
        shown = row.split("|")[4]
        named, said = re.findall(r"`(test_\w+)`", shown), re.findall(r'"([^"]+)"', shown)
        assert named or said, row
        for name in named:
            assert f"def {name}(" in ours, name
        for text in said:
            assert text in theirs, text


def test_every_test_that_the_other_lists_name_exists():
    ours = "".join(file.read_text(encoding="utf-8") for file in (ROOT / "tests").rglob("test_*.py"))
    for page in ("asvs.md", "reliability.md"):
        named = re.findall(r"`(test_\w+)`", (ROOT / "docs" / page).read_text(encoding="utf-8"))
        assert len(named) > 8
        assert [name for name in named if f"def {name}(" not in ours] == [], page


def test_links_between_the_documents_lead_somewhere():
    for file in (*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")):
        text = file.read_text(encoding="utf-8")
        for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", text):
            if "://" not in target:
                assert (file.parent / target).exists(), (file.name, target)
