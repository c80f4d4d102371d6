"""Images taken into the log: one exposure is one row, nothing is dropped, nobody is named, and the sums are right."""

from __future__ import annotations

import base64
import io
import json
import subprocess
import zipfile
from datetime import UTC, datetime, timedelta

import pytest
from pydicom.uid import generate_uid
from tests.conftest import proofs
from tests.objects import DX_RAW, as_bytes, dose_report, image, reject_note

from oakbeam import cli
from oakbeam.cli.listener import Listener
from oakbeam.store import exposures, images, tally
from oakbeam.store.exposures import LogFilter


def sent(client, *made, room=None, code=200):
    objects = [base64.b64encode(one if isinstance(one, bytes) else as_bytes(one)).decode() for one in made]
    answer = client.post("/api/log/images", json={"objects": objects, **({"room": room} if room else {})})
    assert answer.status_code == code, answer.text
    return answer.json()


def counted(answer):
    return {name: answer[name] for name in ("added", "merged", "waiting", "known") if answer[name]}


def at(minutes=0.0, days=0) -> str:
    """A moment before now, as an image writes it."""
    return (datetime.now(UTC) - timedelta(days=days, minutes=minutes)).strftime("%Y%m%d%H%M%S") + "+0000"


def test_an_image_becomes_a_row_with_what_the_chart_of_that_day_says(client, charted):
    made = image(AcquisitionDateTime=at(-0.1), PatientWeight="70", PatientSize="1.70")
    answer = sent(client, made, b"no object at all")
    assert counted(answer) == {"added": 1} and [one["at"] for one in answer["refused"]] == [1]
    (row,) = client.get("/api/exposures").json()
    assert (row["room"], row["projection"], row["kvp"], row["mas"], row["ei"]) == ("room-1", "lspine-ap", 80, 25, 262)
    # Of the reference adult 21 cm, estimated; the line of round numbers wants 40 mAs there.
    assert (row["thickness_cm"], row["thickness_from"]) == (21.5, "estimated") and row["thickness_spread_cm"] > 1.5
    assert (row["suggested_kvp"], row["suggested_mas"], row["chart_version"]) == (80, 40, 1)
    assert (row["support"], row["grid_ratio"], row["sid_cm"], row["origin"]) == ("table_bucky", 12, 107, "image")
    assert row["sources"]["receptor"] == "the chart line" and row["sources"]["sid_cm"] == "image"
    assert row["di"] == pytest.approx(0.203, abs=0.001) and row["rejects_known"] is False
    assert row["reported_kap_mgycm2"] == pytest.approx(320) and row["kap_mgycm2"] > 100
    detail = client.get(f"/api/exposures/{row['id']}").json()
    assert detail["line"]["projection"] == "lspine-ap" and detail["images"] == 1 and detail["forecast"]["ei"] > 50
    # The same again, alone or in a ZIP, changes nothing.
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("a/b.dcm", as_bytes(made))
    again = client.post("/api/log/images", json={"zip": base64.b64encode(packed.getvalue()).decode()}).json()
    assert counted(again) == {"known": 1} == counted(sent(client, made))
    assert client.get("/api/exposures").json() == [row]


def test_objects_of_one_event_are_one_row_and_the_report_adds_its_dose(client, charted):
    event, study, taken = generate_uid(), generate_uid(), at(5)
    said = {"IrradiationEventUID": event, "StudyInstanceUID": study, "AcquisitionDateTime": taken}
    shown = image(**said, ImageAndFluoroscopyAreaDoseProduct=None)
    raw = image(sop_class=DX_RAW, **said, ExposureIndex=None, ImageAndFluoroscopyAreaDoseProduct=None)
    assert counted(sent(client, raw, shown)) == {"added": 1, "merged": 1}
    (row,) = client.get("/api/exposures").json()
    assert row["ei"] == 262 and row["reported_kap_mgycm2"] is None
    assert counted(sent(client, dose_report(event, study, taken=taken))) == {"merged": 1}
    (row,) = client.get("/api/exposures").json()
    assert row["reported_kap_mgycm2"] == pytest.approx(21) and row["sources"]["reported_kap_mgycm2"] == "dose report"
    history = client.get(f"/api/exposures/{row['id']}").json()["history"]
    assert [one["action"] for one in history] == ["exposure.join", "exposure.join"]
    # A report that came first and whose view nobody knows waits for its image, and goes with it.
    event = generate_uid()
    report = dose_report(event, study, taken=at(40))
    assert counted(sent(client, report)) == {"waiting": 1}
    assert counted(sent(client, image(IrradiationEventUID=event, AcquisitionDateTime=at(40)))) == {"added": 1}
    assert client.get("/api/log/images/waiting").json()["objects"] == 0


