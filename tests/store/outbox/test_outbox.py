"""The outbox while the mail server is away: nothing is lost, nothing goes to someone who has stopped it meanwhile."""

from collections import Counter
from contextlib import contextmanager
from email import message_from_bytes
from unittest.mock import patch

import pytest
from sqlalchemy import delete, select, update

from patient_courier.core.school.letters import Letter
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.outbox import Outbox, start_of_computer
from patient_courier.dispatch.taking import take_events
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.links import LinkSigner
from patient_courier.store.base.database import Unusable
from patient_courier.store.base.definitions import save_letter
from patient_courier.store.base.tables import DeliveryRow, RunRow, StudentRow
from patient_courier.store.outbox import outbox as stored
from patient_courier.store.outbox.needs import post_again
from tests.carriers import Server
from tests.live import LiveSchool
from tests.schools import bought, event, letter, read, school, send, sequence

START, NOW = parse_moment("2026-03-01T00:00:00Z"), parse_moment("2026-03-02T12:00:00Z")


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
    server = Server(lambda mail: NotTaken("try again later", "now"))
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
    server.answer = lambda mail: None
    with live.database.writing() as session:
        session.execute(update(DeliveryRow).values(retry=None))
    outbox.empty()
    outbox.empty()
    assert subjects(server) == [f"about {key}" for key in ("access", "help", "news") if key not in reasons]
    with live.database.reading() as session:
        skipped = {d.letter: d.reason for d in session.scalars(select(DeliveryRow)) if d.status == "skipped"}
    assert skipped == reasons


def subjects(server: Server) -> list[str]:
    return [str(message_from_bytes(mail.raw)["Subject"]) for mail in server.mails]


def report(live: LiveSchool, what: dict) -> None:
    events = read(school([], [what])).events
    with live.database.writing() as session:
        take_events(session, live.library.load(session), events, NOW)


def outbox_of(live, server, **more) -> Outbox:
    signer = LinkSigner("secret", "https://post.example")
    given = {"asks_mailroom": False, "on_bounce": lambda session, student, at: None, **more}
    return Outbox(live.database, live.library.load, server, signer, **given)


def crowd(tmp_path, number: int, blocks=()) -> LiveSchool:
    """That many students with a letter in the outbox."""
    people = [{"key": f"s{n}", "email": f"s{n}@example.org", "first_name": f"S{n}"} for n in range(number)]
    events = [bought(student=one["key"]) for one in people]
    file = read(
        school(
            [sequence("s", [send("access")])],
            events,
            letter("access", "service", blocks=list(blocks)),
            students=people,
        )
    )
    found = LiveSchool(tmp_path / "crowd.db", file, START)
    found.live_through(file, NOW)
    return found


def statuses(live) -> Counter:
    with live.database.reading() as session:
        return Counter(session.scalars(select(DeliveryRow.status)))


def test_ten_poisoned_letters_among_a_thousand_wait_for_the_owner_and_the_others_go_out(tmp_path):
    live = crowd(
        tmp_path,
        1000,
        [{"kind": "text", "html": "<p>&#x1; {{ student.first_name | default('x') }} pcfield99x</p>"}],
    )
    poison = ["ana@example.com@example.com", "ana@example.com.", "[ana]@x", "a\r\nb@x", "", "ana", "x@\ud7ff"]
    with live.database.writing() as session:
        ids = session.scalars(select(StudentRow.id).order_by(StudentRow.id).limit(10)).all()
        for number, id in enumerate(ids):  # as an older version may have kept them
            if number < len(poison):
                session.execute(update(StudentRow).where(StudentRow.id == id).values(email=poison[number]))
            else:
                broken = update(DeliveryRow).where(DeliveryRow.student_id == id)
                session.execute(broken.values(values=["no", "values"]))
        names = {"student.first_name": "\x0b\ufffe pcfield99x {{ x }} <b>"}
        session.execute(update(DeliveryRow).where(DeliveryRow.student_id == ids[-1] + 1).values(values=names))
    server = Server()
    assert outbox_of(live, server).empty() == 990
    assert statuses(live) == {"sent": 990, "stuck": 10}
    assert len(set(server.taken)) == 990
    live.database.close()


def test_whatever_the_carrier_says_every_delivery_ends_in_a_state(tmp_path):
    live = crowd(tmp_path, 7)
    errors = [
        NotTaken("gone", "address"),
        NotTaken("spam", "letter"),
        NotTaken("later", "now"),
        Unsure("?"),
        ValueError("?"),
    ]
    bounced = []
    server = Server(lambda mail: errors.pop(0) if errors else None)
    outbox = outbox_of(live, server, on_bounce=lambda session, student, at: bounced.append(student))
    assert outbox.empty() == 2
    assert statuses(live) == {"bounced": 1, "stuck": 1, "queued": 1, "unsure": 2, "sent": 2}
    assert bounced == ["s0"] and server.closed
    live.database.close()


