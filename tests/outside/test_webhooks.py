"""What goes out, against readers we did not write: Standard Webhooks 1.0, OpenAPI 3.1, JSON Schema 2020-12, RFC 9457."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator
from openapi_spec_validator import OpenAPIV31SpecValidator
from standardwebhooks.webhooks import Webhook

from patient_courier.core.destinations.sample import sample
from patient_courier.core.destinations.told import KINDS
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.outgoing import signed
from patient_courier.intake.signature import BadSignature, verify
from patient_courier.store.school.secrets import signing_key
from patient_courier.web.app import describe
from tests.schools import read, school

UI = Path(__file__).parents[2] / "ui"
DESCRIPTION: dict[str, Any] = describe().openapi()


def test_the_description_with_its_webhooks_is_openapi_31():
    """Source: openapi-spec-validator (the OpenAPI 3.1 schema of the OpenAPI Initiative)."""
    assert DESCRIPTION["openapi"].startswith("3.1")
    assert list(OpenAPIV31SpecValidator(DESCRIPTION).iter_errors()) == []
    assert set(DESCRIPTION["webhooks"]) == set(KINDS)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(
    "file", [school([], []), school([], [], courses=[], offers=[])], ids=["full", "empty"]
)
def test_every_kind_fits_the_schema_it_is_described_by(kind, file):
    """Source: python-jsonschema, JSON Schema 2020-12. Full schools and empty ones alike."""
    place = DESCRIPTION["webhooks"][kind]["post"]["requestBody"]["content"]["application/json"]["schema"]
    schema = {**place, "components": DESCRIPTION["components"]}
    message = json.loads(sample(definitions_of(read(file)), kind, [], real_now()))
    assert [error.message for error in Draft202012Validator(schema).iter_errors(message)] == []
    assert message["type"] == kind
    wrong = {**message, "data": {**message["data"], "student": {"key": 1}}}
    assert list(Draft202012Validator(schema).iter_errors(wrong))


def test_messages_are_verified_by_the_libraries_of_the_standard():
    """Source: standardwebhooks on npm and on PyPI, by the authors of the specification."""
    older, newer, strange = (signing_key() for _ in range(3))
    body = json.dumps({"type": "purchased", "data": {"name": "Łucja 🐝", "quote": '"'}}, ensure_ascii=False)
    headers = signed((newer, older), "msg_1", real_now(), body)
    asked = [
        {"secret": newer, "headers": headers, "body": body},
        {"secret": older, "headers": headers, "body": body},
        {"secret": strange, "headers": headers, "body": body},
        {"secret": newer, "headers": headers, "body": body.replace("Ł", "L")},
        {"secret": newer, "headers": {**headers, "webhook-id": "msg_2"}, "body": body},
        {"secret": newer, "headers": {**headers, "webhook-timestamp": "1700000000"}, "body": body},
    ]
    told = subprocess.run(
        ["node", "checks/webhooks.mjs"],
        cwd=UI,
        input=json.dumps(asked),
        capture_output=True,
        text=True,
        check=True,
    )
    answer = json.loads(told.stdout)
    assert [one == "good" for one in answer["verified"]] == [True, True, False, False, False, False]
    for secret in (newer, older):
        assert Webhook(secret).verify(body, headers)["type"] == "purchased"
    assert verify(newer, body.encode(), answer["signed"]) == "msg_theirs"
    with pytest.raises(BadSignature):
        verify(strange, body.encode(), answer["signed"])
