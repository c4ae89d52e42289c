"""Lists of students: in their order, page by page, each student once."""

from __future__ import annotations

import pytest
from sqlalchemy import true

from patient_courier.core.school.values import parse_moment
from patient_courier.store.students import audiences, people
from patient_courier.store.students.people import PAGE
from tests.live import LiveSchool
from tests.schools import event, read, school

NUMBER = 2 * PAGE + 7
START, END = parse_moment("2026-01-01T00:00:00Z"), parse_moment("2026-12-01T00:00:00Z")


def at(n: int, month: str) -> str:
    return f"2026-{month}-{1 + n % 28:02d}T{n // 28:02d}:00:00Z"


@pytest.fixture(scope="module")
def live(tmp_path_factory):
    """Names, addresses, days of joining and days last seen, each in another order; one has no name, one was never seen."""
    students, events = [], []
    for n in range(NUMBER):
        name = None if n == 3 else f"N{(n * 7) % NUMBER:03d}"
        students.append(
            {"key": f"s{n}", "email": f"a{(n * 11) % NUMBER:03d}@example.org", "first_name": name}
        )
        if n != 5:
            events.append(
                event(at((n * 13) % NUMBER, "03"), "enrolled", f"s{n}", course="bees", via="manual")
            )
            events.append(event(at((n * 17) % NUMBER, "06"), "lesson_started", f"s{n}", lesson="bees/l1"))
    file = read(school([], events, students=students))
    found = LiveSchool(tmp_path_factory.mktemp("paging") / "school.db", file, START)
    found.live_through(file, END)
    yield found
    found.database.close()


def listed(live, sort: str, down: bool) -> list[str]:
    with live.database.reading() as session:
        pages = [people.listed(session, true(), "", sort, page, down=down) for page in (1, 2, 3, 4)]
    assert {total for total, _ in pages} == {NUMBER}
    assert [len(rows) for _, rows in pages] == [PAGE, PAGE, NUMBER - 2 * PAGE, 0]
    return [person.key for _, rows in pages for person in rows]


def wanted(sort: str) -> list[str]:
    """Worked out from what each was given, not from the tables."""
    number = range(NUMBER)
    match sort:
        case "name":  # whoever has none stands under their address, which begins with an a
            return [f"s{n}" for n in sorted(number, key=lambda n: (n != 3, (n * 7) % NUMBER))]
        case "address":
            return [f"s{n}" for n in sorted(number, key=lambda n: (n * 11) % NUMBER)]
        case "joined":
            return [f"s{n}" for n in sorted(number, key=lambda n: (n != 5, at((n * 13) % NUMBER, "03")))]
    return [f"s{n}" for n in sorted(number, key=lambda n: (n != 5, at((n * 17) % NUMBER, "06")))]


@pytest.mark.parametrize("sort", ["name", "address", "joined", "last_seen"])
def test_every_order_is_its_own_and_turned_round_it_is_the_same_backwards(live, sort):
    there, back = listed(live, sort, False), listed(live, sort, True)
    assert len(set(there)) == NUMBER
    assert there == wanted(sort)
    assert back == there[::-1]


def test_searching_pages_by_name_and_counts_all(live):
    with live.database.reading() as session:
        total, first = people.search(session, "example.org", "", 1)
        _, second = people.search(session, "example.org", "", 2)
        alone = people.search(session, "N007", "bees", 1)
    assert (total, len(first), len(second)) == (NUMBER, PAGE, PAGE)
    assert [one.key for one in first + second] == wanted("name")[: 2 * PAGE]
    assert alone[0] == 1 and [one.key for one in alone[1]] == ["s1"]


def test_further_pages_are_cut_from_what_the_first_one_found():
    """Whoever comes in between is on no page twice and pushes nobody off one."""
    paging, there = audiences.Paging(), list(range(120))

    def ask() -> list[int]:
        return list(there)

    first = paging.ids("all", 1, ask)
    there.insert(0, 999)
    assert paging.ids("all", 2, ask) is first
    assert paging.ids("others", 2, ask) == there, "a page of a question that is not known is asked for"
    assert paging.ids("all", 1, ask) == there, "the first page is asked anew"
    for n in range(audiences.QUESTIONS):
        paging.ids(n, 1, ask)
    there.clear()
    assert paging.ids("all", 2, ask) == [], "the oldest is forgotten"
