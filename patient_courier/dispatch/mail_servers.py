"""The servers that letters are handed to: the one of the settings, the owner's, or the mailroom; and a second one.

A letter goes to the second server only when the first one has certainly not taken it, so no change of server posts
anything twice.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress

from sqlalchemy.orm import Session

from patient_courier.core.upkeep.mail_server import MailServer
from patient_courier.core.upkeep.pace import DAY_SECONDS, Pace
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.post.carriers import NotTaken, SmtpCarrier, SmtpSettings
from patient_courier.post.message import Mail
from patient_courier.post.overheard import Heard
from patient_courier.settings import Settings
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.upkeep import posting
from patient_courier.store.upkeep.failing import failing, note_failing

# How long the first server may refuse before the second one is used, and how often it is then asked again.
PATIENCE_SECONDS = DAY_SECONDS
ASK_AGAIN_SECONDS = 900.0


class MailServers:
    """A carrier over whichever server is to be used now. ``post`` and ``close`` are for the poster alone."""

    def __init__(self, database: Database, settings: Settings, mailroom: Callable[[], int] | None) -> None:
        """``mailroom`` starts it, if need be, and gives its port; None where there is none."""
        self._database, self._settings, self._mailroom = database, settings, mailroom
        self._asked_again = 0.0
        self.read()

    def read(self) -> None:
        """Read anew what the owner has given; holds from the next letter on."""
        with self._database.reading() as session:
            kept = posting.read_posting(session)
            own = own_server(session, self._settings, kept.server)
            self.refusing = failing(session, "server")
            yesterday = real_now().subtract(seconds=DAY_SECONDS)
            paced = own is not None and (own.a_minute or own.a_day)
            handed = posting.handed_since(session, yesterday) if paced else []
            self.mailroom_only = own is None and not posting.has_ever_posted(session)
        self.own = own
        self.second = kept.second if own is not None else None
        self.pace = Pace(own.a_minute, own.a_day, handed) if own is not None else Pace(None, None)
        # Carriers keep their connections, so they are left to the poster; what is wanted is read by it.
        self._wanted = (self.settings_of(own), self.settings_of(self.second) if self.second else None)
        self._carriers: tuple[SmtpCarrier, SmtpCarrier | None] | None = None

    def settings_of(self, server: MailServer | None) -> SmtpSettings:
        """How a server is reached; None: the mailroom."""
        if server is None:
            assert self._mailroom is not None
            return SmtpSettings("127.0.0.1", self._mailroom())
        authority = self._settings.smtp_ca_file
        return SmtpSettings(
            server.host, server.port, server.user, server.password, server.security, authority
        )

    def post(self, mail: Mail) -> None:
        """Hand one message over, to the second server when the first has refused for a day. Raises NotTaken, Unsure."""
        first, second = self._ready()
        if (
            second is not None
            and self.by_second()
            and time.monotonic() < self._asked_again + ASK_AGAIN_SECONDS
        ):
            second.post(mail)
            self.pace.note(real_now())
            return
        self._asked_again = time.monotonic()
        try:
            first.post(mail)
        except NotTaken as error:
            if error.about != "server":
                self._note(None)
                raise
            self._note(str(error))
            if second is None or not self.by_second():
                raise
            second.post(mail)
        else:
            self._note(None)
        self.pace.note(real_now())

    def by_second(self) -> bool:
        """Whether letters go by the second server now."""
        since = self.refusing.since if self.refusing else None
        return (
            self.second is not None
            and since is not None
            and (real_now() - since).total("seconds") >= PATIENCE_SECONDS
        )

    def close(self) -> None:
        for carrier in self._carriers or ():
            if carrier is not None:
                carrier.close()

    def once(self, mail: Mail, heard: Heard | None = None) -> None:
        """Hand one message over by a connection of its own. ``heard`` is told what is said. Raises NotTaken, Unsure."""
        use_second = self.by_second()
        carrier = SmtpCarrier(self._wanted[1] if use_second and self._wanted[1] else self._wanted[0], heard)
        try:
            carrier.post(mail)
            self.pace.note(real_now())
        finally:
            carrier.close()

    def _ready(self) -> tuple[SmtpCarrier, SmtpCarrier | None]:
        if self._carriers is None:
            first, second = self._wanted
            self._carriers = SmtpCarrier(first), SmtpCarrier(second) if second else None
        return self._carriers

    def _note(self, why: str | None) -> None:
        """Remember over a restart since when it refuses; said once, not with every letter."""
        if (why is None) == (self.refusing is None):
            return
        with suppress(Busy), self._database.writing() as session:  # or else with the next letter
            self.refusing = note_failing(session, "server", why, real_now())


def own_server(session: Session, settings: Settings, kept: MailServer | None) -> MailServer | None:
    """The server of the environment, or else the owner's; None: the mailroom. A practice school has no way out of its own."""
    if settings.smtp_host:
        s = settings
        return MailServer(
            host=s.smtp_host,
            port=s.smtp_port,
            security=s.smtp_security,
            user=s.smtp_user,
            password=s.smtp_password,
        )
    return None if settings.demo or read_clock(session).practice else kept
