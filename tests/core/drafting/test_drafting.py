"""What is drafted and put together for the owner: nudges, fitted sequences, the median path, the line, Needs you."""

from whenever import Date

from patient_courier.core.checks import Lacking, sequence_findings
from patient_courier.core.courses.course_line import stops
from patient_courier.core.courses.standing import Standing, is_silent, stand
from patient_courier.core.drafting.course_line_view import covered_line
from patient_courier.core.drafting.fitting import fit
from patient_courier.core.drafting.median import median_post, step_times
from patient_courier.core.drafting.neutral import filled
from patient_courier.core.drafting.nudge import draft_nudge
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.school.values import parse_moment
from patient_courier.core.telling.grouping import Waiting, grouped
from patient_courier.store.letters.starters import starter_pattern, starters
from tests.schools import COURSE, bought, event, read, school, send, sequence

BEGAN = parse_moment("2026-03-02T12:00:00Z")


def definitions(*sequences, **more):
    return definitions_of(read(school(list(sequences), [], **more)))


def at(days: float):
    return BEGAN.add(seconds=int(days * 86_400))


def someone(id: int, done: dict[str, float], seen: float | None = None, finished: bool = False) -> Standing:
    times = {stop: at(days) for stop, days in done.items()}
    last = at(seen) if seen is not None else max([BEGAN, *times.values()])
    return Standing(id, BEGAN, last, finished, times)


def test_a_student_stands_at_the_first_open_thing_behind_the_furthest_they_finished():
    course = definitions().courses["bees"]
    people = [
        someone(1, {}),
        someone(2, {}, seen=1),
        someone(3, {"bees/l1": 1, "bees/l3": 2}),
        someone(4, {"quiz:bees/q1": 3}),
        someone(5, {"bees/l1": 1}, finished=True),
    ]
    stand(course, people)
    assert [one.stop for one in people] == ["enrolled", "bees/l1", "quiz:bees/q1", "bees/l1", "completed"]
    assert [is_silent(one, at(8), 7) for one in people] == [True, True, False, False, False]


def test_the_line_names_the_gap_where_most_have_stalled_until_a_letter_reaches_them():
    """A letter that hangs there covers nobody by itself: those are covered who got it, or are inside and come to it."""
    people = [someone(n, {"bees/l1": 1}) for n in range(4)] + [someone(9, {}, seen=0.5)]
    for drafted, reached in ((False, set()), (True, set()), (True, {0}), (True, {0, 1, 9})):
        school_now = definitions()
        stop = next(stop for stop in stops(school_now.courses["bees"]) if stop.id == "bees/l2")
        letter, nudge = draft_nudge(school_now, school_now.courses["bees"], stop)
        if drafted:
            school_now = definitions_of(read(school([as_data(nudge)], [], as_data(letter))))
        stand(school_now.courses["bees"], people)
        told = {(nudge.key, "nudge"): reached}
        line = covered_line(school_now, "bees", people, at(30), 7, {}, {}, told)
        found = next(one for one in line.stops if one.id == "bees/l2")
        assert (found.here, found.silent, found.passed) == (4, 4, 0)
        assert found.reached == len(reached - {9})
        assert line.worst == ("bees/l2" if len(reached) < 2 else None)
        assert bool(found.gap) is (len(reached) < 2)
        assert (line.reached_end.part, line.reached_end.whole) == (0, 5)


def test_a_drafted_nudge_is_sound_and_spares_whoever_moves_on():
    begin = definitions()
    for stop in stops(begin.courses["bees"]):
        if stop.kind not in ("lesson", "quiz", "enrolment", "module_completed"):
            continue
        letter, nudge = draft_nudge(begin, begin.courses["bees"], stop)
        file = read(school([{**as_data(nudge), "status": "running"}], [], as_data(letter)))
        ready = definitions_of(file)
        found = sequence_findings(ready, ready.sequences[nudge.key], Lacking(0, {}))
        assert [x for x in found if x.level == "fault"] == [], stop.id
    stop = next(stop for stop in stops(begin.courses["bees"]) if stop.id == "bees/l2")
    letter, nudge = draft_nudge(begin, begin.courses["bees"], stop)
    done = event("2026-03-03", "lesson_completed", lesson="bees/l1")
    moves = event("2026-03-04", "lesson_started", lesson="bees/l2")
    for events, posted in (([done], 1), ([done, moves], 0)):
        file = read(school([{**as_data(nudge), "status": "running"}], [bought(), *events], as_data(letter)))
        assert len(rehearse(file).letters) == posted


def test_every_starter_fits_another_course_and_keeps_clear_of_what_is_there():
    for key, file in starters().items():
        other = {**COURSE, "key": "honey", "title": "Honey Weekend: a workshop"}
        offer = {"key": "honey-once", "title": "Honey", "courses": ["honey"]}
        taken = sequence(f"honey-{file.sequences[0].key}", [send("a")])
        there = definitions(taken, courses=[COURSE, other], offers=[offer])
        fitted = fit(there, starter_pattern(key, Date(2026, 3, 2)), there.courses["honey"], {})
        letters = [filled(x, there.school, there.courses["honey"]) for x in fitted.letters]
        assert len(fitted.sequences) == len(file.sequences) and all(
            x.status == "draft" for x in fitted.sequences
        )
        assert not {x.key for x in fitted.sequences} & set(there.sequences), key
        together = school(
            [as_data(x) for x in fitted.sequences], [], *(as_data(x) for x in letters),
            courses=[as_data(there.courses["honey"]), *(as_data(x) for x in file.courses)],
            offers=[offer, *(as_data(x) for x in file.offers)],
        )  # fmt: skip
        read(together)  # nothing in it points at nothing


def test_the_median_path_runs_forward_and_counts_its_post_by_day():
    there = definitions(
        sequence("w", [send("hello")]), sequence("d", [send("well")], {"on": "lesson_completed"})
    )
    course = there.courses["bees"]
    people = [
        someone(1, {"bees/l1": 2, "bees/l2": 1}),
        someone(2, {"bees/l1": 4}),
        someone(3, {"bees/l1": 6}),
    ]
    hours = {stop: span.nanoseconds / 3.6e12 / 24 for stop, span in step_times(people, course)}
    assert hours["bees/l1"] == 4
    assert 4 < hours["bees/l2"] < 4.1  # its own median lies before
    assert hours["bees/l3"] > hours["bees/l2"] + 0.9  # nobody has been there
    post = median_post(there, course, people, Date(2026, 3, 2))
    assert post.letters == sum(len(day.letters) for day in post.days)
    assert post.days[0].letters == ["Hello"] and post.length == 6


def test_the_same_trouble_with_the_same_letter_is_one_thing():
    def one(id, letter="a", reason="blank_field: student.first_name", status="stuck"):
        return Waiting(id, letter, letter.title(), status, reason, f"s{id}", f"S {id}")

    groups = grouped(
        [one(5), one(4), one(3, "b"), one(2), one(1, reason="refused: no."), one(6), one(7, status="unsure")]
    )
    assert [[x.id for x in group.items] for group in groups] == [[5, 4, 2, 6], [3], [1], [7]]
    assert groups[0].sentence == (
        "4 students have no first name, and the letter has no fallback for it: S 5, S 4, S 2 and 1 more."
    )
    assert groups[1].title == "“B” to S 3"
    assert groups[3].sentence.startswith("It may or may not have arrived.")
