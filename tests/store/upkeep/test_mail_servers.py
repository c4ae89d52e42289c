"""Which server a letter goes to: none twice by a change, none by a practice school, the environment before the screen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing

import pytest

from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.mail_server import MailServer, Posting
from patient_courier.core.upkeep.pace import DAY_SECONDS
from patient_courier.dispatch import mail_servers
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.mail_servers import MailServers
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.message import Mail
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import ClockRow
from patient_courier.store.upkeep import posting
from patient_courier.store.upkeep.failing import failing, note_failing
from tests.live import LiveSchool
from tests.post.far_side import Answer, FarSide
from tests.schools import read, school

START = parse_moment("2026-03-01T00:00:00Z")
MAIL = Mail(b"Subject: x\r\n\r\nx\r\n", "ines@mallowlane.example", ("ana@example.org",))
REFUSES: Callable[[str, int], Answer] = lambda asked, count: "550 5.7.1 not you" if asked == "MAIL" else ""  # noqa: E731


@pytest.fixture
def database(tmp_path) -> Iterator[Database]:
    """A real school: without a clock of its own."""
    found = LiveSchool(tmp_path / "school.db", read(school([], [])), START).database
    with closing(found):
        with found.writing() as session:
            session.delete(session.get_one(ClockRow, 1))
        yield found


def server(far: FarSide, **more: int) -> MailServer:
    return MailServer(host="127.0.0.1", port=far.port, security="none", **more)


def servers(database: Database, first: FarSide, second: FarSide | None, refusing_for: int = 0) -> MailServers:
    """Both given, the first one refusing for so many seconds already."""
    kept = Posting(server=server(first), second=server(second) if second else None)
    with database.writing() as session:
        posting.keep_posting(session, kept, START)
        if refusing_for:
            note_failing(session, "server", "550 5.7.1 not you", real_now().subtract(seconds=refusing_for))
    return MailServers(database, Settings(smtp_host=""), None)


def test_within_a_day_the_second_server_is_left_alone(database):
    first, second = FarSide(REFUSES), FarSide()
    found = servers(database, first, second, DAY_SECONDS - 600)
    with pytest.raises(NotTaken, match="550"):
        found.post(MAIL)
    assert second.taken == [] and not found.by_second()


def test_after_a_day_each_letter_goes_once_and_the_first_is_asked_only_now_and_then(database, monkeypatch):
    refuses = [True]
    first = FarSide(lambda asked, count: "550 5.7.1 not you" if asked == "MAIL" and refuses[0] else "")
    second = FarSide()
    found = servers(database, first, second, DAY_SECONDS + 60)
    for _ in range(3):
        found.post(MAIL)
    assert (
        len(second.taken) == 3
        and first.taken == []
        and first.said.count("MAIL FROM:<ines@mallowlane.example>") <= 2
    )
    refuses[0] = False
    found.post(MAIL)  # not asked again so soon
    assert len(second.taken) == 4 and first.taken == []
    monkeypatch.setattr(mail_servers, "ASK_AGAIN_SECONDS", 0.0)
    found.post(MAIL)
    assert (len(first.taken), len(second.taken)) == (1, 4)
    # It takes letters again, over a restart too.
    assert not found.by_second() and not servers_again(database).by_second()
    found.post(MAIL)
    assert (len(first.taken), len(second.taken)) == (2, 4)


def servers_again(database: Database) -> MailServers:
    return MailServers(database, Settings(smtp_host=""), None)


@pytest.mark.parametrize(
    ("script", "error"),
    [
        (lambda asked, count: None if asked == "END" else "", Unsure),
        (lambda asked, count: "550 5.1.1 no such user" if asked == "RCPT" else "", NotTaken),
        (lambda asked, count: "451 4.7.1 come again" if asked == "RCPT" else "", NotTaken),
    ],
)
def test_what_the_first_may_have_taken_or_says_of_the_letter_is_not_given_to_the_second(
    database, script, error
):
    first, second = FarSide(script), FarSide()
    found = servers(database, first, second, DAY_SECONDS + 60)
    with pytest.raises(error):
        found.post(MAIL)
    assert second.taken == []


def test_since_when_it_refuses_is_kept_over_a_restart_and_begins_anew_with_another_server(database):
    first = FarSide(REFUSES)
    found = servers(database, first, None)
    for _ in range(2):
        with pytest.raises(NotTaken):
            found.post(MAIL)
    since = servers_again(database).refusing
    assert since is not None and since == found.refusing and "550" in since.why
    with database.writing() as session:
        posting.keep_posting(session, Posting(server=server(FarSide())), START)
        assert failing(session, "server") is None
    found.read()
    found.post(MAIL)
    assert found.refusing is None


def test_a_pace_counts_what_was_posted_before_a_restart_and_test_letters_too(database):
    far = FarSide()
    with database.writing() as session:
        posting.keep_posting(session, Posting(server=server(far, a_minute=2)), START)
    found = servers_again(database)
    found.post(MAIL)
    found.once(MAIL)
    assert found.pace.left(real_now(), 100) == 0 and len(far.taken) == 2


def test_the_environment_wins_and_a_practice_school_has_no_server_of_its_own(database):
    screen, environment = FarSide(), FarSide()
    servers(database, screen, None)
    given = Settings(smtp_host="127.0.0.1", smtp_port=environment.port, smtp_security="none")
    MailServers(database, given, None).post(MAIL)
    assert (len(environment.taken), len(screen.taken)) == (1, 0)
    with database.writing() as session:
        session.add(ClockRow(id=1, now=START, moving_to=None))
    mailroom = FarSide()
    MailServers(database, Settings(smtp_host=""), lambda: mailroom.port).post(MAIL)
    assert (len(mailroom.taken), len(screen.taken)) == (1, 0)


def test_letters_of_the_mailroom_are_asked_for_there_until_a_real_server_was_ever_given(database):
    mailroom = FarSide()
    assert MailServers(database, Settings(smtp_host=""), lambda: mailroom.port).mailroom_only
    servers(database, FarSide(), None)
    with database.writing() as session:
        posting.keep_posting(session, Posting(), START)
    # What was posted by it meanwhile can't be asked for anywhere.
    assert not MailServers(database, Settings(smtp_host=""), lambda: mailroom.port).mailroom_only
