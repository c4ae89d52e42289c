"""Trouble of the file told apart from what is wrong with what was to be written; workers that bear it; queues that are fair.

Source: SQLite's result codes (sqlite.org/rescode.html); extended ones have the primary code in their lowest byte.
"""

from __future__ import annotations

import sqlite3
import threading

import pytest
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from patient_courier.dispatch import worker as workers
from patient_courier.dispatch.worker import Worker
from patient_courier.store.base.database import Busy, Database, Unusable
from patient_courier.store.base.fair_lock import FairLock
from patient_courier.store.base.faults import told
from tests.waiting import until


def raised(code: int) -> sqlite3.OperationalError:
    error = sqlite3.OperationalError("as the driver says it")
    error.sqlite_errorcode = code
    return error


@pytest.mark.parametrize(
    ("code", "kind", "said"),
    [
        (sqlite3.SQLITE_FULL, Unusable, "the disk is full"),
        (sqlite3.SQLITE_READONLY_DBMOVED, Unusable, "may only be read"),
        (sqlite3.SQLITE_IOERR_WRITE, Unusable, "the disk does not do"),
        (sqlite3.SQLITE_CANTOPEN_ISDIR, Unusable, "can't be opened"),
        (sqlite3.SQLITE_CORRUPT_VTAB, Unusable, "damaged"),
        (sqlite3.SQLITE_NOTADB, Unusable, "no database any more"),
        (sqlite3.SQLITE_BUSY_SNAPSHOT, Busy, "Something else is writing"),
        (sqlite3.SQLITE_LOCKED_SHAREDCACHE, Busy, "Something else is writing"),
    ],
)
def test_trouble_is_told_apart_by_its_code(code, kind, said):
    with pytest.raises(kind, match=said) as found, told():
        raise raised(code)
    assert type(found.value) is kind


def test_what_is_wrong_with_the_statement_stays_what_it_is():
    with pytest.raises(sqlite3.OperationalError), told():
        raise raised(sqlite3.SQLITE_ERROR)
    with pytest.raises(ValueError, match="of the caller"), told():
        raise ValueError("of the caller")


def test_a_real_fault_in_a_statement_is_no_trouble_of_the_file(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate()
    with pytest.raises(IntegrityError), database.writing() as session:
        session.execute(text("INSERT INTO event_ids (id) VALUES ('x')"))
        session.execute(text("INSERT INTO event_ids (id) VALUES ('x')"))
    assert database.trouble is None
    with database.reading() as session:
        assert session.scalar(text("SELECT count(*) FROM event_ids")) == 0
    database.close()


def test_a_file_that_is_damaged_or_no_database_is_said_to_be(tmp_path):
    path = tmp_path / "school.db"
    database = Database(path)
    database.migrate()
    database.close()
    with path.open("r+b") as file:
        file.write(b"this was a database once")
    with pytest.raises(Unusable, match="no database any more"), database.reading() as session:
        session.execute(text("SELECT * FROM students")).all()
    assert database.trouble is not None and "Put back your last copy" in database.trouble.sentence
    with pytest.raises(Unusable):
        database.probe()
    assert database.trouble is not None, "what has not gone is not forgotten"
    database.close()


def test_another_program_that_holds_the_file_is_waited_for_and_then_told_of(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate()
    with database.noting() as connection:  # the connection that will have to wait has a short patience
        connection.execute(text("PRAGMA busy_timeout=10"))
    other = sqlite3.connect(tmp_path / "school.db", isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    with pytest.raises(Busy, match="Something else") as found, database.noting():
        pass
    assert not isinstance(found.value, Unusable)
    other.execute("ROLLBACK")
    database.probe()
    other.close()
    database.close()


def test_a_lock_is_given_in_order_and_whoever_gave_up_is_passed_over():
    lock, order = FairLock(), []
    assert lock.acquire(0)
    waiting = []
    for n in range(4):
        patience = 0.01 if n == 1 else 60.0
        one = threading.Thread(
            target=lambda n=n, p=patience: (
                order.append((n, lock.acquire(p))) or lock.release()
                if n != 1
                else order.append((n, lock.acquire(p)))
            )
        )
        one.start()
        waiting.append(one)
        until(lambda n=n: len(lock._waiting) + len(order) > n)
    waiting[1].join()
    lock.release()
    for one in waiting:
        one.join()
    assert order == [(1, False), (0, True), (2, True), (3, True)]
    assert lock.acquire(0), "it is free again"


def test_a_worker_bears_what_fails_says_a_wait_once_and_goes_on(monkeypatch, capsys):
    monkeypatch.setattr(workers, "AFTER_ERROR_SECONDS", 0.0)
    met = [Busy("the disk is full"), Busy("the disk is full"), ValueError("odd"), Busy("the disk is full")]
    done = threading.Event()

    def work() -> float:
        if met:
            raise met.pop(0)
        done.set()
        return 60.0

    worker = Worker("reader", work)
    worker.start()
    assert done.wait(60)
    worker.stop()
    said = capsys.readouterr().out
    assert said.count("] must wait") == 1 and said.count("] failed, will try again") == 1
    assert worker.stopping and not worker._thread.is_alive()


def test_a_worker_sleeps_until_it_is_nudged():
    looks = []
    worker = Worker("sleeper", lambda: looks.append(1) or 3600.0)
    worker.start()
    until(lambda: len(looks) == 1)
    worker.nudge()
    until(lambda: len(looks) == 2)
    worker.stop()
    assert len(looks) == 2


def test_many_who_need_no_answer_share_one_look_and_one_who_does_is_not_kept_waiting(monkeypatch):
    monkeypatch.setattr(workers, "GATHERED_SECONDS", 60.0)
    looks = []
    worker = Worker("gatherer", lambda: looks.append(1) or 3600.0)
    worker.start()
    until(lambda: len(looks) == 1)
    for _ in range(20):
        worker.nudge_soon()
    assert len(looks) == 1, "they are gathered"
    worker.nudge()
    until(lambda: len(looks) == 2)
    worker.stop()
    assert len(looks) == 2
