"""Loading the demo school into a fresh database."""

from __future__ import annotations

import json
from contextlib import closing
from importlib.resources import files
from pathlib import Path

from argon2 import PasswordHasher
from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.sign_up import Asked, SignUpForm
from patient_courier.demo.connections import add_connections
from patient_courier.demo.history import demo_school, today
from patient_courier.demo.outward import add_outward
from patient_courier.dispatch.history import play_history
from patient_courier.dispatch.pictures import keep_pictures, read_pictures
from patient_courier.dispatch.receiving import keep_problem
from patient_courier.dispatch.whole import look_over
from patient_courier.intake.apart import Apart
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import look_of
from patient_courier.post.message import message, message_id, render, sender_of
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import letter_version, load_definitions, save_sequence
from patient_courier.store.base.tables import DeliveryRow, SecretRow, StudentRow
from patient_courier.store.outbox.log import course_of, logged
from patient_courier.store.outbox.mailroom import keep_message
from patient_courier.store.school.opening import open_school
from patient_courier.store.school.users import add_user
from patient_courier.store.students import audiences, sign_ups

# How far back the simulated inboxes hold mail; older letters are in the dispatch log.
INBOX_DAYS = 14
# The sequence whose trial is over.
ENDED = "fh-second-word"
# Known to everybody who reads this, so nothing but the demo is served with it.
DEMO_PASSWORD = "mallow-lane"


def load_demo(path: Path, settings: Settings) -> Database:
    """A new database with the demo school, its history played."""
    database = Database(path)
    database.migrate()
    file = demo_school()
    with closing(Apart()) as reader:
        read = read_pictures(reader, file)
    with database.writing() as session:
        open_school(session, file, today(), practice=True)
        keep_pictures(session, read, today())
        add_user(
            session,
            email=file.school.sender.email,
            name="Ines Valadares",
            role="owner",
            password=PasswordHasher().hash(DEMO_PASSWORD),
        )
        definitions = load_definitions(session, settings.address)
        play_history(session, definitions, file.events, today())
        _end_trial(session, definitions)
        add_connections(session, definitions, file, today())
        add_outward(session, definitions, file, today())
        sign_ups.save(session, _form())
        _audiences(session)
        _one_bad_event(session)
        _fill_inboxes(session, settings, today().subtract(hours=24 * INBOX_DAYS))
    look_over(database, lambda session: load_definitions(session, settings.address), list)
    return database


def _end_trial(session: Session, definitions: Definitions) -> None:
    """The owner has seen that it helps: from today on everybody gets the word after the first lesson."""
    sequence = definitions.sequences[ENDED].sequence
    save_sequence(session, sequence.model_copy(update={"trial": None}), today())


def _form() -> SignUpForm:
    """The page on which people join the free course by e-mail."""
    return SignUpForm(
        key="varroa-watch",
        name="Varroa Watch",
        title="Five days with the varroa mite",
        sentence="A letter a day, for five days: how to see the mite, how to count it, and what to do about it. It is free.",
        asks=[Asked(name="first_name", label="Your first name")],
        course="varroa-watch",
        consent="I would also like to get the school's letters with news, about once a month. I can stop them at any time by a link in each.",
    )


def _audiences(session: Session) -> None:
    """Conditions that the owner has kept."""
    found = json.loads(files("patient_courier.demo").joinpath("audiences.json").read_text("utf-8"))
    for one in found:
        condition: Condition = TypeAdapter(Condition).validate_python(one["condition"])
        audiences.save(session, one["key"], one["name"], condition, today())


def _one_bad_event(session: Session) -> None:
    """What a course site with a slip in its set-up reports: a lesson that is not in the outline."""
    at = today().subtract(minutes=94)
    raw = {
        "type": "lesson_completed",
        "at": at.format_iso(),
        "student": "vasco.reis",
        "lesson": "first-hive/l32",
    }
    reason = (
        "there is no lesson “first-hive/l32” in this school; add it to the course's outline or mend the key"
    )
    keep_problem(session, raw, reason, at)


def _fill_inboxes(session: Session, settings: Settings, since: Instant) -> None:
    definitions = load_definitions(session, settings.address)
    school = definitions.school
    signer = LinkSigner(session.get_one(SecretRow, "links").value, settings.address)
    query = (
        select(DeliveryRow, StudentRow)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .where(DeliveryRow.status == "sent", DeliveryRow.at >= since)
    )
    for row, student in session.execute(query):
        links = signer.links(row.id, clicks=school.tracking.links, openings=school.tracking.openings)
        letter, course = (
            letter_version(session, row.letter, row.letter_version),
            course_of(session, logged(row)),
        )
        zone = school.zone_of(student.timezone)
        rendered = render(letter, look_of(definitions, letter, course), row.values, zone, links)
        name = " ".join(x for x in (student.first_name, student.last_name) if x)
        id = message_id(row.id, school.sender.email)
        mail = message(
            rendered,
            sender_of(definitions, letter, course, row.sequence),
            links,
            message_id=id,
            to=[(name, student.email)],
            date=row.at,
        )
        keep_message(
            session,
            message_id=id,
            recipient=student.email,
            sent=row.at,
            subject=rendered.subject,
            raw=mail.raw,
        )