def test_a_server_that_can_not_be_used_pauses_the_carrier_and_is_told_of(tmp_path):
    live = crowd(tmp_path, 250)
    tries = []

    def down(mail):
        tries.append(mail)
        return NotTaken("the password is refused", "server")

    server = Server(down)
    outbox = outbox_of(live, server)
    assert outbox.empty() == 0
    assert (len(tries), statuses(live)) == (1, {"queued": 250})
    assert outbox.trouble is not None and outbox.trouble.sentence == "the password is refused"
    assert outbox.empty() == 0 and len(tries) == 1, "it pauses"
    server.answer = lambda mail: None
    outbox.try_now()
    assert outbox.empty() == 250 and outbox.trouble is None
    live.database.close()


@pytest.mark.parametrize("start", ["this", "other"])
def test_after_a_crash_what_was_claimed_and_not_begun_goes_out_and_what_had_begun_is_asked_about(
    tmp_path, start
):
    live = crowd(tmp_path, 5)

    class Killed(BaseException):
        pass

    posted = []

    def kill(mail):
        posted.append(mail.recipients)
        if len(posted) == 3:
            raise Killed

    outbox = outbox_of(live, Server(kill))
    with live.database.writing() as session:
        lot = stored.claim(
            session, real_now(), start_of_computer() if start == "this" else "an earlier start", 5
        )
        outbox._drawing.use(live.library.load(session))
    # As the process would leave it: without putting back what it has not come to.
    with pytest.raises(Killed), patch.object(stored, "put_back"):
        outbox._post_lot(lot)
    assert statuses(live) == {"sent": 2, "posting": 3}
    outbox_of(live, Server()).recover()
    # After a power cut nothing tells whether the last ones had begun.
    assert statuses(live) == (
        {"sent": 2, "unsure": 1, "queued": 2} if start == "this" else {"sent": 2, "unsure": 3}
    )
    live.database.close()


def change(live, **more) -> None:
    with live.database.writing() as session:
        save_letter(session, Letter.model_validate(letter("access", "service", **more)), NOW)


@pytest.mark.parametrize("when", ["before", "amid the lot"])
def test_what_is_handed_over_is_the_newest_text_and_the_delivery_keeps_what_went_out(tmp_path, when):
    live = crowd(tmp_path, 150)

    def corrects(mail):
        if when != "before" and len(server.mails) == 7:
            change(live, subject="corrected, {{ student.first_name }}")

    server = Server(corrects)
    if when == "before":
        change(live, subject="corrected, {{ student.first_name }}")
    assert outbox_of(live, server).empty() == 150
    # The one that is being handed over at that moment still goes out as it was drawn.
    old = 0 if when == "before" else 8
    said = Counter(subject.split(",")[0] for subject in subjects(server))
    assert said == Counter({"corrected": 150 - old, "about access": old}) - Counter()
    assert len(set(server.taken)) == 150
    with live.database.reading() as session:
        kept = session.execute(select(DeliveryRow.subject, DeliveryRow.letter_version)).all()
    assert sorted(subjects(server)) == sorted(subject for subject, _ in kept)
    assert Counter(version for _, version in kept) == Counter({2: 150 - old, 1: old}) - Counter()


@pytest.mark.parametrize(
    ("more", "reason"),
    [
        ({"subject": "hello {{ student.last_name }}"}, "blank_field: student.last_name"),
        ({"blocks": [{"kind": "note", "text": "the price?"}]}, "note_to_self"),
    ],
)
def test_a_newest_text_that_can_not_go_out_waits_for_the_owner(tmp_path, more, reason):
    live = crowd(tmp_path, 250)
    with live.database.writing() as session:
        session.execute(update(StudentRow).where(StudentRow.key == "s249").values(last_name="Reis"))
    change(live, **more)
    server = Server()
    outbox_of(live, server).empty()
    stuck = 250 if reason == "note_to_self" else 249
    assert statuses(live) == Counter({"stuck": stuck, "sent": 250 - stuck}) - Counter()
    with live.database.reading() as session:
        assert set(session.scalars(select(DeliveryRow.reason))) - {None} == {reason}
        ids = list(session.scalars(select(DeliveryRow.id).where(DeliveryRow.status == "stuck")))
    # Mended, they go out when the owner wants it.
    change(live, subject="all is well")
    with live.database.writing() as session:
        assert set(post_again(session, live.library.load(session), ids).values()) == {None}
    assert outbox_of(live, server).empty() == stuck
    assert subjects(server)[250 - stuck :] == ["all is well"] * stuck
    live.database.close()


@pytest.mark.parametrize("when", ["before", "at the commit"])
@pytest.mark.parametrize("fails", range(1, 7))
def test_notes_that_can_not_be_made_are_made_later_and_nobody_gets_it_twice(tmp_path, when, fails):
    """Whichever note the file refuses, and without a new start: all letters go out once, and are known to have."""
    live = crowd(tmp_path, 5)
    noting, count = live.database.noting, [0]

    @contextmanager
    def refusing():
        count[0] += 1
        broken = count[0] in (fails, fails + 1)
        if broken and when == "before":
            raise Unusable("no room")
        with noting() as connection:
            yield connection
            if broken:
                raise Unusable("no room")

    server = Server()
    outbox = outbox_of(live, server)
    with patch.object(live.database, "noting", refusing):
        with pytest.raises(Unusable):
            outbox.empty()
        outbox.empty()
    assert statuses(live) == {"sent": 5}
    assert len(server.taken) == len(set(server.taken)) == 5
    live.database.close()


