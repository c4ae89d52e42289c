"""The mailroom: a mail server on loopback that keeps every message for the simulated inboxes, and plays troubles."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

import structlog
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import Envelope

log = structlog.get_logger()
Keep = Callable[[bytes, list[str]], None]
# What is answered for a recipient before the message is taken, if anything; and for how long the answer to it is waited for.
Answer = Callable[[str], str | None]
Pause = Callable[[list[str]], float]


class _Handler:
    def __init__(self, keep: Keep, answer: Answer, pause: Pause) -> None:
        self._keep = keep
        self._answer = answer
        self._pause = pause

    async def handle_RCPT(
        self, server: Any, session: Any, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        refused = self._answer(address)
        if refused is not None:
            return refused
        envelope.rcpt_tos.append(address)
        return "250 2.1.5 come in"

    async def handle_DATA(self, server: Any, session: Any, envelope: Envelope) -> str:
        content = envelope.content
        raw = content if isinstance(content, bytes) else str(content).encode()
        await asyncio.sleep(self._pause(list(envelope.rcpt_tos)))
        try:
            await asyncio.get_running_loop().run_in_executor(None, self._keep, raw, list(envelope.rcpt_tos))
        except Exception as error:
            log.error("mailroom could not keep a message", error=str(error))
            return "451 the mailroom could not keep this message"
        return "250 kept"


class Mailroom:
    """An SMTP server on 127.0.0.1; ``keep`` is given each message and its recipients, and must not forget it."""

    def __init__(
        self,
        keep: Keep,
        port: int = 0,
        answer: Answer = lambda recipient: None,
        pause: Pause = lambda recipients: 0.0,
    ) -> None:
        """``port`` 0 takes a free one."""
        self._listens = False
        self._controller = _LoopbackController(
            _Handler(keep, answer, pause), hostname="127.0.0.1", port=port, decode_data=False
        )

    def start(self) -> int:
        """Start listening, if it does not yet; returns the port."""
        if not self._listens:
            self._controller.start()
            self._listens = True
        return self._controller.bound_port()

    def stop(self) -> None:
        if self._listens:
            self._controller.stop()


class _LoopbackController(Controller):
    def _trigger_server(self) -> None:
        # The library connects once to wake its factory; with port 0 it must ask for the real port first.
        self.port = self.bound_port()
        super()._trigger_server()  # type: ignore[no-untyped-call]

    def bound_port(self) -> int:
        assert isinstance(self.server, asyncio.Server)
        port: int = self.server.sockets[0].getsockname()[1]
        return port
