"""Deliveries drawn as mails: the letter in its frame, filled with the student's values, signed links, dates as files."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import Tracking
from patient_courier.post.calendar_file import calendar_files
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import look_of
from patient_courier.post.message import Mail, Sender, message, message_id, sender_of
from patient_courier.post.prepared import Prepared, prepare
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import letter_version
from patient_courier.store.outbox.outbox import Claimed


class Drawing:
    """Draws the deliveries of a lot; what letters share is made once for as long as the definitions stay."""

    def __init__(self, database: Database, signer: LinkSigner) -> None:
        self._database = database
        self._signer = signer
        self._nowhere = signer.nowhere()
        self._prepared: dict[tuple[str, int, str | None, str | None], tuple[Prepared, Sender]] = {}
        self._definitions: Definitions | None = None

    def use(self, definitions: Definitions) -> None:
        """Draw with these from now on: letters' frames hold the school's name and address."""
        if definitions is not self._definitions:
            self._definitions, self._prepared = definitions, {}

    def mail(self, one: Claimed) -> Mail:
        """The mail of a delivery. Raises headers.Unfit for an address that no server takes, ValueError for what can't be drawn."""
        definitions = self._definitions
        assert definitions is not None
        prepared, sender = self._made_ready(definitions, one)
        school = definitions.school
        noted = school.tracking if one.tracked and one.recipients is None else Tracking(links=False)
        links = self._signer.links(
            one.id,
            clicks=noted.links,
            openings=noted.openings,
            answers=bool(prepared.answers),
            events=bool(prepared.events),
            names=prepared.has_certificate,
        )
        zone = school.zone_of(one.timezone)
        rendered = prepared.fill(one.values, zone, links)
        to = [(one.name, one.email)]
        if one.recipients is not None:
            owner = (school.sender.name, school.sender.email)
            to = [owner if found == "owner" else ("", found) for found in one.recipients]
        id = message_id(one.id, school.sender.email, self.print_of(one))
        envelope = links.stop.rpartition("/")[2] if one.recipients is None else ""
        domain = sender.email.rpartition("@")[2]
        files = calendar_files(prepared, one.values, zone, school.timezone, domain, one.at)
        return message(
            rendered, sender, links, message_id=id, to=to, date=one.at, calendar=files, envelope=envelope
        )

    def print_of(self, one: Claimed) -> str:
        """What is the same of a letter when the time in which it went out is lost and lived again: whose it is, the run by
        what it began with, and its place there."""
        source = one.broadcast or one.sequence or ""
        began = one.run_began.format_iso() if one.run_began else ""
        return self._signer.print_of(one.student, source, began, one.step, one.round, one.letter)

    def copies(self, one: Claimed, readers: Sequence[str]) -> Iterator[Mail]:
        """A copy of a delivery for each of those who asked for one; its links do nothing."""
        definitions = self._definitions
        assert definitions is not None
        prepared, sender = self._made_ready(definitions, one)
        rendered = prepared.fill(one.values, definitions.school.zone_of(one.timezone), self._nowhere)
        copy = replace(rendered, subject=f"Copy: {rendered.subject}")
        id = message_id(one.id, sender.email).replace("delivery-", "copy-")
        said = "A copy of a letter that a student has just been sent. Its links do nothing."
        for number, reader in enumerate(readers):
            to = [("", reader)]
            yield message(
                copy, sender, self._nowhere, message_id=f"{number}-{id}", to=to, date=one.at, comments=said
            )

    def _made_ready(self, definitions: Definitions, one: Claimed) -> tuple[Prepared, Sender]:
        """The letter in its frame and its sender, made once for all that share them."""
        key = (one.letter, one.letter_version, one.course, one.sequence)
        if key not in self._prepared:
            with self._database.reading() as session:
                letter = letter_version(session, one.letter, one.letter_version)
            self._prepared[key] = (
                prepare(letter, look_of(definitions, letter, one.course)),
                sender_of(definitions, letter, one.course, one.sequence),
            )
        return self._prepared[key]
