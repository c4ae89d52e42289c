"""What happens to those who are inside when a sequence is paused, run again or changed."""

from whenever import Instant

from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.rehearsal import rehearse
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch import outset
from patient_courier.dispatch.clock import set_clock
from patient_courier.dispatch.sequences import landings, move, on_older, pause, run
from patient_courier.dispatch.taking import take_events
from patient_courier.store.base.definitions import save_sequence
from patient_courier.store.school.exporting import export_school
from tests.live import LiveSchool
from tests.schools import bought, event, read, school, send, sequence, wait

DONE = {"on": "lesson_completed", "lesson": "bees/l1"}
STEPS = [
    send("hello"),
    {
        "id": "f",
        "do": "wait_for",
        "event": DONE,
        "within": "P3D",
        "then": [send("yes")],
        "else": [send("no")],
    },
    wait("w", "P1D", at="10:00"),
    send("bye"),
]
PEOPLE = [{"key": key, "email": f"{key}@example.org"} for key in ("ana", "kai")]


def opened(tmp_path, steps=STEPS, **more) -> LiveSchool:
    file = read(school([sequence("s", steps, **more)], [], students=PEOPLE))
    return LiveSchool(tmp_path / "school.db", file, parse_moment("2026-03-01T12:00:00Z"))


def report(live: LiveSchool, *events: dict) -> None:
    file = read(school([], list(events), students=PEOPLE))
    for one in file.events:
        live.move_to(one.at)
        with live.database.writing() as session:
            take_events(session, live.library.load(session), [one], one.at)
            set_clock(session, one.at, arrived=True)


def posted(live: LiveSchool) -> list[tuple[str, str, str]]:
    return [(letter[1], letter[3], letter[0]) for letter in live.outcome()["letters"]]


def at(text: str) -> Instant:
    return parse_moment(text)


def test_pausing_holds_and_running_again_goes_on_where_it_was(tmp_path):
    live = opened(tmp_path)
    report(live, bought("2026-03-02T12:00:00Z"), bought("2026-03-02T13:00:00Z", "kai"))
    with live.database.writing() as session:
        pause(session, "s")
    # Ana does what was waited for while it is paused; Kai's three days pass.
    report(live, event("2026-03-03T12:00:00Z", "lesson_completed", lesson="bees/l1"))
    live.move_to(at("2026-03-06T12:00:00Z"))
    assert [step for _, step, _ in posted(live)] == ["hello", "hello"]
    with live.database.writing() as session:
        run(session, "s")
    live.move_to(at("2026-03-06T12:00:01Z"))
    assert ("ana", "yes", "2026-03-06T12:00:00Z") in posted(live)
    assert ("kai", "no", "2026-03-06T12:00:00Z") in posted(live)
    live.move_to(at("2026-03-08T12:00:00Z"))
    assert [step for _, step, _ in posted(live)].count("bye") == 2


def test_starts_missed_while_paused_are_listed_and_begin_only_when_asked_for(tmp_path):
    live = opened(tmp_path)
    with live.database.writing() as session:
        pause(session, "s")
    report(live, bought("2026-03-02T12:00:00Z"), bought("2026-03-02T13:00:00Z", "kai"))
    now = at("2026-03-02T13:00:00Z")
    with live.database.writing() as session:
        definitions = live.library.load(session)
        assert outset.choices(session, definitions, "s", now)["missed"] == 2
        missed = outset.found_for(session, definitions, "s", "missed", now).starts
        assert [(found.what.type, found.what.at) for found in missed] == [
            ("enrolled", at("2026-03-02T12:00:00Z")),
            ("enrolled", at("2026-03-02T13:00:00Z")),
        ]
        run(session, "s")
    assert posted(live) == []
    with live.database.writing() as session:
        definitions = live.library.load(session)
        first = [missed[0].student_id]
        assert outset.take_in(session, definitions, "s", first, now) == first
        assert outset.take_in(session, definitions, "s", first, now) == []
    assert posted(live) == [("ana", "hello", "2026-03-02T13:00:00Z")]


def change(live: LiveSchool, steps: list[dict]) -> None:
    body = Sequence.model_validate(sequence("s", steps))
    with live.database.writing() as session:
        save_sequence(session, body, at("2026-03-02T15:00:00Z"))


def test_open_runs_stay_on_their_version_until_they_are_moved(tmp_path):
    live = opened(tmp_path, [send("hello"), wait("w", "P2D"), send("bye")])
    report(live, bought("2026-03-02T12:00:00Z"))
    change(live, [send("hello"), wait("w", "P4D"), send("yes", "bye")])
    with live.database.writing() as session:
        definitions = live.library.load(session)
        [(version, step, found, number)] = landings(session, definitions, "s")
        assert (version, step, found.kind, number) == (1, "w", "again", 1)
        move(session, definitions, "s", on_older(session, definitions, "s"), at("2026-03-02T15:00:00Z"))
    live.move_to(at("2026-03-09T12:00:00Z"))
    # The longer wait counts from when Ana came to it, not from the move.
    assert posted(live) == [("ana", "hello", "2026-03-02T12:00:00Z"), ("ana", "yes", "2026-03-06T12:00:00Z")]


def test_a_step_that_is_gone_lets_its_people_go_on_behind_it_and_nothing_is_posted_twice(tmp_path):
    live = opened(tmp_path, [send("hello"), wait("w", "P2D"), send("bye")])
    report(live, bought("2026-03-02T12:00:00Z"))
    change(live, [send("bye"), send("hello"), send("yes", "bye")])
    with live.database.writing() as session:
        definitions = live.library.load(session)
        assert landings(session, definitions, "s")[0][2].kind == "onward"
        move(session, definitions, "s", on_older(session, definitions, "s"), at("2026-03-02T15:00:00Z"))
    live.move_to(at("2026-03-09T12:00:00Z"))
    assert sorted(step for _, step, _ in posted(live)) == ["bye", "hello", "yes"]


def test_an_export_makes_the_same_school_again(tmp_path):
    steps = [{"id": "t", "do": "tag", "add": ["x"], "remove": ["old"]}, *STEPS]
    students = [{**PEOPLE[0], "tags": ["old"], "news": True, "fields": {"region": "coast"}}]
    events = [
        {
            **bought("2026-03-02T12:00:00Z"),
            "id": "order-1",
            "amount": {"amount": "149.00", "currency": "EUR"},
        },
        event("2026-03-02T13:00:00Z", "lesson_watched", lesson="bees/l1", percent=60),
        event("2026-03-03T12:00:00Z", "lesson_completed", lesson="bees/l1"),
        event("2026-03-03T13:00:00Z", "tag_added", tag="y"),
        event("2026-03-04T12:00:00Z", "news_stopped"),
    ]
    file = read(school([sequence("s", steps)], events, students=students))
    live = LiveSchool(tmp_path / "school.db", file, parse_moment("2026-03-01T12:00:00Z"))
    live.live_through(file, at("2026-04-01T00:00:00Z"))
    with live.database.reading() as session:
        found = export_school(session, live.library.load(session))
    assert as_data(found) == as_data(file)
    assert rehearse(found).as_json() == rehearse(file).as_json()