def test_an_address_that_is_refused_while_nothing_can_be_noted_is_asked_again(tmp_path):
    live = crowd(tmp_path, 1)
    server = Server(lambda mail: NotTaken("no such user", "address"))
    writing, calls = live.database.writing, [0]

    def refusing():
        """The lot can be claimed; what is learnt of the address can't be kept."""
        calls[0] += 1
        if calls[0] == 2:
            raise Unusable("no room")
        return writing()

    outbox = outbox_of(live, server)
    with patch.object(live.database, "writing", refusing):
        outbox.empty()
    assert statuses(live) == {"queued": 1}
    with live.database.writing() as session:
        session.execute(update(DeliveryRow).values(retry=None))
    outbox.empty()
    assert statuses(live) == {"bounced": 1}
    live.database.close()


def moment_of(live) -> DeliveryRow:
    with live.database.reading() as session:
        return session.scalars(select(DeliveryRow)).one()


def test_a_letter_that_is_put_off_waits_twice_as_long_each_time_and_is_given_up_after_days(
    tmp_path, monkeypatch
):
    """RFC 5321 section 4.5.4.1: given up after four to five days; the first, shorter pauses are common practice, no source."""
    live, now = crowd(tmp_path, 1), [parse_moment("2026-03-02T12:00:00Z")]
    monkeypatch.setattr("patient_courier.dispatch.outbox.real_now", lambda: now[0])
    server = Server(lambda mail: NotTaken("greylisted", "now"))
    outbox, pauses = outbox_of(live, server), []
    for _ in range(400):
        outbox.empty()
        row = moment_of(live)
        if row.status != "queued":
            break
        pauses.append((row.retry - now[0]).total("seconds"))
        assert outbox.empty() == 0 and moment_of(live).tries == row.tries, "not before its time"
        now[0] = row.retry
    assert pauses[:7] == [60, 120, 240, 480, 960, 1920, 3600] and set(pauses[6:]) == {3600}
    assert row.status == "stuck" and row.reason == "refused: greylisted"
    assert 4 <= sum(pauses) / 86_400 <= 5


def test_the_pause_for_a_server_that_is_down_doubles_up_to_five_minutes_and_ends_with_the_first_letter(
    tmp_path, monkeypatch
):
    live, now = crowd(tmp_path, 2), [1000.0]
    monkeypatch.setattr("patient_courier.dispatch.outbox.time.monotonic", lambda: now[0])
    server = Server(lambda mail: NotTaken("no route", "server"))
    outbox, pauses = outbox_of(live, server), []
    for _ in range(9):
        outbox.empty()
        pauses.append(outbox.paused_for())
        now[0] += pauses[-1]
        assert outbox.paused_for() == 0
    assert pauses == [5, 10, 20, 40, 80, 160, 300, 300, 300]
    server.answer = lambda mail: None
    assert outbox.empty() == 2 and outbox.trouble is None
    server.answer = lambda mail: NotTaken("no route", "server")
    with live.database.writing() as session:
        session.execute(update(DeliveryRow).values(status="queued"))
    outbox.empty()
    assert outbox.paused_for() == 5


def test_one_letter_that_can_not_be_filled_anew_keeps_no_other_back(tmp_path):
    live = crowd(tmp_path, 5)
    with live.database.writing() as session:
        first = session.scalars(select(DeliveryRow).order_by(DeliveryRow.id)).first()
        session.execute(delete(RunRow).where(RunRow.number == first.run))  # as no version of ours leaves it
    change(live, subject="corrected")
    server = Server()
    assert outbox_of(live, server).empty() == 4
    assert subjects(server) == ["corrected"] * 4
    with live.database.reading() as session:
        stuck = session.scalars(select(DeliveryRow).where(DeliveryRow.status == "stuck")).one()
    assert stuck.id == first.id and stuck.reason.startswith("not_drawn")
    live.database.close()


def test_a_letter_that_has_begun_when_the_next_can_not_be_read_goes_out_later_and_once(tmp_path):
    live = crowd(tmp_path, 3)
    server = Server()
    outbox = outbox_of(live, server)
    made, calls = outbox._drawing.mail, [0]

    def mail(one):
        calls[0] += 1
        if calls[0] == 2:
            raise Unusable("the file can't be read")
        return made(one)

    with patch.object(outbox._drawing, "mail", mail):
        with pytest.raises(Unusable):
            outbox.empty()
        assert outbox.empty() == 3
    assert statuses(live) == {"sent": 3} and len(set(server.taken)) == len(server.taken) == 3
    live.database.close()