def recorded(client, mas=40.0, **more):
    asked = {
        "technique": {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 21},
        "kvp": 80,
        "mas": mas,
        "outcome": "accepted",
    }
    return client.post("/api/exposures", json={**asked, **more}).json()["exposure"]


def test_the_desks_record_and_the_image_are_one_row_whichever_comes_first(client, charted):
    desk = recorded(client)
    same = image(AcquisitionDateTime=at(1), ExposureInuAs="40000", Exposure="40", ExposureTime=None, PatientAge="077Y")
    assert counted(sent(client, same)) == {"merged": 1}
    (row,) = client.get("/api/exposures").json()
    assert (row["id"], row["origin"], row["ei"], row["thickness_from"]) == (desk["id"], "both", 262, "measured")
    assert row["di"] is not None and row["sources"]["ei"] == "image" and row["recorded_by"] == "all"
    client.post(f"/api/exposures/{row['id']}/undo")

    first = image(AcquisitionDateTime=at(3), ExposureInuAs="50000", Exposure="50", ExposureTime=None)
    assert counted(sent(client, first)) == {"added": 1}
    desk = recorded(client, mas=50, ei=262, outcome="rejected", reject_reason="R01", findings=["motion"])
    (row,) = client.get("/api/exposures").json()
    assert (row["id"], row["origin"], row["outcome"], row["thickness_from"]) == (desk["id"], "both", "rejected", "measured")
    assert row["sex"] == "female" and row["recorded_by"] == "all" and row["rejects_known"] is True


def test_what_is_doubtful_waits_and_somebody_says(client, charted):
    # Two records of one setting, one image: which of them is it?
    one, two = recorded(client), recorded(client)
    made = image(AcquisitionDateTime=at(1), ExposureInuAs="40000", Exposure="40", ExposureTime=None)
    assert counted(sent(client, made)) == {"waiting": 1}
    (heap,) = client.get("/api/log/images/waiting").json()["heaps"]
    assert heap["heap"]["waits_for"] == "same" and {c["id"] for c in heap["candidates"]} == {one["id"], two["id"]}
    key = heap["heap"]["key"]
    assert counted(client.post(f"/api/log/images/{key}/same", json={"exposure": two["id"]}).json()) == {"merged": 1}
    assert {row["id"]: row["origin"] for row in client.get("/api/exposures").json()} == {
        one["id"]: "desk",
        two["id"]: "both",
    }
    assert client.get("/api/log/images/waiting").json()["objects"] == 0
    assert client.post(f"/api/log/images/{key}/same", json={}).status_code == 404


def test_unknown_machines_and_words_wait_and_the_answer_is_remembered(client, charted):
    assert client.post("/api/rooms", json={"name": "Second", "like": "room-1"}).status_code == 201
    strange = [
        image(
            StationName="XR-7",
            DeviceSerialNumber="44",
            AcquisitionDateTime=at(m, 1),
            BodyPartExamined="HAND",
            ViewPosition=v,
        )
        for m, v in ((10, "PA"), (20, "PA"), (30, "RLO"), (40, None))
    ]
    assert counted(sent(client, *strange)) == {"waiting": 4}
    (heap,) = client.get("/api/log/images/waiting").json()["heaps"]
    assert (heap["heap"]["waits_for"], heap["heap"]["objects"]) == ("room", 4)
    asked = {"waits_for": "room", "device": heap["heap"]["device"]}
    assert client.post("/api/log/images/answers", json={**asked, "room": "nowhere"}).status_code == 404
    assert client.post("/api/log/images/answers", json=asked).status_code == 422
    answer = client.post("/api/log/images/answers", json={**asked, "room": "room-1"}).json()
    # A hand without a view waits on.
    assert counted(answer) == {"added": 3, "waiting": 1}
    (heap,) = client.get("/api/log/images/waiting").json()["heaps"]
    assert (heap["heap"]["waits_for"], heap["heap"]["view"]) == ("view", "hand")
    said = {"waits_for": "view", "view": "hand", "projection": "hand-lateral"}
    assert counted(client.post("/api/log/images/answers", json=said).json()) == {"added": 1}
    more = image(
        StationName="XR-7", DeviceSerialNumber="44", AcquisitionDateTime=at(50), BodyPartExamined="HAND", ViewPosition=""
    )
    assert counted(sent(client, more)) == {"added": 1}
    found = [row["projection"] for row in client.get("/api/exposures").json()]
    assert sorted(found) == ["hand-lateral", "hand-lateral", "hand-oblique", "hand-pa", "hand-pa"]
    # What is none of ours is set aside with a reason, and stays so when it comes again.
    odd = image(BodyPartExamined="BREAST", ViewPosition=None, AcquisitionDateTime=at(60))
    assert counted(sent(client, odd)) == {"waiting": 1}
    client.post("/api/log/images/answers", json={"waits_for": "view", "view": "", "aside": "another department's"})
    assert client.get("/api/log/images/waiting").json()["objects"] == 0
    assert counted(sent(client, odd)) == {"known": 1}


