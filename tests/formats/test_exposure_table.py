"""Tables of exposures of other offices: their columns are guessed and told, what is odd is refused by row, nobody is
kept."""

from __future__ import annotations

import base64

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
