"""Tables of exposures of other offices: their columns are guessed and told, what is odd is refused by row, nobody is
kept."""

from __future__ import annotations

import base64

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.catalogue.image_words import side_said, view_said
from oakbeam.store import exposures

OURS = (
    "Date;Time;Patient name;Room;View;Thickness (cm);kV;mAs;EI;Outcome;Reject reason\n"
    "03.11.2026;09:15;Quagga Zerlina;Room 1;Lumbar spine AP (or PA);21,5;80;40,0;262;accepted;\n"
    "03.11.2026;09:25;Quagga Zerlina;Room 1;hand pa;3;57;1,6;410;rejected;Patient motion\n"
    "03.11.2026;09:35;Outis;Room 1;knee lat rt;;66;5;380;;\n"
    "03.11.2026;09:45;Outis;Room 1;chest;22;117;many;240;accepted;\n"
    "31.02.2026;09:45;Outis;Room 1;chest pa;22;117;2;240;accepted;\n"
    "03.11.2026;10:05;Outis;Room 1;the other thing;22;117;2;240;accepted;\n"
)


def sent(client, text, where="", **more):
    body = {"file": base64.b64encode(text.encode("cp1252")).decode(), **more}
    return client.post(f"/api/log/table{where}", json=body)


def test_a_table_is_previewed_taken_in_once_and_says_what_it_left_out(client, charted):
    found = sent(client, OURS, "/preview").json()
    taken = {one["given"]: one["taken_as"] for one in found["columns"]}
    assert (taken["Thickness (cm)"], taken["kV"], taken["Patient name"]) == ("thickness_cm", "kvp", "")
    assert found["exposures"] == 4
    assert [(one["row"], one["column"]) for one in found["faults"]] == [(5, "mas"), (6, "date")]
    done = sent(client, OURS).json()
    # The view of one row is in no words of the field: it waits.
    assert {name: done[name] for name in ("read", "added", "waiting")} == {"read": 6, "added": 3, "waiting": 1}
    rows = {one.projection: one for one in exposures.find(charted)}
    spine, hand, knee = rows["lspine-ap"], rows["hand-pa"], rows["knee-lateral"]
    assert (spine.thickness_cm, spine.thickness_from, spine.mas, spine.origin) == (21.5, "measured", 40, "file")
    assert (hand.outcome, hand.reject_reason, hand.rejects_known) == ("rejected", "R06", True)
    assert (knee.side, knee.rejects_known, knee.thickness_from) == ("right", False, "estimated")
    again = sent(client, OURS).json()
    assert (again["added"], again["known"]) == (0, 4)
    charted.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    assert not any(name in charted.path.read_bytes() for name in (b"Quagga", b"Zerlina", b"Outis", b"other thing"))


def test_a_column_is_what_somebody_says_and_one_that_is_missing_is_named(client):
    odd = "When;What;Volts;Charge\n2026-11-03 09:15;hand pa;57;1.6\n"
    found = sent(client, odd, "/preview").json()
    assert [one["first"] for one in found["columns"]] == ["2026-11-03 09:15", "hand pa", "57", "1.6"]
    assert found["exposures"] == 0 and found["missing"] == ["projection", "kvp", "mas"]
    refused = sent(client, odd)
    assert refused.status_code == 422 and len(refused.json()["faults"]) == 3
    mapping = {"What": "projection", "Volts": "kvp", "Charge": "mas"}
    assert sent(client, odd, "/preview", mapping=mapping).json()["exposures"] == 1
    assert sent(client, "nothing\n").status_code == 422
    kap = "Taken at,View,kVp,mAs,DAP (dGy·cm²)\n2026-11-03T09:15:00+00:00,hand pa,57,1.6,0.02\n"
    (row,) = sent(client, kap, "/preview").json()["rows"]
    assert row["reported_kap_mgycm2"] == 2 and row["view"] == "hand pa"


def outcomes(client, head, *cells, mapping=None):
    """(outcomes of the rows, faults by column) of a table with one more column."""
    rows = "".join(f"2026-11-03 09:{10 + at},hand pa,57,1.6,{cell}\n" for at, cell in enumerate(cells))
    found = sent(
        client, f"Taken at,View,kVp,mAs,{head}\n{rows}", "/preview", **({"mapping": mapping} if mapping else {})
    ).json()
    return [one["outcome"] for one in found["rows"]], [one["column"] for one in found["faults"]]