def test_a_reject_note_rejects_what_nobody_recorded_at_the_desk(client, charted):
    made = image(AcquisitionDateTime=at(5))
    sent(client, made)
    assert counted(sent(client, reject_note("111210", made.SOPInstanceUID))) == {"merged": 1}
    (row,) = client.get("/api/exposures").json()
    assert (row["outcome"], row["reject_reason"], row["rejects_known"]) == ("rejected", "R06", True)
    late = image(AcquisitionDateTime=at(20))
    assert counted(sent(client, reject_note("111212", late.SOPInstanceUID))) == {"known": 1}
    assert counted(sent(client, late)) == {"added": 1}
    assert [row["reject_reason"] for row in client.get("/api/exposures").json()] == ["R06", "R04"]
    other = image(AcquisitionDateTime=at(1), ExposureInuAs="40000", Exposure="40", ExposureTime=None)
    desk = recorded(client)
    sent(client, other)
    assert counted(sent(client, reject_note("111212", other.SOPInstanceUID))) == {"known": 1}
    assert client.get(f"/api/exposures/{desk['id']}").json()["exposure"]["outcome"] == "accepted"


SECRETS = ("QUAGGA", "ZERLINA", "REC-7741", "19710203", "OUTIS")


def _secretive():
    """Images with an identity in every kind of value there is, in private tags, and where the log reads words."""
    made = image(
        AcquisitionDateTime=at(5, 2),
        PatientName="QUAGGA^ZERLINA",
        PatientID="REC-7741-93",
        OtherPatientIDs="REC-7741-94",
        AccessionNumber="REC-7741-95",
        StationName="QUAGGA-ROOM",
        DeviceSerialNumber="OUTIS",
        ProtocolName="ZERLINA QUAGGA KNEE",
        SeriesDescription="OUTIS 19710203",
        BodyPartExamined="QUAGGA",
        ViewPosition="OUTIS",
        ImageLaterality="Z",
        PatientComments="ZERLINA was here",
        ReferringPhysicianName="OUTIS",
        StudyDescription="QUAGGA",
        Grid="ZERLINA",
        FilterMaterial="OUTIS",
        PatientAge="OUTI",
        ExposureControlMode="QUAGGA",
    )
    block = made.private_block(0x0011, "OUTIS PRIVATE", create=True)
    values = {"AE": "OUTIS", "CS": "QUAGGA", "LO": "ZERLINA", "LT": "QUAGGA", "PN": "OUTIS^A", "SH": "QUAGGA", "ST": "OUTIS"}
    values |= {
        "UC": "ZERLINA",
        "UR": "urn:QUAGGA",
        "UT": "ZERLINA",
        "DA": "19710203",
        "DT": "19710203",
        "OB": b"QUAGGA",
        "UN": b"OUTIS",
    }
    for number, (kind, value) in enumerate(values.items(), 1):
        block.add_new(number, kind, value)
    report = dose_report(generate_uid(), generate_uid(), taken=at(9, 3), PatientID="REC-7741-93", StationName="OUTIS")
    return made, report


def _told_anywhere(store, folder):
    store.db.execute("PRAGMA wal_checkpoint(PASSIVE)")
    texts = [path.read_bytes() for path in folder.rglob("*") if path.is_file()]
    return [word for word in SECRETS for text in texts if word.encode() in text or word.lower().encode() in text]


