"""Encrypted copies opened by another program, keys derived by another library, copies in a store of objects.

Debian's ``age`` (age-encryption.org/v1), cryptography's HKDF (RFC 5869), moto as a store that speaks S3. BIP-39: its first
English test vector, from memory.
"""

from __future__ import annotations

import sqlite3
import subprocess
from contextlib import closing
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from mnemonic import Mnemonic
from moto.server import ThreadedMotoServer

from patient_courier.core.upkeep import recovery
from patient_courier.core.upkeep.copies import Copying, ObjectStore
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of
from patient_courier.dispatch.copies import NoCopy, make_copy
from patient_courier.post import object_store
from tests.live import LiveSchool
from tests.schools import read, school
from tests.store.upkeep.test_copies import START


@pytest.fixture
def path(tmp_path: Path) -> Path:
    people = [{"key": "ana", "email": "ana@example.org"}]
    LiveSchool(tmp_path / "school.db", read(school([], [], students=people)), START).database.close()
    return tmp_path / "school.db"


def test_the_age_program_opens_a_copy_and_another_sqlite_connection_reads_it(path, tmp_path):
    phrase = fresh_phrase()
    copying = Copying(recipient=str(key_of(phrase).to_public()))
    made = make_copy(path, tmp_path / "copies", copying, "nightly", "UTC")
    (tmp_path / "key.txt").write_text(f"{key_of(phrase)}\n")
    opened = tmp_path / "opened.db"
    command = ["age", "--decrypt", "-i", str(tmp_path / "key.txt"), "-o", str(opened), str(made.path)]
    subprocess.run(command, check=True, capture_output=True)
    with closing(sqlite3.connect(opened)) as connection:
        assert connection.execute("SELECT email FROM students").fetchall() == [("ana@example.org",)]
        assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]


def test_the_key_is_derived_as_rfc_5869_has_it():
    words = "abandon abandon abandon abandon abandon abandon abandon abandon abandon abandon abandon about"
    entropy = bytes(Mnemonic("english").to_entropy(words))
    assert entropy == bytes(16)
    derived = HKDF(SHA256(), 32, b"patient-courier", b"copies of a school, key 1").derive(entropy)
    assert recovery._hkdf(entropy) == derived


def test_copies_lie_in_a_store_of_objects_too_and_come_back_from_there(path, tmp_path):
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0)
    server.start()
    host, port = server.get_host_and_port()
    store = ObjectStore(bucket="mallow-lane-copies", endpoint=f"http://{host}:{port}", key="k", secret="s")
    try:
        with pytest.raises(NoCopy, match="store of objects answered"):  # there is no such bucket yet
            make_copy(path, tmp_path / "copies", Copying(store=store), "by-hand", "UTC")
        object_store._asked(store, lambda client: client.create_bucket(Bucket=store.bucket))
        made = make_copy(path, tmp_path / "copies", Copying(store=store), "nightly", "UTC")
        assert made.path.name in object_store.names(store)
        object_store.fetch(store, made.path.name, tmp_path / "back.db")
        assert (tmp_path / "back.db").read_bytes() == made.path.read_bytes()
    finally:
        server.stop()
    with pytest.raises(object_store.NotStored):
        object_store.names(store)
