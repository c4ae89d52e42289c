"""A simulated name server: answers for the domains it is given, and for the demo school's."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Mapping

from dnslib import QTYPE, RCODE, RR, DNSRecord
from dnslib.server import BaseResolver, DNSServer

# Names as they might stand for the demo school: signed mail with a key, but no DMARC line yet.
# As long as a key of 2,048 bits, and invented.
_KEY = b64encode(b"an invented key, of the demo school alone. ".ljust(294, b"0")).decode()
DEMO_ZONE = f"""
mallowlane.example.                 300 IN MX 10 mx.post.example.
mallowlane.example.                 300 IN TXT "v=spf1 include:_spf.post.example ~all"
bees._domainkey.mallowlane.example. 300 IN TXT "v=DKIM1; k=rsa; p={_KEY[:200]}" "{_KEY[200:]}"
_spf.post.example.                  300 IN TXT "v=spf1 ip4:192.0.2.0/25 -all"
smtp.post.example.                  300 IN A 192.0.2.10
mx.post.example.                    300 IN A 192.0.2.20
"""


TRIES = 20


class _Zone(BaseResolver):  # type: ignore[misc]
    def __init__(self, text: str) -> None:
        self._records = RR.fromZone(text)

    def resolve(self, request: DNSRecord, handler: object) -> DNSRecord:
        reply = request.reply()
        name, kind = str(request.q.qname).lower(), QTYPE[request.q.qtype]
        named = [record for record in self._records if str(record.rname).lower() == name]
        reply.add_answer(*[record for record in named if QTYPE[record.rtype] == kind])
        if not named and not any(str(record.rname).lower().endswith(f".{name}") for record in self._records):
            reply.header.rcode = RCODE.NXDOMAIN
        return reply


class NameServer:
    """Listens on 127.0.0.1, over UDP and TCP, from the moment it is made until it is stopped."""

    def __init__(self, zone: str = DEMO_ZONE, port: int = 0) -> None:
        """``zone`` in the form of RFC 1035 section 5; ``port`` 0 takes a free one."""
        self._servers = _listening(_Zone(zone), port)
        self.port: int = self._servers[0].server.server_address[1]
        for server in self._servers:
            server.start_thread()

    def stop(self) -> None:
        for server in self._servers:
            server.stop()
            server.server.server_close()


def _listening(zone: _Zone, port: int) -> list[DNSServer]:
    """One server for each way of asking, at the same port; a free one for the first may be taken for the second."""
    for left in reversed(range(TRIES)):
        first = DNSServer(zone, address="127.0.0.1", port=port, logger=_Silent())
        try:
            same = first.server.server_address[1]
            return [first, DNSServer(zone, address="127.0.0.1", port=same, tcp=True, logger=_Silent())]
        except OSError:
            first.server.server_close()
            if port or not left:
                raise
    raise AssertionError("it ended with the last try")


class _Silent:
    """Says nothing of what is asked."""

    def __getattr__(self, name: str) -> object:
        return lambda *_: None


def zone_of(records: Mapping[tuple[str, str], list[str]]) -> str:
    """A zone's text from records by name and kind; texts are put into quotes."""
    lines = []
    for (name, kind), values in records.items():
        for value in values:
            pieces = (
                " ".join(f'"{value[at : at + 250]}"' for at in range(0, len(value), 250))
                if kind == "TXT"
                else value
            )
            lines.append(f"{name}. 300 IN {kind} {pieces}")
    return "\n".join(lines)