@pytest.mark.parametrize(
    ("head", "cells", "said", "faults"),
    [
        ("Rejected", ("No", "yes", "", "n", "rejected"), ["accepted", "rejected", None, "accepted", "rejected"], []),
        ("Accepted", ("No", "yes", "", "1", "0"), ["rejected", "accepted", None, "accepted", "rejected"], []),
        ("Repeat", ("nein", "ja"), ["accepted", "rejected"], []),
        ("Outcome", ("accepted", "rejected", "", "as usual"), ["accepted", "rejected", None, None], []),
        ("Outcome", ("no", "yes"), [], ["outcome", "outcome"]),  # to what?
        ("Rejected", ("perhaps",), [], ["rejected"]),
        ("Rejected,Outcome", ("No,rejected", "No,accepted"), ["accepted"], ["outcome"]),
        ("Rejected,Reason", ("No,Patient motion", "Yes,Patient motion"), ["rejected"], ["outcome"]),
    ],
)
def test_yes_and_no_are_the_answers_to_their_columns_head(client, head, cells, said, faults):
    assert outcomes(client, head, *cells) == (said, faults)


def days(client, *dates, **mapping):
    text = "Date,View,kVp,mAs\n" + "".join(f"{one},hand pa,57,1.6\n" for one in dates)
    found = sent(client, text, "/preview", **({"mapping": mapping} if mapping else {})).json()
    return [one["taken_at"][:10] for one in found["rows"]], found["asked"]


def test_a_date_that_can_be_read_two_ways_is_asked(client):
    assert days(client, "03/04/2026", "13/04/2026") == (["2026-04-03", "2026-04-13"], "")
    assert days(client, "03/04/2026 2:05 PM", "03/14/2026") == (["2026-03-04", "2026-03-14"], "")
    assert days(client, "03.04.2026") == (["2026-04-03"], "")  # with dots the day is first wherever it is written so
    assert days(client, "05/05/2026") == (["2026-05-05"], "")
    none, asked = days(client, "03/04/2026", "05-06-26")
    assert none == [] and asked.startswith("“03/04/2026” can be read two ways")
    assert days(client, "03/04/2026", Date="month_first") == (["2026-03-04"], "")
    assert days(client, "03/04/26 14:05", Date="day_first") == (["2026-04-03"], "")
    refused = sent(client, "Date,View,kVp,mAs\n03/04/2026,hand pa,57,1.6\n")
    assert refused.status_code == 422 and "two ways" in refused.json()["detail"]


@pytest.mark.parametrize(
    ("texts", "side"),
    [
        (["Röntgen Knie links"], "left"), (["Radio de l'épaule droite"], "right"), (["Knee AP R/O fracture"], ""),
        (["Genou gauche de face"], "left"), (["Knee AP R"], ""), (["KNEE_AP_L"], ""), (["Lumbar L5"], ""), (["R. Knee"], ""),
        (["Rodilla derecha"], "right"), (["Mão esquerda"], "left"), (["Vänster knä"], "left"), (["Alright, knee"], ""),
        (["Cleft hand"], ""), (["Übersicht r"], ""), (["knee lat rt"], "right"), (["hand LT"], "left"),
        (["left and right knee"], "both"), (["Both hands"], "both"), (["left knee", "right knee"], ""),
        (["left knee", "left"], "left"), (["Bright hand"], ""), (["Handgelenk li."], ""),
    ],
)  # fmt: skip
def test_a_side_is_a_word_that_says_it_and_nothing_else(texts, side):
    assert view_said((), texts).side == side


def test_a_field_for_the_side_may_say_it_by_a_letter_and_by_no_first_letter_of_another_word():
    said = {
        "R": "right",
        "l": "left",
        "B": "both",
        "Right": "right",
        "links": "left",
        "lado derecho": "right",
        "": "",
        "x": "",
    }
    assert {text: side_said(text) for text in said} == said


@given(st.text(alphabet=st.sampled_from("rlRLöéñ /-.'5aeiou"), max_size=14))
def test_no_text_without_a_word_for_a_side_has_one(text):
    assert view_said((), [text]).side == ""
