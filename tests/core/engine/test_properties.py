"""What holds in every school, whatever its sequences and whatever happens."""

from hypothesis import given, settings

from patient_courier.core.rehearsing.rehearsal import rehearse
from patient_courier.core.school.values import parse_moment
from tests.generated import schools
from tests.schools import read

RULES = settings(max_examples=100)


@RULES
@given(schools())
def test_one_delivery_per_run_step_and_round(data):
    found = rehearse(read(data))
    keys = [(letter.run, letter.step, letter.round) for letter in found.letters]
    assert len(keys) == len(set(keys))


@RULES
@given(schools())
def test_nobody_gets_what_they_stopped_or_what_they_gave_back(data):
    outcome = rehearse(read(data))
    stops: dict[tuple[str, str], str] = {}
    for event in sorted(data["events"], key=lambda event: event["at"]):
        if event["type"] in ("news_stopped", "bounced", "course_help_stopped"):
            stops.setdefault((event["student"], event["type"]), event["at"])
    runs = {run.number: run for state in outcome.states.values() for run in state.runs}
    for letter in outcome.letters:
        if letter.status != "sent" or letter.to is not None:
            continue
        run = runs[letter.run]
        for kind, purpose in (
            ("news_stopped", "news"),
            ("bounced", None),
            ("course_help_stopped", "course_help"),
        ):
            stopped = stops.get((letter.student, kind))
            about_course = kind != "course_help_stopped" or (run.subject and run.subject.get("course"))
            if stopped and about_course and purpose in (None, letter.purpose):
                # At the very same instant the run may have been there first.
                assert letter.at <= parse_moment(stopped), kind


@RULES
@given(schools())
def test_a_run_that_has_ended_posts_nothing_more_and_time_never_runs_back(data):
    outcome = rehearse(read(data))
    times = [letter.at for letter in outcome.letters]
    assert times == sorted(times)
    latest = {letter.run: letter.at for letter in outcome.letters}
    for state in outcome.states.values():
        for run in state.runs:
            last = latest.get(run.number, run.started)
            assert run.started <= last <= (run.ended or last)


@RULES
@given(schools())
def test_every_open_run_waits_for_something(data):
    outcome = rehearse(read(data))
    for state in outcome.states.values():
        for run in state.open_runs():
            kind = next(s for s in data["sequences"] if s["key"] == run.sequence)
            assert run.step is not None and (
                run.due is not None or _waits_for_an_event(kind["steps"], run.step)
            )


def _waits_for_an_event(steps, wanted):
    for step in steps:
        if step["id"] == wanted:
            return (step["do"] == "wait_for" and step["within"] is None) or (
                step["do"] == "waypoint" and step["hold"]
            )
        lanes = [step.get(lane, []) for lane in ("then", "else", "otherwise", "steps")] + [
            arm["steps"] for arm in step.get("arms", [])
        ]
        if any(_waits_for_an_event(lane, wanted) for lane in lanes):
            return True
    return False