def test_no_identity_is_kept_anywhere_whichever_way_it_comes(client, charted, tmp_path, capfd, monkeypatch):
    home = charted.path.parent
    temporary = tmp_path / "temporary"
    temporary.mkdir()
    monkeypatch.setenv("TMPDIR", str(temporary))
    answer = sent(client, *_secretive(), as_bytes(_secretive()[0])[:900])
    assert len(answer["refused"]) == 1 and counted(answer)
    shelf = tmp_path.parent / f"{tmp_path.name}-QUAGGA-files"
    shelf.mkdir()
    for number, made in enumerate(_secretive()):
        (shelf / f"ZERLINA-{number}.dcm").write_bytes(as_bytes(made))
    assert cli.main(["--data", str(home), "log", "import", str(shelf), "--json"]) == 0
    listener = Listener(charted, "127.0.0.1", 0, "OAKBEAM", ["CONSOLE"])
    _send("CONSOLE", listener.port, *_secretive())
    listener.close()
    assert images.waiting(charted) + len(exposures.find(charted)) >= 3
    assert _told_anywhere(charted, tmp_path) == []
    told = capfd.readouterr()
    assert not any(word in told.out + told.err for word in SECRETS)


def _send(caller, port, *made, code=0):
    from pynetdicom import AE, ALL_TRANSFER_SYNTAXES

    entity = AE(ae_title=caller)
    for one in {str(one.SOPClassUID) for one in made}:
        entity.add_requested_context(one, ALL_TRANSFER_SYNTAXES[:4])
    link = entity.associate("127.0.0.1", port, ae_title="OAKBEAM")
    if not link.is_established:
        return False
    for one in made:
        assert link.send_c_store(one).Status == code
    link.release()
    return True


def test_machines_send_what_they_make_and_strangers_are_turned_away(charted, tmp_path):
    listener = Listener(charted, "127.0.0.1", 0, "OAKBEAM", ["CONSOLE", "STORESCU"])
    count = proofs(60, 500)
    taken = datetime(2026, 11, 10, 8, tzinfo=UTC)
    made = [
        image(
            AcquisitionDateTime=(taken + timedelta(minutes=n)).strftime("%Y%m%d%H%M%S+0000"), PatientWeight=str(50 + n % 60)
        )
        for n in range(count)
    ]
    assert _send("CONSOLE", listener.port, *made)
    assert not _send("STRANGER", listener.port, made[0])
    assert _send("CONSOLE", listener.port, image(KVP=None), code=0xC000)
    assert len(exposures.find(charted, limit=1000)) == count
    # The same by a program that is not ours: sent again, and as many new.
    for number, one in enumerate(made[:20]):
        (tmp_path / f"old-{number}.dcm").write_bytes(as_bytes(one))
        new = image(AcquisitionDateTime=(taken - timedelta(minutes=1 + number)).strftime("%Y%m%d%H%M%S+0000"))
        (tmp_path / f"new-{number}.dcm").write_bytes(as_bytes(new))
    files = [str(path) for path in sorted(tmp_path.glob("*.dcm"))]
    command = ["/usr/bin/storescu", "-aet", "STORESCU", "-aec", "OAKBEAM", "127.0.0.1", str(listener.port), *files]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=60)
    listener.close()
    assert done.returncode == 0, done.stderr
    assert len(exposures.find(charted, limit=1000)) == count + 20


