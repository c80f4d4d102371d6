"""How many mutants of the core the tests kill, by module: what `mutmut run` left, as the table of docs/testing.md."""

from __future__ import annotations

import json
import subprocess
import sys
from collections import Counter
from datetime import date
from pathlib import Path

ROOT = Path(__file__).parents[1]
KILLED, SURVIVED = (1, 3, 152), (0,)
"""Exit codes that mutmut keeps: a test failed, or all passed; others (no test, timeout, suspicious) are counted apart."""
FEWEST_KILLED, FEWEST_OF_A_MODULE = 0.85, 0.80
"""The floor: of all mutants, and of those of each module."""
START, END = "<!-- mutants -->", "<!-- /mutants -->"


def counted() -> dict[str, Counter[str]]:
    """Killed, survived and other mutants by module."""
    found: dict[str, Counter[str]] = {}
    for meta in sorted((ROOT / "mutants" / "src").rglob("*.meta")):
        codes = json.loads(meta.read_text(encoding="utf-8"))["exit_code_by_key"].values()
        module = str(meta.relative_to(ROOT / "mutants" / "src")).removesuffix(".py.meta")
        if codes:
            found[module] = Counter(
                "killed" if code in KILLED else "survived" if code in SURVIVED else "other" for code in codes
            )
    return found


def table(found: dict[str, Counter[str]]) -> str:
    """The table as Markdown."""
    commit = subprocess.run(["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True, check=True)
    rows = [f"On {date.today().isoformat()}, at {commit.stdout.strip()}:", ""]
    rows += ["| module | mutants | killed | survived | no test or no answer | killed of all |", "|---|---|---|---|---|---|"]
    for module, count in [*found.items(), ("together", sum(found.values(), Counter()))]:
        all_of = count.total()
        share = f"{100 * count['killed'] / all_of:.0f} %" if all_of else "–"
        rows.append(f"| {module} | {all_of} | {count['killed']} | {count['survived']} | {count['other']} | {share} |")
    return "\n".join(rows)


def below_the_floor(found: dict[str, Counter[str]]) -> list[str]:
    """The modules of which too few mutants are killed, and "together"."""
    floors = [(name, count, FEWEST_OF_A_MODULE) for name, count in found.items()]
    floors.append(("together", sum(found.values(), Counter()), FEWEST_KILLED))
    return [name for name, count, least in floors if count["killed"] < least * count.total()]


def main() -> int:
    """Write the table between its marks in docs/testing.md, and print it; 1 where too few are killed, 2 for no mutants."""
    found = counted()
    if not found:
        print("No mutants: run `make mutants`.", file=sys.stderr)
        return 2
    text = table(found)
    page = ROOT / "docs" / "testing.md"
    before, _, rest = page.read_text(encoding="utf-8").partition(START)
    _, _, after = rest.partition(END)
    page.write_text(f"{before}{START}\n{text}\n{END}{after}", encoding="utf-8")
    print(text)
    if low := below_the_floor(found):
        print(f"Too few mutants killed: {', '.join(low)}.", file=sys.stderr)
    return 1 if low else 0


if __name__ == "__main__":
    sys.exit(main())
