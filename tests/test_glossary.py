"""The glossary: every word leads to one term, and what it says not to say is said nowhere."""

import re
from pathlib import Path

import pytest

from oakbeam.catalogue import CatalogueError, glossary

ROOT = Path(__file__).parents[1]
GLOSSARY = ROOT / "src" / "oakbeam" / "catalogue" / "data" / "glossary.toml"
TERMS = glossary.glossary()


def test_a_word_that_would_lead_to_two_terms_is_refused(monkeypatch):
    both = [{"term": "SID", "says": "One."}, {"term": "Distance", "says": "Two.", "also": ["sid"]}]
    monkeypatch.setattr(glossary, "read_toml", lambda _: {"term": both})
    with pytest.raises(CatalogueError, match="'sid' is of both SID and Distance"):
        glossary.glossary.__wrapped__()


def test_every_term_says_something_short_and_plain():
    for one in TERMS:
        assert one.says.endswith("."), one.term
        assert 20 < len(one.says) <= 220, one.term


@pytest.mark.parametrize("one", [one for one in TERMS if one.instead_of], ids=lambda one: one.term)
def test_words_that_were_given_up_stand_on_no_screen_and_in_no_message(one):
    kinds = ("web/src/**/*.ts*", "src/oakbeam/**/*.py", "src/oakbeam/catalogue/data/**/*.toml", "docs/*.md", "README.md")
    shown = {path for kind in kinds for path in ROOT.glob(kind)} - {GLOSSARY}
    given_up = re.compile("|".join(map(re.escape, one.instead_of)), re.IGNORECASE)
    assert [path.name for path in shown if given_up.search(path.read_text(encoding="utf-8"))] == []


def test_the_glossary_is_asked_for_by_anyone(client):
    answer = client.get("/api/glossary").json()
    assert [one["term"] for one in answer] == [one.term for one in TERMS]
    assert next(one for one in answer if one["term"] == "DI")["whole"] == "deviation index"
