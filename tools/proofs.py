"""Runs the long proofs whole, and writes what they did as the table of docs/testing.md.

`make test` runs a small slice of each; which tests are proofs is told by their use of `proofs(part, whole)`.
python -m tools.proofs
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from xml.etree import ElementTree

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs" / "testing.md"
USE = re.compile(r"\bproofs\(\w+, \w+\)")
START, END = "<!-- proofs -->", "<!-- /proofs -->"
SAID = {
    "tests/api/test_schema.py": "generated requests and the edges of every field against the API's own description",
    "tests/api/test_kill.py": "a server killed amid writes, a migration, a backup, a restore, over and over; the file moved",
    "tests/api/test_hostile_requests.py": "requests of the right shape with one thing wrong, of every operation",
    "tests/api/test_faults.py": "a full disk, a held lock, no descriptors, clients that never finish",
    "tests/api/test_image_import.py": "images sent, taken back and rejected at random; 500 by the network",
    "tests/formats/test_image_header.py": "headers changed and cut at random",
    "tests/core/practice/test_radiograph.py": "every view that is computed, small, average and large, against the model",
    "tests/core/practice/test_drills.py": "images of each fault, by what an instrument sees",
    "tests/core/log/test_tuning.py": "charts off in level and slope, tuned by their images",
    "tests/tools/test_evidence_tables.py": "logs with a planted cause, and without one",
    "tests/formats/test_hostile_files.py": "broken files at random",
    "tests/formats/test_chart_import.py": "other offices' charts drawn at random, and cells of any kind",
    "tests/core/chart_check/test_checks.py": "a slip in every third line of a whole chart",
    "tests/store/test_changes.py": "runs of changes, undone step by step",
    "tests/core/chart_making/test_from_test_exposures.py": "hidden rooms and bodies; slips of the pen",
    "tests/core/technique/test_steps.py": "set-ups in which anything differs",
}


@dataclass(slots=True)
class Done:
    """What a file's tests did."""

    tests: int = 0
    failed: int = 0
    seconds: float = 0.0


def proofs() -> list[str]:
    """The test files that hold a long proof."""
    found = (path for path in sorted((ROOT / "tests").rglob("test_*.py")) if USE.search(path.read_text(encoding="utf-8")))
    return [str(path.relative_to(ROOT)) for path in found]


def run(files: list[str], report: Path) -> dict[str, Done]:
    """The files' tests, whole, on two workers."""
    command = [sys.executable, "-m", "pytest", "-n", "2", f"--junitxml={report}", *files]
    subprocess.run(command, cwd=ROOT, env={**os.environ, "OAKBEAM_PROOFS": "whole"}, check=False)
    found: dict[str, Done] = defaultdict(Done)
    for case in ElementTree.parse(report).iter("testcase"):
        where = (case.get("classname") or "").replace(".", "/") + ".py"
        one = found[where]
        one.tests += 1
        one.failed += any(child.tag in ("failure", "error") for child in case)
        one.seconds += float(case.get("time") or 0)
    return found


def table(done: dict[str, Done]) -> str:
    """The table as Markdown."""
    commit = subprocess.run(["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True, check=True)
    rows = [f"On {date.today().isoformat()}, at {commit.stdout.strip()}:", ""]
    rows += ["| proofs | what is tried | tests | failed | seconds |", "|---|---|---|---|---|"]
    rows += [
        f"| `{where}` | {SAID.get(where, '')} | {one.tests} | {one.failed} | {one.seconds:.0f} |"
        for where, one in sorted(done.items())
    ]
    return "\n".join(rows)


def main() -> int:
    """Run, write the table, and fail where a proof failed."""
    with tempfile.TemporaryDirectory() as folder:
        done = run(proofs(), Path(folder) / "report.xml")
    before, _, rest = PAGE.read_text(encoding="utf-8").partition(START)
    _, _, after = rest.partition(END)
    PAGE.write_text(f"{before}{START}\n{table(done)}\n{END}{after}", encoding="utf-8")
    return int(any(one.failed for one in done.values()))


if __name__ == "__main__":
    sys.exit(main())
