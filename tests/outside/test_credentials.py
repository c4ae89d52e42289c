"""Credentials of certificates, verified by two libraries that did not make them, in JavaScript and in Python.

Sources: Open Badges 3.0 (1EdTech), Verifiable Credentials Data Model 2.0, Data Integrity 1.0 with eddsa-rdfc-2022,
Bitstring Status List 1.0, Controlled Identifiers 1.0 (W3C), as those libraries read them; the contexts are the published
ones, which the libraries ship too.
"""

import base64
import copy
import io
import json
import subprocess
from pathlib import Path

import base58
import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from hypothesis import given
from hypothesis import strategies as st
from openbadgeslib.errors import LibOpenBadgesException
from openbadgeslib.ob3 import contexts
from openbadgeslib.ob3.ldp import OB3LdpVerifier
from openbadgeslib.ob3.status import decode_encoded_list, set_indices
from openbadgeslib.ob3.verifier import OB3Verifier
from PIL import Image
from whenever import Instant

from patient_courier.certificates import signing
from patient_courier.certificates.credential import PLACES, Issuer, status_list
from tests.web.conftest import finished

ROOT = Path(__file__).parents[2]
SITE = "http://127.0.0.1:8484"


def documents(app, credential):
    """What stands at every address that a credential names, and the contexts."""
    context = {address: contexts.load_context(address) for address in credential["@context"]}
    context[signing.MULTIKEY] = contexts.load_context(signing.MULTIKEY)
    proof, status = credential["proof"], credential["credentialStatus"]
    named = [credential["issuer"]["id"], proof["verificationMethod"], status["statusListCredential"]]
    found = {address: app.client.get(address.removeprefix(SITE)).json() for address in named}
    list_key = found[status["statusListCredential"]]["proof"]["verificationMethod"]
    return {**context, **found, list_key: app.client.get(list_key.removeprefix(SITE)).json()}


def by_javascript(*asked):
    done = subprocess.run(
        ["node", "checks/credentials.mjs"], cwd=ROOT / "ui", capture_output=True, text=True, check=True,
        input=json.dumps([{"credential": one, "documents": known} for one, known in asked]),
    )  # fmt: skip
    return json.loads(done.stdout)


def pem(multikey):
    raw = base58.b58decode(multikey["publicKeyMultibase"][1:])[2:]
    return Ed25519PublicKey.from_public_bytes(raw).public_bytes(
        Encoding.PEM, PublicFormat.SubjectPublicKeyInfo
    )


def by_python(app, credential):
    """Raises when the library does not take it, its status included."""
    key = app.client.get(credential["proof"]["verificationMethod"].removeprefix(SITE)).json()
    fetch = lambda address: app.client.get(address.removeprefix(SITE)).content  # noqa: E731
    return OB3LdpVerifier(pem(key)).verify(
        json.dumps(credential), check_status=True, download=fetch, verify_status_list=False
    )


def credential_of(app, number):
    return app.client.get(f"/certificate/{number}/credential.json").json()


def test_the_contexts_we_ship_are_the_published_ones():
    for address in (signing.CREDENTIALS, signing.OPEN_BADGES, signing.MULTIKEY):
        assert signing._context(address) == contexts.load_context(address)


@pytest.mark.parametrize("name", ["Ana", "नूर الخطيب 山田 🐝", "Zoë <b>O'Neill</b> \\ \"&", "A" * 300])
def test_others_verify_it_and_refuse_what_was_changed(app, code, name):
    app.client.put(f"/api/certificates/{code}", json={"name": name})
    good = credential_of(app, code)
    assert good["credentialSubject"]["identifier"][0]["identityHash"] == name
    assert "ana@example.org" not in json.dumps(good)
    other, bent, foreign = copy.deepcopy(good), copy.deepcopy(good), copy.deepcopy(good)
    other["credentialSubject"]["identifier"][0]["identityHash"] = "Somebody Else"
    bent["validFrom"] = "2020-01-01T00:00:00Z"
    foreign["honours"] = "with distinction"
    known = documents(app, good)
    ours, *changed = by_javascript(*((one, known) for one in (good, other, bent, foreign)))
    assert ours == {"verified": True, "revoked": False, "errors": []}
    assert [one["verified"] for one in changed] == [False] * 3
    assert by_python(app, good).issuer.name == "Mallow Lane Apiary School"
    for one in (other, bent, foreign):
        with pytest.raises(LibOpenBadgesException):
            by_python(app, one)


def test_what_is_taken_back_is_said_to_be_and_only_that(app, code):
    app.report(finished("kai"))
    (kais,) = (
        x["code"] for x in app.client.get("/api/certificates").json()["items"] if x["student"] == "kai"
    )
    anas, kai = credential_of(app, code), credential_of(app, kais)
    app.client.post(f"/api/certificates/{code}/take-back")
    found = by_javascript((anas, documents(app, anas)), (kai, documents(app, kai)))
    assert [one["revoked"] for one in found] == [True, False]
    with pytest.raises(LibOpenBadgesException, match=r"revocation. is set"):
        by_python(app, anas)
    by_python(app, kai)
    assert app.client.get(f"/certificate/{code}/credential.json").status_code == 404
    # A place in the list is no count of certificates, and a list has room for many more (section 6.1).
    assert (
        abs(
            int(anas["credentialStatus"]["statusListIndex"]) - int(kai["credentialStatus"]["statusListIndex"])
        )
        > 1
    )
    encoded = app.client.get("/issuer/status/0").json()["credentialSubject"]["encodedList"]
    assert len(base64.urlsafe_b64decode(encoded[1:] + "==")) < 2000


@given(st.sets(st.integers(0, PLACES - 1), max_size=40), st.integers(0, 5))
def test_the_packed_list_says_of_each_place_what_another_reader_finds_in_it(places, number):
    """Bitstring Status List 1.0, section 3.3: the leftmost bit is the first place; multibase base64url, GZIP."""
    issuer = Issuer("https://post.example", "Mallow Lane", "ines@mallowlane.example")
    at = Instant.from_utc(2026, 3, 2)
    made = status_list(issuer, number, [number * PLACES + place for place in places], at)
    bits = decode_encoded_list(made["credentialSubject"]["encodedList"])
    assert set_indices(bits) == places and len(bits) * 8 == PLACES


def test_a_new_key_breaks_no_old_credential_and_a_distrusted_one_does(app, code):
    old = credential_of(app, code)
    app.client.post("/api/signing-keys")
    new = credential_of(app, code)
    assert new["proof"]["verificationMethod"] != old["proof"]["verificationMethod"]
    found = by_javascript((old, documents(app, old)), (new, documents(app, new)))
    assert [one["verified"] for one in found] == [True, True]
    app.client.post(f"/api/signing-keys/{old['proof']['verificationMethod'].rpartition('/')[2]}/distrust")
    found = by_javascript((old, documents(app, old)), (new, documents(app, new)))
    assert [one["verified"] for one in found] == [False, True]


def test_the_picture_has_the_credential_in_it(app, code):
    """Open Badges 3.0, section 5.3.1, read by a library that bakes such pictures itself."""
    picture = app.client.get(f"/certificate/{code}.png").content
    assert json.loads(OB3Verifier.extract_token_from_png(picture)) == credential_of(app, code)
    assert Image.open(io.BytesIO(picture)).size[0] > 1000
