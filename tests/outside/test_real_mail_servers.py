"""Letters through a real mail server with TLS and login, and what comes back read from a real IMAP server, in one go.

Debian's postfix and dovecot (RFC 6409, RFC 4954, RFC 8314, RFC 3461, RFC 3464, RFC 3501).
"""

from __future__ import annotations

import imaplib
import ssl
from contextlib import closing
from email import message_from_bytes
from email.message import EmailMessage
from pathlib import Path

from sqlalchemy import select

from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.mail_server import Incoming, MailServer, Posting
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.post.carriers import NotTaken, SmtpCarrier, SmtpSettings
from patient_courier.post.message import Mail
from patient_courier.settings import Settings
from patient_courier.store.base.tables import ClockRow, DeliveryRow, ReplyRow, StudentRow
from patient_courier.store.upkeep import incoming, posting
from tests.live import LiveSchool
from tests.outside.mail_world import PASSWORD, MailWorld, mail_world
from tests.schools import bought, letter, read, school, send, sequence
from tests.waiting import until

START, NOW = parse_moment("2026-03-01T00:00:00Z"), parse_moment("2026-03-02T12:00:00Z")
OWNER = "ines@mallowlane.example"


def test_a_letter_arrives_a_dead_address_is_stopped_and_an_answer_is_counted_and_left_alone(tmp_path: Path):
    people = [
        {"key": "ana", "email": "ana@mallowlane.example"},
        {"key": "kai", "email": "nobody@mallowlane.example"},
    ]
    file = read(school([sequence("s", [send("access")])], [], letter("access", "service"), students=people))
    file = file.model_copy(
        update={
            "school": file.school.model_copy(
                update={"sender": file.school.sender.model_copy(update={"email": OWNER})}
            )
        }
    )
    (tmp_path / "mail").mkdir()
    with (
        mail_world(tmp_path / "mail") as world,
        closing(LiveSchool(tmp_path / "school.db", file, START).database) as database,
    ):
        _signing_in_is_asked_for(world)
        with database.writing() as session:
            session.delete(session.get_one(ClockRow, 1))
            server = MailServer(host="localhost", port=world.submission, user="ines", password=PASSWORD)
            posting.keep_posting(session, Posting(server=server), NOW)
            box = Incoming(
                host="localhost", port=world.imaps, user="ines", password=PASSWORD, move_to="Reports"
            )
            incoming.keep_incoming(session, box, NOW)
        post = Post(
            database, Settings(database=tmp_path / "school.db", smtp_host="", smtp_ca_file=world.certificate)
        )
        mine, hers = _mailbox(world, "ines"), _mailbox(world, "ana")
        mine.create("Reports")
        mine.append("INBOX", "", None, b"Subject: from before\r\n\r\nold post of the owner")
        post.start()
        try:
            with database.reading() as session:
                until(lambda: incoming.how_far(session) is not None or session.rollback())
            # What no parser can bear, from a stranger: it stays where it is, and what lies behind it is read.
            mine.append("INBOX", "", None, b"From: x@example.com\r\nSubject: a\x0cTo: b\x1cc: d\r\n\r\nx\r\n")
            events = [bought(student=who) for who in ("ana", "kai")]
            with database.writing() as session:
                take_events(session, post.library.load(session), file_events(events), NOW)
            post.nudge()
            came = until(lambda: _messages(hers))
            assert len(came) == 1 and came[0]["List-Unsubscribe-Post"]
            _answer(hers, mine, came[0]["Message-ID"])
            until(lambda: _number(mine) >= 4)
            post._mailbox.nudge()
            until(lambda: _noted(post, StudentRow.bounced, "kai"))
            until(lambda: _count(post, ReplyRow) == 1)
        finally:
            post.stop()
        with database.reading() as session:
            reply = session.scalars(select(ReplyRow)).one()
            assert session.get_one(StudentRow, reply.student_id).key == "ana"
            assert reply.subject == "Re: thank you" and reply.delivery_id is not None
            statuses = set(session.scalars(select(DeliveryRow.status)))
            assert statuses <= {"sent", "bounced"}
        # The report has been moved; the answer, the test by smtps and what lay there before are as they were, unread.
        mine.select("INBOX", readonly=True)
        assert len(mine.search(None, "UNSEEN")[1][0].split()) == 4
        assert int(mine.select("Reports", readonly=True)[1][0]) == 1


def _signing_in_is_asked_for(world: MailWorld) -> None:
    """Without a name and password nothing is taken, and without the certificate nothing is even said."""
    mail = Mail(b"Subject: x\r\n\r\nx\r\n", OWNER, ("ana@mallowlane.example",))
    for settings, said in (
        (SmtpSettings("localhost", world.smtps, "ines", PASSWORD, "tls"), "can't show that it is the one"),
        (
            SmtpSettings("localhost", world.smtps, "ines", "wrong", "tls", world.certificate),
            "refuses the name and password",
        ),
        (SmtpSettings("localhost", world.submission, "", "", "starttls", world.certificate), "554 5.7.1"),
    ):
        with closing(SmtpCarrier(settings)) as carrier:
            try:
                carrier.post(mail)
            except NotTaken as error:
                assert said in str(error), error
            else:
                raise AssertionError(settings)
    with closing(
        SmtpCarrier(SmtpSettings("localhost", world.smtps, "ines", PASSWORD, "tls", world.certificate))
    ) as carrier:
        carrier.post(Mail(b"Subject: by smtps\r\n\r\nx\r\n", OWNER, (OWNER,)))


def file_events(events):
    return read(
        school(
            [],
            events,
            students=[{"key": "ana", "email": "a@example.org"}, {"key": "kai", "email": "k@example.org"}],
        )
    ).events


def _mailbox(world: MailWorld, user: str) -> imaplib.IMAP4_SSL:
    context = ssl.create_default_context(cafile=world.certificate)
    box = imaplib.IMAP4_SSL("localhost", world.imaps, ssl_context=context)
    box.login(user, PASSWORD)
    return box


def _number(box: imaplib.IMAP4_SSL) -> int:
    box.noop()
    return int(box.select("INBOX", readonly=True)[1][0])


def _messages(box: imaplib.IMAP4_SSL) -> list[EmailMessage]:
    box.noop()
    box.select("INBOX", readonly=True)
    numbers = box.search(None, "ALL")[1][0].split()
    return [message_from_bytes(box.fetch(one, "(BODY.PEEK[])")[1][0][1]) for one in numbers]


def _answer(hers: imaplib.IMAP4_SSL, mine: imaplib.IMAP4_SSL, about: str) -> None:
    """Ana answers; it is put where it would arrive."""
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "Ana <ana@mallowlane.example>", OWNER, "Re: thank you"
    mail["Message-ID"], mail["In-Reply-To"] = "<answer@mallowlane.example>", about
    mail.set_content("How kind.")
    mine.append("INBOX", "", None, mail.as_bytes())


def _noted(post: Post, what, student: str) -> bool:
    with post.database.reading() as session:
        return bool(session.scalar(select(what).where(StudentRow.key == student)))


def _count(post: Post, table) -> int:
    with post.database.reading() as session:
        return len(session.scalars(select(table)).all())
