"""Long work in the background: how far it is, what came of it, how it ends."""

from __future__ import annotations

import threading

import pytest
from fastapi import HTTPException

from patient_courier.web.jobs import KEPT, Board, Jobs, Kind


def test_small_work_is_done_when_it_is_asked_for_and_large_work_says_how_far_it_is():
    jobs: Jobs[None, str] = Jobs(Kind("test", "It is gone."))
    assert jobs.begin(1, None, lambda job: "at once", patience=60).result == "at once"
    half, go_on = threading.Event(), threading.Event()

    def work(job):
        job.step(5)
        half.set()
        go_on.wait(60)
        job.step(5)
        return "done"

    job = jobs.begin(10, None, work)
    half.wait(60)
    assert (job.state, job.done, job.total, job.result) == ("working", 5, 10, None)
    assert jobs.find(job.id) is job and jobs.find(99) is None
    go_on.set()
    job.wait(60)
    assert (job.state, job.done, job.result) == ("done", 10, "done")


def test_work_that_is_stopped_ends_at_its_next_step():
    jobs: Jobs[None, None] = Jobs(Kind("test", "It is gone."))
    begun, go_on, reached = threading.Event(), threading.Event(), []

    def work(job):
        begun.set()
        go_on.wait(60)
        job.step()
        reached.append("too far")

    job = jobs.begin(1, None, work)
    begun.wait(60)
    job.stop.set()
    go_on.set()
    job.wait(60)
    assert (job.state, reached) == ("stopped", [])


def test_work_that_fails_says_why_if_it_knows_and_what_to_do_if_it_does_not():
    jobs: Jobs[None, None] = Jobs(Kind("test", "It is gone."))

    def wrong(job):
        raise ValueError("There is no such course.")

    def broken(job):
        raise ZeroDivisionError

    first, second = jobs.begin(1, None, wrong, patience=60), jobs.begin(1, None, broken, patience=60)
    assert (first.state, first.refused) == ("failed", "There is no such course.")
    assert (second.state, second.refused) == ("failed", "This could not be done. Try again.")


def test_old_work_is_stopped_and_forgotten():
    jobs: Jobs[None, None] = Jobs(Kind("test", "It is gone."))
    go_on = threading.Event()

    def work(job):
        go_on.wait(60)
        job.step()

    first = jobs.begin(1, None, work)
    for _ in range(KEPT):
        last = jobs.begin(1, None, lambda job: None, patience=60)
    assert jobs.find(first.id) is None and first.stop.is_set()
    assert jobs.find(last.id) is last and jobs.find(last.id - KEPT + 1) is not None
    go_on.set()
    first.wait(60)
    assert first.state == "stopped"


def test_each_application_has_its_own_work_and_one_of_each_thing():
    kind: Kind[str, int] = Kind("count", "This count is no longer known.", kept=2)
    here, there = Board(), Board()
    job = here.of(kind).begin(1, "sheep", lambda job: len(job.about), patience=60)
    assert (job.about, job.result) == ("sheep", 5)
    assert here.of(kind).known(job.id) is job and there.of(kind).find(job.id) is None
    with pytest.raises(HTTPException, match="no longer known"):
        there.of(kind).known(job.id)
    for _ in range(2):
        here.of(kind).begin(1, "goats", lambda job: 0, patience=60)
    assert here.of(kind).find(job.id) is None, "only two are kept"
    assert here.one(list) is here.one(list) is not there.one(list)
