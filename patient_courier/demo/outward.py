"""The demo's destination, the stand-in list on this machine, with what it was told in the last days; a key; a list."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.destinations.told import Kind, described, message, of_happening
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import of_event
from patient_courier.core.school.file import SchoolFile
from patient_courier.dispatch.clock import real_now
from patient_courier.store.base.tables import DestinationRow, OutgoingRow, OutgoingTryRow
from patient_courier.store.destinations import api_keys, destinations, fetched_lists
from patient_courier.store.destinations.hearing import lane_of
from patient_courier.store.school.secrets import signing_key
from patient_courier.store.students import people

DAYS = 4
HEARS: tuple[Kind, ...] = ("purchased", "refunded", "quiz_failed", "quiz_passed", "tag_added", "news_off")
# Where `patient-courier stand-in list` listens.
ADDRESS = "http://127.0.0.1:8490/hear"


def add_outward(session: Session, definitions: Definitions, file: SchoolFile, now: Instant) -> None:
    """Put them into the demo's tables."""
    secret = signing_key()
    key = destinations.add(session, "The mailing list", ADDRESS, HEARS, ["first-hive"], secret)
    found = destinations.find(session, key)
    assert found is not None
    students = {one.key: one for one in file.students}
    for event in file.events:
        news = of_happening(definitions, of_event(definitions, event), event.student)
        late = now.subtract(hours=24 * DAYS) <= event.at <= now
        if not late or news is None or news.kind not in HEARS:
            continue
        if news.courses and "first-hive" not in news.courses:
            continue
        person = people.find(session, event.student)
        assert person is not None
        row = OutgoingRow(
            lane=lane_of(found.id),
            destination_id=found.id,
            student_id=person.id,
            type=news.kind,
            at=news.at,
            body=message(news, described(students[event.student])),
            status="sent",
            tries=1,
        )
        session.add(row)
        session.flush()
        # Tries are in real time; the demo's own clock stands where its history ends.
        tried = (real_now() - (now - news.at)).add(seconds=2)
        session.get_one(DestinationRow, found.id).last = tried
        session.add(OutgoingTryRow(outgoing_id=row.id, at=tried, status=204, answer="", took=31))
    api_keys.make(session, "My dashboard", ["read"], real_now())
    fetched_lists.make(session, "Finished First Hive", "finished", "first-hive", real_now())
