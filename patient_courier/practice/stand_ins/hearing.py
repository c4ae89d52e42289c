"""The stand-in list as a destination: it takes what a school posts, tells repeats by their id, and can behave badly."""

from __future__ import annotations

import json
import time
from collections import deque
from dataclasses import dataclass, field
from html import escape

from standardwebhooks.webhooks import Webhook, WebhookVerificationError
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import PlainTextResponse, RedirectResponse, Response
from starlette.routing import Route

KEPT = 100
SLOW_SECONDS = 20
MANNERS = {
    "well": "takes everything (204)",
    "fails": "fails (500)",
    "busy": "asks to come again in two minutes (503)",
    "slow": f"answers after {SLOW_SECONDS} seconds",
    "gone": "is gone for good (410)",
}


@dataclass(slots=True)
class Heard:
    """A message that came: its id, what it says, what was wrong with its signature, what it was answered."""

    id: str
    words: str
    proof: str
    status: int
    again: bool


@dataclass(slots=True)
class Ear:
    """What it remembers while it runs, the newest first."""

    manner: str = "well"
    secret: str = ""
    heard: deque[Heard] = field(default_factory=lambda: deque(maxlen=KEPT))

    def routes(self) -> list[Route]:
        return [
            Route("/hear", self._hear, methods=["POST"]),
            Route("/manner", self._behave, methods=["POST"]),
        ]

    async def _behave(self, request: Request) -> Response:
        form = await request.form()
        self.manner = str(form.get("manner", "well"))
        self.secret = str(form.get("secret", "")).strip()
        return RedirectResponse("/", status_code=303)

    async def _hear(self, request: Request) -> Response:
        body = await request.body()
        if self.manner == "slow":
            await run_in_threadpool(time.sleep, SLOW_SECONDS)
        status = {"fails": 500, "busy": 503, "gone": 410}.get(self.manner, 204)
        proof = self._proof(body, {name.lower(): value for name, value in request.headers.items()})
        if status == 204 and proof not in ("", "not checked"):
            status = 401
        id = request.headers.get("webhook-id", "")
        again = any(one.id == id and one.status == 204 for one in self.heard)
        self.heard.appendleft(Heard(id, _words(body), proof, status, again))
        headers = {"Retry-After": "120"} if status == 503 else None
        return PlainTextResponse("" if status == 204 else "Not taken.", status_code=status, headers=headers)

    def _proof(self, body: bytes, headers: dict[str, str]) -> str:
        if not self.secret:
            return "not checked"
        try:
            Webhook(self.secret).verify(body, headers, json_parse=False)
        except (WebhookVerificationError, ValueError) as error:
            return str(error)
        return ""

    def page(self, address: str) -> str:
        """Its part of the page."""
        choices = "".join(
            f'<option value="{key}"{" selected" if key == self.manner else ""}>{escape(says)}</option>'
            for key, says in MANNERS.items()
        )
        rows = "".join(
            f"<tr><td>{escape(one.words)}{' (had it before)' if one.again else ''}</td>"
            f"<td>{one.status}</td><td>{escape(one.proof or 'signed well')}</td></tr>"
            for one in self.heard
        )
        return (
            f"<h2>What it hears</h2><p>As a destination of a school it listens at <code>{escape(address)}</code>.</p>"
            f'<form method="post" action="/manner"><label>The secret its messages are signed with (empty: not checked)'
            f'<input name="secret" value="{escape(self.secret)}"></label>'
            f'<label>It<select name="manner">{choices}</select></label><button>Behave so</button></form>'
            f"<table>{rows or '<tr><td>Nothing has come yet.</td></tr>'}</table>"
        )


def _words(body: bytes) -> str:
    try:
        told = json.loads(body)
        who = told["data"]["student"]["email"]
        return f"{told['type']}: {who}"
    except (ValueError, KeyError, TypeError):
        return "something that is no message of a school"
