"""The pages that tools write of the demo, and what the long proofs tell of themselves."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from oakbeam import catalogue
from tools import proofs, typical_doses

ROOT = Path(__file__).parents[2]


def test_typical_doses_are_typical_and_the_page_is_todays():
    """Against levels of national surveys: between a seventh of the level and two and a half times it, most under it."""
    rows = typical_doses.rows()
    ratios = [kerma / level for *_, kerma, level in rows]
    assert len(rows) > 50
    assert all(0.14 < ratio < 2.6 for ratio in ratios)
    assert sum(ratio < 1 for ratio in ratios) > 0.75 * len(ratios)
    page = typical_doses.TARGET.read_text(encoding="utf-8")
    for name, place, kvp, mas, kerma, level in rows:
        assert f"| {name} | {place} | {kvp:.0f} | {mas:.3g} | {kerma:.2g} | {level:g} |" in page


@pytest.mark.parametrize(
    ("lateral", "frontal", "low", "high"),
    [
        # Ratios of the 75th percentiles of surveys, from memory: 1.75 to 3.0; 3.3 to 5; 1.3 to 2.9.
        ("lspine-lateral", "lspine-ap", 1.75, 3.5),
        ("chest-lateral", "chest-pa", 2.7, 5),
        ("tspine-lateral", "tspine-ap", 1.3, 2.9),
    ],
)
def test_the_views_of_a_part_cost_what_surveys_found_of_each_other(lateral, frontal, low, high):
    by_name = {name: kerma for name, place, _, _, kerma, _ in typical_doses.rows() if "no grid" not in place}

    def kerma(projection):
        one = catalogue.projection(projection)
        return by_name[f"{one.exam} {one.name}"]

    assert low < kerma(lateral) / kerma(frontal) < high


def test_every_file_with_a_long_proof_is_found_and_said():
    assert set(proofs.proofs()) == set(proofs.SAID)


def test_a_report_becomes_a_table_and_a_failed_proof_is_counted(tmp_path, monkeypatch):
    report = tmp_path / "report.xml"
    cases = """<testsuites><testsuite>
      <testcase classname="tests.api.test_kill" name="a" time="2.5"/>
      <testcase classname="tests.api.test_kill" name="b" time="1.5"><failure message="lost"/></testcase>
      <testcase classname="tests.store.test_changes" name="c" time="3"/>
    </testsuite></testsuites>"""
    monkeypatch.setattr("tools.proofs.subprocess.run", lambda *_, **__: report.write_text(cases))
    done = proofs.run(["tests/api/test_kill.py"], report)
    assert (done["tests/api/test_kill.py"].tests, done["tests/api/test_kill.py"].failed) == (2, 1)
    monkeypatch.undo()
    rows = proofs.table(done).splitlines()
    assert re.fullmatch(r"On \d{4}-\d\d-\d\d, at [0-9a-f]{7,}:", rows[0])
    assert rows[-1].startswith("| `tests/store/test_changes.py` |")
    assert rows[-1].endswith("| 1 | 0 | 3 |")
