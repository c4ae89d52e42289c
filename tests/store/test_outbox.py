"""The outbox while the mail server is away: nothing is lost, nothing goes to someone who has stopped it meanwhile."""

import pytest
from sqlalchemy import select, update

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.taking import take_events
from patient_courier.post.carriers import NotTaken
from patient_courier.post.links import LinkSigner
from patient_courier.store.tables import DeliveryRow
from tests.live import LiveSchool
from tests.schools import bought, event, letter, read, school, send, sequence

START, NOW = parse_moment("2026-03-01T00:00:00Z"), parse_moment("2026-03-02T12:00:00Z")


class Away:
    """A mail server that takes nothing until it is back."""

    def __init__(self) -> None:
        self.back = False
        self.taken: list[str] = []

    def post(self, mail, sender, recipients) -> None:
        if not self.back:
            raise NotTaken("try again later", lasting=False)
        self.taken.append(str(mail["Subject"]))


@pytest.fixture
def live(tmp_path):
    letters = [letter("access", "service"), letter("help", "course_help"), letter("news", "news")]
    steps = [send("access"), send("help"), send("news")]
    found = LiveSchool(
        tmp_path / "school.db", read(school([sequence("s", steps)], [bought()], *letters)), START
    )
    yield found
    found.database.close()


@pytest.mark.parametrize(
    ("stop", "reasons"),
    [
        (None, {}),
        ({"type": "news_stopped"}, {"news": "news_off"}),
        ({"type": "course_help_stopped", "course": "bees"}, {"help": "course_help_off"}),
        ({"type": "complained"}, dict.fromkeys(("access", "help", "news"), "complained")),
        ({"type": "bounced", "hard": True}, dict.fromkeys(("access", "help", "news"), "address_bounced")),
    ],
)
def test_what_a_student_stops_while_the_server_is_away_does_not_go_out(live, stop, reasons):
    server = Away()
    outbox = Outbox(
        live.database, live.library.load, server, LinkSigner("secret", "https://post.example"),
        asks_mailroom=False, on_bounce=lambda *_: None,
    )  # fmt: skip
    report(live, bought())
    assert outbox.empty() == 0
    with live.database.reading() as session:
        assert {(d.status, d.reason) for d in session.scalars(select(DeliveryRow))} == {
            ("queued", "try again later")
        }
    if stop:
        report(live, event("2026-03-02", **stop))
    server.back = True
    with live.database.writing() as session:
        session.execute(update(DeliveryRow).values(retry=None))
    outbox.empty()
    outbox.empty()
    assert server.taken == [f"about {key}" for key in ("access", "help", "news") if key not in reasons]
    with live.database.reading() as session:
        skipped = {d.letter: d.reason for d in session.scalars(select(DeliveryRow)) if d.status == "skipped"}
    assert skipped == reasons


def report(live: LiveSchool, what: dict) -> None:
    events = read(school([], [what])).events
    with live.database.writing() as session:
        take_events(session, live.library.load(session), events, NOW)
