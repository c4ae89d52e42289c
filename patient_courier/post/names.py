"""Asking the names of the network: through dnspython, of this machine's name server or of one that is given."""

from __future__ import annotations

import dns.exception
import dns.rdatatype
import dns.resolver

from patient_courier.core.upkeep.names import Answer, Kind

SECONDS = 5.0


class Names:
    """Asks one question at a time; what was answered is remembered for as long as this lives."""

    def __init__(self, server: tuple[str, int] | None = None) -> None:
        """``server``: address and port of the name server; None: the ones of this machine."""
        self._known: dict[tuple[str, Kind], Answer] = {}
        self._why = ""
        try:
            self._resolver = dns.resolver.Resolver(configure=server is None)
        except dns.exception.DNSException as error:
            self._resolver = dns.resolver.Resolver(configure=False)
            self._why = f"this machine knows no name server ({error})"
        self._resolver.lifetime = SECONDS
        if server is not None:
            self._resolver.nameservers, self._resolver.port = [server[0]], server[1]

    def __call__(self, name: str, kind: Kind) -> Answer:
        key = (name.lower().rstrip("."), kind)
        if key not in self._known:
            self._known[key] = Answer(failed=self._why) if self._why else self._asked(*key)
        return self._known[key]

    def _asked(self, name: str, kind: Kind) -> Answer:
        try:
            found = self._resolver.resolve(f"{name}.", kind, search=False)
        except dns.resolver.NXDOMAIN:
            return Answer(missing=True)
        except dns.resolver.NoAnswer:
            return Answer()
        except dns.resolver.NoNameservers:
            return Answer(failed="the name server refuses or knows nothing")
        except (dns.exception.DNSException, OSError, UnicodeError) as error:
            return Answer(failed=str(error) or type(error).__name__)
        return Answer(tuple(_text(record) for record in found))


def _text(record: object) -> str:
    # A long text comes in pieces, which belong together without a space (RFC 7208 section 3.3).
    strings = getattr(record, "strings", None)
    return b"".join(strings).decode("utf-8", "replace") if strings is not None else str(record)