def test_a_folder_is_taken_in_once_and_what_is_refused_is_named(charted, tmp_path, capsys):
    shelf = tmp_path / "shelf" / "deep"
    shelf.mkdir(parents=True)
    for number in range(5):
        (shelf / f"{number}.dcm").write_bytes(as_bytes(image(AcquisitionDateTime=at(10 * number, 1))))
    (shelf / "notes.txt").write_text("not an image")
    command = ["--data", str(charted.path.parent), "log", "import", str(shelf.parent)]
    assert cli.main([*command, "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert {name: said[name] for name in ("read", "added", "merged", "waiting")} == {
        "read": 6,
        "added": 5,
        "merged": 0,
        "waiting": 0,
    }
    (refused,) = said["refused"]
    assert refused["why"] == "Not a DICOM file." and "notes" not in refused["file"]
    assert cli.main(command) == 0
    assert "0 exposures added" in (text := capsys.readouterr().out) and "6 known already" in text
    assert cli.main([*command, "--again"]) == 0
    assert "notes.txt: Not a DICOM file." in capsys.readouterr().out
    assert cli.main(["--data", str(charted.path.parent), "log", "import", str(tmp_path / "nothing")]) == 2
    assert len(exposures.find(charted)) == 5


def sums(store):
    days = [tuple(row) for row in store.db.execute("SELECT * FROM log_day WHERE made > 0 ORDER BY 1, 2, 3")]
    months = [
        tuple(row) for row in store.db.execute("SELECT * FROM log_month WHERE n > 0 ORDER BY 1, 2, 3, 4, CAST(bin AS TEXT)")
    ]
    return days, months


def test_the_sums_are_those_of_the_exposures_after_whatever_happens(client, charted):
    import random

    chance = random.Random(3)
    known = []
    for _ in range(proofs(25, 300)):
        kind = chance.random()
        if kind < 0.4:
            reason = {"outcome": "rejected", "reject_reason": chance.choice(("R01", "R03"))} if chance.random() < 0.3 else {}
            recorded(client, mas=chance.choice((25.0, 40.0, 63.0)), ei=chance.choice((None, 150, 240, 700)), **reason)
        elif kind < 0.8 or not known:
            mas = chance.choice((25, 40, 63))
            setting = {"ExposureInuAs": str(1000 * mas), "Exposure": str(mas), "ExposureTime": None}
            known.append(
                image(
                    AcquisitionDateTime=at(chance.uniform(0, 40 * 24 * 60)),
                    ExposureIndex=str(chance.randint(90, 900)),
                    **setting,
                )
            )
            sent(client, known[-1])
        elif kind < 0.9:
            sent(client, reject_note("111209", chance.choice(known).SOPInstanceUID))
        elif rows := client.get("/api/exposures").json():
            client.post(f"/api/exposures/{chance.choice(rows)['id']}/undo", json={"why": "a slip"})
    kept = sums(charted)
    with charted.change() as db:
        tally.recount(db)
    assert kept == sums(charted) and kept[0]
    # A part of a month from the exposures, whole months from their sums: the two say the same.
    for since, until in (("2020-01-01", "2099-12-31"), ("2026-10-13", "2099-01-01"), ("2026-11-01", "2026-11-30")):
        rows = exposures.find(charted, LogFilter(since=since, until=until), limit=500)
        found = tally.bins(charted, "", since, until)
        judged = [row for row in rows if row.reliable and row.di is not None]
        assert sum(found.get(("lspine-ap", "di"), {}).values()) == len(judged)
        assert sum(found.get(("lspine-ap", "reason"), {}).values()) == sum(row.outcome == "rejected" for row in rows)
        days = tally.days(charted, "room-1", "lspine-ap", since, until)
        assert sum(day.made for day in days) == len(rows)
        if judged:
            mean = sum(day.judged * (day.mean_di or 0.0) for day in days) / len(judged)
            assert mean == pytest.approx(sum(row.di or 0.0 for row in judged) / len(judged), abs=0.006)


@pytest.mark.parametrize(
    ("factor", "taken"), [(0.19, False), (0.21, True), (1, True), (4.8, True), (5.2, False), (100, False)]
)
def test_a_reported_dose_far_off_the_models_is_kept_apart_and_in_no_sum(client, charted, factor, taken):
    """A machine that writes another unit than the standard's, or another exposure's dose: out by ten or a hundred."""
    sent(client, image(AcquisitionDateTime=at(-0.1), ImageAndFluoroscopyAreaDoseProduct=None))
    expected = 2 * client.get("/api/exposures").json()[0]["kap_mgycm2"]
    setting = {"ExposureInuAs": "50000", "Exposure": "50", "ExposureTime": None, "SOPInstanceUID": generate_uid()}
    own = {"IrradiationEventUID": generate_uid(), "StudyInstanceUID": generate_uid()}
    said = {"ImageAndFluoroscopyAreaDoseProduct": f"{factor * expected / 100:.8g}"}
    sent(client, image(AcquisitionDateTime=at(-0.2), **setting, **own, **said))
    row = next(one for one in client.get("/api/exposures").json() if one["mas"] == 50)
    assert row["kap_mgycm2"] == pytest.approx(expected, rel=1e-6)
    if taken:
        assert row["reported_kap_mgycm2"] == pytest.approx(factor * expected, rel=1e-3)
    else:
        assert row["reported_kap_mgycm2"] is None
        assert f"says {factor * expected:.4g}" in row["sources"]["kerma-area product"]
    found = tally.bins(charted, "", "2000-01-01", "2100-12-31")[("lspine-ap", "kap")]
    assert sum(found.values()) == 2
    largest = 10 ** (max(int(one) for one in found) / tally.DOSE_BINS)
    assert largest == pytest.approx(max(0.5, factor if taken else 1) * expected, rel=0.06)
