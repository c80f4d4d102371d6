"""What a peer of the listener may take of this machine, however it behaves; and what is refused stands in a journal."""

from __future__ import annotations

import socket
import ssl
import subprocess
import time

import pytest
from pynetdicom import AE, ALL_TRANSFER_SYNTAXES
from tests.objects import image

from oakbeam.api import image_import
from oakbeam.cli import bounded_peer, listener
from oakbeam.cli.listener import Listener
from oakbeam.store import exposures, images

CALLERS = ["CONSOLE"]


@pytest.fixture
def listening(charted):
    made = Listener(charted, "127.0.0.1", 0, "OAKBEAM", CALLERS)
    yield made
    made.close()


def associated(port, caller="CONSOLE", tls=None, title="OAKBEAM"):
    entity = AE(ae_title=caller)
    entity.add_requested_context("1.2.840.10008.5.1.4.1.1.1.1", ALL_TRANSFER_SYNTAXES[:4])
    return entity.associate("127.0.0.1", port, ae_title=title, tls_args=(tls, "localhost") if tls else None)


def large(size):
    made = image(Rows=10, Columns=10)
    made.add_new((0x7FE0, 0x0010), "OW", bytes(size))
    return made


def closed_by_the_other_side(connection, within_s=20.0):
    connection.settimeout(within_s)
    try:
        while connection.recv(4096):
            pass
    except ConnectionError:
        pass
    return True


def test_pixels_are_let_go_of_as_they_come_and_an_endless_object_ends_it(charted, listening, monkeypatch):
    monkeypatch.setattr(bounded_peer, "MOST_KEPT", 60_000)
    monkeypatch.setattr(bounded_peer, "MOST_OBJECT", 900_000)
    kept, read = [], image_import.read_all

    def noted(objects, keys):
        kept.extend(map(len, objects))
        return read(objects, keys)

    monkeypatch.setattr(listener, "read_all", noted)
    link = associated(listening.port)
    assert [link.send_c_store(large(size)).Status for size in (1_000, 800_000)] == [0, 0]
    assert len(kept) == 2 and kept[0] < 10_000 and kept[1] <= 60_500
    assert len(exposures.find(charted)) == 2
    assert not link.send_c_store(large(1_200_000))  # no answer: it was ended
    link.join(10)
    assert not link.is_established
    (row,) = images.refused(charted)
    assert (row.caller, row.address, row.why) == ("CONSOLE", "127.0.0.1", "An object of more than 0 MB.")
    # The next caller is taken in as ever.
    again = associated(listening.port)
    assert again.send_c_store(large(10)).Status == 0
    again.release()


def test_an_announced_length_is_not_believed_and_silence_or_dripping_ends(charted, monkeypatch):
    monkeypatch.setattr(bounded_peer, "MOST_PDU_S", 0.6)
    monkeypatch.setattr(listener, "MOST_PDU_S", 0.6)
    made = Listener(charted, "127.0.0.1", 0, "OAKBEAM", CALLERS)
    try:
        for head in (
            b"\x01\x00\xff\xff\xff\xf0" + b"x" * 5000,
            b"",
            b"\x01",
            b"\x01\x00\x00\x00\x01\x00" + b"x" * 9,
            b"\x09" * 60,
        ):
            with socket.create_connection(("127.0.0.1", made.port)) as peer:
                peer.sendall(head)
                assert closed_by_the_other_side(peer)
        with socket.create_connection(("127.0.0.1", made.port)) as dripping:
            dripping.sendall(b"\x01\x00\x00\x00\x40\x00")
            began, sent = time.monotonic(), 0
            try:
                while time.monotonic() - began < 20:
                    dripping.sendall(b"x")
                    sent += 1
                    time.sleep(0.1)
            except OSError:
                pass
            assert sent < 150
        assert "announced" in images.refused(charted)[-1].why
    finally:
        made.close()


def test_one_address_has_so_many_connections_and_no_more(charted, listening, monkeypatch):
    monkeypatch.setattr(bounded_peer, "MOST_OF_ONE_ADDRESS", 3)
    held = [socket.create_connection(("127.0.0.1", listening.port)) for _ in range(3)]
    with socket.create_connection(("127.0.0.1", listening.port)) as one_more:
        assert closed_by_the_other_side(one_more, 5)
    for one in held:
        one.close()
    # Those that went make room.
    until, link = time.monotonic() + 20, None
    while time.monotonic() < until and not (link := associated(listening.port)).is_established:
        time.sleep(0.1)
    assert link.is_established
    link.release()


def test_what_was_refused_is_read_by_people_without_a_word_of_what_was_sent(client, charted, listening):
    link = associated(listening.port)
    for _ in range(3):
        assert link.send_c_store(image(KVP=None, PatientName="Secret^Name")).Status == 0xC000
    link.release()
    assert not associated(listening.port, caller="STRANGER").is_established
    until = time.monotonic() + 10
    while len(images.refused(charted)) < 2 and time.monotonic() < until:
        time.sleep(0.02)
    answer = client.get("/api/log/images/refused")
    stranger, silent = answer.json()
    assert (stranger["caller"], stranger["n"]) == ("STRANGER", 1)
    assert (silent["caller"], silent["n"], silent["address"]) == ("CONSOLE", 3, "127.0.0.1") and "kVp" in silent["why"]
    assert "Secret" not in answer.text
    for number in range(images.MOST_REFUSED + 5):
        images.refuse(charted, "X", "10.0.0.1", f"why {number}")
    assert charted.db.execute("SELECT count(*) FROM refused_object").fetchone()[0] == images.MOST_REFUSED


def test_with_tls_plain_callers_and_strangers_certificates_are_turned_away(charted, tmp_path):
    def certificate(name):
        key, pem = tmp_path / f"{name}.key", tmp_path / f"{name}.pem"
        command = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", f"/CN={name}"]
        command += ["-addext", "subjectAltName=DNS:localhost", "-keyout", key, "-out", pem]
        subprocess.run(command, check=True, capture_output=True)
        return str(pem), str(key)

    own, console, stranger = (certificate(name) for name in ("listener", "console", "stranger"))
    made = Listener(charted, "127.0.0.1", 0, "OAKBEAM", CALLERS, tls=bounded_peer.tls(own[0], own[1], console[0]))
    # A caller that never begins its handshake holds nobody up.
    silent = socket.create_connection(("127.0.0.1", made.port))
    try:
        for who, taken in ((console, True), (stranger, False), (None, False)):
            secure = None
            if who:
                secure = ssl.create_default_context(cafile=own[0])
                secure.load_cert_chain(*who)
            link = associated(made.port, tls=secure)
            status = link.send_c_store(large(100)).Status if link.is_established else None
            assert status == (0 if taken else None), who
            if link.is_established:
                link.release()
    finally:
        silent.close()
        made.close()
    assert len(exposures.find(charted)) == 1
