"""Requests made up from the API's own description: none answered with a fault of ours, all with what is described.

Source: schemathesis, an independent reader of OpenAPI. ``make fuzz`` makes many more of them.
"""

from __future__ import annotations

import os
from datetime import UTC, datetime
from uuid import uuid4

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import GenerationMode, checks

from patient_courier.intake.signature import sign
from patient_courier.web.app import describe
from tests.web.conftest import App

EXAMPLES = int(os.environ.get("FUZZ_EXAMPLES", "4"))
SCHEMA = schemathesis.openapi.from_dict(describe().openapi())
# They end the session that asks, or move the clock for hours; their own tests ask them.
LEFT_OUT = {
    ("DELETE", "/api/session"),
    ("POST", "/api/session"),
    ("PUT", "/api/session/password"),
    ("POST", "/api/clock"),
}
CHECKS = [
    checks.not_a_server_error,
    checks.status_code_conformance,
    checks.content_type_conformance,
    checks.response_schema_conformance,
]
OPERATIONS = [
    found
    for found in (result.ok() for result in SCHEMA.get_all_operations())
    if (found.method.upper(), found.path) not in LEFT_OUT
]


def key_of(app: App) -> str:
    """A key of a program that may do everything."""
    body = {"name": "made up", "scopes": ["read", "report", "change"]}
    return app.client.post("/api/api-keys", json=body).json().get("key", "none are left")


@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda found: f"{found.method.upper()} {found.path}")
def test_made_up_requests_are_answered_as_described(app: App, operation):
    fitting, unfit = (
        operation.as_strategy(mode) for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE)
    )

    @settings(
        max_examples=EXAMPLES,
        database=None,
        phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(fitting | unfit if operation.method != "get" or operation.query else fitting)
    def ask(case) -> None:
        made = case.as_transport_kwargs(base_url="http://testserver")
        body = {"json": made["json"]} if "json" in made else {"content": made.get("data") or b""}
        request = app.client.build_request(made["method"], made["url"], params=made.get("params"), **body)
        if case.operation.path == "/intake/events":
            text = request.content.decode("utf-8", "replace")
            key = app.post_office.secrets["intake"]
            request.headers.update(sign(key, f"msg_{uuid4().hex}", datetime.now(UTC), text))
        if case.operation.path.startswith("/api/v1/"):
            request.headers["authorization"] = f"Bearer {key_of(app)}"
        answer = app.client.send(request)
        response = schemathesis.Response.from_httpx(answer, verify=False)
        case.validate_response(response, checks=CHECKS)

    ask()
