"""Whom a school asks for the names of the network: this machine's name server, or in a practice school the stand-in."""

from __future__ import annotations

from threading import Lock

from patient_courier.post.names import Names
from patient_courier.practice.stand_ins.names import NameServer
from patient_courier.settings import Settings


class Asking:
    """Starts the stand-in when it is first needed, and ends it with the school."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._stand_in: NameServer | None = None
        self._starting = Lock()

    def names(self, *, practice: bool) -> Names:
        """Asks anew: what was changed a minute ago is seen. Raises ValueError when the setting is no address and port."""
        if self._settings.name_server:
            host, _, port = self._settings.name_server.rpartition(":")
            if not port.isdigit():
                raise ValueError(
                    "PATIENT_COURIER_NAME_SERVER is to be an address and a port, such as 127.0.0.1:53."
                )
            return Names((host.strip("[]"), int(port)))
        if not practice:
            return Names()
        with self._starting:
            self._stand_in = self._stand_in or NameServer()
        return Names(("127.0.0.1", self._stand_in.port))

    def close(self) -> None:
        if self._stand_in is not None:
            self._stand_in.stop()
